"""Measures of a cutout."""

from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.colour import Float

LEVEL = 0.5
"""Matte level at which an item is taken to end."""


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


def bounds_of(alpha: Float) -> Bounds | None:
    """Box of all pixels whose matte reaches LEVEL, ignoring stray specks; None if none does.

    alpha: (h, w) float32 in [0, 1]. A speck is a separate piece below one part in five hundred of the largest.
    """
    solid = (alpha >= LEVEL).astype(np.uint8)
    count, _, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=8)
    if count < 2:
        return None
    kept = stats[1:][stats[1:, cv2.CC_STAT_AREA] * 500 >= stats[1:, cv2.CC_STAT_AREA].max()]
    left, top = kept[:, cv2.CC_STAT_LEFT], kept[:, cv2.CC_STAT_TOP]
    right, bottom = left + kept[:, cv2.CC_STAT_WIDTH], top + kept[:, cv2.CC_STAT_HEIGHT]
    return Bounds(float(left.min()), float(top.min()), float(right.max()), float(bottom.max()))
