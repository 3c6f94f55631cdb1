"""Where a cutout is doubtful: outlines to draw on the photo, and where they lie, in plain words."""

from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.clearing.region import Region
from zero_easel.core.items.flag import Outline
from zero_easel.core.light.colour import Mask

_MOST = 6
"""Outlines of one kind: more would hide the photo."""
_SMALLEST = 0.0015
"""Least area of a place, as a share of the item's."""


_KEPT = 0.4
"""Level at which a smoothed place ends; below one half, so that small ones stay."""


class Place(NamedTuple):
    """outlines: around it, see Outline. where: "left", "lower right", "middle", ..., of the item. share: its area
    against the item's."""

    outlines: tuple[Outline, ...]
    where: str
    share: float


def place_of(where: Mask, region: Region, grown: int = 0) -> Place | None:
    """Where a mask of the region's grid is set, (h, w) bool; None if it is next to nothing. grown: px of the grid by
    which it is drawn larger, so that a line is seen beside what it is about."""
    area = float(max(1, region.item.sum()))
    labels, facts = cv2.connectedComponentsWithStats(where.astype(np.uint8), connectivity=8)[1:3]
    order = 1 + np.argsort(-facts[1:, cv2.CC_STAT_AREA])[:_MOST]
    kept = [int(k) for k in order if facts[k, cv2.CC_STAT_AREA] >= max(3, _SMALLEST * area)]
    if not kept:
        return None
    mask = np.isin(labels, kept).astype(np.uint8)
    drawn = cv2.dilate(mask, np.ones((2 * grown + 1, 2 * grown + 1), np.uint8)) if grown else mask
    # Lines that a hand could have drawn: what the mask does within a few px says nothing.
    drawn = (cv2.GaussianBlur(drawn.astype(np.float32), (0, 0), 0.004 * max(mask.shape)) > _KEPT).astype(np.uint8)
    contours = cv2.findContours(drawn, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0]
    outlines = tuple(_outline(contour, region) for contour in sorted(contours, key=cv2.contourArea, reverse=True))
    return Place(outlines[:_MOST], _in_words(mask > 0, region.item), float(mask.sum()) / area)


def _outline(contour: "cv2.typing.MatLike", region: Region) -> Outline:
    """A contour of the region's grid in thousandths of the frame."""
    h, w = region.item.shape
    window = region.window
    points = cv2.approxPolyDP(contour, 0.002 * max(h, w), True)[:, 0].astype(np.float64) + 0.5
    x = window.left + points[:, 0] / w * (window.right - window.left)
    y = window.top + points[:, 1] / h * (window.bottom - window.top)
    return tuple((round(1000 * float(a), 1), round(1000 * float(b), 1)) for a, b in zip(x, y, strict=True))


def _in_words(mask: Mask, item: Mask) -> str:
    """Where the middle of a mask lies in the item's box; "edge" where it goes around."""
    rows, columns = np.flatnonzero(item.any(1)), np.flatnonzero(item.any(0))
    ys, xs = np.nonzero(mask)
    across = (xs - columns[0]) / max(1, columns[-1] - columns[0])
    down = (ys - rows[0]) / max(1, rows[-1] - rows[0])
    if np.ptp(across) > 0.8 and np.ptp(down) > 0.8:
        return "edge"
    side = _third(float(across.mean()), "left", "right")
    height = _third(float(down.mean()), "upper", "lower")
    if side and height:
        return f"{height} {side}"
    return side or {"upper": "top", "lower": "bottom"}.get(height, "middle")


def _third(value: float, low: str, high: str) -> str:
    return low if value < 0.36 else high if value > 0.64 else ""
