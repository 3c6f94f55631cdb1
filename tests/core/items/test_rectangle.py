"""Rectangles found in cutouts, and cutouts brought upright."""

import cv2
import numpy as np
import pytest
from sheets import FRAME, corners_seen, photographed

from zero_easel.core.items.item import CutItem, cropped
from zero_easel.core.items.rectangle import rectangle_of
from zero_easel.core.items.rectified import rectified_item
from zero_easel.core.light.geometry import Box
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification, bent, in_order

SHADOW = np.zeros((8, 8), np.uint8)


def cut(shape: np.ndarray, pixels: np.ndarray | None = None) -> CutItem:
    """An item of a shape, (H, W) uint8, in a frame of its size."""
    colour = np.full((*shape.shape, 3), 120, np.uint8) if pixels is None else pixels
    rgba = np.dstack([colour, shape])
    rgba[shape == 0] = 0
    return cropped(rgba, Box(0, 0, *FRAME), FRAME, 1.0, [], SHADOW)


def filled(corners: np.ndarray) -> np.ndarray:
    large = np.zeros((FRAME.height * 4, FRAME.width * 4), np.uint8)
    cv2.fillPoly(large, [np.round((corners * 4 - 0.5) * 16).astype(np.int32)], 255, shift=4)
    return np.asarray(cv2.resize(large, tuple(FRAME), interpolation=cv2.INTER_AREA))


@pytest.mark.parametrize("seed", range(6))
def test_a_sheet_is_found_and_brought_upright(seed: int) -> None:
    rng = np.random.default_rng(seed)
    aspect = float(np.exp(rng.uniform(-0.7, 0.7)))
    corners = in_order(corners_seen(aspect, rng.uniform(-0.45, 0.45, 3) * (1, 1, 0.4)))
    item = cut(filled(corners), photographed(aspect, corners))
    found = rectangle_of(item)
    assert np.abs(np.array(found) - corners).max() < 0.8
    upright = rectified_item(item, Rectification(corners=found))
    assert upright.measures is not None and item.measures is not None
    box = upright.measures.bounds
    assert upright.measures.area > 0.995 * box.width * box.height
    assert box.width / box.height == pytest.approx(aspect, rel=0.03)
    assert upright.measures.area == pytest.approx(item.measures.area, rel=0.1)
    # Lines of its print are level and plumb.
    light = upright.pixels[..., :3].astype(float).mean(2)
    height, width = light.shape
    inner = light[height // 8 : -height // 8, width // 8 : -width // 8]
    assert min(inner.mean(1).max(), inner.mean(0).max()) > 190


def test_what_is_no_rectangle_is_not_made_one() -> None:
    middle, shapes = np.array(FRAME) / 2, []
    around = np.linspace(0, 2 * np.pi, 200, endpoint=False)
    shapes.append(middle + np.c_[np.cos(around), np.sin(around)] * 300)
    for sides in (3, 5, 6, 8):
        turn = np.arange(sides) * 2 * np.pi / sides + 0.2
        shapes.append(middle + np.c_[np.cos(turn), np.sin(turn)] * 300)
    mug = np.array([[500, 300], [800, 300], [800, 400], [950, 420], [950, 600], [800, 620], [800, 750], [500, 750]])
    for shape in [*shapes, mug.astype(float)]:
        assert rectangle_of(cut(filled(shape))) == ()


def test_worn_corners_are_still_those_of_a_rectangle() -> None:
    corners = in_order(corners_seen(0.8, (0.3, -0.2, 0.1)))
    worn = cv2.morphologyEx(filled(corners), cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (41, 41)))
    found = rectangle_of(cut(np.asarray(worn)))
    assert np.abs(np.array(found) - corners).max() < 1.5


def test_light_and_what_the_frame_cut_off_stay_what_they_were() -> None:
    corners = np.array([[-100.0, 200], [500, 200], [500, 800], [-100, 800]])
    item = cut(filled(corners))
    assert item.measures is not None and item.measures.edges == ("left",)
    known = item.measures._replace(backdrop=(0.6, 0.6, 0.5), clipped=0.25)
    held = CutItem(item.pixels, item.left, item.top, *FRAME, known, 0.8, [], SHADOW)
    moved = rectified_item(held, Rectification(bent(-9)))
    assert moved.measures is not None and moved.left < 0
    assert moved.measures.edges == ("left",) and moved.measures.backdrop == (0.6, 0.6, 0.5)
    assert moved.measures.clipped == 0.25 and moved.confidence == 0.8
    assert moved.whole().shape == (FRAME.height, FRAME.width, 4) and moved.whole()[500, 2, 3] > 200
    assert rectified_item(held, AS_PHOTOGRAPHED) is held
