"""Noise of a known strength is measured and taken away; edges and fine texture stay."""

import cv2
import numpy as np
import pytest
from support import PHOTOS

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.light.colour import to_linear
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.tone.noise import Noise, noise_in, quieted

ITEMS = ("BRYD0105", "BRYD0111", "BRYD0114", "BRYD0126", "BRYD0136")


def planes(light: np.ndarray) -> list[np.ndarray]:
    return [np.ascontiguousarray(light[..., c], np.float32) for c in range(3)]


def noisy(light: np.ndarray, sigma: float, seed: int = 3) -> np.ndarray:
    root = np.sqrt(light) + np.random.default_rng(seed).normal(0, sigma, light.shape)
    return np.square(np.maximum(root, 0)).astype(np.float32)


def psnr(light: np.ndarray, true: np.ndarray) -> float:
    return float(-10 * np.log10(np.mean((np.sqrt(light) - np.sqrt(true)) ** 2)))


def flat(sigma: float) -> list[np.ndarray]:
    return [noisy(np.full((64, 64, 3), 0.5, np.float32), sigma, seed) for seed in range(9)]


@pytest.mark.parametrize("sigma", [0.005, 0.02, 0.06])
def test_measured_noise_is_that_which_is_there(sigma: float) -> None:
    found = noise_in(flat(sigma))
    # Of green half, of red and blue a quarter each; colour differences are of two channels.
    assert found.lightness[0] == pytest.approx(sigma * np.sqrt(0.375), rel=0.1)
    assert found.colour[0] == pytest.approx(sigma * np.sqrt(2), rel=0.1)
    assert found.lightness[2] == pytest.approx(found.lightness[0] / 4, rel=0.25)
    assert found.at(1 / 16)[0] == pytest.approx(found.lightness[2] / 4, rel=0.01)
    slope = np.linspace(0.2, 0.8, 64, dtype=np.float32)[None, :, None] * np.ones((64, 1, 3), np.float32)
    assert max(noise_in([slope] * 6).lightness) < 1e-4


@pytest.mark.parametrize("sigma", [pytest.param(0.01, marks=pytest.mark.slow), 0.03])
def test_items_gain_three_decibels(sigma: float) -> None:
    gains = []
    for name in ITEMS:
        item = cutout(read_photo(PHOTOS / f"{name}.JPG"))
        # At half the size, so that little of the photo's own noise is left.
        pixels = cv2.resize(item.pixels, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        light, cover = to_linear(pixels[..., :3]), (pixels[..., 3] / 255).astype(np.float32)
        rough = noisy(light, sigma)
        made = quieted(planes(rough * cover[..., None]), noise_in(flat(sigma)).at(1), 1.0, cover)
        solid = cover > 0.999
        gains.append(psnr(np.stack(made, -1)[solid], light[solid]) - psnr(rough[solid], light[solid]))
        assert all((plane <= cover + 1e-6).all() and (plane >= 0).all() for plane in made)
    # A brush is all bristles: there little is noise, and little is taken.
    assert np.median(gains) > 3 and min(gains) > 1.5


def mtf50(light: np.ndarray) -> float:
    """Cycles a px at which a nearly upright edge keeps half its contrast (ISO 12233, slanted edge)."""
    rows = np.sqrt(light)
    places = [float(np.interp(rows.mean(), row, np.arange(len(row)))) for row in cv2.blur(rows, (5, 9))]
    slope, start = np.polyfit(np.arange(len(rows)), places, 1)
    y, x = np.indices(rows.shape)
    across = x - (slope * y + start)
    bins = np.round(across[np.abs(across) < 24] * 4).astype(int)
    profile = np.bincount(bins + 96, rows[np.abs(across) < 24], 193) / np.maximum(
        np.bincount(bins + 96, minlength=193), 1
    )
    spread = np.diff(profile)[1:-1] * np.hanning(190)
    contrast = np.abs(np.fft.rfft(spread, 4096))
    contrast /= contrast[0]
    return float(np.argmax(contrast < 0.5) / 4096 * 4)


@pytest.mark.parametrize("sigma", [0.01, 0.03])
def test_edges_stay_sharp(sigma: float) -> None:
    y, x = np.indices((400, 200))
    edge = np.clip(x - (100 + (y - 200) * 0.08) + 0.5, 0, 1).astype(np.float32)
    light = np.square(0.35 + 0.4 * cv2.GaussianBlur(edge, (0, 0), 0.6))
    rough = noisy(light[..., None].repeat(3, 2), sigma)
    made = quieted(planes(rough), noise_in(flat(sigma)).at(1), 1.0)
    assert mtf50(made[1]) >= 0.95 * mtf50(light)


def test_fine_texture_stays() -> None:
    weave = 0.3 + 0.08 * np.sin(np.indices((200, 200)).sum(0) * 2 * np.pi / 5)
    rough = noisy(weave[..., None].repeat(3, 2).astype(np.float32), 0.02)
    made = quieted(planes(rough), noise_in(flat(0.02)).at(1), 1.0)
    assert made[1].std() > 0.97 * weave.std()


def test_nothing_happens_where_nothing_is_asked() -> None:
    light = planes(noisy(np.full((32, 32, 3), 0.5, np.float32), 0.05))
    assert quieted(light, (0.05, 0.05), 0.0) is light
    assert quieted(light, (0.0, 0.0), 1.0) is light
    half = quieted(light, (0.03, 0.07), 0.5)
    assert 0.45 < half[1].std() / light[1].std() < 0.75
    assert Noise((0.02, 0.01, 0.005), (0.04, 0.02, 0.01)).at(3.0) == pytest.approx((0.02, 0.04))
