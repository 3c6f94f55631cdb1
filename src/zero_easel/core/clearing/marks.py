"""What a person draws onto a photo to correct its cutout: rough marks, a fence, and the exact brush.

Marks are vectors in px of the upright original, so they outlive any engine. A mark is certain where it was drawn and
speaks for its surroundings too: for all that can be reached from it without crossing an edge and without going far
(geodesic distance, as in Bai & Sapiro, ICCV 2007). A mark therefore turns the part that it was drawn on, and nothing
beyond that part's edges.
"""

from typing import Annotated, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import AllowInfNan, BaseModel, ConfigDict, Field, Strict

from zero_easel.core.clearing.barrier import spread
from zero_easel.core.light.colour import Float, Mask
from zero_easel.core.light.geometry import Box, Size

Number = Annotated[float, Strict(), AllowInfNan(False)]
Point = Annotated[tuple[Number, Number], Field(description="x, y in px of the upright original")]

_CERTAIN = 30.0
"""Log odds of what a person has said."""
_SPEAKS = 9.0
"""Log odds that a mark lends to a pixel right beside it."""
_ROUNDS = 6


class Mark(BaseModel):
    """One gesture. kind: "item" or "backdrop" for rough marks, "fence" for a closed line around all that may be item,
    "exact-item" or "exact-backdrop" for the brush that is taken literally. radius: of the brush, px of the original."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    kind: Literal["item", "backdrop", "fence", "exact-item", "exact-backdrop"]
    points: tuple[Point, ...] = Field(min_length=1, max_length=20_000)
    radius: Number = Field(default=10.0, gt=0, le=5000)


def drawn(marks: list[Mark], kinds: tuple[str, ...], box: Box, size: Size) -> Mask:
    """(h, w) bool: where marks of some kinds lie in a box seen at a size.

    A fence counts as its inside; any part of a stroke covers at least one pixel.
    """
    scale = np.array([size.width / box.width, size.height / box.height])
    canvas = np.zeros((size.height, size.width), np.uint8)
    for mark in marks:
        if mark.kind in kinds:
            _draw(canvas, (np.array(mark.points) - box[:2]) * scale, mark.radius * float(scale.mean()), mark.kind)
    return canvas > 0


def _draw(canvas: NDArray[np.uint8], points: NDArray[np.float64], radius: float, kind: str) -> None:
    # The drawing functions take sixteenths of a pixel, counted from pixel centres.
    fixed = np.clip(np.round((points - 0.5) * 16), -(2**26), 2**26).astype(np.int32)
    if kind == "fence":
        cv2.fillPoly(canvas, [fixed], 255, shift=4)
        return
    width = max(1, round(2 * radius))
    if len(fixed) > 1 and width <= 32767:
        cv2.polylines(canvas, [fixed], False, 255, width, shift=4)
    for x, y in (fixed[0], fixed[-1]):
        cv2.circle(canvas, (int(x), int(y)), max(0, round(radius * 16)), 255, -1, shift=4)
        # The smallest brush still marks a pixel.
        column, row = (int(x) + 8) // 16, (int(y) + 8) // 16
        if 0 <= row < canvas.shape[0] and 0 <= column < canvas.shape[1]:
            canvas[row, column] = 255


def planes_of(marks: list[Mark], box: Box, size: Size) -> Float:
    """(3, h, w) float32, 1 where is marked: item, backdrop, and beyond the fences, in a box seen at a size; later marks
    lie over earlier ones."""
    planes = np.zeros((3, size.height, size.width), np.float32)
    for mark in marks:
        if mark.kind in ("item", "backdrop"):
            where, own = drawn([mark], (mark.kind,), box, size), int(mark.kind == "backdrop")
            planes[own][where], planes[1 - own][where] = 1, 0
    if any(mark.kind == "fence" for mark in marks):
        planes[2] = ~drawn(marks, ("fence",), box, size)
    return planes


def corrected(odds: Float, linear: Float, marks: list[Mark], box: Box) -> Float:
    """Log odds of item after rough marks and fences, (h, w) float32; odds: before. linear: (h, w, 3), the same part of
    the photo. box: that part in px of the original. Later marks outvote earlier ones
    where they overlap."""
    h, w = odds.shape
    size = Size(w, h)
    result = odds.copy()
    edges = _crossing(linear)
    for mark in marks:
        if mark.kind == "fence":
            continue
        where = drawn([mark], (mark.kind,), box, size)
        sign = 1.0 if mark.kind == "item" else -1.0
        if where.any():
            reach = 1.5 * mark.radius * w / box.width + 0.025 * max(h, w)
            result += sign * _SPEAKS * _spoken_for(where, edges, reach)
            result[where] = sign * _CERTAIN
    fences = [mark for mark in marks if mark.kind == "fence"]
    if fences:
        result[~drawn(fences, ("fence",), box, size)] = -_CERTAIN
    return result


def _crossing(linear: Float) -> tuple[Float, Float]:
    """Cost of the step from each pixel to its right and to its lower neighbour: change of colour, in units of what
    is usual in this picture."""
    seen = cv2.GaussianBlur(np.cbrt(np.clip(linear, 0, 1)), (0, 0), 0.7)
    across, down = (np.abs(np.diff(seen, axis=axis)).sum(2) for axis in (1, 0))
    usual = max(float(np.median(across)), float(np.median(down)), 0.003)
    return np.minimum(across / (4 * usual), 8).astype(np.float32), np.minimum(down / (4 * usual), 8).astype(np.float32)


def _spoken_for(where: Mask, edges: tuple[Float, Float], reach: float) -> Float:
    """(h, w) float32 in [0, 1]: 1 on a mark, fading within `reach` px and over edges."""
    h, w = where.shape
    rows, columns = np.flatnonzero(where.any(1)), np.flatnonzero(where.any(0))
    span = int(3 * reach) + 2  # beyond that, exp(-9) is next to nothing
    top, bottom = max(0, rows[0] - span), min(h, rows[-1] + span + 1)
    left, right = max(0, columns[0] - span), min(w, columns[-1] + span + 1)
    near = where[top:bottom, left:right]
    distance = np.where(near, 0, 1e6).astype(np.float32)
    across, down = (
        edges[0][top:bottom, left : right - 1] + 1 / reach,
        edges[1][top : bottom - 1, left:right] + 1 / reach,
    )
    spoken = np.zeros((h, w), np.float32)
    spoken[top:bottom, left:right] = np.exp(-np.square(spread(distance, across, down, _ROUNDS)))
    return spoken
