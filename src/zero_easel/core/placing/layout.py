"""Where items go on their canvases: turn, scale and place by the rules, composed into one affine map each.

A whole row is laid out at once: the scale of one item may depend on all others. Only measures are needed, no pixels.
"""

from collections import defaultdict
from collections.abc import Callable, Sequence
from functools import cache

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.geometry import Box, Map
from zero_easel.core.placing.placement import Alignment, Note, Placement, Subject
from zero_easel.core.placing.pose import Pose
from zero_easel.core.placing.room import SIDES, FinalCanvas, Room
from zero_easel.core.placing.scaling import scales_of
from zero_easel.core.placing.stance import Stance, poses_of, stance_of
from zero_easel.core.placing.uncut import lay_uncut
from zero_easel.core.standard.model import Scope, Standard
from zero_easel.core.standard.rules import Canvas, Item

_ENOUGH = 4
"""Items of one category and view from which one can be called odd."""
_ALONE = 3.5
"""How many times larger or smaller than the middle one an item looks odd."""


def lay_out(subjects: Sequence[Subject], standard: Standard) -> list[Placement | None]:
    """Lay a row out; None for a photo that has neither an item nor is to be shown uncut.

    subjects: all photos of the shoot, in shooting order: group rules look at all of them.
    """
    ruled = cache(standard.rules_for)
    rules = [_rules(subject, ruled) for subject in subjects]
    stances = [
        stance_of(subject, item) if item.backdrop == "cleared" else None
        for subject, item in zip(subjects, rules, strict=True)
    ]
    poses = poses_of(subjects, stances)
    room = Room(standard.canvas, rules)
    scales = scales_of(room, subjects, rules, stances, poses)
    laid: list[Placement | None] = []
    for at, (subject, item) in enumerate(zip(subjects, rules, strict=True)):
        stance = stances[at]
        if item.backdrop == "kept":
            laid.append(_uncut(standard.canvas, item, subject))
        elif stance is None:
            laid.append(None)
        else:
            scale, held, notes = scales[at]
            laid.append(_placed(room, item, subject, stance, scale, held, notes, poses[at]))
    return _compared(subjects, laid)


def _compared(subjects: Sequence[Subject], laid: list[Placement | None]) -> list[Placement | None]:
    """The same, with a note on items that look much larger or smaller than those that they will stand beside."""
    groups: dict[tuple[str, str], list[int]] = defaultdict(list)
    for at, (subject, lay) in enumerate(zip(subjects, laid, strict=True)):
        # At true size and as shot items differ by nature.
        alike = lay is not None and lay.rules.backdrop == "cleared" and lay.rules.scale in ("share", "even-weight")
        if alike and subject.measures is not None:
            groups[subject.category.casefold(), subject.view.casefold()].append(at)
    found = list(laid)
    for members in groups.values():
        if len(members) < _ENOUGH:
            continue
        seen = {at: _area(subjects[at], laid[at]) for at in members}
        middle = float(np.median(list(seen.values())))
        for at, area in seen.items():
            lay = found[at]
            if lay is not None and not 1 / _ALONE < area / middle < _ALONE:
                word = "larger" if area > middle else "smaller"
                text = f"looks much {word} than the others: {area:.0%} of the canvas, they {middle:.0%}"
                found[at] = lay._replace(notes=(*lay.notes, Note("alone", text)))
    return found


def _area(subject: Subject, lay: Placement | None) -> float:
    """Visible share of the canvas."""
    assert subject.measures is not None and lay is not None
    return subject.measures.area * lay.scale**2 / (lay.canvas[0] * lay.canvas[1])


def rules_of(subject: Subject, standard: Standard) -> Item:
    """The rules that hold for a photo."""
    return _rules(subject, standard.rules_for)


def is_by_row(standard: Standard) -> bool:
    """Whether the place of one picture depends on the others, so that all have to be measured first."""
    scales = {standard.item.scale, *(special.item.get("scale", "share") for special in standard.exceptions)}
    return scales != {"share"}


def _rules(subject: Subject, ruled: Callable[[Scope], Item]) -> Item:
    item = ruled(Scope(subject.category.casefold(), subject.view.casefold()))
    return item.model_copy(update={"backdrop": subject.hand.backdrop}) if subject.hand.backdrop else item


def _placed(
    room: Room, item: Item, subject: Subject, stance: Stance, scale: float, held: Alignment, notes: tuple[Note, ...],
    pose: Pose | None,
) -> Placement:  # fmt: skip
    canvas, area, box, hand = room.canvas, room.area(item), stance.box, subject.hand
    across = (area.left + area.right) / 2
    if item.place == "line":
        at, down = box.bottom, area.bottom
    else:
        at, down = (box.top + box.bottom) / 2, (area.top + area.bottom) / 2
    turned = Map.turned(stance.turn)
    unit = canvas.shorter / 100

    def shift(factor: float, right: float, lower: float) -> tuple[float, float, float]:
        """Scale of the turned photo, and by how much it is moved then."""
        by = scale * factor
        return by, across + right * unit - by * stance.anchor, down + lower * unit - by * at

    by, dx, dy = shift(hand.scale, hand.right, hand.down)
    held = Alignment(
        held.scale if hand.scale == 1 else "", held.across and not hand.right, "" if hand.down else held.down
    )
    inside = Box(by * box.left + dx, by * box.top + dy, by * box.right + dx, by * box.bottom + dy)
    frame = FinalCanvas(room, inside)
    placed, by_rule = (
        Map(k * turned.a, k * turned.b, k * turned.c, k * turned.d, x + frame.shift[0], y + frame.shift[1])
        for k, x, y in ((by, dx, dy), shift(1, 0, 0))
    )
    final = inside.moved(*frame.shift)
    share = max(final.height / canvas.height, final.width / canvas.width)
    notes = stance.notes + notes + _notes(item, area, subject, inside, frame, by)
    if pose is not None and pose.doubt:
        notes += (Note("size", pose.doubt),)
    density = pose.px_per_mm if pose else None
    return Placement(placed, frame.size, final, by_rule, item, stance.turn, share, density, notes, held, frame.shift)


def _boxed(way: Map, hull: NDArray[np.float64]) -> Box:
    points = way.apply(hull)
    return Box(*(float(v) for v in (*points.min(0), *points.max(0))))


def _notes(item: Item, area: Box, subject: Subject, box: Box, frame: FinalCanvas, scale: float) -> tuple[Note, ...]:
    notes = []
    if frame.cut:
        notes.append(Note("cut", f"cut off at the {' and '.join(frame.cut)}"))
    else:
        out = max(area.left - box.left, area.top - box.top, box.right - area.right)
        if out > 0.75:
            notes.append(Note("margin", f"{out:.0f} px into its margin"))
    off = box.bottom - area.bottom
    if item.place == "line" and abs(off) > 0.75 and subject.hand.down:
        notes.append(Note("position", f"{abs(off):.0f} px {'below' if off > 0 else 'above'} the line"))
    assert subject.measures is not None
    if subject.measures.edges:
        notes.append(Note("frame", f"touches the photo's {' and '.join(subject.measures.edges)} edge"))
    if scale > 1.0005:
        notes.append(Note("enlarged", f"enlarged {scale:.2f} times"))
    return tuple(notes)


def _uncut(canvas: Canvas, item: Item, subject: Subject) -> Placement:
    measures = subject.measures
    middle = subject.hand.keep or (measures.centroid if measures else None)
    uncut = lay_uncut(canvas, item, subject.frame, middle)
    hull = measures.hull if measures is not None else None
    box = _boxed(uncut.way, hull) if hull is not None else None
    notes = []
    if box is not None:
        out = (-box.left, -box.top, box.right - uncut.canvas[0], box.bottom - uncut.canvas[1])
        cut = [side for side, beyond in zip(SIDES, out, strict=True) if beyond > 0.5]
        if cut:
            notes.append(Note("cut", f"its item is cut off at the {' and '.join(cut)}"))
    if uncut.way.scale > 1.0005:
        notes.append(Note("enlarged", f"enlarged {uncut.way.scale:.2f} times"))
    return Placement(uncut.way, uncut.canvas, box, uncut.way, item, 0.0, 1.0, None, tuple(notes), Alignment())
