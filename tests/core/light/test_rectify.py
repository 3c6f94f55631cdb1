"""Rectified photos against the flat sheets and straight lines that they show."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sheets import FRAME, bent_photo, corners_seen

from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.light.rectify import (
    AS_PHOTOGRAPHED,
    Rectification,
    aspect_of,
    bent,
    in_order,
    problem_of,
    reach_of,
    rectified,
    to_rectified,
)

angles = st.floats(-0.5, 0.5)
turns = st.tuples(angles, angles, st.floats(-0.3, 0.3))
aspects = st.floats(0.4, 2.5)
bends = st.floats(-12, 12)
frames = st.builds(Size, st.integers(600, 6000), st.integers(600, 6000))


@given(aspects, turns, st.floats(0.9, 3))
def test_a_rectangle_becomes_upright_with_its_own_proportions(aspect: float, turn: object, focal: float) -> None:
    corners = in_order(corners_seen(aspect, turn, focal=focal, away=2.2 * focal))
    seen = Rectification(corners=tuple((float(x), float(y)) for x, y in corners))
    assert not problem_of(seen, FRAME)
    (left, top), (right, also_top), lower_right, (also_left, bottom) = to_rectified(corners, seen, FRAME)
    assert left == pytest.approx(also_left, abs=0.05) and top == pytest.approx(also_top, abs=0.05)
    assert lower_right == pytest.approx((right, bottom), abs=0.05)
    # The focal length is not known, and told from the picture; not where two sides stay parallel.
    assert (right - left) / (bottom - top) == pytest.approx(aspect, rel=0.2)
    assert aspect_of(corners, FRAME) == pytest.approx((right - left) / (bottom - top), rel=1e-3)
    said = to_rectified(corners, seen._replace(aspect=aspect), FRAME)
    assert np.ptp(said[:, 0]) / np.ptp(said[:, 1]) == pytest.approx(aspect, rel=1e-3)
    assert (to_rectified(corners, seen, FRAME) > -1e-3).all()


@given(bends, frames, st.integers(0, 2**31))
def test_what_a_lens_bent_is_straight_and_fills_the_frame(bend: float, frame: Size, seed: int) -> None:
    lens = Rectification(bent(bend))
    assert lens.bend == pytest.approx(bend) and not problem_of(lens, frame)
    # A straight line, bent as the lens does it (by the definition, not by the code's own inverse).
    rng = np.random.default_rng(seed)
    ends = rng.uniform(0.2, 0.8, (2, 2)) * frame
    line = ends[0] + np.linspace(0, 1, 40)[:, None] * (ends[1] - ends[0])
    middle, unit = np.array(frame) / 2, np.hypot(*frame) / 2
    r = np.hypot(*(line - middle).T) / unit
    photographed = middle + (line - middle) * (1 + bend / 100 * r**2)[:, None]
    straight = to_rectified(photographed, lens, frame)
    along = (straight[-1] - straight[0]) / max(np.hypot(*(straight[-1] - straight[0])), 1e-9)
    off = (straight - straight[0]) @ np.array([-along[1], along[0]])
    assert np.abs(off).max() < 1e-6 * unit
    # All of the rim lies at or beyond that of the frame: nothing of the frame lies beyond the photo.
    across = np.linspace(0, 1, 50)[:, None] * (frame.width, 0)
    upper = to_rectified(across, lens, frame)
    assert (upper[:, 1] <= 1e-6 * unit).all()


def test_pixels_follow_their_places() -> None:
    rng = np.random.default_rng(1)
    small = rng.uniform(0, 255, (25, 38, 3)).astype(np.float32)
    smooth = np.kron(small, np.ones((8, 8, 1), np.float32))[:192, :300]
    for axis in (0, 1):
        kernel = np.hanning(19) / np.hanning(19).sum()
        smooth = np.apply_along_axis(np.convolve, axis, smooth, kernel, "same")
    straight = np.clip(smooth, 0, 255).astype(np.uint8)
    for bend in (-8.0, 6.0):
        lens = Rectification(bent(bend))
        back = rectified(bent_photo(straight, lens), lens, Size(300, 192))
        inner = (slice(30, -30), slice(40, -40))
        assert np.abs(back[inner].astype(int) - straight[inner]).mean() < 0.6
        assert np.abs(bent_photo(straight, lens)[inner].astype(int) - straight[inner]).mean() > 3


def test_a_part_with_its_alpha_is_the_same_as_the_whole() -> None:
    rng = np.random.default_rng(2)
    frame = Size(240, 160)
    whole = np.zeros((160, 240, 4), np.uint16)
    whole[50:120, 60:170] = rng.integers(20000, 60000, (70, 110, 4))
    seen = Rectification((0.0, -0.05, 0.0), ((60.0, 50.0), (170.0, 60.0), (160.0, 120.0), (66.0, 112.0)))
    part = Box(55, 45, 176, 126)
    out = reach_of(seen, frame, part)
    alone = rectified(whole[part.part], seen, frame, part, out)
    assert np.abs(alone.astype(int) - rectified(whole, seen, frame, None, out)).max() < 40
    assert not (alone[alone[..., 3] == 0]).any()
    # Two rectangles of one frame: nothing of an item is lost where it comes to lie beyond.
    apart = Rectification((0.0, -0.1, 0.0))
    beyond = reach_of(apart, frame, Box(0, 0, *frame))
    assert beyond.left < 0 and beyond.right > frame.width


def test_what_cannot_be_rectified_says_why() -> None:
    square = ((10.0, 10.0), (90.0, 10.0), (90.0, 90.0), (10.0, 90.0))
    frame = Size(100, 100)
    assert problem_of(AS_PHOTOGRAPHED, frame) == "" and problem_of(Rectification(corners=square), frame) == ""
    crossed = Rectification(corners=(square[0], square[2], square[1], square[3]))
    assert "cross" in problem_of(crossed, frame)
    assert "four" in problem_of(Rectification(corners=square[:3]), frame)
    assert "four" in problem_of(Rectification(corners=((float("nan"), 1.0), *square[1:])), frame)
    assert "small" in problem_of(Rectification(corners=((1.0, 1.0), (3.0, 1.0), (3.0, 3.0), (1.0, 3.0))), frame)
    assert "bends" in problem_of(Rectification(bent(-45)), frame)
    assert "behind" in problem_of(Rectification(corners=((45.0, 10.0), (55.0, 10.0), (95.0, 90.0), (5.0, 90.0))), frame)
    assert "20" in problem_of(Rectification(corners=square, aspect=40), frame)
