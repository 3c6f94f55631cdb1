"""Marks: vectors in px of the original, what they cover, and how far they speak."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from zero_easel.core.clearing.marks import Mark, corrected, drawn, planes_of
from zero_easel.core.light.geometry import Box, Size

BOX = Box(0.0, 0.0, 400.0, 300.0)


def halves() -> np.ndarray:
    """Two flat colours that meet at x = 200, (300, 400, 3) linear light with a little grain."""
    light = np.full((300, 400, 3), 0.6)
    light[:, 200:] = 0.3
    grain = np.random.default_rng(3).normal(0, 0.004, light.shape)
    return np.asarray(light + grain, np.float32)


@settings(max_examples=60, deadline=None)
@given(st.floats(5, 395), st.floats(5, 295), st.floats(0.1, 40), st.integers(1, 4))
def test_a_dot_covers_its_disc_at_any_size(x: float, y: float, radius: float, shrink: int) -> None:
    size = Size(400 // shrink, 300 // shrink)
    where = drawn([Mark(kind="item", points=((x, y),), radius=radius)], ("item",), BOX, size)
    rows, columns = np.mgrid[0 : size[1], 0 : size[0]]
    distance = np.hypot((columns + 0.5) * shrink - x, (rows + 0.5) * shrink - y)
    assert where.any()
    assert not where[distance > radius + 1.6 * shrink].any()
    assert where[distance < radius - 1.2 * shrink].all()


def test_a_stroke_lies_where_it_was_drawn_whatever_part_is_looked_at() -> None:
    stroke = Mark(kind="backdrop", points=((40, 50), (200, 210), (350, 100)), radius=6)
    whole = drawn([stroke], ("backdrop",), BOX, Size(400, 300))
    part = drawn([stroke], ("backdrop",), Box(100.0, 80.0, 300.0, 260.0), Size(200, 180))
    assert (whole[80:260, 100:300] != part).mean() < 0.002
    assert not drawn([stroke], ("item",), BOX, Size(400, 300)).any()


def test_a_mark_turns_the_part_it_is_on_up_to_that_parts_edge() -> None:
    odds = np.full((300, 400), -3.0, np.float32)
    after = corrected(odds, halves(), [Mark(kind="item", points=((170, 150),), radius=15)], BOX)
    assert after[150, 170] > 20 and after[150, 190] > 0
    assert (after[:, 206:] < -2.5).all()
    assert np.abs(after[:, :60] - odds[:, :60]).max() < 0.1


def test_later_marks_outvote_earlier_ones_where_they_overlap() -> None:
    odds = np.zeros((300, 400), np.float32)
    there = [Mark(kind=kind, points=((100, 100),), radius=10) for kind in ("item", "backdrop")]
    assert corrected(odds, halves(), there, BOX)[100, 100] < -20
    assert corrected(odds, halves(), there[::-1], BOX)[100, 100] > 20


def test_nothing_outside_all_fences_is_item() -> None:
    odds = np.full((300, 400), 4.0, np.float32)
    fences = [
        Mark(kind="fence", points=((10, 10), (90, 10), (90, 90), (10, 90))),
        Mark(kind="fence", points=((200, 100), (300, 100), (250, 250))),
    ]
    after = corrected(odds, halves(), fences, BOX) > 0
    assert after[50, 50] and after[130, 250]
    assert not after[50, 150] and not after[250, 380]
    assert abs(int(after.sum()) - (80 * 80 + 100 * 150 / 2)) < 500


def test_planes_say_what_was_drawn_last() -> None:
    first = Mark(kind="item", points=((100, 100),), radius=30)
    over = Mark(kind="backdrop", points=((110, 100),), radius=10)
    item, backdrop, beyond = planes_of([first, over], BOX, Size(400, 300)) > 0
    assert item[100, 80] and not item[100, 110] and backdrop[100, 110] and not backdrop[100, 80] and not beyond.any()
    fence = Mark(kind="fence", points=((50, 50), (200, 50), (200, 200), (50, 200)))
    beyond = planes_of([fence], BOX, Size(400, 300))[2] > 0
    assert not beyond[100, 100] and beyond[20, 20] and beyond[250, 300]


@pytest.mark.parametrize(
    "bad",
    [
        {"kind": "item", "points": []},
        {"kind": "lasso", "points": [[1, 1]]},
        {"kind": "item", "points": [[1, 1]], "radius": 0},
    ],
)
def test_what_is_no_mark_is_refused(bad: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        Mark.model_validate(bad)
