"""Where an item goes on the canvas: one affine map from original pixels to canvas pixels."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.measure import Bounds
from zero_easel.core.standard import Standard


class Placement(NamedTuple):
    """x' = scale * x + dx, y' = scale * y + dy, in px measured from the upper left corners."""

    scale: float
    dx: float
    dy: float

    def apply(self, bounds: Bounds) -> Bounds:
        """A box in original pixels -> the box in canvas pixels."""
        s = self.scale
        return Bounds(
            s * bounds.left + self.dx, s * bounds.top + self.dy, s * bounds.right + self.dx, s * bounds.bottom + self.dy
        )

    @property
    def matrix(self) -> NDArray[np.float64]:
        """(2, 3) affine matrix."""
        return np.array([[self.scale, 0, self.dx], [0, self.scale, self.dy]])


def free_area(standard: Standard) -> Bounds:
    """The part of the canvas that an item may fill: inside the margins, and above the line if it stands on one."""
    canvas, item = standard.canvas, standard.item
    margin = item.margin / 100 * min(canvas.width, canvas.height)
    bottom = canvas.height - margin
    if item.place == "line":
        bottom = canvas.height * (1 - item.line / 100)
    # Whole pixels, inwards: an item that ends on a pixel's edge has a clean rim.
    return Bounds(
        float(np.ceil(margin)), float(np.ceil(margin)), float(np.floor(canvas.width - margin)), float(np.floor(bottom))
    )


def place(bounds: Bounds, standard: Standard) -> Placement:
    """Scale an item by the standard's share, no further than its margins let it, and stand or centre it."""
    canvas, item, area = standard.canvas, standard.item, free_area(standard)
    share = item.share / 100
    by_height, by_width = share * canvas.height / bounds.height, share * canvas.width / bounds.width
    wanted = {"height": by_height, "width": by_width, "frame": min(by_height, by_width)}[item.share_of]
    scale = min(wanted, area.width / bounds.width, area.height / bounds.height)
    dx = canvas.width / 2 - scale * (bounds.left + bounds.right) / 2
    if item.place == "line":
        dy = area.bottom - scale * bounds.bottom
    else:
        dy = canvas.height / 2 - scale * (bounds.top + bounds.bottom) / 2
    return Placement(scale, dx, dy)
