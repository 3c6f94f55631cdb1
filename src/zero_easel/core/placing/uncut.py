"""Fitting whole pictures, which are not cut out, into a box or to a size: mood shots and banners."""

import math
from typing import NamedTuple

from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.standard.rules import BOXES, Canvas, Item


class Uncut(NamedTuple):
    """matrix: from px of the upright photo to px of the canvas. canvas: px. padding: px of ground at the left, top,
    right and bottom of it; negative where the picture is clipped. smaller: whether it would have to be enlarged, and is
    not."""

    matrix: Map
    canvas: Size
    padding: tuple[int, int, int, int] = (0, 0, 0, 0)
    smaller: bool = False


def lay_uncut(canvas: Canvas, item: Item, frame: Size, middle: tuple[float, float] | None, zoom: float = 1.0) -> Uncut:
    """Where a whole picture goes by the rules fit, size and reduce_only.

    frame: size of the upright photo, px. middle: of what should be kept where "cover" cuts, in its px; the
    photo's own if None. It is kept as near to the middle of the canvas as the picture still covers it. zoom: how much
    closer than need be, 1 or more; a picture that is only reduced is never enlarged by it.
    """
    laid = _fitted(canvas, item, frame, middle, zoom)
    if item.reduce_only:
        free = _fitted(canvas, item.model_copy(update={"reduce_only": False}), frame, middle, zoom)
        laid = laid._replace(smaller=free.matrix.scale > laid.matrix.scale * (1 + 1e-6))
    return laid


def padded(canvas: Canvas, uncut: Uncut, item: Box | None = None) -> Uncut:
    """The same with the canvas grown or clipped. Per cents are of the picture's width at its sides, and of its height
    above and below it. item: its box on the canvas, which is not clipped if canvases grow until items are visible."""
    width, height = uncut.canvas
    exact = [
        length.px(side, canvas.density)
        for length, side in zip(canvas.padding_sides, (height, width, height, width), strict=True)
    ]
    top, left = round(exact[0]), round(exact[3])
    # Both sides together are rounded once: 15 % of a side are 15 %, however they are shared out.
    right, bottom = round(exact[3] + exact[1]) - left, round(exact[0] + exact[2]) - top
    if item is not None and canvas.overflow == "grow":
        left, top = max(left, min(0, -math.floor(item.left))), max(top, min(0, -math.floor(item.top)))
        right = max(right, min(0, math.ceil(item.right) - width))
        bottom = max(bottom, min(0, math.ceil(item.bottom) - height))
    if not any((top, right, bottom, left)):
        return uncut
    size = Size(max(1, width + left + right), max(1, height + top + bottom))
    matrix = uncut.matrix._replace(e=uncut.matrix.e + left, f=uncut.matrix.f + top)
    return Uncut(matrix, size, (left, top, right, bottom), uncut.smaller)


def _fitted(canvas: Canvas, item: Item, frame: Size, middle: tuple[float, float] | None, zoom: float) -> Uncut:
    w, h = frame
    if item.fit not in BOXES:
        return _sized(item, frame)
    across, down = canvas.width / w, canvas.height / h
    if item.fit == "stretch":
        if item.reduce_only:
            across, down = min(across, 1.0), min(down, 1.0)
        return _centred(canvas, frame, across, down)
    scale = min(across, down) if item.fit == "contain" else max(across, down) * max(zoom, 1.0)
    if item.reduce_only:
        scale = min(scale, 1.0)
    if item.fit == "contain" or middle is None:
        return _centred(canvas, frame, scale, scale)
    starts = []
    for size, room, at in ((w, canvas.width, middle[0]), (h, canvas.height, middle[1])):
        spare = size * scale - room
        starts.append(-min(max(at * scale - room / 2, 0.0), spare) if spare > 0 else -spare / 2)
    return Uncut(Map(scale, 0, 0, scale, *starts), Size(canvas.width, canvas.height))


def _centred(canvas: Canvas, frame: Size, across: float, down: float) -> Uncut:
    dx, dy = (canvas.width - frame[0] * across) / 2, (canvas.height - frame[1] * down) / 2
    return Uncut(Map(across, 0, 0, down, dx, dy), Size(canvas.width, canvas.height))


def _sized(item: Item, frame: Size) -> Uncut:
    """A size of the picture's own: the proportions stay, to the pixel."""
    w, h = frame
    scale = {
        "longest": item.size / max(w, h),
        "shorter": item.size / min(w, h),
        "width": item.size / w,
        "height": item.size / h,
        "percent": item.size / 100,
        "megapixels": math.sqrt(item.size * 1e6 / (w * h)),
    }[item.fit]
    if item.reduce_only:
        scale = min(scale, 1.0)
    # A side is a whole number of pixels: the picture is stretched by the fraction of one that is missing.
    size = Size(max(1, round(w * scale)), max(1, round(h * scale)))
    return Uncut(Map.scaled(size.width / w, size.height / h), size)
