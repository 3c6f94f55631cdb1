"""How an item stands before it is scaled: turned straight, with what is known of its true size."""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.placing.placement import Note, Subject
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
    pose: Pose | None
    notes: tuple[Note, ...]


def stance_of(subject: Subject, item: Item) -> Stance | None:
    measures = subject.measures
    if measures is None:
        return None
    lean = lean_of(measures, item.straighten)
    if abs(lean) > item.straighten_limit:
        lean = 0.0
    turn = (-lean if lean else 0.0) if subject.hand.turn is None else subject.hand.turn
    left_over = lean_of(measures, "axis") + turn
    notes = [Note("tilt", f"leans by {abs(left_over):.0f}°")] if abs(left_over) >= _LEANING else []
    turned = Map.turned(turn)
    hull, box = measures.hull, measures.bounds
    if turn:
        hull = turned.apply(measures.hull)
        (left, top), (right, bottom) = hull.min(0), hull.max(0)
        box = Box(float(left), float(top), float(right), float(bottom))
    pose = pose_of(hull, subject.size, subject.view)
    return Stance(measures, turn, hull, box, _anchor(measures, item, turned, turn, box), pose, tuple(notes))


def _anchor(measures: Measures, item: Item, turned: Map, turn: float, box: Box) -> float:
    """What of an item goes to the middle of the width, in px of the turned photo."""
    if item.across == "centroid":
        return float(turned.apply(np.array([measures.centroid]))[0, 0])
    axis = measures.upright
    if item.across == "axis" and axis.plain >= 0.8 and turn == 0:
        return axis.plain_at
    if item.across == "axis" and axis.score >= 0.8 and turn != 0:
        middle = turned.apply(np.array([[axis.x, axis.y]]))[0]
        # Along the axis to the middle of the item's height, in case it still leans a little.
        slope = math.tan(math.radians(axis.angle + turn))
        return float(middle[0] - slope * ((box.top + box.bottom) / 2 - middle[1]))
    return (box.left + box.right) / 2


def poses_of(subjects: Sequence[Subject], stances: Sequence[Stance | None]) -> list[Pose | None]:
    """The poses; where a size is missing or contradicts its picture, px per mm from the photos before and after, if
    these agree: they were taken at one distance."""
    poses = [stance.pose if stance else None for stance in stances]
    before = _last_known(subjects, poses)
    after = _last_known(subjects[::-1], poses[::-1])[::-1]
    found = list(poses)
    for at, (pose, earlier, later) in enumerate(zip(poses, before, after, strict=True)):
        if stances[at] is None or (pose is not None and not pose.doubt) or is_close_up(subjects[at].view):
            continue
        if earlier and later and abs(earlier / later - 1) <= _SAME_DISTANCE:
            found[at] = Pose(math.sqrt(earlier * later), None, NEIGHBOURS, pose.doubt if pose else "")
    return found


def _last_known(subjects: Sequence[Subject], poses: Sequence[Pose | None]) -> list[float | None]:
    """For each photo px per mm of the last one before it, of the same frame, whose size is sure."""
    last: dict[Size, float] = {}
    found = []
    for subject, pose in zip(subjects, poses, strict=True):
        found.append(last.get(subject.frame))
        if pose is not None and not pose.doubt:
            last[subject.frame] = pose.px_per_mm
    return found
