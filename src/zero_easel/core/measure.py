"""Measures of a cutout."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.colour import Encoded, Float

LEVEL = 0.5
"""Matte level at which an item is taken to end."""
_LARGE = 1_000_000
"""Pixels above which specks are first looked for at a reduced size."""


class Bounds(NamedTuple):
    """Box around an item in px, edges at fractions of a pixel; a pixel's own area runs from x to x + 1."""

    left: float
    top: float
    right: float
    bottom: float

    @property
    def width(self) -> float:
        """px"""
        return self.right - self.left

    @property
    def height(self) -> float:
        """px"""
        return self.bottom - self.top

    def moved(self, dx: float, dy: float) -> "Bounds":
        """The same box elsewhere."""
        return Bounds(self.left + dx, self.top + dy, self.right + dx, self.bottom + dy)


def bounds_of(alpha: Float | Encoded) -> Bounds | None:
    """Box of all pixels whose matte reaches LEVEL, ignoring stray specks; None if none does.

    alpha: (h, w) float32 in [0, 1], uint8 or uint16. A speck is a separate piece below one part in five hundred of the
    largest.
    """
    top = {"u1": 255, "u2": 65535}.get(alpha.dtype.str[1:], 1)
    solid = np.asarray(cv2.compare(alpha, LEVEL * top, cv2.CMP_GE), np.uint8)
    if solid.size > _LARGE and not _has_specks(solid):
        left, upper, width, height = cv2.boundingRect(solid)
        return Bounds(float(left), float(upper), float(left + width), float(upper + height))
    kept = _large_pieces(solid)[0]
    if not kept.size:
        return None
    left, upper = kept[:, cv2.CC_STAT_LEFT], kept[:, cv2.CC_STAT_TOP]
    right, lower = left + kept[:, cv2.CC_STAT_WIDTH], upper + kept[:, cv2.CC_STAT_HEIGHT]
    return Bounds(float(left.min()), float(upper.min()), float(right.max()), float(lower.max()))


def _large_pieces(solid: NDArray[np.uint8]) -> tuple[NDArray[np.int32], int]:
    """Facts of the connected pieces that are no specks, (n, 5), and the number of all pieces."""
    stats = cv2.connectedComponentsWithStats(solid, connectivity=8)[2][1:]
    areas = stats[:, cv2.CC_STAT_AREA]
    return np.asarray(stats[areas * 500 >= areas.max(initial=0)], np.int32), len(stats)


def _has_specks(solid: NDArray[np.uint8]) -> bool:
    """Whether there may be specks, or nothing at all, seen at a quarter of the size, where nothing gets lost."""
    h, w = solid.shape
    small = cv2.resize(solid, ((w + 3) // 4, (h + 3) // 4), interpolation=cv2.INTER_AREA)
    kept, count = _large_pieces(small)
    return count == 0 or len(kept) < count
