"""Box of an item: the same by the short way for large mattes as by the exact one."""

import numpy as np
import pytest

from zero_easel.core.items.measure import bounds_of
from zero_easel.core.light.geometry import Box


def matte(kind: type, top: float, specks: bool) -> np.ndarray:
    """1200 x 1000 px: a block, and dust in two corners if asked for."""
    alpha = np.zeros((1000, 1200), kind)
    alpha[203:797, 301:902] = top
    alpha[300:400, 500:600] = top * 0.3
    if specks:
        alpha[5:8, 7:9] = alpha[990:995, 1190:1196] = top
    return alpha


@pytest.mark.parametrize(("kind", "top"), [(np.float32, 1), (np.uint8, 255), (np.uint16, 65535)])
@pytest.mark.parametrize("specks", [False, True])
def test_large_mattes_are_measured_without_their_specks(kind: type, top: float, specks: bool) -> None:
    assert bounds_of(matte(kind, top, specks)) == Box(301, 203, 902, 797)


def test_a_second_part_that_is_no_speck_counts_and_nothing_gives_nothing() -> None:
    alpha = matte(np.uint8, 255, False)
    alpha[900:950, 1000:1100] = 255
    assert bounds_of(alpha) == Box(301, 203, 1100, 950)
    assert bounds_of(np.zeros((1100, 1100), np.uint8)) is None
    assert bounds_of(np.zeros((10, 10), np.float32)) is None
