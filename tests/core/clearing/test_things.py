"""The network that knows what things are, as the application asks it."""

import numpy as np
import pytest
from support import PHOTOS

from zero_easel.core.clearing.things import CLOSE, FAR, MARKS, ask_things
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.decoding import read_photo


@pytest.fixture(scope="module")
def mug() -> np.ndarray:
    """A mug before a sweep, (1200, 1600, 3) uint8."""
    return read_photo(PHOTOS / "BRYD0105.JPG").pixels


@pytest.mark.parametrize("side", [FAR, CLOSE])
def test_odds_have_the_size_that_was_asked_for_whatever_the_photos_depth(mug: np.ndarray, side: int) -> None:
    size = Size(333, 250)
    odds = ask_things(mug, side, size)
    assert odds.shape == (250, 333) and odds.dtype == np.float32
    assert odds[150, 166] > 2 and (odds[:25] < -2).all()
    deep = ask_things(mug.astype(np.uint16) * 257, side, size)
    assert np.abs(deep - odds).mean() < 0.25 and ((deep > 0) == (odds > 0)).mean() > 0.99


def test_marks_turn_what_they_lie_on(mug: np.ndarray) -> None:
    size = Size(400, 300)
    marks = np.zeros((MARKS, 300, 400), np.float32)
    before = ask_things(mug, FAR, size)
    marks[1, 150:200, 170:210] = 1  # the mug is said to be backdrop
    after = ask_things(mug, FAR, size, marks)
    assert after[175, 190] < before[175, 190] - 1
