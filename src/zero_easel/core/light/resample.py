"""Resampling by a separable filter at exact fractional positions, in one step and under any affine map.

Where rows stay rows, each block of output rows is one small dense product with the input rows that it draws from: the
arithmetic is a few times that of the filter alone, but runs at the speed of matrix multiplication. Under a map that
turns, every row has its own offset. Time and memory are linear in the input.
"""

from functools import lru_cache
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Float
from zero_easel.core.light.geometry import Box, Map, Size

Kernel = Literal["auto", "lanczos", "cubic", "box"]
_BLOCK = 16
_PHASES = 2048
"""Places between two samples for which a turned picture's weights are kept: errors stay below 1/4000 px."""


def resample(plane: Float, size: Size, box: Box, kernel: Kernel = "auto") -> Float:
    """(h, w) float32 -> float32 of a size: the part box, in px of plane and at any fraction of them.

    What lies outside plane is 0.

    auto: Lanczos' windowed sinc with three lobes (Duchon, J. Appl. Meteor. 1979) when reducing, widened to the step
    between samples; cubic convolution (Keys, IEEE Trans. ASSP 1981) when enlarging. The other kernels are one of these
    both ways; box averages areas when reducing and repeats pixels when enlarging, which keeps hard edges hard.
    """
    left, top, right, bottom = box
    tall = _along(plane, size.height, top, bottom, kernel)
    return np.ascontiguousarray(_along(tall.T, size.width, left, right, kernel).T)


def warp(plane: Float, size: Size, matrix: Map, kernel: Kernel = "auto") -> Float:
    """(h, w) float32 -> float32 of a size under a map from px of plane to px of the result; 0 outside plane.

    Quarter turns move whole pixels. What turn remains is done by one sum over the neighbours, with a filter that is
    sheared along: first along each row to the columns of the result, then along these to its rows (Catmull and Smith,
    SIGGRAPH 1980). Each axis is filtered once, and nothing lies between on a grid of its own.
    """
    plane, matrix = _quartered(plane, matrix)
    if matrix.level:
        box = Box(
            -matrix.e / matrix.a,
            -matrix.f / matrix.d,
            (size.width - matrix.e) / matrix.a,
            (size.height - matrix.f) / matrix.d,
        )
        return resample(plane, size, box, kernel)
    h, w = plane.shape
    across = _skew(
        w, size.width, 1 / matrix.a, (0.5 - matrix.e - 0.5 * matrix.c) / matrix.a, -matrix.c / matrix.a, h, kernel
    )
    middle = _skewed(plane, across)
    # Where x belongs to a column of the result, y' depends on y alone: y' = down * y + bend * x' + rest.
    down, bend = matrix.d - matrix.b * matrix.c / matrix.a, matrix.b / matrix.a
    first = (0.5 - matrix.f - bend * (0.5 - matrix.e)) / down
    along = _skew(h, size.height, 1 / down, first, -bend / down, size.width, kernel)
    return np.ascontiguousarray(_skewed(np.ascontiguousarray(middle.T), along).T)


def _quartered(plane: Float, matrix: Map) -> tuple[Float, Map]:
    """The plane turned by whole quarters, and the map with what turn remains, at most an eighth."""
    h, w = plane.shape
    for quarters, back in (
        (0, Map()),
        (1, Map(0, 1, -1, 0, w, 0)),
        (2, Map(-1, 0, 0, -1, w, h)),
        (3, Map(0, -1, 1, 0, 0, h)),
    ):
        # back: from px of the turned plane to px of the plane itself.
        rest = back.then(matrix)
        if rest.a > 0 and abs(rest.b) <= abs(rest.a) * (1 + 1e-9):
            tiny = 1e-9 * rest.a
            if abs(rest.b) < tiny and abs(rest.c) < tiny:
                rest = rest._replace(b=0.0, c=0.0)
            return np.ascontiguousarray(np.rot90(plane, quarters)), rest
    raise ValueError("a map that mirrors the picture")


class _Skew(NamedTuple):
    """How each line is resampled that has an offset of its own. before: samples to prepend. starts: (lines, count) the
    first sample of each. phases: (lines, count) which weights. weights: (phases, taps)."""

    before: int
    after: int
    starts: NDArray[np.int32]
    phases: NDArray[np.int32]
    weights: Float


@lru_cache(4)
def _skew(length: int, count: int, step: float, first: float, shift: float, lines: int, kernel: Kernel) -> _Skew:
    """Sample k of line n lies at first + shift * n + step * k, in px from the line's beginning."""
    reach, widening = _reach(step, kernel)
    taps = int(np.ceil(2 * reach)) + 1
    place = first - 0.5 + shift * np.arange(lines)[:, None] + step * np.arange(count)[None]
    nearest = np.floor(place - reach).astype(np.int32) + 1
    fraction = place - reach - np.floor(place - reach)
    phases = np.minimum(np.round(fraction * _PHASES), _PHASES - 1).astype(np.int32)
    grid = np.arange(taps)[None] + 1 - np.arange(_PHASES)[:, None] / _PHASES - reach
    weights = _weigh(grid, step, widening, kernel)
    weights /= weights.sum(1, keepdims=True)
    outside = (nearest <= -taps) | (nearest >= length)
    starts = np.where(outside, -taps, nearest) + taps
    return _Skew(taps, taps, starts, phases, np.ascontiguousarray(weights, np.float32))


def _skewed(plane: Float, skew: _Skew) -> Float:
    """Resample each row of (h, w) by its own offset: (h, count)."""
    padded = np.pad(plane, ((0, 0), (skew.before, skew.after)))
    rows = (np.arange(len(plane)) * padded.shape[1])[:, None]
    flat, result = padded.ravel(), np.zeros(skew.starts.shape, np.float32)
    # Some hundred rows at a time: what is gathered stays in the processor's cache.
    for top in range(0, len(plane), 128):
        part = slice(top, top + 128)
        at = skew.starts[part] + rows[part]
        for tap in range(skew.weights.shape[1]):
            result[part] += skew.weights[:, tap][skew.phases[part]] * flat[at + tap]
    return result


def _along(plane: Float, count: int, start: float, stop: float, kernel: Kernel) -> Float:
    """Resample the rows of (h, w) to (count, w)."""
    result = np.zeros((count, plane.shape[1]), np.float32)
    for first, weights, inside in products(plane.shape[0], count, start, stop, kernel):
        np.matmul(weights, plane[inside], out=result[first : first + len(weights)])
    return result


class RowBlock(NamedTuple):
    """A block of output rows. first: of them. weights: (rows, inputs). inside: the input rows to which they apply."""

    first: int
    weights: Float
    inside: slice


@lru_cache(8)
def products(
    height: int, count: int, start: float, stop: float, kernel: Kernel, block: int = _BLOCK, *, continued: bool = False
) -> list[RowBlock]:
    """How height rows, of which the part start to stop is wanted, give count. continued: whether they go on beyond
    their ends as they ended; else they fade out there, and blocks that see nothing are left out.

    Kept, since the channels of a picture need the same ones.
    """
    step = (stop - start) / count
    reach, widening = _reach(step, kernel)
    found = []
    for first in range(0, count, block):
        centres = start + (np.arange(first, min(count, first + block)) + 0.5) * step - 0.5
        low, high = int(np.ceil(centres[0] - reach)), int(np.floor(centres[-1] + reach)) + 1
        distance = np.arange(low, high)[None] - centres[:, None]
        weights = _weigh(distance, step, widening, kernel)
        # Normalised before the part beyond the picture is cut away: the picture fades out there.
        weights /= weights.sum(1, keepdims=True)
        inside = slice(max(low, 0), min(high, height))
        if inside.start < inside.stop:
            before, after = np.split(weights, [inside.start - low, inside.stop - low], axis=1)[::2]
            used = weights[:, inside.start - low : inside.stop - low]
            if continued:
                used[:, 0] += before.sum(1)
                used[:, -1] += after.sum(1)
            found.append(RowBlock(first, np.ascontiguousarray(used, np.float32), inside))
    return found


def _reach(step: float, kernel: Kernel) -> tuple[float, float]:
    """How far a filter reaches, in samples of the input, and how much it is widened so that nothing aliases."""
    widening = max(step, 1.0)
    if kernel == "box":
        return (step + 1) / 2 if _reduces(step) else 0.5, widening
    lobes = 3 if _is_lanczos(step, kernel) else 2
    return lobes * widening, widening


def _is_lanczos(step: float, kernel: Kernel) -> bool:
    return kernel == "lanczos" or (kernel == "auto" and _reduces(step))


def _reduces(step: float) -> bool:
    """Whether samples become fewer. At their own size it must not hang on how a fraction is rounded."""
    return step > 1 + 1e-6


def _weigh(distance: NDArray[np.float64], step: float, widening: float, kernel: Kernel) -> NDArray[np.float64]:
    if kernel == "box":
        # The share of each sample's own area that falls into the step; one sample alone when enlarging.
        half = step / 2 if _reduces(step) else 0.0
        shares = np.clip(np.minimum(distance + 0.5, half) - np.maximum(distance - 0.5, -half), 0, 1)
        # Halfway between two samples it is the later one: the earlier is not among those that are looked at.
        return shares if _reduces(step) else ((distance > -0.5) & (distance <= 0.5)).astype(np.float64)
    return _lanczos(distance / widening) if _is_lanczos(step, kernel) else _cubic(distance / widening)


def _lanczos(x: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0)


def _cubic(distance: NDArray[np.float64]) -> NDArray[np.float64]:
    x = np.abs(distance)
    near = (1.5 * x - 2.5) * x * x + 1
    far = ((-0.5 * x + 2.5) * x - 4) * x + 2
    return np.where(x < 1, near, np.where(x < 2, far, 0))
