"""Where items go on their canvases: turn, scale and place by the rules, composed into one affine map each.

A whole row is laid out at once: the scale of one item may depend on all others. Only measures are needed, no pixels.
"""

from collections import defaultdict
from collections.abc import Sequence
from functools import cache
from typing import NamedTuple

import numpy as np

from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.placing.light import amounts_of, lit
from zero_easel.core.placing.placement import Alignment, Note, NoteKind, Placement, Subject
from zero_easel.core.placing.room import SIDES, FinalCanvas, cut_sides, final_canvas, free_area
from zero_easel.core.placing.scaling import scaled
from zero_easel.core.placing.stance import RowItem, row_item, with_neighbours
from zero_easel.core.placing.uncut import lay_uncut, padded
from zero_easel.core.standard.model import Scope, Standard
from zero_easel.core.standard.rules import Canvas, Item

_ENOUGH = 4
"""Items of one category and view from which one can be called odd."""
_ALONE = 3.5
"""How many times larger or smaller than the middle one an item looks odd."""
_VISIBLY = 1.0005
"""Scale from which a picture is said to be enlarged."""


class _Ruled(NamedTuple):
    """The rules for a photo, and what they leave free on the canvas."""

    rules: Item
    area: Box


def lay_out(subjects: Sequence[Subject], standard: Standard) -> list[Placement | None]:
    """Lay a row out; None for a photo that has neither an item nor is to be shown whole.

    subjects: all photos of the shoot, in shooting order: group rules look at all of them.
    """
    canvas = standard.canvas

    @cache
    def ruled(scope: Scope, backdrop: str) -> _Ruled:
        """Rules of a scope, and the area that they leave free; the same for all of its photos."""
        rules = _with_backdrop(standard.rules_for(scope), backdrop)
        return _Ruled(rules, free_area(canvas, rules))

    found: list[Placement | None] = []
    items: dict[int, RowItem] = {}
    for at, subject in enumerate(subjects):
        rules, area = ruled(_scope(subject), subject.adjustment.backdrop)
        found.append(_uncut(canvas, rules, subject) if rules.backdrop != "cleared" else None)
        if rules.backdrop == "cleared" and (one := row_item(subject, rules, area)) is not None:
            items[at] = one
    for at, one in zip(items, scaled(canvas, with_neighbours(list(items.values()))), strict=True):
        found[at] = _placed(canvas, one)
    return lit(subjects, _compared(subjects, found))


def _compared(subjects: Sequence[Subject], row: list[Placement | None]) -> list[Placement | None]:
    """The same, with a note on items that look much larger or smaller than those that they will stand beside."""
    groups: dict[tuple[str, str], dict[int, float]] = defaultdict(dict)
    for at, (subject, placement) in enumerate(zip(subjects, row, strict=True)):
        # At true size and as shot items differ by nature.
        if placement is None or placement.rules.backdrop != "cleared" or subject.measures is None:
            continue
        if placement.rules.scale in ("share", "even-weight"):
            area = subject.measures.area * placement.scale**2 / (placement.canvas.width * placement.canvas.height)
            groups[subject.category.casefold(), subject.view.casefold()][at] = area
    found = list(row)
    for areas in groups.values():
        if len(areas) < _ENOUGH:
            continue
        middle = float(np.median(list(areas.values())))
        for at, area in areas.items():
            placement = found[at]
            if placement is not None and not 1 / _ALONE < area / middle < _ALONE:
                word = "larger" if area > middle else "smaller"
                text = f"looks much {word} than the others: {area:.0%} of the canvas, they {middle:.0%}"
                found[at] = placement._replace(notes=(*placement.notes, Note(NoteKind.ALONE, text)))
    return found


def rules_of(subject: Subject, standard: Standard) -> Item:
    """The rules that hold for a photo."""
    return _with_backdrop(standard.rules_for(_scope(subject)), subject.adjustment.backdrop)


def is_by_row(standard: Standard) -> bool:
    """Whether the place of one picture depends on the others, so that all have to be measured first."""
    return any(rules.scale != "share" or amounts_of(rules).by_row for rules in _all_rules(standard))


def cuts_nothing(standard: Standard) -> bool:
    """Whether no picture of a standard needs a cutout, unless a person says so of a photo."""
    return not any(asks_for_cutout(rules, by_hand=False) for rules in _all_rules(standard))


def asks_for_cutout(rules: Item, *, by_hand: bool) -> bool:
    """Whether a picture of these rules is cut out, cut around its item, or lit by what is measured with its cutout.
    by_hand: a person has chosen what "cover" keeps."""
    around_item = rules.fit == "cover" and rules.cover_around == "item" and not by_hand
    asked = amounts_of(rules)
    return (
        rules.backdrop != "kept"
        or around_item
        or asked.by_backdrop
        or bool(asked.kelvin or rules.noise or rules.falloff == "even")
    )


def _all_rules(standard: Standard) -> list[Item]:
    """The rules for items, and those of each exception."""
    return [standard.item, *(standard.item.model_copy(update=dict(one.item)) for one in standard.exceptions)]


def _scope(subject: Subject) -> Scope:
    return Scope(subject.category.casefold(), subject.view.casefold())


def _with_backdrop(rules: Item, backdrop: str) -> Item:
    """What a person decided about the backdrop goes before the rule."""
    return rules.model_copy(update={"backdrop": backdrop}) if backdrop else rules


def _placed(canvas: Canvas, one: RowItem) -> Placement:
    assert one.scale is not None
    area, box, by_hand, alignment = one.area, one.stance.box, one.subject.adjustment, one.scale.alignment
    across = (area.left + area.right) / 2
    if one.rules.place == "line":
        at, down = box.bottom, area.bottom
    else:
        at, down = (box.top + box.bottom) / 2, (area.top + area.bottom) / 2
    turned = Map.turned(one.stance.turn)
    unit, scale = canvas.shorter / 100, one.scale.factor

    def shift(factor: float, right: float, lower: float) -> tuple[float, float, float]:
        """Scale of the turned photo, and by how much it is moved then."""
        by = scale * factor
        return by, across + right * unit - by * one.stance.anchor, down + lower * unit - by * at

    by, dx, dy = shift(by_hand.scale, by_hand.right, by_hand.down)
    alignment = Alignment(
        alignment.scale if by_hand.scale == 1 else "",
        alignment.across and not by_hand.right,
        "" if by_hand.down else alignment.down,
    )
    inside = Box(by * box.left + dx, by * box.top + dy, by * box.right + dx, by * box.bottom + dy)
    final = final_canvas(canvas, inside)
    matrix, by_rule = (
        Map(k * turned.a, k * turned.b, k * turned.c, k * turned.d, x + final.shift[0], y + final.shift[1])
        for k, x, y in ((by, dx, dy), shift(1, 0, 0))
    )
    there = inside.moved(*final.shift)
    share = max(there.height / canvas.height, there.width / canvas.width)
    notes = one.stance.notes + one.scale.notes + _notes(one, inside, final, by)
    if one.pose is not None and one.pose.doubt:
        notes += (Note(NoteKind.SIZE, one.pose.doubt),)
    density = one.pose.px_per_mm if one.pose else None
    return Placement(
        matrix,
        final.size,
        there,
        by_rule,
        one.rules,
        one.stance.turn,
        share,
        density,
        notes,
        alignment,
        final.shift,
        final.cut,
    )


def _notes(one: RowItem, box: Box, final: FinalCanvas, scale: float) -> tuple[Note, ...]:
    notes, area = [], one.area
    if final.cut:
        notes.append(Note(NoteKind.CUT, f"cut off at the {' and '.join(final.cut)}"))
    else:
        out = max(area.left - box.left, area.top - box.top, box.right - area.right)
        if out > 0.75:
            notes.append(Note(NoteKind.MARGIN, f"{out:.0f} px into its margin"))
    off = box.bottom - area.bottom
    if one.rules.place == "line" and abs(off) > 0.75 and one.subject.adjustment.down:
        notes.append(Note(NoteKind.POSITION, f"{abs(off):.0f} px {'below' if off > 0 else 'above'} the line"))
    edges = one.stance.measures.edges
    if edges:
        notes.append(Note(NoteKind.FRAME, f"touches the photo's {' and '.join(edges)} edge"))
    return (*notes, *_enlarged(scale))


def _enlarged(scale: float) -> list[Note]:
    return [Note(NoteKind.ENLARGED, f"enlarged {scale:.2f} times")] if scale > _VISIBLY else []


def _uncut(canvas: Canvas, rules: Item, subject: Subject) -> Placement | None:
    measures = subject.measures
    if measures is None and rules.backdrop == "in-place":
        return None
    item = measures.centroid if measures and rules.cover_around == "item" else None
    middle, zoom = subject.adjustment.kept_on(Size(canvas.width, canvas.height))
    uncut = lay_uncut(canvas, rules, subject.frame, middle or item, zoom)
    box, notes = None, list[Note]()
    if measures is not None:
        points = uncut.matrix.apply(measures.hull)
        box = Box(*(float(v) for v in (*points.min(0), *points.max(0))))
    uncut = padded(canvas, uncut, box)
    (left, top), size = uncut.padding[:2], uncut.canvas
    cut: tuple[str, ...] = ()
    if box is not None:
        box = box.moved(left, top)
        cut = cut_sides(box, Box(0, 0, *size))
        if cut:
            notes.append(Note(NoteKind.CUT, f"its item is cut off at the {' and '.join(cut)}"))
    clipped = [f"{-by} px at the {side}" for side, by in zip(SIDES, uncut.padding, strict=True) if by < 0]
    if clipped:
        notes.append(Note(NoteKind.CLIPPED, f"clipped by {' and '.join(clipped)}"))
    if uncut.smaller:
        notes.append(Note(NoteKind.LIMIT, "stays smaller than asked: it is only reduced, and has no more pixels"))
    notes += _enlarged(uncut.matrix.scale)
    return Placement(
        uncut.matrix, size, box, uncut.matrix, rules, 0.0, 1.0, None, tuple(notes), Alignment(), (left, top), cut
    )


def uncut_sizes(subjects: Sequence[Subject], standard: Standard) -> list[Size]:
    """Sizes in px of the pictures that keep their framing, on the standard's canvas; one for each that does."""
    rules = [rules_of(subject, standard) for subject in subjects]
    return [
        padded(standard.canvas, lay_uncut(standard.canvas, own, subject.frame, None)).canvas
        for subject, own in zip(subjects, rules, strict=True)
        if own.backdrop != "cleared"
    ]
