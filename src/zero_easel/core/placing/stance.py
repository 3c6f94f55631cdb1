"""How an item stands before it is scaled: turned straight, with what is known of its true size."""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.placing.placement import Alignment, Note, NoteKind, Subject
from zero_easel.core.placing.pose import Pose, is_close_up, pose_of
from zero_easel.core.placing.straighten import lean_of
from zero_easel.core.standard.rules import Item

NEIGHBOURS = "its neighbours"
"""Where a size comes from that follows from the photos before and after."""
_SAME_DISTANCE = 0.03
"""How far px per mm may differ between photos that were taken at one distance."""
_LEANING = 1.5
"""Degrees from which a lean that is left strikes the eye beside its neighbours."""


class Stance(NamedTuple):
    """A turned item, in px of the photo turned about its corner. anchor: what goes to the middle of the width."""

    measures: Measures
    turn: float
    hull: NDArray[np.float64]
    box: Box
    anchor: float
    notes: tuple[Note, ...]


class Scale(NamedTuple):
    """How large an item is drawn. factor: px of the canvas to a px of the photo. alignment: what of it is held exactly.
    notes: what there is to say about it."""

    factor: float
    alignment: Alignment
    notes: tuple[Note, ...] = ()


class RowItem(NamedTuple):
    """One item of a row on its way to its place. area: what its rules leave free on the canvas, px. pose: px per mm, as
    far as it is known. scale: once all of the row is known."""

    subject: Subject
    rules: Item
    area: Box
    stance: Stance
    pose: Pose | None
    scale: Scale | None = None


def row_item(subject: Subject, rules: Item, area: Box) -> RowItem | None:
    """An item turned straight; None for a photo that has none."""
    measures = subject.measures
    if measures is None:
        return None
    lean = lean_of(measures, rules.straighten)
    if abs(lean) > rules.straighten_limit:
        lean = 0.0
    turn = (-lean if lean else 0.0) if subject.adjustment.turn is None else subject.adjustment.turn
    left_over = lean_of(measures, "axis") + turn
    notes = (Note(NoteKind.TILT, f"leans by {abs(left_over):.0f}°"),) if abs(left_over) >= _LEANING else ()
    turned = Map.turned(turn)
    hull, box = measures.hull, measures.bounds
    if turn:
        hull = turned.apply(measures.hull)
        (left, top), (right, bottom) = hull.min(0), hull.max(0)
        box = Box(float(left), float(top), float(right), float(bottom))
    stance = Stance(measures, turn, hull, box, _anchor(measures, rules, turned, turn, box), notes)
    return RowItem(subject, rules, area, stance, pose_of(hull, subject.size, subject.view))


def _anchor(measures: Measures, rules: Item, turned: Map, turn: float, box: Box) -> float:
    """What of an item goes to the middle of the width, in px of the turned photo."""
    if rules.across == "centroid":
        return float(turned.apply(np.array([measures.centroid]))[0, 0])
    axis = measures.upright
    if rules.across == "axis" and axis.plain >= 0.8 and turn == 0:
        return axis.plain_at
    if rules.across == "axis" and axis.score >= 0.8 and turn != 0:
        middle = turned.apply(np.array([[axis.x, axis.y]]))[0]
        # Along the axis to the middle of the item's height, in case it still leans a little.
        slope = math.tan(math.radians(axis.angle + turn))
        return float(middle[0] - slope * ((box.top + box.bottom) / 2 - middle[1]))
    return (box.left + box.right) / 2


def with_neighbours(row: Sequence[RowItem]) -> list[RowItem]:
    """The same; where a size is missing or contradicts its picture, px per mm is that of the photos before and after,
    if these agree: they were taken at one distance."""
    before = _last_known(row)
    after = _last_known(row[::-1])[::-1]
    found = list(row)
    for at, (one, earlier, later) in enumerate(zip(row, before, after, strict=True)):
        if (one.pose is not None and not one.pose.doubt) or is_close_up(one.subject.view):
            continue
        if earlier and later and abs(earlier / later - 1) <= _SAME_DISTANCE:
            pose = Pose(math.sqrt(earlier * later), None, NEIGHBOURS, one.pose.doubt if one.pose else "")
            found[at] = one._replace(pose=pose)
    return found


def _last_known(row: Sequence[RowItem]) -> list[float | None]:
    """For each photo px per mm of the last one before it, of the same frame, whose size is sure."""
    last: dict[Size, float] = {}
    found = []
    for one in row:
        found.append(last.get(one.subject.frame))
        if one.pose is not None and not one.pose.doubt:
            last[one.subject.frame] = one.pose.px_per_mm
    return found
