"""The engine on made-up scenes whose truth is known exactly."""

from dataclasses import replace

import numpy as np
import pytest
from conftest import AWKWARD, photo_of
from scipy import ndimage as ndi

from zero_easel.core.colour import to_linear, to_srgb8
from zero_easel.core.cutout import CutoutOptions, cutout
from zero_easel.core.photo import read_photo

ITEM = np.array([0.32, 0.05, 0.03])


def paper(height: int = 480, width: int = 640) -> np.ndarray:
    """Linear light of white paper that falls off to one corner, with a slight cast."""
    y, x = np.mgrid[0:height, 0:width]
    fall = 0.85 - 0.25 * (x / width) - 0.1 * ((y - height / 2) / height) ** 2
    return fall[..., None] * np.array([1, 0.99, 0.96])


def noisy(linear: np.ndarray, seed: int = 1) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return to_srgb8((linear * (1 + 0.01 * rng.standard_normal(linear.shape))).astype(np.float32))


def scene(blur: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    """A red disc with a round hole and a soft shadow on paper: sRGB pixels and the exact matte."""
    backdrop = paper()
    y, x = np.mgrid[0:480, 0:640]
    distance = np.hypot(y - 250, x - 320)
    matte = ndi.gaussian_filter(((distance < 120) & (distance > 45)).astype(float), blur)
    shadow = 1 - 0.5 * np.exp(-(((y - 350) / 40) ** 2 + ((x - 370) / 130) ** 2))
    shade = 0.8 + 0.4 * (250 - y) / 240
    item = ITEM * shade[..., None]
    return noisy(matte[..., None] * item + (1 - matte[..., None]) * backdrop * shadow[..., None]), matte


def iou(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / (a | b).sum())


def test_an_item_is_parted_from_paper_shadow_and_its_own_hole() -> None:
    pixels, truth = scene()
    cut = cutout(photo_of(pixels))
    assert cut.matte.dtype == np.float32 and cut.matte.shape == truth.shape
    assert cut.matte.min() >= 0 and cut.matte.max() <= 1
    assert iou(cut.matte > 0.5, truth > 0.5) > 0.97
    assert cut.matte[250, 320] < 0.05 and cut.matte[375, 375] < 0.05
    assert np.abs(cut.matte - truth)[(truth > 0.2) & (truth < 0.8)].mean() < 0.2


def test_edge_pixels_lose_the_colour_of_the_backdrop() -> None:
    pixels, truth = scene(blur=1.5)
    cut = cutout(photo_of(pixels))
    mixed = (truth > 0.35) & (truth < 0.65) & (cut.matte > 0.1)
    seen = to_linear(pixels)[mixed].mean(0)
    kept = to_linear(cut.foreground)[mixed].mean(0)
    assert mixed.sum() > 100
    assert np.abs(kept - ITEM).max() < 0.5 * np.abs(seen - ITEM).max()


def test_the_shadow_is_reported_where_it_lies() -> None:
    cut = cutout(photo_of(scene()[0]))
    h, w = cut.shadow.shape
    assert cut.shadow.min() >= 0 and cut.shadow.max() <= 1
    assert cut.shadow[round(395 / 480 * h), round(380 / 640 * w)] > 0.05
    assert cut.shadow[round(40 / 480 * h), round(40 / 640 * w)] < 0.02


def test_bare_paper_gives_nothing_and_says_so() -> None:
    cut = cutout(photo_of(noisy(paper())))
    assert cut.matte.max() == 0 and cut.confidence == 0
    assert [flag.code for flag in cut.flags] == ["no-item"]
    assert not cut.found


def test_own_transparency_is_kept_as_it_came() -> None:
    photo = read_photo(AWKWARD / "already-cut-out.png")
    cut = cutout(photo)
    assert photo.alpha is not None
    assert np.array_equal(np.round(cut.matte * 255).astype(np.uint8), photo.alpha)
    assert cut.flags[0].code == "own-transparency"


def test_sixteen_bits_stay_sixteen_bits() -> None:
    pixels, truth = scene()
    deep = photo_of(pixels)
    deep = replace(deep, pixels=pixels.astype(np.uint16) * 257)
    cut = cutout(deep)
    assert cut.foreground.dtype == np.uint16
    assert iou(cut.matte > 0.5, truth > 0.5) > 0.97


def test_an_item_at_the_edge_is_announced() -> None:
    pixels, _ = scene()
    cut = cutout(photo_of(np.ascontiguousarray(pixels[:, 260:])))
    assert "touches-edge" in [flag.code for flag in cut.flags] and "left" in " ".join(f.text for f in cut.flags)
    assert cut.confidence < 0.5


@pytest.mark.parametrize("size", [(60, 90), (16, 16), (300, 40)])
def test_tiny_and_narrow_photos_do_not_break_it(size: tuple[int, int]) -> None:
    pixels = noisy(paper(*size))
    pixels[size[0] // 3 : size[0] // 2, size[1] // 3 : size[1] // 2] = (160, 20, 20)
    cut = cutout(photo_of(pixels))
    assert cut.matte.shape == size and np.isfinite(cut.matte).all()


def test_the_same_photo_gives_the_same_cutout() -> None:
    pixels, _ = scene()
    first, second = (cutout(photo_of(pixels), CutoutOptions()) for _ in range(2))
    assert np.array_equal(first.matte, second.matte) and np.array_equal(first.foreground, second.foreground)
    assert first.confidence == second.confidence
