"""Doubt is filled from conviction on the same surface, never across an edge."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from zero_easel.core.clearing.settle import settle


def halves() -> np.ndarray:
    light = np.full((80, 120, 3), 0.6, np.float32)
    light[:, 60:] = 0.2
    return light


def test_uncertain_pixels_take_the_side_of_their_own_surface() -> None:
    odds = np.full((80, 120), -0.2, np.float32)
    odds[30:50, 5:20], odds[30:50, 100:115] = 5, -5
    odds[:, 60:] += 0.4  # a weak opinion on the wrong side
    settled = settle(odds, halves())
    assert (settled[:, :59] > 0).all() and (settled[:, 61:] < 0).all()


def test_a_certain_opinion_is_not_talked_out_of_an_edge() -> None:
    odds = np.where(np.arange(120) < 60, 5.0, -5.0)[None].repeat(80, 0).astype(np.float32)
    settled = settle(odds, halves())
    assert (settled[:, :59] > 2).all() and (settled[:, 61:] < -2).all()


@settings(max_examples=25, deadline=None)
@given(
    arrays.arrays(np.float32, (13, 17), elements=st.floats(-6, 6, width=32)),
    arrays.arrays(np.float32, (13, 17, 3), elements=st.floats(0, 1, width=32)),
)
def test_it_stays_between_the_extremes(odds: np.ndarray, linear: np.ndarray) -> None:
    settled = settle(odds, linear)
    assert settled.shape == odds.shape and np.isfinite(settled).all()
    assert settled.min() >= odds.min() - 1e-3 and settled.max() <= odds.max() + 1e-3
