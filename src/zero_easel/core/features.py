"""What the region network sees: physical evidence against the empty backdrop, at one fixed size."""

import numpy as np

from zero_easel.core.backdrop import Backdrop
from zero_easel.core.colour import Float
from zero_easel.core.evidence import opponent

SIDE = 384
"""Longer side in px at which regions are decided; the network was trained at this scale."""
CHANNELS = 8


def features_of(linear: Float, backdrop: Backdrop) -> Float:
    """(CHANNELS, h, w) float32 from a reduced picture in linear light and the estimate of its empty backdrop.

    Three opponent differences of the log residual (exposure and white balance drop out of them), the same
    luminance difference and chroma in units of the paper's own noise, the encoded picture's lightness and
    saturation, and the height in the frame, since shadows lie below what casts them.
    """
    h, w = linear.shape[:2]
    difference = opponent(backdrop.residual)
    noise = max(backdrop.noise, 0.004)
    strength = (
        np.tanh(np.abs(difference[..., 0]) / (6 * noise)),
        np.tanh(np.hypot(difference[..., 1], difference[..., 2]) / (6 * noise)),
    )
    encoded = np.cbrt(np.clip(linear, 0, 1))
    height = np.broadcast_to(np.linspace(-1, 1, h, dtype=np.float32)[:, None], (h, w))
    planes = [
        np.clip(difference[..., 0], -3, 2),
        np.clip(2 * difference[..., 1], -3, 3),
        np.clip(2 * difference[..., 2], -3, 3),
        *strength,
        encoded.mean(2) * 2 - 1,
        encoded.max(2) - encoded.min(2),
        height,
    ]
    return np.stack(planes).astype(np.float32)
