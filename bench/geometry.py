"""How well rectangles are found and brought upright, and what that costs of a photo's sharpness.

python bench/geometry.py [--cases 200] [--seed 3]
"""

import argparse

import cv2
import numpy as np
from sheets import FRAME, corners_seen

from zero_easel.core.items.item import cropped
from zero_easel.core.items.rectangle import rectangle_of
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.light.rectify import Rectification, aspect_of, bent, in_order, rectified, to_rectified

SHADOW = np.zeros((8, 8), np.uint8)


LEANING = ((42.5, 32.0), (197.5, 32.0), (200.0, 168.0), (40.0, 168.0))


def mask_of(corners: np.ndarray) -> np.ndarray:
    """Its cover, (H, W) uint8, in FRAME."""
    large = np.zeros((FRAME.height * 4, FRAME.width * 4), np.uint8)
    cv2.fillConvexPoly(large, np.round((corners * 4 - 0.5) * 16).astype(np.int32), 255, shift=4)
    return np.asarray(cv2.resize(large, tuple(FRAME), interpolation=cv2.INTER_AREA))


def found_in(corners: np.ndarray, rng: np.random.Generator) -> np.ndarray | None:
    """Corners found in a cutout with worn corners and a soft, uneven rim."""
    cover = mask_of(corners)
    worn = int(rng.integers(1, 16))
    cover = cv2.morphologyEx(cover, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (worn, worn)))
    rough = cv2.GaussianBlur(rng.normal(0, 1, cover.shape).astype(np.float32), (0, 0), 3) * 150
    soft = cv2.GaussianBlur(cover.astype(np.float32), (0, 0), rng.uniform(0.5, 1.5))
    alpha = np.clip(soft + rough * (abs(soft - 127) < 120) * 0.5, 0, 255).astype(np.uint8)
    rgba = np.dstack([np.full((*alpha.shape, 3), 90, np.uint8), alpha])
    rgba[alpha == 0] = 0
    found = rectangle_of(cropped(rgba, Box(0, 0, *FRAME), FRAME, 1.0, [], SHADOW))
    return np.array(found) if found else None


def mtf50(pixels: np.ndarray) -> float:
    """Cycles per px at which a nearly upright edge has half of its contrast (ISO 12233, slanted edge)."""
    light = pixels[..., 1].astype(float)
    light = (light - light.min()) / np.ptp(light)
    rows, columns = np.mgrid[: light.shape[0], : light.shape[1]]
    crossing = [np.interp(0.5, row, columns[0]) for row in light]
    slope, start = np.polyfit(rows[:, 0], crossing, 1)
    away = (columns - (start + slope * rows)) * np.cos(np.arctan(slope))
    bins = np.round(away * 4).astype(int)
    inside = abs(bins) < 60
    spread = np.bincount(bins[inside] + 60, light[inside], 121) / np.maximum(
        np.bincount(bins[inside] + 60, minlength=121), 1
    )
    line = np.diff(spread[1:-1]) * np.hanning(len(spread) - 3)
    response = np.abs(np.fft.rfft(line))
    response /= response[0]
    return float(np.interp(-0.5, -response, np.fft.rfftfreq(len(line), 0.25)))


def edge(frame: Size) -> np.ndarray:
    """A slanted edge as a good lens shows it, (H, W, 3) uint8."""
    y, x = np.mgrid[: frame.height * 4, : frame.width * 4] / 4
    sharp = (x > frame.width / 2 + 0.09 * (y - frame.height / 2)).astype(np.float32)
    small = cv2.resize(cv2.GaussianBlur(sharp, (0, 0), 1.6), tuple(frame), interpolation=cv2.INTER_AREA)
    return np.repeat(np.round(30 + 190 * small).astype(np.uint8)[..., None], 3, 2)


def main() -> None:
    """Run and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=200)
    parser.add_argument("--seed", type=int, default=3)
    asked = parser.parse_args()
    rng = np.random.default_rng(asked.seed)
    off, shapes, missed = [], [], 0
    for _ in range(asked.cases):
        aspect, focal = float(np.exp(rng.uniform(-0.8, 0.8))), rng.uniform(0.9, 3)
        turn = rng.uniform(-0.5, 0.5, 3) * (1, 1, 0.6)
        corners = in_order(corners_seen(aspect, turn, focal=focal, away=rng.uniform(2.3, 3.5) * focal))
        found = found_in(corners, rng)
        if found is None:
            missed += 1
            continue
        off.append(float(np.abs(found - corners).max()))
        shapes.append(abs(aspect_of(found, FRAME) / aspect - 1))
    print(f"{asked.cases - missed} of {asked.cases} rectangles found; corners off by", end=" ")
    print(f"{np.median(off):.2f} px at the median, {np.percentile(off, 95):.2f} in 95 %, {max(off):.2f} at worst")
    at = [100 * float(np.percentile(shapes, part)) for part in (50, 90, 100)]
    print(f"proportions off by {at[0]:.1f} % at the median, {at[1]:.1f} % in 90 %, {at[2]:.1f} % at worst")
    frame = Size(240, 200)
    plain = edge(frame)
    inner = (slice(40, -40), slice(60, -60))
    before = mtf50(plain[inner])
    for words, known in (
        ("bend of -3 %", Rectification(bent(-3))),
        ("a rectangle 3 % narrower above", Rectification(corners=LEANING, aspect=160 / 136)),
    ):
        scale = np.ptp(to_rectified(np.array([[100.0, 100], [140, 100]]), known, frame)[:, 0]) / 40
        after = mtf50(rectified(plain, known, frame)[inner]) * scale
        small = [
            cv2.resize(p, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
            for p in (plain, rectified(plain, known, frame))
        ]
        half = [mtf50(p[20:-20, 30:-30]) for p in small]
        print(f"{words}: MTF50 {after / before:.3f} of the photo's; at half the size {half[1] * scale / half[0]:.3f}")


if __name__ == "__main__":
    main()
