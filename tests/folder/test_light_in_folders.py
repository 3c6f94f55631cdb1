"""Light over whole folders: raw files and their pictures, a colour target, checks, and what is said of each photo."""

import csv
from pathlib import Path

import cv2
import numpy as np
import pytest
from raws import dng
from support import PHOTOS, halved, zero_easel
from targets import drawn_target

from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.tone.balance import warmed
from zero_easel.core.tone.difference import delta_e, lab_of

LAMP = warmed(70) * 0.7


def under_lamp(name: str) -> np.ndarray:
    light = to_linear(read_photo(PHOTOS / f"{name}.JPG").pixels)
    small = light.reshape(600, 2, 800, 2, 3).mean((1, 3))
    return np.asarray(np.clip(small @ LAMP.T, 0, 1), np.float32)


def written(path: Path, light: np.ndarray) -> None:
    cv2.imwrite(str(path), to_srgb8(light.astype(np.float32))[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 95])


def rows(out: Path) -> list[dict[str, str]]:
    with (out / "manifest.csv").open(encoding="utf-8-sig") as file:
        return list(csv.DictReader(file))


def mean_of(path: Path) -> np.ndarray:
    light = to_linear(read_photo(path).pixels)
    item = (np.abs(light - 1) > 0.02).any(2)
    return np.asarray(lab_of(light[item].mean(0)))


@pytest.fixture
def shoot(tmp_path: Path) -> Path:
    """Two photos by a lamp, one of them as raw file as well, and one of the colour target there."""
    folder = tmp_path / "in"
    folder.mkdir()
    written(folder / "M-1_front.jpg", under_lamp("BRYD0105"))
    (folder / "M-1_front.dng").write_bytes(dng(under_lamp("BRYD0105")))
    rough = under_lamp("BRYD0114")
    rough = rough + np.random.default_rng(4).normal(0, 0.02, rough.shape) * np.sqrt(rough)
    written(folder / "M-2_front.jpg", np.clip(rough, 0, 1))
    sheet = np.full((900, 1200, 3), 0.6, np.float32)
    target = drawn_target(100, np.random.default_rng(2))
    sheet[150 : 150 + target.shape[0], 200 : 200 + target.shape[1]] = target
    written(folder / "P0001.jpg", sheet @ LAMP.T)
    (tmp_path / "products.csv").write_text("code,colour\nM-1,blue\nM-2,navy\n", encoding="utf-8")
    return folder


def test_a_raw_file_counts_and_its_picture_says_why_it_is_out(shoot: Path, tmp_path: Path) -> None:
    run = zero_easel("run", shoot, "--out", tmp_path / "out", "--catalog", tmp_path / "products.csv")
    assert run.returncode in (0, 1), run.stderr
    by_name = {row["original"]: row for row in rows(tmp_path / "out")}
    assert by_name["M-1_front.dng"]["status"] == "done"
    assert (
        by_name["M-1_front.jpg"]["status"] == "left out"
        and "M-1_front.dng counts" in by_name["M-1_front.jpg"]["message"]
    )
    assert by_name["P0001.jpg"]["status"] == "left out" and "colour target" in by_name["P0001.jpg"]["message"]
    assert "--target P0001.jpg" in run.stderr
    # The pot is terracotta, and listed as navy.
    assert "listed navy, looks" in by_name["M-2_front.jpg"]["message"]
    again = zero_easel(
        "run", shoot, "--out", tmp_path / "again", "--catalog", tmp_path / "products.csv", "--pictures-count"
    )
    by_name = {row["original"]: row for row in rows(tmp_path / "again")}
    assert by_name["M-1_front.jpg"]["status"] == "done" and by_name["M-1_front.dng"]["status"] == "left out", (
        again.stderr
    )
    one, other = (mean_of(next((tmp_path / where).glob("M-1_*"))) for where in ("out", "again"))
    assert delta_e(one, other) < 3


def test_all_colours_follow_the_target(shoot: Path, tmp_path: Path) -> None:
    run = zero_easel(
        "run", shoot, "--out", tmp_path / "out", "--catalog", tmp_path / "products.csv", "--target", shoot / "P0001.jpg"
    )
    assert run.returncode in (0, 1) and "Colours follow the target" in run.stderr, run.stderr
    true = to_linear(read_photo(PHOTOS / "BRYD0114.JPG").pixels)
    (tmp_path / "plain").mkdir()
    (tmp_path / "plain/M-2_front.jpg").write_bytes(halved("BRYD0114.JPG"))
    assert true.size
    zero_easel("run", tmp_path / "plain", "--out", tmp_path / "true", "--catalog", tmp_path / "products.csv")
    made, wanted = (mean_of(next((tmp_path / where).glob("M-2_*"))) for where in ("out", "true"))
    assert delta_e(made, wanted) < 3
    refused = zero_easel("run", shoot, "--out", tmp_path / "no", "--target", shoot / "M-2_front.jpg")
    assert refused.returncode == 2 and "M-2_front.jpg shows no colour target" in refused.stderr
    missing = zero_easel("run", shoot, "--out", tmp_path / "no", "--target", shoot / "absent.jpg")
    assert missing.returncode == 2 and "absent.jpg" in missing.stderr


def test_checks_of_neutral_and_colour_and_words(shoot: Path, tmp_path: Path) -> None:
    checks = "checks:\n  - {rule: neutral, value: at most 3}\n  - {rule: colour, value: at most 19}\n"
    for white in ("as-shot", "backdrop"):
        item = f"item: {{white: {white}, exposure: {white}, noise: 60, sharpening: 40, contrast: 10, corners: 20}}\n"
        (tmp_path / f"{white}.yaml").write_text(f"name: S\n{item}{checks}", encoding="utf-8")
        run = zero_easel("run", shoot, "--out", tmp_path / white, "--catalog", tmp_path / "products.csv",
                         "--standard", tmp_path / f"{white}.yaml")  # fmt: skip
        assert run.returncode in (0, 1), run.stderr
    before, after = ({row["original"]: row for row in rows(tmp_path / white)} for white in ("as-shot", "backdrop"))
    assert "neutral at most 3" in before["M-1_front.dng"]["checks"]
    assert after["M-1_front.dng"]["checks"] == "passed"
    assert "colour at most 19" in after["M-2_front.jpg"]["checks"]
    words = after["M-2_front.jpg"]["message"]
    assert "cooler" in words and "less by 60 %" in words and "sharpened by 40 %" in words
    corner = to_linear(read_photo(next((tmp_path / "backdrop").glob("M-2_*"))).pixels)[0, 0]
    assert corner == pytest.approx(0.8, abs=0.02)


def test_a_grey_card_is_neutral_in_all(shoot: Path, tmp_path: Path) -> None:
    sheet = np.full((900, 1200, 3), 0.7, np.float32)
    sheet[250:650, 350:900] = 0.18
    written(shoot / "P0002.jpg", sheet @ LAMP.T)
    run = zero_easel("run", shoot, "--out", tmp_path / "out", "--catalog", tmp_path / "products.csv",
                     "--grey", shoot / "P0002.jpg", "--pictures-count")  # fmt: skip
    assert run.returncode in (0, 1), run.stderr
    by_name = {row["original"]: row for row in rows(tmp_path / "out")}
    assert by_name["P0002.jpg"]["status"] == "left out" and "grey card" in by_name["P0002.jpg"]["message"]
    (tmp_path / "plain").mkdir()
    (tmp_path / "plain/M-1_front.jpg").write_bytes(halved("BRYD0105.JPG"))
    zero_easel("run", tmp_path / "plain", "--out", tmp_path / "true", "--catalog", tmp_path / "products.csv")
    made, wanted = (mean_of(next((tmp_path / where).glob("M-1_*"))) for where in ("out", "true"))
    # Its white is right; how bright it was taken is left.
    assert np.hypot(*(made - wanted)[1:]) < 3
    refused = zero_easel("run", shoot, "--out", tmp_path / "no", "--grey", shoot / "P0001.jpg")
    assert refused.returncode == 2 and "P0001.jpg shows no grey card" in refused.stderr
