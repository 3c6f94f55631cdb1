"""The scale rules: how large each item of a row is drawn."""

import math
from collections import defaultdict
from collections.abc import Sequence
from typing import Any, Literal

import numpy as np

from zero_easel.core.placing.placement import Alignment, Note, NoteKind
from zero_easel.core.placing.pose import is_close_up
from zero_easel.core.placing.stance import NEIGHBOURS, RowItem, Scale
from zero_easel.core.standard.rules import Canvas


def scaled(canvas: Canvas, row: Sequence[RowItem]) -> list[RowItem]:
    """The items of a row with their scales."""
    groups: dict[tuple[Any, ...], list[int]] = defaultdict(list)
    for at, one in enumerate(row):
        shared = one.subject.category.casefold() if one.rules.one_scale == "category" else ""
        groups[one.rules.scale, shared, one.rules.px_per_mm].append(at)
    found = list(row)
    for members in groups.values():
        for at, scale in zip(members, _scales(canvas, [row[at] for at in members]), strict=True):
            found[at] = row[at]._replace(scale=_within(canvas, row[at], scale))
    return found


def _scales(canvas: Canvas, group: Sequence[RowItem]) -> list[Scale]:
    """The scales of items that follow one scale rule, and share a number if it is one for all."""
    rule, number = group[0].rules.scale, group[0].rules.px_per_mm
    fits = [_fit(canvas, one) for one in group]
    if rule == "share":
        return fits
    units = [_unit(one) for one in group]
    known = [fit.factor * unit for fit, unit in zip(fits, units, strict=True) if unit]
    shared = number if rule == "true-size" and number else _one(rule, known)
    return [_shared(one, shared, unit, fit) for one, unit, fit in zip(group, units, fits, strict=True)]


def _unit(one: RowItem) -> float | None:
    """What a shared number is divided by to give an item's scale; None if it is not known."""
    if one.rules.scale == "true-size":
        return one.pose.px_per_mm if one.pose else None
    return float(one.subject.frame.longest) if one.rules.scale == "as-shot" else math.sqrt(one.stance.measures.area)


def _one(rule: str, known: list[float]) -> float:
    """The number that a group shares: such that the largest item fits; for equal weight such that half of them do,
    since one thin rod would make all others tiny."""
    if not known:
        return 0.0
    return float(np.median(known)) if rule == "even-weight" else min(known)


def _shared(one: RowItem, number: float, unit: float | None, fit: Scale) -> Scale:
    rule, notes = one.rules.scale, []
    if rule == "true-size" and is_close_up(one.subject.view):
        return fit._replace(notes=(Note(NoteKind.GUESS, "a close-up fills its share instead"),))
    if unit is None:
        return fit._replace(notes=(Note(NoteKind.SIZE, "has no listed size, and none follows from its neighbours"),))
    factor = number / unit
    if rule == "even-weight" and factor > fit.factor * (1 + 1e-9):
        return fit._replace(notes=(Note(NoteKind.LIMIT, "as large as it may be, and still lighter than the others"),))
    if one.pose is not None and rule == "true-size" and one.pose.source == NEIGHBOURS:
        notes.append(Note(NoteKind.GUESS, "size taken from the photos before and after it, at the same distance"))
    return Scale(factor, fit.alignment._replace(scale=""), tuple(notes))


def _fit(canvas: Canvas, one: RowItem) -> Scale:
    """The scale at which an item fills its share, no further than its margins let it, and the side that decides."""
    box, area, rules, stance = one.stance.box, one.area, one.rules, one.stance
    share = rules.share / 100
    if rules.share_of == "area":
        wanted = {"": math.sqrt(share * canvas.width * canvas.height / stance.measures.area)}
    else:
        wanted = {"height": share * canvas.height / box.height, "width": share * canvas.width / box.width}
        if rules.share_of != "frame":
            wanted = {rules.share_of: wanted[rules.share_of]}
    middle = (area.left + area.right) / 2
    beside = max(stance.anchor - box.left, box.right - stance.anchor, 1e-9)
    limits = {"height": area.height / box.height, "width": (area.right - middle) / beside}
    side, factor = min([*wanted.items(), *limits.items()], key=lambda pair: pair[1])
    exact = side if rules.across == "bounds" or side == "height" else ""
    along: Literal["width", "height", ""] = "height" if exact == "height" else "width" if exact == "width" else ""
    return Scale(factor, Alignment(along, rules.across == "bounds", "bottom" if rules.place == "line" else "middle"))


def _within(canvas: Canvas, one: RowItem, scale: Scale) -> Scale:
    """A scale between floor and ceiling, and no larger than the photo's own pixels if that is forbidden."""
    box, rules = one.stance.box, one.rules
    of_frame = max(box.height / canvas.height, box.width / canvas.width)
    least, most = rules.smallest / 100 / of_frame, rules.largest / 100 / of_frame
    side: Literal["width", "height"] = "height" if box.height / canvas.height == of_frame else "width"
    factor, alignment, notes = scale
    if factor < least * (1 - 1e-9):
        factor, alignment = least, alignment._replace(scale=side)
        notes += (Note(NoteKind.LIMIT, f"kept at {rules.smallest:g} % of the frame, the smallest allowed"),)
    elif factor > most * (1 + 1e-9):
        factor, alignment = most, alignment._replace(scale=side)
        notes += (Note(NoteKind.LIMIT, f"kept at {rules.largest:g} % of the frame, the largest allowed"),)
    if rules.enlarge == "forbid" and factor > 1:
        factor, alignment = 1.0, alignment._replace(scale="")
        notes += (Note(NoteKind.LIMIT, "kept at the photo's own pixels; filling its share would enlarge it"),)
    return Scale(factor, alignment, notes)
