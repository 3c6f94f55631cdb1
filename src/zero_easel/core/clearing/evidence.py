"""Logarithmic differences to the backdrop, split into light and colour.

A shadow multiplies the backdrop by one smooth, nearly colourless factor: it shows in the first plane alone. Light that
bounces off the item tints it; an item differs by colour, by texture, or only by a sharp rim.
"""

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR
from zero_easel.core.light.colour import Float

# Luminance as the mean of the three logarithms, and two differences that a colourless factor leaves at zero.
_OPPONENT = np.array([[1 / 3, 1, -0.5], [1 / 3, 0, 1], [1 / 3, -1, -0.5]], np.float32)


def opponent(residual: Float) -> Float:
    """(h, w, 3) log residual -> (luminance, red-blue, green-magenta) differences, float32."""
    return np.asarray(residual @ _OPPONENT, np.float32)


def chroma(values: Float) -> Float:
    """Length of the two colour differences of an opponent picture."""
    return np.asarray(np.hypot(values[..., 1], values[..., 2]), np.float32)


def strangeness(linear: Float, field: Float) -> Float:
    """(h, w) float32 >= 0: how little the backdrop, bare or in shadow, explains what is seen; 1 is much.

    Deep shadow is rare, colour rarer, the more so in full light, and nothing is brighter than the backdrop.
    linear, field: (h, w, 3) float32, a picture and its empty backdrop.
    """
    difference = opponent(np.log((cv2.GaussianBlur(linear, (0, 0), 0.8) + FLOOR) / (field + FLOOR)))
    dark = difference[..., 0]
    coloured = np.maximum(chroma(difference) - 0.03 - 0.05 * np.abs(dark), 0)
    return np.asarray(2 * np.maximum(-dark - 0.35, 0) + 2 * np.maximum(dark - 0.05, 0) + 6 * coloured, np.float32)
