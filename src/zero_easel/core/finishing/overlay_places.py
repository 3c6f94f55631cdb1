"""Where overlays lie on a canvas, and how a place that was chosen by eye is said."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.finishing.fonts import font_of
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.photos.assets import AssetError, Assets
from zero_easel.core.standard.overlays import Overlay, read_condition
from zero_easel.core.standard.patterns import Pattern, Value

FINER = 3
"""How many times larger a text is measured and drawn before it is reduced to its size."""
_PADDING = {"none": 0.0, "bar": 0.35, "disc": 0.45}
"""Room around a text on its plate, in lines."""
_STILL = 0.25
"""Per cent of the shorter side by which what lies in the middle may be off."""


class PlacedOverlay(NamedTuple):
    """Where an overlay lies on a canvas: its box before it is turned about its middle, px. line: height of its text."""

    overlay: Overlay
    text: str
    box: Box
    line: float


def is_wanted(overlay: Overlay, values: Mapping[str, Value]) -> bool:
    """Whether an overlay's condition is met, and its text not empty."""
    if overlay.when and not read_condition(overlay.when).holds(values):
        return False
    return not overlay.text or bool(Pattern(overlay.text).fill(values).text.strip())


def placed_overlays(
    overlays: Sequence[Overlay], values: Mapping[str, Value], assets: Assets, canvas: Size
) -> list[PlacedOverlay]:
    """Where those overlays are drawn whose condition is met; one whose picture or font is missing lies nowhere."""
    found = []
    for overlay in overlays:
        if not is_wanted(overlay, values):
            continue
        text = Pattern(overlay.text).fill(values).text.strip() if overlay.text else ""
        line = overlay.size / 100 * min(canvas)
        try:
            size = _mark_size(overlay, text, line, assets)
        except AssetError:
            continue
        around = turned_size(size, overlay.turn)
        x, y = corner(overlay, around, canvas)
        left, top = x + (around.width - size.width) / 2, y + (around.height - size.height) / 2
        found.append(PlacedOverlay(overlay, text, Box(left, top, left + size.width, top + size.height), line))
    return found


def put_at(placed: PlacedOverlay, canvas: Size, middle: tuple[float, float], factor: float) -> Overlay:
    """The overlay with its middle elsewhere, px of the canvas, and so many times larger, said by its position, distance
    and height: from the edges that it is near to, or from the middle. It stays on the canvas."""
    overlay, box = placed.overlay, placed.box
    size = min(100.0, max(0.5, round(overlay.size * factor, 1)))
    factor = size / overlay.size
    around = turned_size(Size(round(box.width * factor), round(box.height * factor)), overlay.turn)
    across, by_side = _said(middle[0] - around.width / 2, around.width, canvas.width, min(canvas), ("left", "right"))
    down, by_edge = _said(middle[1] - around.height / 2, around.height, canvas.height, min(canvas), ("top", "bottom"))
    place = " ".join(word for word in (down, across) if word) or "middle"
    moved = overlay.model_copy(update={"at": place, "size": size, "inset": f"{by_side:g}% {by_edge:g}%"})
    shorter = [moved.model_copy(update={"inset": f"{one:g}%"}) for one in (by_side, by_edge)]
    short = next((one for one in shorter if one.distances == moved.distances), moved)
    return Overlay.model_validate(short.model_dump())


def _said(start: float, length: float, whole: float, shorter: float, edges: tuple[str, str]) -> tuple[str, float]:
    """Along one axis: the edge that something is near to, "" for the middle, and how far it is from there, in per cent
    of the shorter side."""
    room = whole - length
    start = min(max(start, 0.0), room) if room > 0 else room / 2
    at = (start + length / 2) / whole
    if at < 1 / 3:
        return edges[0], round(start / shorter * 100, 1)
    if at > 2 / 3:
        return edges[1], round((room - start) / shorter * 100, 1)
    off = (start - room / 2) / shorter * 100
    return "", round(off, 1) if abs(off) > _STILL else 0.0


def corner(overlay: Overlay, size: Size, canvas: Size) -> tuple[float, float]:
    """Where the upper left corner of a mark of a size comes to lie on a canvas, px."""
    words, shorter = overlay.at.split(), min(canvas)
    across, down = overlay.distances
    right, bottom = canvas.width - size.width, canvas.height - size.height
    x, y = across / 100 * shorter, down / 100 * shorter
    return (
        x if "left" in words else right - x if "right" in words else right / 2 + x,
        y if "top" in words else bottom - y if "bottom" in words else bottom / 2 + y,
    )


def turned_size(size: Size, degrees: float) -> Size:
    """Of the upright box around a turned one."""
    if not degrees:
        return size
    turn = cv2.getRotationMatrix2D((0, 0), -degrees, 1)
    wide, high = (int(np.ceil(v)) for v in np.abs(turn[:, :2]) @ size)
    return Size(wide, high)


def plate_size(overlay: Overlay, text: str, line: float, assets: Assets) -> Size:
    """How large a text is on its plate. Raises AssetError."""
    left, top, right, bottom = font_of(assets, overlay.font, max(2.0, line), overlay.face).getbbox(text)
    pad = _PADDING[overlay.plate] * line
    wide, high = right - left + 2 * pad, bottom - top + 2 * pad
    if overlay.plate == "disc":
        wide = high = float(np.hypot(right - left, bottom - top)) + pad
    return Size(max(1, int(np.ceil(wide))), max(1, int(np.ceil(high))))


def _mark_size(overlay: Overlay, text: str, line: float, assets: Assets) -> Size:
    scale = 1 / FINER
    if overlay.picture:
        drawn = Size.of(assets.picture(overlay.picture)[0])
        scale = line / drawn.height
    else:
        drawn = plate_size(overlay, text, line * FINER, assets)
    return Size(max(1, round(drawn.width * scale)), max(1, round(drawn.height * scale)))
