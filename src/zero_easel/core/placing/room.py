"""The canvas of a picture: what its rules leave free on it, and how it grows or is clipped."""

import math
from collections.abc import Sequence

from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.standard.rules import Canvas, Item

SIDES = ("left", "top", "right", "bottom")


def free_area(canvas: Canvas, item: Item) -> Box:
    """The part of the canvas that an item may fill: inside the margins, and above the line if it stands on one."""
    top, right, bottom, left = canvas.px(item.margins)
    lower = canvas.height - bottom
    if item.place == "line":
        lower = canvas.height - item.base.px(canvas.height, canvas.density)
    # Whole pixels, inwards: an item that ends on a pixel's edge has a clean rim.
    return Box(
        float(math.ceil(left - 1e-9)), float(math.ceil(top - 1e-9)), float(math.floor(canvas.width - right + 1e-9)),
        float(math.floor(lower + 1e-9)),
    )  # fmt: skip


class Room:
    """A canvas and what its rules leave free on it, worked out once for a row. low, high: corners of the final canvas,
    grown or clipped around, in px of the standard's."""

    def __init__(self, canvas: Canvas, rules: Sequence[Item]) -> None:
        self.canvas = canvas
        # By identity: rows share a few rules, and comparing these by value costs more than all the rest.
        self._areas = {id(item): item for item in rules}
        self._free = {key: free_area(canvas, item) for key, item in self._areas.items()}
        top, right, bottom, left = (round(side) for side in canvas.px(canvas.padding_sides))
        self.low, self.high = (-left, -top), (canvas.width + right, canvas.height + bottom)

    def area(self, item: Item) -> Box:
        """What margins and line leave free."""
        return self._free[id(item)]


class FinalCanvas:
    """The final canvas: the standard's, grown or clipped around, and grown until the item is visible if that is asked.

    size: px. shift: where the standard's own canvas begins in it. cut: sides at which the item is cut off."""

    def __init__(self, room: Room, box: Box) -> None:
        low, high = room.low, room.high
        if room.canvas.overflow == "grow":
            low = (min(low[0], math.floor(box.left + 0.01)), min(low[1], math.floor(box.top + 0.01)))
            high = (max(high[0], math.ceil(box.right - 0.01)), max(high[1], math.ceil(box.bottom - 0.01)))
        self.size = Size(max(1, high[0] - low[0]), max(1, high[1] - low[1]))
        self.shift = (float(-low[0]), float(-low[1]))
        out = (low[0] - box.left, low[1] - box.top, box.right - high[0], box.bottom - high[1])
        self.cut = [side for side, beyond in zip(SIDES, out, strict=True) if beyond > 0.5]
