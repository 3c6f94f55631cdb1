"""A lens gives the corners of a photo less light than its middle: how much, by the backdrop, and what evens it out."""

import numpy as np

from zero_easel.core.light.colour import LUMA, Float
from zero_easel.core.light.geometry import Map, Size

_LEAST = -1.2
"""Most that is believed of a lens: log light of the corner against the middle; more is the room's."""


def vignette_of(field: Float) -> float:
    """Log light that the corner of a photo has less than its middle, 0 or below, from its bare backdrop, (h, w, 3)
    linear light.

    A lamp beside makes a slope, and a sheet that bends a curve up or down; only what curves both across and down, alike
    in all directions, is taken for the lens's: the lesser of both.
    """
    h, w = field.shape[:2]
    light = np.log(np.maximum(field.astype(np.float64) @ LUMA.astype(np.float64), 1e-3))
    half = np.hypot(h, w) / 2
    y, x = np.meshgrid((np.arange(h) + 0.5 - h / 2) / half, (np.arange(w) + 0.5 - w / 2) / half, indexing="ij")
    terms = np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], -1).reshape(-1, 6)
    found = np.linalg.lstsq(terms, light.ravel(), rcond=None)[0]
    return round(float(np.clip(max(found[4], found[5]), _LEAST, 0.0)), 4)


def evened(
    light: list[Float], vignette: float, frame: Size, to_canvas: Map, middle: tuple[float, float]
) -> list[Float]:
    """Three planes on a canvas, (H, W) each, with as much light everywhere as at the item's middle, px of the photo.
    to_canvas: from px of the photo. Whoever asks clips what exceeds white."""
    if not vignette:
        return light
    h, w = light[0].shape
    back = to_canvas.inverse()
    columns, rows = np.arange(w, dtype=np.float32) + 0.5, np.arange(h, dtype=np.float32)[:, None] + 0.5
    x = back.a * columns + back.c * rows + back.e - frame.width / 2
    y = back.b * columns + back.d * rows + back.f - frame.height / 2
    half = float(np.hypot(*frame)) / 2
    there = (x * x + y * y) / half**2
    here = ((middle[0] - frame.width / 2) ** 2 + (middle[1] - frame.height / 2) ** 2) / half**2
    gain = np.exp(np.float32(vignette) * (np.float32(here) - np.minimum(there, 1.5))).astype(np.float32)
    return [plane * gain for plane in light]
