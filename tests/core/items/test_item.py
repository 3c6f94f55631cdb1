"""Cutouts as they are kept."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.items.flag import Flag
from zero_easel.core.items.item import CutItem, alpha_of, cropped
from zero_easel.core.light.geometry import Box, Size

NOTHING = np.zeros((8, 8), np.uint8)

FLAG = Flag("a", "with “quotes” and ü", "9 % of it", (((1.5, 2.0), (3.0, 999.9), (0.0, 0.0)),), open=True)


def rgba(height: int, width: int, box: tuple[int, int, int, int], depth: type = np.uint8) -> np.ndarray:
    """A flat item in a box (top, bottom, left, right)."""
    top = np.iinfo(depth).max
    pixels = np.zeros((height, width, 4), depth)
    pixels[box[0] : box[1], box[2] : box[3]] = (top // 2, top // 5, top // 9, top)
    return pixels


@settings(max_examples=40, deadline=None)
@given(
    st.integers(3, 40),
    st.integers(3, 40),
    st.integers(0, 50),
    st.integers(0, 50),
    st.sampled_from([np.uint8, np.uint16]),
)
def test_packing_keeps_every_bit(height: int, width: int, left: int, top: int, depth: type) -> None:
    pixels = np.random.default_rng(height).integers(0, np.iinfo(depth).max, (height, width, 4)).astype(depth)
    pixels[pixels[..., 3] == 0] = 0
    pixels[height // 2, width // 2, 3] = np.iinfo(depth).max
    shadow = np.random.default_rng(width).integers(0, 255, (9, 12), dtype=np.uint8)
    item = cropped(pixels, Box(left, top, 300, 200), Size(300, 200), 0.625, [FLAG], shadow)
    again = CutItem.unpacked(*item.packed())
    assert again.pixels.dtype == depth and (again.pixels == item.pixels).all()
    assert (again.shadow == shadow).all()
    assert (again.left, again.top, again.width, again.height) == (item.left, item.top, 300, 200)
    assert again.bounds == item.bounds and again.confidence == 0.625 and again.flags == item.flags


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
def test_cropping_loses_no_pixel_and_keeps_the_place(depth: type) -> None:
    pixels = rgba(120, 160, (30, 80, 40, 110), depth)
    item = cropped(pixels, Box(0, 0, 160, 120), Size(160, 120), 1, [], NOTHING)
    assert item.pixels.shape == (52, 72, 4) and (item.left, item.top) == (39, 29)
    assert (item.whole() == pixels).all()
    assert item.bounds == (40, 30, 110, 80)


def test_a_part_of_a_photo_is_measured_in_the_photo() -> None:
    item = cropped(rgba(60, 60, (10, 50, 10, 50)), Box(500, 700, 560, 760), Size(3000, 2000), 1, [], NOTHING)
    assert item.bounds == (510, 710, 550, 750)
    assert item.whole().shape == (2000, 3000, 4)
    assert item.whole()[720, 520, 3] == 255


def test_nothing_but_a_trace_is_no_item() -> None:
    pixels = np.zeros((40, 40, 4), np.uint8)
    pixels[5, 5] = (9, 9, 9, 20)
    item = cropped(pixels, Box(0, 0, 40, 40), Size(40, 40), 1, [Flag("why", "because")], NOTHING)
    assert item.bounds is None and item.confidence == 0 and item.flags == [Flag("why", "because")]
    assert not item.whole().any()


def test_a_reduced_item_keeps_colour_up_to_its_rim_and_its_cover() -> None:
    item = cropped(rgba(400, 300, (57, 343, 41, 268)), Box(0, 0, 300, 400), Size(300, 400), 1, [], NOTHING)
    small, whole = item.reduced(60, 5000)
    assert max(small.pixels.shape[:2]) == 60
    seen = small.pixels[small.pixels[..., 3] > 8]
    assert np.abs(seen[:, :3].astype(int) - (127, 51, 28)).max() <= 2
    full, less = alpha_of(item.pixels), alpha_of(small.pixels)
    assert less.sum() / less.size == pytest.approx(full.sum() / full.size, abs=0.01)
    assert small.reduced(500)[0] is small and whole is item


def test_a_damaged_cutout_is_refused_by_name() -> None:
    png, facts = cropped(rgba(40, 40, (9, 30, 9, 30)), Box(0, 0, 40, 40), Size(40, 40), 1, [], NOTHING).packed()
    with pytest.raises(ValueError, match="damaged"):
        CutItem.unpacked(png[:40], facts)
