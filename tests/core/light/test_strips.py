"""Whole pictures resampled strip by strip, against the general resampling of one channel after the other."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.light.colour import to_linear, to_srgb
from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.light.resample import Kernel, warp
from zero_easel.core.light.strips import resample_whole

EDGE = 100


def by_channels(photo: np.ndarray, size: Size, matrix: Map, kernel: Kernel, bits: int) -> np.ndarray:
    """The definition: the photo goes on as it ended, and each channel is warped in one piece."""
    wide = np.pad(photo, ((EDGE, EDGE), (EDGE, EDGE), (0, 0)), mode="edge")
    moved = Map.moved(-EDGE, -EDGE).then(matrix)
    planes = [warp(to_linear(wide[..., channel]), size, moved, kernel) for channel in range(3)]
    return np.dstack([to_srgb(np.clip(plane, 0, 1), bits) for plane in planes])


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(["auto", "lanczos", "cubic", "box"]),
    st.tuples(st.integers(16, 300), st.integers(16, 90)),
    st.tuples(st.integers(8, 400), st.integers(8, 300)),
    st.sampled_from([8, 16]),
    st.booleans(),
    st.integers(0, 9),
)
def test_it_equals_warping_each_channel(
    kernel: Kernel, shape: tuple[int, int], wanted: tuple[int, int], bits: int, deep: bool, seed: int
) -> None:
    most, kind = (65536, np.uint16) if deep else (256, np.uint8)
    photo = np.random.default_rng(seed).integers(0, most, (*shape, 3)).astype(kind)
    across, down = wanted[0] / shape[1], wanted[1] / shape[0]
    matrix, size = Map(across, 0, 0, down, -0.31378, -0.61719), Size(wanted[0] - 1, wanted[1] - 1)
    made = resample_whole(photo, size, matrix, kernel, bits)
    # One level of 8 bits, and as much light of 16, where both lie between two.
    slack = 1 if bits == 8 else 30
    assert np.abs(made.astype(int) - by_channels(photo, size, matrix, kernel, bits)).max() <= slack


def test_a_map_that_turns_is_refused() -> None:
    with pytest.raises(ValueError, match="do not stay rows"):
        resample_whole(np.zeros((20, 20, 3), np.uint8), Size(20, 20), Map(1, 0.1, -0.1, 1, 0, 0))
