"""The engine on made-up scenes whose truth is known exactly."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import ndimage as ndi
from support import AWKWARD, photo_of

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.items.item import CutItem, alpha_of
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.photos.decoding import read_photo

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


def matte_of(cut: CutItem) -> np.ndarray:
    return alpha_of(cut.whole())


def iou(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / (a | b).sum())


def test_an_item_is_parted_from_paper_shadow_and_its_own_hole() -> None:
    pixels, truth = scene()
    matte = matte_of(cutout(photo_of(pixels)))
    assert matte.shape == truth.shape
    assert iou(matte > 0.5, truth > 0.5) > 0.98
    assert matte[250, 320] < 0.05 and matte[375, 375] < 0.05
    assert np.abs(matte - truth)[(truth > 0.2) & (truth < 0.8)].mean() < 0.15


def test_edge_pixels_lose_the_colour_of_the_backdrop() -> None:
    pixels, truth = scene(blur=1.5)
    cut = cutout(photo_of(pixels))
    mixed = (truth > 0.35) & (truth < 0.65) & (matte_of(cut) > 0.1)
    seen = to_linear(pixels)[mixed].mean(0)
    kept = to_linear(cut.whole()[..., :3])[mixed].mean(0)
    assert mixed.sum() > 100
    assert np.abs(kept - ITEM).max() < 0.5 * np.abs(seen - ITEM).max()


def test_the_shadow_is_reported_where_it_lies() -> None:
    cut = cutout(photo_of(scene()[0]))
    h, w = cut.shadow.shape
    assert cut.shadow.dtype == np.uint8
    assert cut.shadow[round(395 / 480 * h), round(380 / 640 * w)] > 0.05 * 255
    assert cut.shadow[round(40 / 480 * h), round(40 / 640 * w)] < 0.02 * 255


def test_bare_paper_gives_nothing_and_says_so() -> None:
    cut = cutout(photo_of(noisy(paper())))
    assert cut.bounds is None and not cut.whole().any() and cut.confidence == 0
    assert [flag.code for flag in cut.flags] == ["no-item"]


def test_own_transparency_is_kept_as_it_came() -> None:
    photo = read_photo(AWKWARD / "already-cut-out.png")
    cut = cutout(photo)
    assert photo.alpha is not None
    assert np.array_equal(cut.whole()[..., 3], photo.alpha)
    assert cut.flags[0].code == "own-transparency"


def test_sixteen_bits_stay_sixteen_bits() -> None:
    pixels, truth = scene()
    deep = photo_of(pixels)
    deep = replace(deep, pixels=pixels.astype(np.uint16) * 257)
    cut = cutout(deep)
    assert cut.pixels.dtype == np.uint16
    assert iou(matte_of(cut) > 0.5, truth > 0.5) > 0.98


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
    assert cut.whole().shape == (*size, 4)


def test_the_same_photo_gives_the_same_cutout() -> None:
    pixels, _ = scene()
    first, second = (cutout(photo_of(pixels)) for _ in range(2))
    assert np.array_equal(first.pixels, second.pixels) and np.array_equal(first.shadow, second.shadow)
    assert first.confidence == second.confidence


def dusk(strength: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A brown disc on pale paper under a hard-edged shadow that is not the disc's own: photo, empty frame, matte."""
    y, x = np.mgrid[0:480, 0:640]
    matte = ndi.gaussian_filter((np.hypot(y - 250, x - 320) < 120).astype(float), 1.0)
    room = paper() * np.where(x + 0.3 * y > 430, 1 - strength, 1)[..., None]
    shade = 0.86 + 0.1 * (250 - y) / 240
    item = np.array([0.4, 0.24, 0.14]) * shade[..., None]
    return noisy(matte[..., None] * item + (1 - matte[..., None]) * room), noisy(room * 1.07, 2), matte


def test_an_empty_frame_is_used_where_it_fits() -> None:
    pixels, empty, truth = dusk(0.45)
    alone, helped = (cutout(photo_of(pixels), empties) for empties in ([], [empty]))
    assert iou(matte_of(helped) > 0.5, truth > 0.5) > 0.97
    assert iou(matte_of(helped) > 0.5, truth > 0.5) >= iou(matte_of(alone) > 0.5, truth > 0.5) - 0.002
    assert "empty-unused" not in [flag.code for flag in helped.flags]


def test_an_empty_frame_of_another_place_is_not_used_and_that_is_said() -> None:
    pixels, _, truth = dusk(0.0)
    other = noisy(paper() * np.where(np.arange(480)[:, None, None] < 200, 0.2, 1.0))
    cut = cutout(photo_of(pixels), [other])
    assert "empty-unused" in [flag.code for flag in cut.flags]
    assert np.array_equal(cut.pixels, cutout(photo_of(pixels)).pixels)
    assert iou(matte_of(cut) > 0.5, truth > 0.5) > 0.95


def test_marks_open_what_was_missed_and_nothing_else() -> None:
    pixels, _ = scene()
    before = matte_of(cutout(photo_of(pixels)))
    across = Mark(kind="backdrop", points=((220, 250), (250, 250)), radius=12)
    after = matte_of(cutout(photo_of(pixels), marks=[across]))
    assert before[250, 235] > 0.95 and after[250, 235] < 0.05
    # The far side of the ring is beyond the hole, the paper beside it beyond the edge.
    changed = np.abs(after - before) > 0.1
    assert not changed[:, 380:].any() and not changed[:, :190].any()


def test_the_exact_brush_is_taken_literally_at_full_size() -> None:
    pixels, _ = scene()
    marks = [
        Mark(kind="exact-item", points=((600.5, 20.5),), radius=3),
        Mark(kind="exact-backdrop", points=((320.5, 150.5),), radius=0.5),
    ]
    matte = matte_of(cutout(photo_of(pixels), marks=marks))
    assert matte[20, 600] == 1 and matte[20, 603] == 1 and matte[20, 606] == 0
    assert matte[150, 320] == 0 and matte[150, 323] == 1


def test_a_fence_shuts_everything_else_out() -> None:
    pixels, _ = scene()
    fence = Mark(kind="fence", points=((160, 100), (318, 100), (318, 400), (160, 400)))
    matte = matte_of(cutout(photo_of(pixels), marks=[fence]))
    assert matte[250, 230] > 0.95 and not (matte[:, 326:] > 0.5).any()
