"""Fitting whole pictures, which are not cut out, into a box or to a size: mood shots and banners."""

import math
from typing import NamedTuple

from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.standard.rules import BOXES, Canvas, Item


class Uncut(NamedTuple):
    """matrix: from px of the upright photo to px of the canvas. canvas: px."""

    matrix: Map
    canvas: Size


def lay_uncut(canvas: Canvas, item: Item, frame: Size, middle: tuple[float, float] | None) -> Uncut:
    """Where a whole picture goes by the rules fit, size and reduce_only.

    frame: size of the upright photo, px. middle: of what should be kept where "cover" cuts, in its px; the
    photo's own if None. It is kept as near to the middle of the canvas as the picture still covers it.
    """
    w, h = frame
    if item.fit not in BOXES:
        return _sized(item, frame)
    across, down = canvas.width / w, canvas.height / h
    if item.fit == "stretch":
        if item.reduce_only:
            across, down = min(across, 1.0), min(down, 1.0)
        return _centred(canvas, frame, across, down)
    scale = min(across, down) if item.fit == "contain" else max(across, down)
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
