"""Resampling by a separable filter at exact fractional positions, as products with banded matrices.

Each block of output rows is one small dense product with the input rows that it draws from: the arithmetic is a few
times that of the filter alone, but runs at the speed of matrix multiplication. Time and memory are linear in the input.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.colour import Float

_BLOCK = 16


def resample(plane: Float, size: tuple[int, int], box: tuple[float, float, float, float]) -> Float:
    """(h, w) float32 -> (size[1], size[0]) float32: the part box (left, top, right, bottom), in px of plane and at any
    fraction of them, at a size (width, height). What lies outside plane is 0.

    Lanczos' windowed sinc with three lobes (Duchon, J. Appl. Meteor. 1979) when reducing, widened to the step between
    samples; cubic convolution (Keys, IEEE Trans. ASSP 1981) when enlarging.
    """
    left, top, right, bottom = box
    tall = _along(plane, size[1], top, bottom)
    return np.ascontiguousarray(_along(tall.T, size[0], left, right).T)


def _along(plane: Float, count: int, start: float, stop: float) -> Float:
    """Resample the rows of (h, w) to (count, w)."""
    result = np.zeros((count, plane.shape[1]), np.float32)
    for first, weights, inside in _products(plane.shape[0], count, start, stop):
        np.matmul(weights, plane[inside], out=result[first : first + len(weights)])
    return result


@lru_cache(8)
def _products(height: int, count: int, start: float, stop: float) -> list[tuple[int, Float, slice]]:
    """For each block of output rows its first row, the weights, and the input rows to which they apply.

    Kept, since the channels of a picture need the same ones.
    """
    step = (stop - start) / count
    reach = 3 * step if step > 1 else 2.0
    products = []
    for first in range(0, count, _BLOCK):
        centres = start + (np.arange(first, min(count, first + _BLOCK)) + 0.5) * step - 0.5
        low, high = int(np.ceil(centres[0] - reach)), int(np.floor(centres[-1] + reach)) + 1
        distance = np.arange(low, high)[None] - centres[:, None]
        weights = _lanczos(distance / step) if step > 1 else _cubic(distance)
        # Normalised before the part beyond the picture is cut away: the picture fades out there.
        weights /= weights.sum(1, keepdims=True)
        inside = slice(max(low, 0), min(high, height))
        if inside.start < inside.stop:
            used = weights[:, inside.start - low : inside.stop - low]
            products.append((first, np.ascontiguousarray(used, np.float32), inside))
    return products


def _lanczos(x: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0)


def _cubic(distance: NDArray[np.float64]) -> NDArray[np.float64]:
    x = np.abs(distance)
    near = (1.5 * x - 2.5) * x * x + 1
    far = ((-0.5 * x + 2.5) * x - 4) * x + 2
    return np.where(x < 1, near, np.where(x < 2, far, 0))
