"""Light by rule over a folder, and what the command line measures of it."""

import json
from pathlib import Path

import cv2
import numpy as np
from PIL import Image
from support import PHOTOS, zero_easel

from zero_easel.core.light.colour import to_linear, to_srgb8

RULES = """
item:
  white: backdrop
  exposure: backdrop
  balance: photo
deliverables:
  - name: shop
    format: png
"""


def written(folder: Path) -> None:
    """One item as it was shot, under a lamp, and in the shade."""
    photo = cv2.cvtColor(cv2.imread(str(PHOTOS / "BRYD0144.JPG")), cv2.COLOR_BGR2RGB)
    photo = cv2.resize(photo, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    for name, gains in {"shot": (0.6, 0.6, 0.6), "lamp": (0.75, 0.55, 0.3), "shade": (0.4, 0.5, 0.6)}.items():
        Image.fromarray(to_srgb8((to_linear(photo) * np.array(gains)).astype(np.float32))).save(folder / f"{name}.png")


def item_of(path: Path) -> np.ndarray:
    """Mean light of what is not the white ground."""
    pixels = np.asarray(Image.open(path).convert("RGB"))
    return np.asarray(to_linear(pixels)[(pixels < 245).any(-1)].mean(0))


def test_pictures_of_one_item_under_three_lights_agree(tmp_path: Path) -> None:
    photos, rules = tmp_path / "photos", tmp_path / "rules.yaml"
    photos.mkdir()
    written(photos)
    rules.write_text(RULES)
    made = {}
    for name, given in (("plain", ()), ("lit", ("--standard", rules))):
        out = tmp_path / name
        done = zero_easel("run", photos, "--out", out, "--no-cards", *given)
        assert done.returncode in (0, 1), done.stderr
        made[name] = [item_of(path) for path in sorted(out.iterdir()) if path.suffix in (".png", ".jpg")]
    assert len(made["lit"]) == len(made["plain"]) == 3
    spread = {name: float(np.ptp(np.stack(found), axis=0).max()) for name, found in made.items()}
    assert spread["lit"] < 0.2 * spread["plain"]


def test_light_is_measured_in_numbers_and_words(tmp_path: Path) -> None:
    written(tmp_path)
    (tmp_path / "broken.png").write_bytes(b"no picture")
    done = zero_easel("tone", *(tmp_path / f"{name}.png" for name in ("lamp", "shade", "broken")), "--json")
    assert done.returncode == 1
    lamp, shade, broken = (json.loads(line) for line in done.stdout.splitlines())
    assert (
        lamp["backdrop_lab"][2] > 15 > -3 > shade["backdrop_lab"][2] and lamp["kelvin"] < 4500 < 7500 < shade["kelvin"]
    )
    assert lamp["item_lab"] and 0 <= lamp["clipped"] <= 1 and "broken.png" in broken["error"]
    words = zero_easel("tone", tmp_path / "lamp.png").stdout
    assert "backdrop L*" in words and "light of" in words
