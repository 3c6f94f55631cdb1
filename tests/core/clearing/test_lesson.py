"""What a corrected photo teaches another one of the same place and thing."""

from dataclasses import replace

import numpy as np
import pytest
from support import PHOTOS

from zero_easel.core.clearing.lesson import Lesson, lesson_of, marks_by
from zero_easel.core.clearing.region import Region, decide
from zero_easel.core.clearing.sight import Sight, look_at
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.decoding import read_photo


def decided(pixels: np.ndarray) -> tuple[Sight, Region]:
    sight = look_at(pixels, [])
    return sight, decide(sight, Size.of(pixels), [])


@pytest.fixture(scope="module")
def mug() -> tuple[Sight, Region]:
    return decided(read_photo(PHOTOS / "BRYD0105.JPG").pixels[::2, ::2])


@pytest.fixture(scope="module")
def turned() -> tuple[Sight, Region]:
    """The same mug, its handle to the other side."""
    return decided(np.ascontiguousarray(read_photo(PHOTOS / "BRYD0105.JPG").pixels[::2, ::-2]))


def test_where_both_agree_there_is_nothing_to_draw(mug: tuple[Sight, Region], turned: tuple[Sight, Region]) -> None:
    assert marks_by(lesson_of(*mug), *turned) == []


def test_what_was_missed_or_kept_wrongly_is_marked_in_its_middle(
    mug: tuple[Sight, Region], turned: tuple[Sight, Region]
) -> None:
    sight, region = turned
    h, w = region.item.shape
    half = np.arange(w)[None, :] < w // 2
    for lost, kind, wrong in (
        (True, "item", region.item & half),  # its left half is said to be backdrop
        (False, "backdrop", ~region.item & half),  # all beside its left half is said to be item
    ):
        odds = np.where(half, -5 if lost else 5, region.odds).astype(np.float32)
        marks = marks_by(lesson_of(*mug), sight, replace(region, odds=odds, item=odds > 0))
        assert marks and marks[0].kind == kind
        (left, top, right, bottom), (x, y) = region.box, marks[0].points[0]
        assert wrong[int((y - top) / (bottom - top) * h), int((x - left) / (right - left) * w)]


def test_what_looks_like_nothing_that_was_taught_is_left_alone(mug: tuple[Sight, Region]) -> None:
    y, x = np.mgrid[0:600, 0:800]
    pixels = np.repeat(((x // 50 + y // 50) % 2 * 150 + 50)[..., None], 3, 2).astype(np.uint8)
    sight = look_at(pixels, [])
    everything = np.full(Size.of(sight.seen(sight.window).linear)[::-1], 5, np.float32)
    region = Region(sight.window, everything, everything > 0, Size.of(pixels))
    assert marks_by(lesson_of(*mug), sight, region) == []
    nothing = Lesson(np.zeros((0, 83), np.float32), np.zeros(0, np.float32), 0.0)
    assert marks_by(nothing, *mug) == []
