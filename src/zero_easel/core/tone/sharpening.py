"""A little sharpness after the one resampling: reducing a picture averages, and prints and screens blur a little more.

An unsharp mask on the square root of light, near to how lightness is seen, so that dark and light sides of an edge gain
alike. What is blurred is the item alone: the blur is weighed by the matte, so that nothing of the ground enters it and
the cut edge gets no rim, and the ground itself is not touched.
"""

import cv2
import numpy as np

from zero_easel.core.light.colour import LUMA, Float

_SIGMA = 0.8
"""Of the blur, px of the finished picture."""
_MOST = 0.12
"""Most that the square root of light is changed by at once: noise and hard edges gain no more."""


def sharpened(light: list[Float], amount: float, cover: Float | None = None) -> list[Float]:
    """Three planes of linear light, times alpha where that is given as cover, (h, w) each; amount: 1 adds all of what
    the blur takes away. Colours keep their hue: the three are changed by one factor."""
    if not amount:
        return light
    weight = np.ones_like(light[0]) if cover is None else cover
    luminance = sum(np.float32(k) * plane for k, plane in zip(LUMA, light, strict=True))
    root = np.sqrt(np.maximum(luminance / np.maximum(weight, 1e-4), 0)).astype(np.float32)
    blurred = _blurred(root * weight) / np.maximum(_blurred(weight), 1e-4)
    detail = np.clip(np.float32(amount) * (root - blurred), -_MOST, _MOST)
    factor = np.square(np.maximum(root + detail, 0) / np.maximum(root, 1e-3))
    factor = np.clip(factor, 0.25, 4)
    return [np.asarray(np.clip(plane * factor, 0, weight), np.float32) for plane in light]


def _blurred(plane: Float) -> Float:
    return np.asarray(cv2.GaussianBlur(plane, (0, 0), _SIGMA, borderType=cv2.BORDER_REFLECT_101), np.float32)
