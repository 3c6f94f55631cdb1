"""A whole picture resampled from encoded to encoded pixels, strip by strip: what is worked on stays in the processor's
cache, and a large photo takes little memory."""

from collections.abc import Callable, Iterator

import cv2
import numpy as np

from zero_easel.core.light.colour import Encoded, Float, to_linear, to_srgb
from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.light.resample import Kernel, RowBlock, products

_DOWN, _BLOCKS = 8, 32
"""Rows of the result that are one product, and products to a strip."""
_ACROSS = 32
"""Columns of the result that are one product; all three the fastest of 8 to 64 for 6 megapixels to 1.3."""


Strip = tuple[slice, list[Float]]
"""Rows of the result, and three planes of their light."""


def resample_whole(
    photo: Encoded,
    size: Size,
    matrix: Map,
    kernel: Kernel = "auto",
    bits: int = 8,
    toned: Callable[[list[Float]], list[Float]] | None = None,
) -> Encoded:
    """(h, w, 3) sRGB-encoded uint8 or uint16 -> (H, W, 3) of a size, 8 or 16 bits a channel, filtered in linear light
    under a map that keeps rows rows. Beyond its edges a picture goes on as it ended. toned: what is done to the three
    planes of a strip's light before they are encoded.

    Raises ValueError if the map turns.
    """
    result = np.empty((size.height, size.width, 3), np.uint16 if bits == 16 else np.uint8)
    for rows, light in _strips(photo, size, matrix, kernel):
        planes = light if toned is None else toned(light)
        cv2.merge([to_srgb(plane, bits) for plane in planes], dst=result[rows])
    return result


def resample_light(photo: Encoded, size: Size, matrix: Map, kernel: Kernel = "auto") -> list[Float]:
    """The same as three planes of linear light, (H, W) each, 0 to 1."""
    result = np.empty((3, size.height, size.width), np.float32)
    for rows, light in _strips(photo, size, matrix, kernel):
        for plane, part in zip(result, light, strict=True):
            np.clip(part, 0, 1, out=plane[rows])
    return list(result)


def _strips(photo: Encoded, size: Size, matrix: Map, kernel: Kernel) -> Iterator[Strip]:
    if not matrix.level:
        raise ValueError("rows do not stay rows under this map")
    h, w = photo.shape[:2]
    upper, lower = -matrix.f / matrix.d, (size.height - matrix.f) / matrix.d
    left, right = -matrix.e / matrix.a, (size.width - matrix.e) / matrix.a
    down = products(h, size.height, upper, lower, kernel, _DOWN, continued=True)
    across = products(w, size.width, left, right, kernel, _ACROSS, continued=True)
    strips = [down[first : first + _BLOCKS] for first in range(0, len(down), _BLOCKS)]
    channels = np.empty((3, max(_rows(strip).stop - _rows(strip).start for strip in strips), w), photo.dtype)
    for strip in strips:
        rows, made = _rows(strip), slice(strip[0].first, strip[-1].first + len(strip[-1].weights))
        seen = channels[:, : rows.stop - rows.start]
        cv2.split(photo[rows], list(seen))
        yield made, [_drawn(plane, rows.start, strip, across) for plane in seen]


def _rows(strip: list[RowBlock]) -> slice:
    """Of the photo, that a strip of the result draws from."""
    return slice(min(p.inside.start for p in strip), max(p.inside.stop for p in strip))


def _drawn(plane: Encoded, start: int, down: list[RowBlock], across: list[RowBlock]) -> Float:
    """Light of one channel of a strip, (n, W). plane: its rows of the photo from start on."""
    light = to_linear(plane)
    top = down[0].first
    tall = np.empty((down[-1].first + len(down[-1].weights) - top, plane.shape[1]), np.float32)
    for first, weights, inside in down:
        rows = light[inside.start - start : inside.stop - start]
        np.matmul(weights, rows, out=tall[first - top : first - top + len(weights)])
    wide: Float = np.empty((len(tall), across[-1].first + len(across[-1].weights)), np.float32)
    for first, weights, inside in across:
        np.matmul(tall[:, inside], weights.T, out=wide[:, first : first + len(weights)])
    return wide
