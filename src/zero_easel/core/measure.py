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
    largest. On large mattes pieces are told apart at a third of the size, where near ones are one.
    """
    top = {"u1": 255, "u2": 65535}.get(alpha.dtype.str[1:], 1)
    solid = np.asarray(cv2.compare(alpha, LEVEL * top, cv2.CMP_GE), np.uint8)
    h, w = solid.shape
    if solid.size > _LARGE:
        # Nothing gets lost: averaged over whole blocks, a single pixel still leaves more than nothing.
        solid = cv2.copyMakeBorder(solid, 0, -h % 3, 0, -w % 3, cv2.BORDER_CONSTANT)
        coarse = cv2.resize(solid, None, fx=1 / 3, fy=1 / 3, interpolation=cv2.INTER_AREA)
        specks = _specks(coarse)
        if specks is not None:
            solid[cv2.resize(specks, solid.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0] = 0
    else:
        specks = _specks(solid)
        if specks is not None:
            solid[specks > 0] = 0
    left, upper, width, height = cv2.boundingRect(solid)
    return Bounds(float(left), float(upper), float(left + width), float(upper + height)) if width else None


def _specks(solid: NDArray[np.uint8]) -> NDArray[np.uint8] | None:
    """(h, w) uint8, 1 where a piece is too small beside the largest; None if there is no such piece."""
    labels, stats = cv2.connectedComponentsWithStats(solid, connectivity=8)[1:3]
    areas = stats[:, cv2.CC_STAT_AREA]
    small = areas * 500 < areas[1:].max(initial=0)
    small[0] = False
    return small.astype(np.uint8)[labels] if small.any() else None
