"""Logarithmic differences to the backdrop, split into light and colour.

A shadow multiplies the backdrop by one smooth, nearly colourless factor: it shows in the first plane alone. Light that
bounces off the item tints it; an item differs by colour, by texture, or only by a sharp rim.
"""

import numpy as np

from zero_easel.core.light.colour import Float

# Luminance as the mean of the three logarithms, and two differences that a colourless factor leaves at zero.
_OPPONENT = np.array([[1 / 3, 1, -0.5], [1 / 3, 0, 1], [1 / 3, -1, -0.5]], np.float32)


def opponent(residual: Float) -> Float:
    """(h, w, 3) log residual -> (luminance, red-blue, green-magenta) differences, float32."""
    return np.asarray(residual @ _OPPONENT, np.float32)


def chroma(values: Float) -> Float:
    """Length of the two colour differences of an opponent picture."""
    return np.asarray(np.hypot(values[..., 1], values[..., 2]), np.float32)
