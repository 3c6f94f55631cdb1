"""Signs of damage in pixels that a decoder gave without a word: codecs without checksums fill what they lost."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Encoded

_CELL = 8
"""Blocks of all usual codecs begin at multiples of this many px."""
_LEAST = 0.004
"""Share of the picture from which a flat area counts."""
_STEP, _ABRUPT = 16, 0.7
"""A neighbour differs abruptly by this many of 255 levels; so many of all neighbours must."""
_WHITE = 250
_ROWS = 32
"""Rows of cells that are looked at together."""


def has_slab(pixels: Encoded) -> bool:
    """Whether a large area of (H, W, 3) uint8 or uint16 is of exactly one colour, in whole blocks, and ends abruptly on
    nearly all sides: grey, black or green, as decoders fill what is lost. Plain white, as of drawn grounds, is not."""
    eight = pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)
    rows, columns = eight.shape[0] // _CELL, eight.shape[1] // _CELL
    if min(rows, columns) < 3:
        return False
    whole = eight[: rows * _CELL, : columns * _CELL]
    flat, colour = _flat_cells(whole, rows, columns)
    flat &= colour.min(-1) < _WHITE
    if flat.sum() < _LEAST * flat.size:
        return False
    return any(_is_abrupt(area, whole, colour) for area in _areas(flat, colour))


def _flat_cells(whole: NDArray[np.uint8], rows: int, columns: int) -> tuple[NDArray[np.bool_], NDArray[np.uint8]]:
    """Which cells are of one colour, and the colour of each one's first px."""
    corners = whole[::_CELL, ::_CELL]
    flat = np.empty((rows, columns), bool)
    # Some rows at a time: what is compared is as large as the photo.
    for top in range(0, rows, _ROWS):
        part, first = whole[top * _CELL : (top + _ROWS) * _CELL], corners[top : top + _ROWS]
        same = (part == np.repeat(np.repeat(first, _CELL, 0), _CELL, 1)).all(-1)
        flat[top : top + _ROWS] = same.reshape(-1, _CELL, columns, _CELL).all((1, 3))
    return flat, corners


def _areas(flat: NDArray[np.bool_], colour: NDArray[np.uint8]) -> list[NDArray[np.bool_]]:
    """Connected cells of one colour that are large enough."""
    key = (colour.astype(np.int32) * (1, 256, 65536)).sum(-1)
    found = []
    for value in np.unique(key[flat])[:64]:
        alike = (flat & (key == value)).astype(np.uint8)
        count, labels, facts, _ = cv2.connectedComponentsWithStats(alike, connectivity=4)
        large = [n for n in range(1, count) if facts[n, cv2.CC_STAT_AREA] >= _LEAST * flat.size]
        found += [labels == n for n in large]
    return found


def _is_abrupt(area: NDArray[np.bool_], whole: NDArray[np.uint8], colour: NDArray[np.uint8]) -> bool:
    """Whether the px just outside of an area differ from it by a step, nearly all along."""
    here = _around(area)
    area, colour = area[here], colour[here]
    whole = whole[_CELL * here[0].start : _CELL * here[0].stop, _CELL * here[1].start : _CELL * here[1].stop]
    inside = np.repeat(np.repeat(area, _CELL, 0), _CELL, 1)
    rim = cv2.dilate(inside.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool) & ~inside
    if rim.sum() < 2 * _CELL:
        return False
    own = colour[area][0].astype(np.int16)
    step = np.abs(whole[rim].astype(np.int16) - own).max(-1)
    return bool((step >= _STEP).mean() >= _ABRUPT)


def _around(area: NDArray[np.bool_]) -> tuple[slice, slice]:
    """The rows and columns of an area of cells, and one more on each side."""
    spans = (np.flatnonzero(area.any(axis)) for axis in (1, 0))
    rows, columns = (slice(max(0, int(span[0]) - 1), int(span[-1]) + 2) for span in spans)
    return slice(rows.start, min(rows.stop, area.shape[0])), slice(columns.start, min(columns.stop, area.shape[1]))
