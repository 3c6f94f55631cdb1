"""Per-pixel evidence for item against shadowed backdrop, all measured on the residual to the empty backdrop.

A shadow multiplies the backdrop by one smooth, nearly colourless factor; light that bounces off the item tints it,
smoothly too. An item differs by colour, by being brighter than the paper, by texture, or only by a sharp rim.
"""

import cv2
import numpy as np

from zero_easel.core.backdrop import Backdrop
from zero_easel.core.colour import Float, Mask, largest

# Luminance as the mean of the three logarithms, and two differences that a colourless factor leaves at zero.
_OPPONENT = np.array([[1 / 3, 1, -0.5], [1 / 3, 0, 1], [1 / 3, -1, -0.5]], np.float32)


def opponent(residual: Float) -> Float:
    """(h, w, 3) log residual -> (luminance, red-blue, green-magenta) differences, float32."""
    return np.asarray(residual @ _OPPONENT, np.float32)


def smooth(values: Float, sigma: float) -> Float:
    """Gaussian filter, sigma in px."""
    return np.asarray(cv2.GaussianBlur(values, (0, 0), sigma), np.float32)


def chroma(values: Float) -> Float:
    """Length of the two colour differences of an opponent picture."""
    return np.asarray(np.hypot(values[..., 1], values[..., 2]), np.float32)


def texture(residual: Float, window: int) -> Float:
    """Local standard deviation in a square window, the largest over the channels."""
    mean = cv2.blur(residual, (window, window))
    variance = cv2.blur(residual * residual, (window, window)) - mean * mean
    return np.asarray(np.sqrt(np.maximum(largest(variance), 0)), np.float32)


def edge_strength(residual: Float, sigma: float) -> Float:
    """Gradient magnitude per px of the opponent picture at a scale; colour counts one and a half times."""
    values = smooth(opponent(residual), sigma) * np.array([1, 1.5, 1.5], np.float32)
    dx = cv2.Sobel(values, cv2.CV_32F, 1, 0, ksize=1, scale=0.5)
    dy = cv2.Sobel(values, cv2.CV_32F, 0, 1, ksize=1, scale=0.5)
    return np.asarray(np.sqrt((dx * dx + dy * dy).sum(2)), np.float32)


def sharp_edges(backdrop: Backdrop) -> tuple[Float, Float]:
    """Edge strength, and the same as a level of sharpness above the paper's own noise.

    The level is log(1 + e / noise), cut off where an edge is strong beyond doubt. Penumbras are as strong at a
    coarse scale as at a fine one and are held back by that ratio; a rim is several times stronger at the fine one.
    """
    fine, coarse = edge_strength(backdrop.residual, 1.0), edge_strength(backdrop.residual, 3.0)
    ratio = fine / (coarse + 1e-4)
    sharp = fine * np.clip((ratio - 1.1) / 0.8, 0.15, 1)
    away = cv2.distanceTransform(backdrop.explained.astype(np.uint8), cv2.DIST_L2, 3) > 6
    noise = float(np.percentile(sharp[away], 90)) if away.sum() > 500 else 0.01
    return fine, np.log1p(np.minimum(sharp, 0.5) / max(noise, 0.003)).astype(np.float32)


def like_shadow(backdrop: Backdrop) -> Mask:
    """Pixels that a shadow on the backdrop could explain: darker, nearly colourless, without texture."""
    values = opponent(smooth(backdrop.residual, 1.0))
    dark = values[..., 0]
    neutral = chroma(values) < 0.06 + 0.22 * np.abs(dark)
    return np.asarray((dark < 0.03) & (dark > -1.7) & neutral & (texture(backdrop.residual, 5) < 0.12))
