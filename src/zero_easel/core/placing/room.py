"""The canvas of a picture: what its rules leave free on it, and how it grows or is clipped."""

import math
from typing import NamedTuple

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
        float(math.ceil(left - 1e-9)),
        float(math.ceil(top - 1e-9)),
        float(math.floor(canvas.width - right + 1e-9)),
        float(math.floor(lower + 1e-9)),
    )


class FinalCanvas(NamedTuple):
    """The canvas as it is delivered: the standard's, padded or clipped, and grown until the item is visible if that is
    asked. size: px. shift: where the standard's own canvas begins in it. cut: sides at which the item is cut off."""

    size: Size
    shift: tuple[float, float]
    cut: tuple[str, ...]


def final_canvas(canvas: Canvas, box: Box) -> FinalCanvas:
    """The canvas of an item whose box lies so on the standard's, px."""
    top, right, bottom, left = (round(side) for side in canvas.px(canvas.padding_sides))
    low, high = (-left, -top), (canvas.width + right, canvas.height + bottom)
    if canvas.overflow == "grow":
        low = (min(low[0], math.floor(box.left + 0.01)), min(low[1], math.floor(box.top + 0.01)))
        high = (max(high[0], math.ceil(box.right - 0.01)), max(high[1], math.ceil(box.bottom - 0.01)))
    size = Size(max(1, high[0] - low[0]), max(1, high[1] - low[1]))
    return FinalCanvas(size, (float(-low[0]), float(-low[1])), cut_sides(box, Box(*low, *high)))


def cut_sides(box: Box, canvas: Box) -> tuple[str, ...]:
    """The sides at which a box reaches beyond a canvas, by more than half a px."""
    beyond = (canvas.left - box.left, canvas.top - box.top, box.right - canvas.right, box.bottom - canvas.bottom)
    return tuple(side for side, by in zip(SIDES, beyond, strict=True) if by > 0.5)
