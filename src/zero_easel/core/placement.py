"""Where items go on their canvases: turn, scale and place by the rules, composed into one affine map each.

A whole row is laid out at once: the scale of one item may depend on all others. Only measures are needed, no pixels.
"""

import math
from collections import defaultdict
from collections.abc import Callable, Sequence
from functools import cache
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.affine import Map
from zero_easel.core.measure import Bounds, Measures
from zero_easel.core.pose import Pose, Size, is_close_up, pose_of
from zero_easel.core.rules import Canvas, Item
from zero_easel.core.standard import Scope, Standard
from zero_easel.core.straighten import lean_of
from zero_easel.core.uncut import lay_uncut

_SAME_DISTANCE = 0.03
"""How far px per mm may differ between photos that were taken at one distance."""
_LEANING = 1.5
"""Degrees from which a lean that is left strikes the eye beside its neighbours."""
_ENOUGH = 4
"""Items of one category and view from which one can be called odd."""
_ALONE = 3.5
"""How many times larger or smaller than the middle one an item looks odd."""
_SIDES = ("left", "top", "right", "bottom")


class ByHand(NamedTuple):
    """What a person decided for one photo.

    turn: degrees, clockwise, instead of the rule's; None leaves it to the rule. scale: factor on the rule's scale.
    right, down: shift in % of the canvas's shorter side, so that it means the same at every size. keep: middle of what
    an uncut picture shows, in px of the upright photo. backdrop: "cleared" or "kept" instead of the rule's, or "".
    """

    turn: float | None = None
    scale: float = 1.0
    right: float = 0.0
    down: float = 0.0
    keep: tuple[float, float] | None = None
    backdrop: Literal["", "cleared", "kept"] = ""

    @property
    def moves(self) -> bool:
        """Whether the item sits otherwise than the rule says."""
        return self[:4] != ByHand()[:4]


class Subject(NamedTuple):
    """A photo that is to be placed. measures: of its item, None if it has none (or is not cleared yet). frame: width
    and height of the upright photo, px."""

    measures: Measures | None
    frame: tuple[int, int]
    category: str = ""
    view: str = ""
    size: Size = Size()
    hand: ByHand = ByHand()


class Note(NamedTuple):
    """Something a person should know. kind: "cut", "size", "tilt", "margin", "position", "alone", "enlarged", "limit",
    "guess" or "frame"; the first six are reasons to look."""

    kind: str
    text: str

    @property
    def calls(self) -> bool:
        """Whether it is a reason to look."""
        return self.kind in ("cut", "size", "tilt", "margin", "position", "alone")


class Laid(NamedTuple):
    """One picture, laid out. way: from px of the upright photo to px of the canvas. canvas: width, height, px. box:
    of the item on the canvas by its outline, None for an uncut picture without one. by_rule: the same without what a
    person changed. turn: degrees, clockwise. share: of the frame. px_per_mm: of the photo, None if unknown. held:
    what the drawn item itself must meet. origin: where the standard's own canvas begins on this one, px."""

    way: Map
    canvas: tuple[int, int]
    box: Bounds | None
    by_rule: Map
    rules: Item
    turn: float
    share: float
    px_per_mm: float | None
    notes: tuple[Note, ...]
    held: "Held"
    origin: tuple[float, float] = (0.0, 0.0)

    @property
    def scale(self) -> float:
        """px of the canvas to a px of the photo."""
        return self.way.scale


class Held(NamedTuple):
    """What of a rule the drawn item itself is held to. scale: the side whose length follows the rule, or "". across:
    whether its box is centred. down: the side that lies on a line, "middle", or ""."""

    scale: Literal["width", "height", ""] = ""
    across: bool = False
    down: Literal["bottom", "middle", ""] = ""


class _Stance(NamedTuple):
    """A turned item, in px of the photo turned about its corner. anchor: what goes to the middle of the width."""

    measures: Measures
    turn: float
    hull: NDArray[np.float64]
    box: Bounds
    anchor: float
    pose: Pose | None
    notes: tuple[Note, ...]


def free_area(canvas: Canvas, item: Item) -> Bounds:
    """The part of the canvas that an item may fill: inside the margins, and above the line if it stands on one."""
    top, right, bottom, left = canvas.px(item.margins)
    lower = canvas.height - bottom
    if item.place == "line":
        lower = canvas.height - item.base.px(canvas.height, canvas.density)
    # Whole pixels, inwards: an item that ends on a pixel's edge has a clean rim.
    return Bounds(
        float(math.ceil(left - 1e-9)), float(math.ceil(top - 1e-9)), float(math.floor(canvas.width - right + 1e-9)),
        float(math.floor(lower + 1e-9)),
    )  # fmt: skip


class _Room:
    """A canvas and what its rules leave free on it, worked out once for a row. low, high: corners of the final canvas,
    grown or clipped around, in px of the standard's."""

    def __init__(self, canvas: Canvas, rules: Sequence[Item]) -> None:
        self.canvas = canvas
        # By identity: rows share a few rules, and comparing these by value costs more than all the rest.
        self._areas = {id(item): item for item in rules}
        self._free = {key: free_area(canvas, item) for key, item in self._areas.items()}
        top, right, bottom, left = (round(side) for side in canvas.px(canvas.around_sides))
        self.low, self.high = (-left, -top), (canvas.width + right, canvas.height + bottom)

    def area(self, item: Item) -> Bounds:
        """What margins and line leave free."""
        return self._free[id(item)]


def lay_out(subjects: Sequence[Subject], standard: Standard) -> list[Laid | None]:
    """Lay a row out; None for a photo that has neither an item nor is to be shown uncut.

    subjects: all photos of the shoot, in shooting order: group rules look at all of them.
    """
    ruled = cache(standard.rules_for)
    rules = [_rules(subject, ruled) for subject in subjects]
    stances = [
        _stance(subject, item) if item.backdrop == "cleared" else None
        for subject, item in zip(subjects, rules, strict=True)
    ]
    poses = _with_guesses(subjects, stances)
    room = _Room(standard.canvas, rules)
    scales = _scales(room, subjects, rules, stances, poses)
    laid: list[Laid | None] = []
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


def _compared(subjects: Sequence[Subject], laid: list[Laid | None]) -> list[Laid | None]:
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


def _area(subject: Subject, lay: Laid | None) -> float:
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


def _stance(subject: Subject, item: Item) -> _Stance | None:
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
        box = Bounds(float(left), float(top), float(right), float(bottom))
    pose = pose_of(hull, subject.size, subject.view)
    return _Stance(measures, turn, hull, box, _anchor(measures, item, turned, turn, box), pose, tuple(notes))


def _anchor(measures: Measures, item: Item, turned: Map, turn: float, box: Bounds) -> float:
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


def _with_guesses(subjects: Sequence[Subject], stances: Sequence[_Stance | None]) -> list[Pose | None]:
    """The poses; where a size is missing or contradicts its picture, px per mm from the photos before and after, if
    these agree: they were taken at one distance."""
    poses = [stance.pose if stance else None for stance in stances]
    sure = [
        (at, pose.px_per_mm, subjects[at].frame) for at, pose in enumerate(poses) if pose is not None and not pose.doubt
    ]
    found = list(poses)
    for at, pose in enumerate(poses):
        if stances[at] is None or (pose is not None and not pose.doubt) or is_close_up(subjects[at].view):
            continue
        before = next((s for s in reversed(sure) if s[0] < at and s[2] == subjects[at].frame), None)
        after = next((s for s in sure if s[0] > at and s[2] == subjects[at].frame), None)
        if before and after and abs(before[1] / after[1] - 1) <= _SAME_DISTANCE:
            guess = math.sqrt(before[1] * after[1])
            found[at] = Pose(guess, None, "its neighbours", pose.doubt if pose else "")
    return found


Scale = tuple[float, Held, tuple[Note, ...]]
"""px of the canvas to a px of the photo, what of it is held exactly, and what there is to say about it."""


def _scales(
    room: _Room, subjects: Sequence[Subject], rules: Sequence[Item], stances: Sequence[_Stance | None],
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


def _of(stances: Sequence[_Stance | None], at: int) -> _Stance:
    stance = stances[at]
    assert stance is not None
    return stance


def _unit(rule: str, subject: Subject, stance: _Stance, pose: Pose | None) -> float | None:
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


def _shared(rule: str, one: float, unit: float | None, fit: tuple[float, Held], pose: Pose | None) -> Scale:
    largest, held = fit
    if unit is None:
        return largest, held, (Note("size", "has no listed size, and none follows from its neighbours"),)
    scale, notes = one / unit, []
    if rule == "even-weight" and scale > largest * (1 + 1e-9):
        return largest, held, (Note("limit", "as large as it may be, and still lighter than the others"),)
    if pose is not None and rule == "true-size" and pose.how == "its neighbours":
        notes.append(Note("guess", "size taken from the photos before and after it, at the same distance"))
    return scale, held._replace(scale=""), tuple(notes)


def _fit(room: _Room, item: Item, stance: _Stance) -> tuple[float, Held]:
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
    return scale, Held(held, item.across == "bounds", "bottom" if item.place == "line" else "middle")


def _within(canvas: Canvas, item: Item, stance: _Stance, scale: float, held: Held, notes: tuple[Note, ...]) -> Scale:
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


def _placed(
    room: _Room, item: Item, subject: Subject, stance: _Stance, scale: float, held: Held, notes: tuple[Note, ...],
    pose: Pose | None,
) -> Laid:  # fmt: skip
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
    held = Held(held.scale if hand.scale == 1 else "", held.across and not hand.right, "" if hand.down else held.down)
    inside = Bounds(by * box.left + dx, by * box.top + dy, by * box.right + dx, by * box.bottom + dy)
    frame = _Frame(room, inside)
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
    return Laid(placed, frame.size, final, by_rule, item, stance.turn, share, density, notes, held, frame.shift)


def _boxed(way: Map, hull: NDArray[np.float64]) -> Bounds:
    points = way.apply(hull)
    return Bounds(*(float(v) for v in (*points.min(0), *points.max(0))))


class _Frame:
    """The final canvas: the standard's, grown or clipped around, and grown until the item is visible if that is asked.

    size: px. shift: where the standard's own canvas begins in it. cut: sides at which the item is cut off."""

    def __init__(self, room: _Room, box: Bounds) -> None:
        low, high = room.low, room.high
        if room.canvas.overflow == "grow":
            low = (min(low[0], math.floor(box.left + 0.01)), min(low[1], math.floor(box.top + 0.01)))
            high = (max(high[0], math.ceil(box.right - 0.01)), max(high[1], math.ceil(box.bottom - 0.01)))
        self.size = (max(1, high[0] - low[0]), max(1, high[1] - low[1]))
        self.shift = (float(-low[0]), float(-low[1]))
        out = (low[0] - box.left, low[1] - box.top, box.right - high[0], box.bottom - high[1])
        self.cut = [side for side, beyond in zip(_SIDES, out, strict=True) if beyond > 0.5]


def _notes(item: Item, area: Bounds, subject: Subject, box: Bounds, frame: _Frame, scale: float) -> tuple[Note, ...]:
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


def _uncut(canvas: Canvas, item: Item, subject: Subject) -> Laid:
    measures = subject.measures
    middle = subject.hand.keep or (measures.centroid if measures else None)
    uncut = lay_uncut(canvas, item, subject.frame, middle)
    hull = measures.hull if measures is not None else None
    box = _boxed(uncut.way, hull) if hull is not None else None
    notes = []
    if box is not None:
        out = (-box.left, -box.top, box.right - uncut.canvas[0], box.bottom - uncut.canvas[1])
        cut = [side for side, beyond in zip(_SIDES, out, strict=True) if beyond > 0.5]
        if cut:
            notes.append(Note("cut", f"its item is cut off at the {' and '.join(cut)}"))
    if uncut.way.scale > 1.0005:
        notes.append(Note("enlarged", f"enlarged {uncut.way.scale:.2f} times"))
    return Laid(uncut.way, uncut.canvas, box, uncut.way, item, 0.0, 1.0, None, tuple(notes), Held())
