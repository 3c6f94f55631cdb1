"""Places and helpers that all tests share."""

from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from zero_easel.core.doubts import Flag
from zero_easel.core.item import CutItem
from zero_easel.core.measure import bounds_of
from zero_easel.core.photo import Photo, PhotoFacts

HERE = Path(__file__).parent
AWKWARD = HERE / "awkward"
TRUTH = HERE / "truth"
SHOTLIST = HERE / "shotlist.csv"
DEMO = HERE.parent / "src/zero_easel/demo"
PHOTOS = DEMO / "photos"
CATALOG = DEMO / "products.csv"


def photo_of(pixels: NDArray[np.uint8], name: str = "made.png") -> Photo:
    """A photo of given upright pixels."""
    height, width = pixels.shape[:2]
    facts = PhotoFacts("0" * 64, pixels.nbytes, "PNG", width, height, 8, 1, "", 0.0, None)
    return Photo(name, pixels, None, facts)


def item_of(alpha: NDArray[np.float32], colour: tuple[int, int, int] = (200, 40, 40)) -> CutItem:
    """An item of one colour with a given matte, filling its photo."""
    height, width = alpha.shape
    pixels = np.zeros((height, width, 4), np.uint8)
    pixels[..., :3] = colour
    pixels[..., 3] = np.round(alpha * 255)
    return CutItem(pixels, 0, 0, width, height, bounds_of(alpha), 0.9, [Flag("made", "made up")])


@pytest.fixture
def demo_photos() -> list[Path]:
    """The demo's readable photos."""
    return sorted(p for p in PHOTOS.iterdir() if p.name != "BRYD0146.JPG")
