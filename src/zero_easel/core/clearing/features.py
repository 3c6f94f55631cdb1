"""What the region network sees: physical evidence against the empty backdrop, at one fixed size."""

import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR
from zero_easel.core.clearing.evidence import opponent
from zero_easel.core.light.colour import Float
from zero_easel.core.light.geometry import Window

SIDE = 448
"""Longer side in px at which regions are decided; the network was trained around this scale."""
CHANNELS = 13


def features_of(
    linear: Float, field: Float, barrier: Float, noise: float, known: bool, window: Window = Window()
) -> Float:
    """(CHANNELS, h, w) float32 from a picture in linear light and its empty backdrop, both (h, w, 3) float32.

    barrier: (h, w), how hard it is to come there from the frame's rim, measured over the whole frame (barrier_of).
    noise: standard deviation of log light on the bare backdrop. known: whether the backdrop was photographed instead
    of estimated. window: where in the frame the picture lies.

    Three opponent differences of the log residual (exposure and white balance drop out of them), the same in units of
    the paper's own noise, the picture's own lightness and colour, the height in the frame, since shadows lie below
    what casts them, the distance to the frame's edge, where items seldom are, and how far to trust the backdrop.
    """
    h, w = linear.shape[:2]
    difference = opponent(np.log((linear + FLOOR) / (field + FLOOR)))
    strength = np.tanh(difference / (6 * max(noise, 0.004)))
    encoded = opponent(np.cbrt(np.clip(linear, 0, 1)))
    x = np.linspace(window.left, window.right, 2 * w + 1, dtype=np.float32)[None, 1::2]
    y = np.linspace(window.top, window.bottom, 2 * h + 1, dtype=np.float32)[1::2, None]
    inward = np.minimum(np.minimum(x, 1 - x), np.minimum(y, 1 - y))
    planes = [
        np.clip(difference[..., 0], -3, 2),
        np.clip(2 * difference[..., 1], -3, 3),
        np.clip(2 * difference[..., 2], -3, 3),
        *np.moveaxis(strength, 2, 0),
        encoded[..., 0] * 2 - 1,
        2 * encoded[..., 1],
        2 * encoded[..., 2],
        np.broadcast_to(y * 2 - 1, (h, w)),
        np.tanh(8 * inward),
        np.full((h, w), known, np.float32),
        np.minimum(barrier / 2, 3),
    ]
    return np.stack(planes).astype(np.float32)
