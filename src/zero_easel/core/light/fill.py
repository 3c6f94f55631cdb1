"""Continuing known values smoothly into the unknown."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Float, Mask


def fill_from(values: Float, known: Mask | Float) -> Float:
    """Push-pull interpolation (Gortler et al., SIGGRAPH 1996).

    values: (h, w, c) float32. known: (h, w) weights in [0, 1]. Returns (h, w, c) float32.
    """
    weight = np.asarray(known, np.float32)
    pyramid = [(values * weight[..., None], weight)]
    # Down to a single cell: a coarser cell without anything known in it would fill with nothing.
    while max(pyramid[-1][1].shape) > 1:
        total, weight = pyramid[-1]
        size = ((weight.shape[1] + 1) // 2, (weight.shape[0] + 1) // 2)
        pyramid.append((_resized(total, size, cv2.INTER_AREA), cv2.resize(weight, size, interpolation=cv2.INTER_AREA)))
    total, weight = pyramid.pop()
    filled = total / np.maximum(weight, 1e-6)[..., None]
    for total, weight in reversed(pyramid):
        above = _resized(filled, (weight.shape[1], weight.shape[0]), cv2.INTER_LINEAR)
        filled = total + (1 - np.minimum(weight, 1))[..., None] * above
    return np.asarray(filled, np.float32)


def _resized(values: NDArray[np.floating[Any]], size: tuple[int, int], how: int) -> Float:
    # The library drops a last axis of one.
    return np.asarray(cv2.resize(values, size, interpolation=how), np.float32).reshape(size[1], size[0], -1)
