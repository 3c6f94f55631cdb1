"""Resampling by banded matrix products, against direct sums and its own rules."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.light.resample import Kernel, resample, warp


def direct(line: np.ndarray, count: int, start: float, stop: float) -> np.ndarray:
    """One line by the definition: every weight at every place."""
    step = (stop - start) / count
    found = []
    for k in range(count):
        centre = start + (k + 0.5) * step - 0.5
        x = (np.arange(-400, len(line) + 400) - centre) / max(step, 1)
        if step > 1:
            weights = np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0)
        else:
            a = np.abs(x)
            weights = np.where(
                a < 1, 1.5 * a**3 - 2.5 * a**2 + 1, np.where(a < 2, -0.5 * a**3 + 2.5 * a**2 - 4 * a + 2, 0)
            )
        weights /= weights.sum()
        found.append(weights[400:-400] @ line)
    return np.array(found)


@settings(max_examples=60, deadline=None)
@given(
    st.integers(5, 90), st.integers(1, 80), st.floats(-8, 8), st.floats(-8, 8), st.integers(0, 99),
)  # fmt: skip
def test_it_equals_the_filters_definition_along_both_axes(
    size: int, count: int, before: float, beyond: float, seed: int
) -> None:
    if size + beyond - before < 2:
        return
    plane = np.random.default_rng(seed).random((size, 3)).astype(np.float32)
    wanted = np.stack([direct(plane[:, c], count, before, size + beyond) for c in range(3)], 1)
    assert np.abs(resample(plane, Size(3, count), Box(0, before, 3, size + beyond)) - wanted).max() < 1e-4
    across = resample(np.ascontiguousarray(plane.T), Size(count, 3), Box(before, 0, size + beyond, 3))
    assert np.abs(across.T - wanted).max() < 1e-4


@pytest.mark.parametrize("size", [(13, 9), (64, 40), (128, 300)])
def test_a_flat_plane_stays_flat_inside_and_fades_out_at_its_end(size: tuple[int, int]) -> None:
    flat = np.ones((96, 128), np.float32)
    inside = resample(flat, Size(*size), Box(20, 20, 108, 76))
    assert np.abs(inside - 1).max() < 1e-5
    around = resample(flat, Size(*size), Box(-130, -130, 258, 226))
    assert around[0, 0] == 0 and abs(around[size[1] // 2, size[0] // 2] - 1) < 0.12


def test_identity_returns_the_picture() -> None:
    plane = np.random.default_rng(0).random((40, 50)).astype(np.float32)
    assert np.abs(resample(plane, Size(50, 40), Box(0, 0, 50, 40)) - plane).max() < 1e-6


def test_it_does_not_shift_the_picture() -> None:
    y, x = np.mgrid[0:200, 0:300]
    blob = np.exp(-(((x + 0.5 - 117) / 15) ** 2 + ((y + 0.5 - 83) / 12) ** 2)).astype(np.float32)
    small = resample(blob, Size(97, 61), Box(3.25, -4.5, 290, 180))
    rows, columns = np.mgrid[0:61, 0:97]
    centre_x = 3.25 + (small * (columns + 0.5)).sum() / small.sum() * (290 - 3.25) / 97
    centre_y = -4.5 + (small * (rows + 0.5)).sum() / small.sum() * 184.5 / 61
    assert abs(centre_x - 117) < 0.02 and abs(centre_y - 83) < 0.02


@given(
    st.sampled_from(["auto", "lanczos", "cubic", "box"]),
    st.tuples(st.integers(1, 30), st.integers(1, 30)),
    st.floats(-1.5, 3),
    st.floats(-0.7, 0.7),
    st.tuples(st.integers(-100, 100), st.integers(-100, 100)),
)
@example("box", (33, 26), 1.15, 0.0625, (0, 0))
def test_however_much_a_picture_is_enlarged_and_turned_white_stays_white(
    kernel: Kernel, shape: tuple[int, int], power: float, turn: float, shift: tuple[int, int]
) -> None:
    scale, size = 10**power, Size(23, 17)
    cos, sin = scale * np.cos(turn), scale * np.sin(turn)
    matrix = Map(cos, sin, -sin, cos, shift[0] / 2, shift[1] / 2)
    plane = np.ones(shape, np.float32)
    with np.errstate(all="raise", under="ignore"):
        for drawn in (
            warp(plane, size, matrix, kernel),
            resample(plane, size, Box(0, 0, 5 / scale, 5 / scale), kernel),
        ):
            assert np.isfinite(drawn).all() and drawn.max() < 1.5
