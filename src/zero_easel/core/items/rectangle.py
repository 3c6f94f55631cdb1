"""The rectangle that an item is, if it is one: a box, a book, a sheet seen from in front at some angle."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.items.item import CutItem
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.rectify import Points, in_order

_LOOKED_AT = 1400
"""px of the longer side at which outlines are looked at."""
_COVERS = 0.975
"""Share of item and rectangle together that both cover, at least: corners may be worn, sides may not."""
_SHORTEST = 0.1
"""Shortest side, of the longest."""
_ENDS = 0.12
"""Of a side, what is left out at either end where it is measured: corners are worn."""


def rectangle_of(item: CutItem) -> tuple[tuple[float, float], ...]:
    """The corners of a rectangle that an item fills, px of the upright photo, from the upper left one clockwise; empty
    if it fills none."""
    h, w = item.pixels.shape[:2]
    size = Size(w, h)
    step = max(1.0, size.longest / _LOOKED_AT)
    top = np.iinfo(item.pixels.dtype).max
    alpha = item.pixels[..., 3].astype(np.float32) * np.float32(1 / top)
    small = cv2.resize(alpha, (max(1, round(w / step)), max(1, round(h / step))), interpolation=cv2.INTER_AREA)
    found = _corners(np.asarray(small >= 0.5, np.uint8))
    if found is None:
        return ()
    scale = np.array([w / small.shape[1], h / small.shape[0]])
    return tuple((round(float(x), 2), round(float(y), 2)) for x, y in in_order(found * scale + (item.left, item.top)))


def _corners(solid: NDArray[np.uint8]) -> Points | None:
    """Four corners, px from the upper left corner of solid."""
    outlines = cv2.findContours(np.pad(solid, 1), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0]
    if not outlines:
        return None
    # A contour runs through the middles of px, half a px within the item's rim.
    outline = max(outlines, key=cv2.contourArea).reshape(-1, 2).astype(np.float64) - 0.5
    rough = _four(outline)
    if rough is None:
        return None
    corners = _refined(outline, rough)
    return corners if corners is not None and _is_filled(solid, corners) else None


def _four(outline: Points) -> Points | None:
    """The hull, with as few corners as it takes to come to four."""
    hull = cv2.convexHull(outline.astype(np.float32))
    around = cv2.arcLength(hull, True)
    for tolerance in np.linspace(0.01, 0.08, 15):
        found = cv2.approxPolyDP(hull, tolerance * around, True).reshape(-1, 2)
        if len(found) <= 4:
            return in_order(found.astype(np.float64)) if len(found) == 4 else None
    return None


def _refined(outline: Points, rough: Points) -> Points | None:
    """Where lines through the outline along each side meet; a second time with what lies near these lines."""
    corners, longest = rough, np.hypot(*(np.roll(rough, -1, 0) - rough).T).max()
    for near in (0.04 * longest, max(2.0, 0.006 * longest)):
        lines = []
        for start, end in zip(corners, np.roll(corners, -1, 0), strict=True):
            along = (end - start) / max(float(np.hypot(*(end - start))), 1e-9)
            length = float(np.hypot(*(end - start)))
            away = outline - start
            at, off = away @ along, away @ np.array([-along[1], along[0]])
            mine = (at > _ENDS * length) & (at < (1 - _ENDS) * length) & (abs(off) < near)
            if length < _SHORTEST * longest or mine.sum() < 8:
                return None
            dx, dy, x, y = cv2.fitLine(outline[mine].astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.001).ravel()
            # Out to the rim: half a px beyond the middles of the outermost px, away from the rectangle's middle.
            outwards = np.array([dy, -dx])
            outwards *= 0.5 * np.sign(outwards @ (np.array([x, y]) - corners.mean(0)))
            lines.append((np.array([x, y]) + outwards, np.array([dx, dy])))
        met = [_meeting(lines[at - 1], lines[at]) for at in range(4)]
        if any(point is None for point in met):
            return None
        corners = np.array(met, np.float64)
    return corners


def _meeting(one: tuple[Points, Points], other: tuple[Points, Points]) -> Points | None:
    (p, u), (q, v) = one, other
    across = u[0] * v[1] - u[1] * v[0]
    if abs(across) < 0.2:
        return None
    t = ((q - p)[0] * v[1] - (q - p)[1] * v[0]) / across
    return np.asarray(p + t * u)


def _is_filled(solid: NDArray[np.uint8], corners: Points) -> bool:
    """Whether item and rectangle are nearly the same."""
    drawn = np.zeros_like(solid)
    cv2.fillConvexPoly(drawn, np.round(corners * 16 - 8).astype(np.int32), 1, shift=4)
    both, either = int((drawn & solid).sum()), int((drawn | solid).sum())
    return both >= _COVERS * max(either, 1)
