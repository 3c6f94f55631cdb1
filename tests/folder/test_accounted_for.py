"""No photo is ever lost: whatever lies in a folder is in the list exactly once as made, left out or failed."""

import csv
import tempfile
from pathlib import Path

import cv2
import numpy as np
from drawn import card, goods, ground
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.engines.workers import Workers
from zero_easel.folder.batch import FolderError, execute, prepare
from zero_easel.planning.whole import whole_standard

KINDS = ("goods", "goods", "card", "broken", "no picture", "bare backdrop", "same again")
SIZES = (
    Deliverable(name="small", size="longest", number=64),
    Deliverable(name="tiny", number=24, size="width", folder="tiny"),
)


def written(folder: Path, kinds: list[str], seed: int) -> None:
    """A folder of photos of these kinds, in shooting order."""
    rng = np.random.default_rng(seed)
    on = ground(rng)
    for at, kind in enumerate(kinds):
        name = folder / (f"empty {at}.jpg" if kind == "bare backdrop" else f"P{at:03}.jpg")
        if kind == "no picture":
            name.write_bytes(b"not a picture at all")
            continue
        picture = card(rng, on, f"BY-{3000 + at}") if kind == "card" else goods(rng, on)
        picture = on if kind == "bare backdrop" else picture
        data = cv2.imencode(".jpg", cv2.resize(picture, None, fx=0.5, fy=0.5))[1].tobytes()
        if kind == "same again" and at:
            data = sorted(folder.iterdir())[0].read_bytes()
        name.write_bytes(data[: len(data) // 3] if kind == "broken" else data)


@settings(max_examples=10)
@given(st.lists(st.sampled_from(KINDS), min_size=1, max_size=5), st.booleans(), st.booleans(), st.integers(0, 99))
def test_each_photo_is_made_left_out_or_failed(kinds: list[str], cards: bool, kept: bool, seed: int) -> None:
    with tempfile.TemporaryDirectory() as place:
        photos, out = Path(place) / "photos", Path(place) / "out"
        photos.mkdir()
        written(photos, kinds, seed)
        rules = whole_standard(SIZES)
        if not kept:  # as items on a canvas, but with nothing to be cleared: views that no size is for stay out
            sizes = tuple(one.model_copy(update={"views": "front"}) for one in SIZES)
            rules = rules.model_copy(update={"deliverables": sizes})
        try:
            run = prepare(photos, out, rules, [], [], cards=cards, jobs=1)
        except FolderError as refused:
            assert "holds no photos" in str(refused)
            return
        execute(run, Workers(1), lambda *_: None)
        with (out / "manifest.csv").open(encoding="utf-8-sig", newline="") as file:
            rows = list(csv.DictReader(file))
        told: dict[str, set[str]] = {}
        for row in rows:
            told.setdefault(row["original"], set()).add(row["status"])
        assert set(told) == {path.name for path in photos.iterdir()}
        for name, states in told.items():
            assert len(states) == 1 and states <= {"done", "failed", "left out"}, name
        assert all(row["message"] for row in rows if row["status"] != "done")
        files = {path.relative_to(out).as_posix() for path in out.rglob("*.jpg")}
        assert files == {row["output"] for row in rows if row["status"] == "done"}
