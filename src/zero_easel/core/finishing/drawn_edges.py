"""Enlarging graphics of few flat colours so that their edges are drawn anew, smooth and sharp, and every colour stays.

Each colour's share of the picture is blurred apart, and the strongest one wins at each point: one step of threshold
dynamics, by which boundaries of many regions move as their curvature bids (Merriman, Bence and Osher, Diffusion
generated motion by mean curvature, 1992). Where a px would lose its own colour, at corners and in lines one px wide,
its share is raised until it does not. Winners are found on a grid several times as fine as the result, whose areas are
then averaged in linear light.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Encoded, Float, Mask, to_linear
from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.light.resample import warp

_FINER = 4
"""Points of the fine grid to a px of the result, along each axis."""
_TILE = 64
"""px of the result that are drawn at once: few colours meet in so small a part, and most show one alone."""
_REACH = 10
"""px of the graphic beyond a tile by which it is influenced."""
_BLUR = 1.0
"""Standard deviation of the blur, in px of the graphic. With _LEAD the nearest to the same shapes drawn large."""
_ROUNDS, _LEAD = 12, 0.15
"""How often shares are raised, and by how much a colour must lead in the middle of its px."""


class Planes(NamedTuple):
    """light: three times (h, w) linear light times alpha. alpha: (h, w), 0 to 1."""

    light: list[Float]
    alpha: Float


class _Tile(NamedTuple):
    """A part of the result: its first column and row, and its size, px."""

    left: int
    top: int
    size: Size


def enlarged(pixels: Encoded, size: Size, matrix: Map) -> Planes:
    """(h, w, 3 or 4) sRGB-encoded px of a graphic -> its light and alpha on a canvas of a size, by a map that keeps
    rows rows and enlarges. Beyond its edges there is nothing."""
    colours, labels = _labelled(pixels)
    light = to_linear(np.ascontiguousarray(colours[:, :3]))
    top = np.iinfo(pixels.dtype).max
    alpha = colours[:, 3].astype(np.float32) / top if pixels.shape[2] == 4 else np.ones(len(colours), np.float32)
    table = np.column_stack([light * alpha[:, None], alpha]).astype(np.float32)
    canvas = np.zeros((size.height, size.width, 4), np.float32)
    for tile in _tiles(size):
        part = slice(tile.top, tile.top + tile.size.height), slice(tile.left, tile.left + tile.size.width)
        canvas[part] = _drawn(labels, tile, matrix, table)
    h, w = labels.shape
    across = _covered(size.width, matrix.e, matrix.a * w + matrix.e)
    down = _covered(size.height, matrix.f, matrix.d * h + matrix.f)
    canvas *= (down[:, None] * across[None])[..., None]
    planes = [np.ascontiguousarray(canvas[..., channel]) for channel in range(4)]
    return Planes(planes[:3], planes[3])


def _covered(count: int, start: float, stop: float) -> Float:
    """How much of each of so many px lies between two places."""
    at = np.arange(count)
    return np.asarray(np.clip(np.minimum(at + 1, stop) - np.maximum(at, start), 0, 1), np.float32)


def _labelled(pixels: Encoded) -> tuple[Encoded, NDArray[np.int32]]:
    """The colours, (n, 3 or 4), and which of them each px has, (h, w)."""
    packed = np.zeros(pixels.shape[:2], np.uint64)
    for channel in range(pixels.shape[2]):
        packed = packed << np.uint64(16) | pixels[..., channel].astype(np.uint64)
    _, first, index = np.unique(packed, return_index=True, return_inverse=True)
    return pixels.reshape(-1, pixels.shape[2])[first], index.reshape(packed.shape).astype(np.int32)


def _tiles(size: Size) -> list[_Tile]:
    return [
        _Tile(left, top, Size(min(_TILE, size.width - left), min(_TILE, size.height - top)))
        for top in range(0, size.height, _TILE)
        for left in range(0, size.width, _TILE)
    ]


def _drawn(labels: NDArray[np.int32], tile: _Tile, matrix: Map, table: Float) -> Float:
    """One tile, (h, w, 4) light times alpha, and alpha."""
    ends = matrix.inverse().apply(
        np.array([[tile.left, tile.top], [tile.left + tile.size.width, tile.top + tile.size.height]], float)
    )
    h, w = labels.shape
    # Beyond its edges the graphic goes on as it ended; what is not covered by it is cut away in the end.
    rows = np.arange(int(np.floor(ends[0, 1])) - _REACH, int(np.ceil(ends[1, 1])) + _REACH)
    columns = np.arange(int(np.floor(ends[0, 0])) - _REACH, int(np.ceil(ends[1, 0])) + _REACH)
    seen = labels[np.clip(rows, 0, h - 1)[:, None], np.clip(columns, 0, w - 1)[None]]
    present = np.unique(seen)
    if len(present) == 1:
        return np.asarray(np.broadcast_to(table[present[0]], (tile.size.height, tile.size.width, 4)), np.float32)
    finer = Map.moved(int(columns[0]), int(rows[0])).then(matrix).then(Map.moved(-tile.left, -tile.top))
    finer = finer.then(Map.scaled(_FINER, _FINER))
    fine = Size(tile.size.width * _FINER, tile.size.height * _FINER)
    winner = _strongest(seen, present, fine, finer)
    return np.asarray(cv2.resize(table[winner], tile.size, interpolation=cv2.INTER_AREA), np.float32)


def _strongest(seen: NDArray[np.int32], present: NDArray[np.int32], fine: Size, matrix: Map) -> NDArray[np.int32]:
    """Which colour is strongest at each point of the fine grid."""
    winner = np.full((fine.height, fine.width), present[0], np.int32)
    best = np.full(winner.shape, -np.inf, np.float32)
    for colour, strength in zip(present, _strengths(seen, present), strict=True):
        share = warp(strength, fine, matrix, "cubic")
        stronger: Mask = share > best
        winner[stronger], best[stronger] = colour, share[stronger]
    return winner


def _strengths(seen: NDArray[np.int32], present: NDArray[np.int32]) -> Float:
    """(n, h, w): how strong each colour is around each px, such that each px keeps its own."""
    own: Mask = seen[None] == present[:, None, None]
    shares = own.astype(np.float32)
    for _ in range(_ROUNDS):
        strengths = np.stack(
            [cv2.GaussianBlur(plane, (0, 0), _BLUR, borderType=cv2.BORDER_REPLICATE) for plane in shares]
        )
        lead = np.where(own, strengths, 0).sum(0) - np.where(own, -np.inf, strengths).max(0)
        missing = np.maximum(_LEAD - lead, 0)
        if not missing.any():
            break
        shares += own * missing
    return strengths
