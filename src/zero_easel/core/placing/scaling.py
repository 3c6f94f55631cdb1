"""The scale rules: how large each item of a row is drawn."""

import math
from collections import defaultdict
from collections.abc import Sequence
from typing import Any, Literal

import numpy as np

from zero_easel.core.placing.placement import Alignment, Note, Subject
from zero_easel.core.placing.pose import Pose, is_close_up
from zero_easel.core.placing.room import Room
from zero_easel.core.placing.stance import NEIGHBOURS, Stance
from zero_easel.core.standard.rules import Canvas, Item

Scale = tuple[float, Alignment, tuple[Note, ...]]
"""px of the canvas to a px of the photo, what of it is held exactly, and what there is to say about it."""


def scales_of(
    room: Room, subjects: Sequence[Subject], rules: Sequence[Item], stances: Sequence[Stance | None],
    poses: Sequence[Pose | None],
) -> dict[int, Scale]:  # fmt: skip
    """The scale of each item, what of it is held exactly, and what there is to say about it."""
    groups: dict[tuple[Any, ...], list[int]] = defaultdict(list)
    for at, (subject, item) in enumerate(zip(subjects, rules, strict=True)):
        if stances[at] is not None:
            shared = subject.category.casefold() if item.one_scale == "category" else ""
            groups[item.scale, shared, item.px_per_mm].append(at)
    scales: dict[int, Scale] = {}
    for (rule, _, number), members in groups.items():
        fits = {at: _fit(room, rules[at], _of(stances, at)) for at in members}
        if rule == "share":
            scales |= {at: (*fit, ()) for at, fit in fits.items()}
            continue
        units = {at: _unit(rule, subjects[at], _of(stances, at), poses[at]) for at in members}
        known = [fits[at][0] * unit for at, unit in units.items() if unit]
        one = number if rule == "true-size" and number else _one(rule, known)
        scales |= {
            at: (*fits[at], (Note("guess", "a close-up fills its share instead"),))
            if rule == "true-size" and is_close_up(subjects[at].view)
            else _shared(rule, one, units[at], fits[at], poses[at])
            for at in members
        }
    return {at: _within(room.canvas, rules[at], _of(stances, at), *scale) for at, scale in scales.items()}


def _of(stances: Sequence[Stance | None], at: int) -> Stance:
    stance = stances[at]
    assert stance is not None
    return stance


def _unit(rule: str, subject: Subject, stance: Stance, pose: Pose | None) -> float | None:
    """What a shared number is divided by to give an item's scale; None if it is not known."""
    if rule == "true-size":
        return pose.px_per_mm if pose else None
    return float(max(subject.frame)) if rule == "as-shot" else math.sqrt(stance.measures.area)


def _one(rule: str, known: list[float]) -> float:
    """The number that a group shares: such that the largest item fits; for equal weight such that half of them do,
    since one thin rod would make all others tiny."""
    if not known:
        return 0.0
    return float(np.median(known)) if rule == "even-weight" else min(known)


def _shared(rule: str, one: float, unit: float | None, fit: tuple[float, Alignment], pose: Pose | None) -> Scale:
    largest, held = fit
    if unit is None:
        return largest, held, (Note("size", "has no listed size, and none follows from its neighbours"),)
    scale, notes = one / unit, []
    if rule == "even-weight" and scale > largest * (1 + 1e-9):
        return largest, held, (Note("limit", "as large as it may be, and still lighter than the others"),)
    if pose is not None and rule == "true-size" and pose.how == NEIGHBOURS:
        notes.append(Note("guess", "size taken from the photos before and after it, at the same distance"))
    return scale, held._replace(scale=""), tuple(notes)


def _fit(room: Room, item: Item, stance: Stance) -> tuple[float, Alignment]:
    """The scale at which an item fills its share, no further than its margins let it, and the side that decides."""
    box, area, canvas = stance.box, room.area(item), room.canvas
    share = item.share / 100
    if item.share_of == "area":
        wanted = {"": math.sqrt(share * canvas.width * canvas.height / stance.measures.area)}
    else:
        wanted = {"height": share * canvas.height / box.height, "width": share * canvas.width / box.width}
        if item.share_of != "frame":
            wanted = {item.share_of: wanted[item.share_of]}
    middle = (area.left + area.right) / 2
    beside = max(stance.anchor - box.left, box.right - stance.anchor, 1e-9)
    limits = {"height": area.height / box.height, "width": (area.right - middle) / beside}
    side, scale = min([*wanted.items(), *limits.items()], key=lambda pair: pair[1])
    exact = side if item.across == "bounds" or side == "height" else ""
    held: Literal["width", "height", ""] = "height" if exact == "height" else "width" if exact == "width" else ""
    return scale, Alignment(held, item.across == "bounds", "bottom" if item.place == "line" else "middle")


def _within(
    canvas: Canvas, item: Item, stance: Stance, scale: float, held: Alignment, notes: tuple[Note, ...]
) -> Scale:
    """A scale between floor and ceiling, and no larger than the photo's own pixels if that is forbidden."""
    box = stance.box
    of_frame = max(box.height / canvas.height, box.width / canvas.width)
    least, most = item.smallest / 100 / of_frame, item.largest / 100 / of_frame
    side: Literal["width", "height"] = "height" if box.height / canvas.height == of_frame else "width"
    if scale < least * (1 - 1e-9):
        scale, held = least, held._replace(scale=side)
        notes += (Note("limit", f"kept at {item.smallest:g} % of the frame, the smallest allowed"),)
    elif scale > most * (1 + 1e-9):
        scale, held = most, held._replace(scale=side)
        notes += (Note("limit", f"kept at {item.largest:g} % of the frame, the largest allowed"),)
    if item.enlarge == "forbid" and scale > 1:
        scale, held = 1.0, held._replace(scale="")
        notes += (Note("limit", "kept at the photo's own pixels; filling its share would enlarge it"),)
    return scale, held, notes
