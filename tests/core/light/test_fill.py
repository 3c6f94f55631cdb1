"""Colours continue smoothly into the unknown and stay what they are where they are known."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.light.fill import fill_from


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 70), st.integers(1, 90), st.integers(1, 3), st.integers(0, 10_000))
def test_one_known_colour_fills_everything(height: int, width: int, channels: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    colour = rng.uniform(0, 1, channels).astype(np.float32)
    known = rng.uniform(size=(height, width)) < 0.03
    known[rng.integers(height), rng.integers(width)] = True
    values = np.where(known[..., None], colour, np.float32(7))
    assert np.abs(fill_from(values, known) - colour).max() < 1e-4


def test_known_colours_stay_and_a_slope_goes_on() -> None:
    slope = (np.linspace(0, 1, 64)[None, :, None] * np.ones((48, 1, 3))).astype(np.float32)
    known = np.ones((48, 64), np.bool_)
    known[12:36, 16:48] = False
    filled = fill_from(np.where(known[..., None], slope, 0), known)
    assert np.abs(filled - slope)[known].max() < 1e-6
    assert np.abs(filled - slope).max() < 0.12
    assert (np.diff(filled[24, 16:48, 0]) > -1e-3).all()


def test_little_weight_is_outvoted_by_what_is_sure() -> None:
    values = np.zeros((32, 32, 1), np.float32)
    values[:, 16:] = 1
    weights = np.zeros((32, 32), np.float32)
    weights[4:28, 4:12] = 1
    weights[4:28, 20:28] = 1e-3
    filled = fill_from(values, weights)
    assert filled[16, 15, 0] < 0.1
    weights[4:28, 4:12] = 0
    assert filled.shape == (32, 32, 1) and np.abs(fill_from(values, weights)[16, 15, 0] - 1) < 0.05
