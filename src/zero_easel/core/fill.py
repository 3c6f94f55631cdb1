"""Continuing known values smoothly into the unknown."""

import cv2
import numpy as np

from zero_easel.core.colour import Float, Mask


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
        pyramid.append((
            cv2.resize(total, size, interpolation=cv2.INTER_AREA),
            cv2.resize(weight, size, interpolation=cv2.INTER_AREA),
        ))  # fmt: skip
    total, weight = pyramid.pop()
    filled = total / np.maximum(weight, 1e-6)[..., None]
    for total, weight in reversed(pyramid):
        above = cv2.resize(filled, (weight.shape[1], weight.shape[0]), interpolation=cv2.INTER_LINEAR)
        filled = total + (1 - np.minimum(weight, 1))[..., None] * above
    return np.asarray(filled, np.float32)
