"""The band along an outline: mattes and clean colours, for any part of a photo, at any size."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from support import photo_of

from zero_easel.core.clearing.matte import Edge, edge_of
from zero_easel.core.clearing.region import decide
from zero_easel.core.clearing.sight import look_at
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.light.geometry import Box, Size

INK, PAPER = np.array([0.05, 0.12, 0.3]), np.array([0.8, 0.78, 0.74])


def disc(blur: float, grain: float = 0.002) -> tuple[np.ndarray, np.ndarray]:
    """A dark disc out of focus by `blur` px on pale paper, (600, 800, 3) uint8, and its exact matte."""
    y, x = np.mgrid[0:600, 0:800] + 0.5
    matte = np.clip(0.5 + (170 - np.hypot(x - 400, y - 300)) / (2 * blur), 0, 1)
    linear = matte[..., None] * INK + (1 - matte[..., None]) * PAPER
    linear = linear + np.random.default_rng(5).normal(0, grain, linear.shape)
    return to_srgb8(linear.astype(np.float32)), matte


def edge_for(pixels: np.ndarray) -> Edge:
    photo = photo_of(pixels)
    sight = look_at(photo.pixels, [])
    return edge_of(sight, decide(sight, Size.of(pixels), []))


@pytest.fixture(scope="module")
def sharp() -> tuple[np.ndarray, np.ndarray, Edge]:
    pixels, matte = disc(0.7)
    return pixels, matte, edge_for(pixels)


def whole(edge: Edge, pixels: np.ndarray) -> np.ndarray:
    height, width = pixels.shape[:2]
    return edge.solve(pixels, Box(0, 0, width, height))


@pytest.mark.parametrize("blur", [0.7, 1.5])
def test_the_matte_follows_the_softness_of_the_edge(blur: float) -> None:
    pixels, matte = disc(blur)
    found = whole(edge_for(pixels), pixels)[..., 3] / 255
    band = (matte > 0.02) & (matte < 0.98)
    assert np.abs(found - matte)[band].mean() < 0.05
    assert np.abs(found - matte)[~band].max() < 0.2


def test_mixed_pixels_give_the_paper_back(sharp: tuple[np.ndarray, np.ndarray, Edge]) -> None:
    pixels, matte, edge = sharp
    found = whole(edge, pixels)
    rim = (matte > 0.25) & (matte < 0.9) & (found[..., 3] > 60)
    assert np.abs(to_linear(found[..., :3])[rim] - INK).mean() < 0.04


def test_no_colour_is_left_where_nothing_is_seen(sharp: tuple[np.ndarray, np.ndarray, Edge]) -> None:
    found = whole(sharp[2], sharp[0])
    assert not found[found[..., 3] == 0].any()


def test_bounds_hold_all_of_the_matte_and_little_else(sharp: tuple[np.ndarray, np.ndarray, Edge]) -> None:
    pixels, _, edge = sharp
    box, seen = edge.bounds, whole(edge, pixels)[..., 3] > 0
    inside = np.zeros_like(seen)
    inside[box.top : box.bottom, box.left : box.right] = True
    assert not seen[~inside].any()
    assert box.right - box.left < 380 and box.bottom - box.top < 380


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 700), st.integers(0, 520), st.integers(8, 300), st.integers(8, 300))
def test_any_part_is_solved_as_the_whole_is(
    sharp: tuple[np.ndarray, np.ndarray, Edge], left: int, top: int, width: int, height: int
) -> None:
    pixels, _, edge = sharp
    box = Box(left, top, min(800, left + width), min(600, top + height))
    part = edge.solve(pixels[box.part], box)
    same = whole(edge, pixels)[box.top : box.bottom, box.left : box.right]
    assert np.abs(part.astype(int) - same).max() <= 2


def test_a_part_seen_at_half_its_size_agrees_with_the_whole(sharp: tuple[np.ndarray, np.ndarray, Edge]) -> None:
    pixels, matte, edge = sharp
    half = pixels.reshape(300, 2, 400, 2, 3).mean((1, 3)).astype(np.uint8)
    found = edge.solve(half, Box(0, 0, 800, 600))[..., 3] / 255
    assert found.shape == (300, 400)
    assert np.abs(found - matte.reshape(300, 2, 400, 2).mean((1, 3))).mean() < 0.003


def test_sixteen_bits_stay_sixteen_bits() -> None:
    pixels, matte = disc(2.0, grain=0)
    deep = pixels.astype(np.uint16) * 257
    found = whole(edge_for(deep), deep)
    assert found.dtype == np.uint16 and found[..., 3].max() == 65535
    assert np.abs(found[..., 3] / 65535 - matte).mean() < 0.003
