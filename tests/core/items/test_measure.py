"""Box of an item: the same by the short way for large mattes as by the exact one."""

import numpy as np
import pytest

from zero_easel.core.items.measure import bounds_of, measures_of
from zero_easel.core.light.geometry import Box, Size


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


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_an_item_of_a_single_pixel_has_an_area_however_large_its_photo(kind: type) -> None:
    alpha = np.zeros((4000, 6000), kind)
    alpha[1234, 2345] = {np.uint8: 255, np.uint16: 65535, np.float32: 1}[kind]
    found = measures_of(alpha, 0, 0, Size(6000, 4000))
    assert found is not None and found.area == pytest.approx(1, rel=0.01)
    assert found.centroid == pytest.approx((2345.5, 1234.5), abs=45)
