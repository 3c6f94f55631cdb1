"""Where a cutout is doubtful: outlines on the photo, and words."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from support import photo_of

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.clearing.doubt.places import place_of
from zero_easel.core.clearing.region import Region
from zero_easel.core.light.geometry import Size, Window


def region(size: tuple[int, int] = (200, 100), window: Window = Window()) -> Region:
    """An item that fills most of its window; size: (w, h)."""
    item = np.zeros(size[::-1], np.bool_)
    item[5:-5, 5:-5] = True
    return Region(window, np.where(item, 4, -4).astype(np.float32), item, Size(800, 400))


@given(
    st.tuples(st.floats(0, 0.6), st.floats(0, 0.6), st.floats(0.2, 0.4), st.floats(0.2, 0.4)),
    st.tuples(st.integers(10, 150), st.integers(10, 60), st.integers(6, 40), st.integers(6, 30)),
)
def test_outlines_lie_where_the_place_is_in_the_frame(
    window: tuple[float, float, float, float], box: tuple[int, int, int, int]
) -> None:
    left, top, width, height = window
    seen = region(window=Window(left, top, left + width, top + height))
    x, y, w, h = box
    mask = np.zeros((100, 200), np.bool_)
    mask[y : y + h, x : x + w] = True
    place = place_of(mask, seen)
    assert place is not None and len(place.outlines) == 1
    points = np.array(place.outlines[0])
    expected = np.array(
        [left + x / 200 * width, top + y / 100 * height, left + (x + w) / 200 * width, top + (y + h) / 100 * height]
    )
    # An outline runs through the middle of the outermost px of the grid.
    assert np.abs(np.concatenate([points.min(0), points.max(0)]) / 1000 - expected).max() <= 1.1 * max(
        width / 200, height / 100
    )


@pytest.mark.parametrize(
    ("part", "where"),
    [(np.s_[10:25, 10:40], "upper left"), (np.s_[40:60, 10:40], "left"), (np.s_[40:60, 80:120], "middle"),
     (np.s_[80:93, 80:120], "bottom"), (np.s_[80:93, 160:190], "lower right")],
)  # fmt: skip
def test_places_are_told_in_words(part: tuple[slice, slice], where: str) -> None:
    mask = np.zeros((100, 200), np.bool_)
    mask[part] = True
    place = place_of(mask, region())
    assert place is not None and place.where == where


def test_a_line_all_around_is_told_as_such_and_next_to_nothing_is_no_place() -> None:
    mask = np.zeros((100, 200), np.uint8)
    cv2.rectangle(mask, (6, 6), (193, 93), 1, 2)
    place = place_of(mask > 0, region())
    assert place is not None and place.where == "edge"
    mask[:] = 0
    mask[50, 50] = 1
    assert place_of(mask > 0, region()) is None


def test_a_rim_that_is_lost_in_the_paper_is_outlined_there() -> None:
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:480, 0:640]
    disc = np.hypot(x - 320, y - 250) < 130
    # The left half is a dark thing, the right half fades into the paper.
    shade = np.clip((x - 250) / 150, 0, 1)
    pixels = np.where(disc[..., None], 60 + shade[..., None] * (214.6 - 60), 215.0) + rng.normal(0, 1.2, (480, 640, 3))
    cut = cutout(photo_of(np.clip(pixels, 0, 255).astype(np.uint8)))
    assert cut.confidence < 0.5
    drawn = [point for flag in cut.flags for outline in flag.places for point in outline]
    assert drawn and all(0 <= value <= 1000 for point in drawn for value in point)
    middle = np.mean([x for x, _ in drawn])
    assert middle > 500  # thousandths: right of the middle
    assert any("right" in flag.text for flag in cut.flags)
