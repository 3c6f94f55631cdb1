"""A contact shadow drawn from an item's own footprint."""

import cv2
import numpy as np

from zero_easel.core.light.colour import Float


def drawn_shadow(alpha: Float) -> Float:
    """A soft shadow from the footprint of an item on its canvas, (h, w) float32 in [0, 1] both.

    The lower end of each part of the outline is flattened to what touches the ground and blurred twice: a narrow dark
    core where it stands, a wide pale one around it.
    """
    h = alpha.shape[0]
    columns = np.flatnonzero((alpha > 0.5).any(0))
    if not columns.size:
        return np.zeros_like(alpha)
    rows = np.flatnonzero((alpha > 0.5).any(1))
    base, span = int(rows[-1]), float(max(columns[-1] - columns[0], 1))
    lowest = h - 1 - np.argmax((alpha > 0.5)[::-1], 0)
    standing = ((alpha > 0.5).any(0)) & (base - lowest < 0.05 * span + 2)
    foot = np.zeros_like(alpha)
    for thickness, weight in ((0.012, 0.55), (0.045, 0.3)):
        layer = np.zeros_like(alpha)
        tall = max(1, round(thickness * span))
        for x in np.flatnonzero(standing):
            layer[max(0, int(lowest[x]) - tall) : min(h, int(lowest[x]) + tall // 2 + 1), x] = 1
        foot = np.maximum(foot, weight * cv2.GaussianBlur(layer, (0, 0), max(1.0, 1.1 * thickness * span)))
    return np.asarray(np.clip(foot, 0, 1), np.float32)
