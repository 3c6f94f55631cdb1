"""Finding the 24-patch colour target anywhere in a photo, seen under perspective, turned, blurred or in wrong light.

Even quadrilaterals are grown into a grid, neighbour by neighbour; the grid says where all 24 patches are, and only if
their colours are the target's under some light is it one.
"""

from collections.abc import Iterator
from itertools import combinations
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Encoded, Float, Mask, to_linear
from zero_easel.core.photos.reducing import reduced
from zero_easel.core.tone.target import COLUMNS, ROWS, Patches, misfit

_SIDES = (700, 1400)
"""Longer sides in px of the pictures in which it is looked for, at a glance first."""
_HINT = 3
"""Patches that a glance must show for a closer look."""
_STEPS = (5.0, 9.0, 16.0, 28.0)
"""Levels of 255 by which neighbours may differ within a patch: noise and blur differ from photo to photo."""
_LEAST, _MOST = 60, 0.06
"""Area of a patch: px, and of the picture."""
_FILLED, _LONGEST = 0.72, 2.6
"""Share of its turned box that a patch fills at least, and how much longer than wide it may look."""
_APART = (0.9, 1.9)
"""From one patch's middle to the next, in sides of a patch."""
_OFF = 0.28
"""By how much of a step a patch may miss its place in the grid."""
_LIKE = (0.6, 1.7)
"""Sides of neighbours, as ratio: of a dark patch less is even than of a light one."""
_SEEN = 8
"""Patches that must be seen by themselves."""
_FEWER = 5
"""By how many patches a way to lie on the grid may fall short of the best."""
_MISFIT = 6.0
"""Mean Delta E after the best matrix up to which colours are the target's: of 24 colours at random it is above 15."""

Cell = tuple[int, int]


class _Quad(NamedTuple):
    middle: NDArray[np.float64]
    side: float


def find_target(pixels: Encoded) -> Patches | None:
    """Linear sRGB of the 24 patches of the colour target in a photo, (H, W, 3) uint8 or uint16 sRGB; None if it shows
    none."""
    for side in _SIDES:
        small = reduced(pixels, side)
        eight = small if small.dtype == np.uint8 else (small >> 8).astype(np.uint8)
        quads = _quads(np.ascontiguousarray(eight))
        if len(quads) < _HINT:
            return None
        linear = to_linear(small)
        for grid in _grids(quads):
            patches = _read(linear, quads, grid)
            if patches is not None:
                return tuple((round(float(r), 5), round(float(g), 5), round(float(b), 5)) for r, g, b in patches)
    return None


def _quads(picture: Encoded) -> list[_Quad]:
    """Even patches, each once, of any brightness: light is stretched, so that dark ones have edges too."""
    stretched = np.sqrt(cv2.GaussianBlur(picture, (0, 0), 1.0).astype(np.float32) / 255) * 255
    slope = np.zeros(picture.shape[:2], np.float32)
    for channel in range(3):
        plane = np.ascontiguousarray(stretched[..., channel])
        across, down = (cv2.Sobel(plane, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.25) for dx in (1, 0))
        slope = np.maximum(slope, np.hypot(across, down))
    found: list[_Quad] = []
    for step in _STEPS:
        for quad in _even(slope < step / 4):
            if all(np.hypot(*(quad.middle - one.middle)) > 0.4 * max(one.side, quad.side) for one in found):
                found.append(quad)
    return found


def _even(flat: Mask) -> Iterator[_Quad]:
    _, labels, facts, middles = cv2.connectedComponentsWithStats(flat.astype(np.uint8), connectivity=4)
    for label in np.flatnonzero((facts[:, 4] >= _LEAST) & (facts[:, 4] <= _MOST * flat.size)):
        left, top, width, height, area = facts[label]
        if not label or not 0.3 < width / height < 3.4 or area < 0.4 * width * height:
            continue
        piece = (labels[top : top + height, left : left + width] == label).astype(np.uint8)
        outline = max(cv2.findContours(piece, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)[0], key=cv2.contourArea)
        _, (one, other), _ = cv2.minAreaRect(outline)
        long, short = max(one, other) + 1, min(one, other) + 1
        if area >= _FILLED * long * short and long <= _LONGEST * short:
            yield _Quad(np.asarray(middles[label]), float(np.sqrt(long * short)))


def _grids(quads: list[_Quad]) -> list[dict[Cell, int]]:
    """Grids of quadrilaterals, by column and row, those of most first; each set of them once."""
    middles = np.array([quad.middle for quad in quads])
    grids: dict[frozenset[int], dict[Cell, int]] = {}
    used: set[int] = set()
    for seed in sorted(range(len(quads)), key=lambda at: -quads[at].side):
        if seed in used:
            continue
        best: dict[Cell, int] = {}
        for right, down in _bases(quads, middles, seed):
            grid = _grown(quads, middles, seed, right, down)
            if len(grid) > len(best):
                best = grid
        if len(best) >= _SEEN:
            grids[frozenset(best.values())] = best
            used |= set(best.values())
    return sorted(grids.values(), key=len, reverse=True)


def _bases(
    quads: list[_Quad], middles: NDArray[np.float64], seed: int
) -> Iterator[tuple[NDArray[np.float64], NDArray[np.float64]]]:
    """Pairs of steps from one patch to two neighbours that may be a column and a row apart: the shortest that span a
    lattice, because the diagonal spans the same one."""
    side = quads[seed].side
    steps = middles - middles[seed]
    far = np.hypot(*steps.T)
    like = np.array([_LIKE[0] < quad.side / side < _LIKE[1] for quad in quads])
    near = np.flatnonzero((far > _APART[0] * side) & (far < _APART[1] * side) & like)
    for one, other in combinations(near[np.argsort(far[near])][:8], 2):
        first, second = steps[one], steps[other]
        turn = float(first[0] * second[1] - first[1] * second[0]) / (far[one] * far[other])
        slanted = min(np.hypot(*(first + second)), np.hypot(*(first - second))) < max(far[one], far[other])
        if abs(turn) > 0.6 and not slanted:
            yield (first, second) if turn > 0 else (second, first)


def _grown(
    quads: list[_Quad], middles: NDArray[np.float64], seed: int, right: NDArray[np.float64], down: NDArray[np.float64]
) -> dict[Cell, int]:
    """Neighbour by neighbour; each knows its own steps, because they change along with the perspective."""
    steps = {(0, 0): (right, down)}
    grid, taken, edge = {(0, 0): seed}, {seed}, [(0, 0)]
    while edge:
        cell = edge.pop(0)
        across, along = steps[cell]
        for dx, dy, step in ((1, 0, across), (-1, 0, -across), (0, 1, along), (0, -1, -along)):
            there = (cell[0] + dx, cell[1] + dy)
            if there in grid or len(grid) > 3 * COLUMNS * ROWS:
                continue
            off = np.hypot(*(middles - middles[grid[cell]] - step).T)
            at = int(off.argmin())
            alike = _LIKE[0] < quads[at].side / quads[grid[cell]].side < _LIKE[1]
            if at in taken or off[at] > _OFF * np.hypot(*step) or not alike:
                continue
            went = (middles[at] - middles[grid[cell]]) * (dx + dy)
            steps[there] = (went, along) if dx else (across, went)
            grid[there] = at
            taken.add(at)
            edge.append(there)
    return grid


def _read(linear: Float, quads: list[_Quad], grid: dict[Cell, int]) -> Float | None:
    """The 24 colours, if one of the ways in which the target can lie on a grid has its colours."""
    cells = np.array(list(grid))
    middles = np.array([quads[at].middle for at in grid.values()])
    near = 0.25 * float(np.median([quads[at].side for at in grid.values()]))
    best, least = None, _MISFIT
    for placed, within in _ways(cells):
        place, _ = cv2.findHomography(placed.astype(np.float64), middles[within], cv2.RANSAC, near)
        patches = _sampled(linear, place) if place is not None else None
        error = misfit(patches) if patches is not None else _MISFIT
        if error < least:
            best, least = patches, error
    return best


def _ways(cells: NDArray[np.int_]) -> Iterator[tuple[NDArray[np.int_], Mask]]:
    """Columns and rows on the target that cells of a grid may be, in its four turns, and which cells: what is even
    beside the target may have joined it. Only where nearly as many fit as anywhere."""
    ways = []
    for turn in range(4):
        turned = cells @ np.linalg.matrix_power(np.array([[0, 1], [-1, 0]]), turn)
        turned = turned - turned.min(0)
        across, down = turned.max(0)
        for x in range(min(0, COLUMNS - 1 - across), max(0, COLUMNS - 1 - across) + 1):
            for y in range(min(0, ROWS - 1 - down), max(0, ROWS - 1 - down) + 1):
                placed = turned + np.array([x, y])
                within = ((placed >= 0) & (placed < (COLUMNS, ROWS))).all(1)
                ways.append((placed[within], within))
    most = max(int(within.sum()) for _, within in ways)
    for placed, within in ways:
        if within.sum() >= max(_SEEN, most - _FEWER):
            yield placed, within


def _sampled(linear: Float, map_: NDArray[np.float64]) -> Float | None:
    """(24, 3): medians of the inner parts of the patches, None if one is not on the photo."""
    h, w = linear.shape[:2]
    inner = np.linspace(-0.22, 0.22, 7)
    x, y = np.meshgrid(np.arange(COLUMNS), np.arange(ROWS))
    at = np.stack([x.ravel(), y.ravel()], -1)[:, None] + np.stack(np.meshgrid(inner, inner), -1).reshape(1, -1, 2)
    places = cv2.perspectiveTransform(at.reshape(1, -1, 2), map_)[0]
    if not np.isfinite(places).all() or places.min() < 0 or (places >= (w - 1, h - 1)).any():
        return None
    columns, rows = np.round(places).astype(int).T
    return np.asarray(np.median(linear[rows, columns].reshape(COLUMNS * ROWS, -1, 3), 1), np.float32)
