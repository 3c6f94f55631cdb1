"""Resampling by a separable filter at exact fractional positions, as products with banded matrices.

Each block of output rows is one small dense product with the input rows that it draws from: the arithmetic is a few
times that of the filter alone, but runs at the speed of matrix multiplication. Time and memory are linear in the input.
"""

from functools import partial

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.colour import Float

_BLOCK = 32


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
    h, step = plane.shape[0], (stop - start) / count
    filtered = partial(_lanczos, stretch=step) if step > 1 else _cubic
    reach = 3 * step if step > 1 else 2.0
    result = np.zeros((count, plane.shape[1]), np.float32)
    for first in range(0, count, _BLOCK):
        rows = np.arange(first, min(count, first + _BLOCK))
        centres = start + (rows + 0.5) * step - 0.5
        low, high = int(np.ceil(centres[0] - reach)), int(np.floor(centres[-1] + reach)) + 1
        weights = filtered(np.arange(low, high)[None] - centres[:, None])
        # Normalised before the part beyond the picture is cut away: the picture fades out there.
        weights /= weights.sum(1, keepdims=True)
        inside = slice(max(low, 0), min(high, h))
        if inside.start < inside.stop:
            used = weights[:, inside.start - low : inside.stop - low].astype(np.float32)
            np.matmul(used, plane[inside], out=result[rows[0] : rows[-1] + 1])
    return result


def _lanczos(distance: NDArray[np.float64], stretch: float) -> NDArray[np.float64]:
    x = distance / stretch
    return np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0)


def _cubic(distance: NDArray[np.float64]) -> NDArray[np.float64]:
    x = np.abs(distance)
    near = (1.5 * x - 2.5) * x * x + 1
    far = ((-0.5 * x + 2.5) * x - 4) * x + 2
    return np.where(x < 1, near, np.where(x < 2, far, 0))
