"""Place: the line-up of a shoot, corrected by hand, above the sentences that rule it."""

from collections.abc import Callable
from typing import Annotated, Any, Literal, NamedTuple

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field
from pydantic_core import to_json

from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Box
from zero_easel.core.placing.placement import Placement
from zero_easel.core.placing.room import free_area
from zero_easel.core.standard.model import Scope, Standard, StandardError
from zero_easel.library.changes.history import undoable
from zero_easel.library.changes.placing import (
    at_place,
    back_to_rule,
    change_rule,
    make_rule,
    make_standard,
    place_by_hand,
    same_for_view,
)
from zero_easel.library.changes.standards import following
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.lists.lineup import RowEntry, laid_out, row_of
from zero_easel.library.store.models import Shoot
from zero_easel.web.guards.rights import Asking
from zero_easel.web.guards.who import Who
from zero_easel.web.meanwhile import InMind, Meanwhile, Seen
from zero_easel.web.page import Db, MatchedShoot, Number, ShootById, found, show, straight_source
from zero_easel.web.screens.standards import ruled, sentences, set_meanwhile
from zero_easel.web.stages import stages

router = APIRouter()
_PAGE = 400
"""Items that stand in the line-up at once."""


class RowPart(NamedTuple):
    """What of a line-up a page shows."""

    scope: Scope
    page: int = 1


def seen_of(category: str = "", view: str = "", page: Number = 1) -> RowPart:
    """As the address says it."""
    return RowPart(Scope(category, view), page)


RowPartOf = Annotated[RowPart, Depends(seen_of)]


class Hand(BaseModel):
    """Photos placed by hand; what is not given stays as it is. page_id, since: which page, and the moment up to which
    it knows of changes, see Meanwhile."""

    photos: list[Number] = Field(min_length=1, max_length=20_000)
    turn: float | None = Field(default=None, ge=-360, le=360)
    scale: float | None = Field(default=None, ge=0.02, le=50)
    right: float | None = Field(default=None, ge=-400, le=400)
    down: float | None = Field(default=None, ge=-400, le=400)
    keep: tuple[float, float] | None = None
    backdrop: Literal["", "cleared", "kept"] | None = None
    page_id: str = Field(default="", max_length=60)
    since: Number | None = None


@router.get("/shoots/{shoot_id}/place")
def place_page(request: Request, session: Db, shoot: MatchedShoot, seen: RowPartOf, mind: InMind) -> HTMLResponse:
    """The line-up, and the rules for its items."""
    rules = shoot.standard.rules
    row = row_data(session, shoot, seen, whole=True)
    marks = stages(session, shoot)
    return show(
        request,
        "place.html",
        moment=mind.moment,
        marks=marks,
        stage="place",
        shoot=shoot,
        row=shoot.standard,
        follows=following(session, shoot),
        line_up=row,
        **sentences(session, rules, seen.scope),
    )


@router.get("/shoots/{shoot_id}/row")
def row_now(session: Db, shoot: ShootById, seen: RowPartOf) -> Response:
    """The line-up as it stands."""
    return _json(row_data(session, shoot, seen, whole=True))


@router.post("/shoots/{shoot_id}/place/rule")
def rule(
    session: Db,
    shoot: ShootById,
    mind: InMind,
    saw: Seen,
    field: str = Form(),
    value: str = Form(""),
    category: str = Form(""),
    view: str = Form(""),
    page: Number = Form(1),
    drop: bool = Form(False),
) -> Response:
    """Change one rule, or let a scope follow the rule for all again."""
    scope, error = Scope(category, view), ""
    seen = RowPart(scope, page)
    conflict = set_meanwhile(mind, shoot.standard, scope, field, value, saw)
    try:
        if conflict is not None:
            raise StandardError(conflict.said.rstrip("."))
        change_rule(session, shoot, field, None if drop else value, scope)
    except StandardError as problem:
        error = f"Not changed: {problem}."
    values = ruled(shoot.standard.rules, scope, field, error, conflict)
    return _answer(session, shoot, seen, error, "Kept.", **values)


@router.post("/shoots/{shoot_id}/place/adjust")
def by_hand(session: Db, shoot: ShootById, adjustment: Hand, seen: RowPartOf, mind: InMind, who: Asking) -> Response:
    """Place photos by hand. Where somebody else has placed one of them meanwhile, nothing is done before that is
    chosen."""
    changes = adjustment.model_dump(exclude={"photos", "page_id", "since"}, exclude_unset=True)
    return _unless_placed(
        session, shoot, seen, adjustment, mind, who, lambda: place_by_hand(session, shoot, adjustment.photos, changes)
    )


@router.post("/shoots/{shoot_id}/place/drop")
def drop(session: Db, shoot: ShootById, adjustment: Hand, seen: RowPartOf, mind: InMind, who: Asking) -> Response:
    """Let photos follow the rule again."""
    return _unless_placed(
        session, shoot, seen, adjustment, mind, who, lambda: back_to_rule(session, shoot, adjustment.photos)
    )


@router.post("/shoots/{shoot_id}/place/{photo_id}/same")
def same(session: Db, shoot: ShootById, photo_id: Number, seen: RowPartOf) -> Response:
    """Place the same view of all other products likewise."""
    return _try(session, shoot, seen, lambda: same_for_view(session, shoot, photo_id))


@router.post("/shoots/{shoot_id}/place/{photo_id}/rule")
def to_rule(session: Db, shoot: ShootById, photo_id: Number, seen: RowPartOf) -> Response:
    """Turn a photo's placing by hand into the rule."""
    return _try(session, shoot, seen, lambda: make_rule(session, shoot, photo_id, seen.scope))


@router.post("/shoots/{shoot_id}/place/{photo_id}/standard")
def to_standard(session: Db, shoot: ShootById, photo_id: Number, seen: RowPartOf) -> Response:
    """Make a standard of its own of a photo's placing by hand."""
    error, message = "", "Kept."
    try:
        made = make_standard(session, shoot, photo_id)
        message = f"This shoot follows the standard “{made.rules.name}” now."
    except StandardError as problem:
        error = f"Not done: {problem}."
    values = ruled(shoot.standard.rules, seen.scope, "", "")
    return _answer(session, shoot, seen, error, message, **values)


@router.post("/shoots/{shoot_id}/place/step/{direction}")
def step(session: Db, shoot: ShootById, direction: str, seen: RowPartOf) -> Response:
    """Undo or redo."""
    take = found({"undo": undo, "redo": redo}.get(direction), "command")
    message, error = f"There is nothing to {direction}.", ""
    try:
        with session.begin_nested():
            if done := take(session, at_place(shoot)):
                message = f"{'Undone' if direction == 'undo' else 'Done again'}: {done.text}."
    except StandardError as problem:
        error = f"Not done: {problem}."
    return _answer(session, shoot, seen, error, message, **ruled(shoot.standard.rules, seen.scope, "", ""))


def _unless_placed(
    session: Db, shoot: Shoot, seen: RowPart, hand: Hand, mind: Meanwhile, who: Who, do: Callable[[], object]
) -> Response:
    """Do something to photos unless somebody else has placed one of them since the page last heard of it."""
    since = mind.moment if hand.since is None else hand.since
    others = {mind.changed_since(("place", photo), hand.page_id, since) for photo in hand.photos} - {None}
    if not others:
        for photo in hand.photos:
            mind.note_page(("place", photo), hand.page_id, who)
        answer = _try(session, shoot, seen, do)
    else:
        names = " and ".join(sorted(name for name in others if name))
        said = f"Meanwhile {names} placed this; it stands as {names} left it."
        values = ruled(shoot.standard.rules, seen.scope, "", "")
        answer = _answer(session, shoot, seen, said, "", **values | {"overtaken": True})
    answer.headers["X-Moment"] = str(mind.moment)
    return answer


def _try(session: Db, shoot: Shoot, seen: RowPart, do: Any) -> Response:
    error = ""
    try:
        do()
    except StandardError as problem:
        error = f"Not done: {problem}."
    values = ruled(shoot.standard.rules, seen.scope, "", "")
    return _answer(session, shoot, seen, error, "Kept.", **values)


def _answer(session: Db, shoot: Shoot, seen: RowPart, error: str, message: str, **more: Any) -> Response:
    session.flush()
    steps = undoable(session, at_place(shoot))
    data = {"message": error or message, "fault": bool(error), "undo": steps.undo, "redo": steps.redo, **more}
    return _json(data | {"row": row_data(session, shoot, seen, whole=False)})


def _json(data: dict[str, Any]) -> Response:
    # Many times faster than the standard library's: rows are long.
    return Response(to_json(data), media_type="application/json")


def row_data(session: Db, shoot: Shoot, seen: RowPart, *, whole: bool) -> dict[str, Any]:
    """The part of the line-up that is seen as the page draws it: lengths in px of the canvas, maps as CSS's matrix().
    whole: with what no rule changes, which a page needs once."""
    rules, row = shoot.standard.rules, row_of(session, shoot.id)
    part = [
        (entry, placement)
        for entry, placement in zip(row, laid_out(session, shoot.id, row, rules), strict=True)
        if placement is not None and _in_scope(entry, seen.scope)
    ]
    pages = max(1, -(-len(part) // _PAGE))
    page = min(max(1, seen.page), pages)
    shown = part[(page - 1) * _PAGE : page * _PAGE]
    areas: dict[str, Box] = {}
    missing = sum(entry.subject.measures is None for entry in row)
    return {
        "canvas": [rules.canvas.width, rules.canvas.height],
        "ground": rules.canvas.ground,
        "scale": _one_scale([placement for _, placement in part]),
        "missing": missing,
        "page": page,
        "pages": pages,
        "items": [
            _item(entry, placement, rules, areas) | (_lasting(entry) if whole else {}) for entry, placement in shown
        ],
    }


def _in_scope(entry: RowEntry, scope: Scope) -> bool:
    subject = entry.subject
    return (not scope.category or subject.category.casefold() == scope.category.casefold()) and (
        not scope.view or subject.view.casefold() == scope.view.casefold()
    )


def _one_scale(row: list[Placement]) -> float | None:
    """px of the canvas to a mm, if that is the same for all whose size is known: then the line is a ruler."""
    sized = [one for one in row if one.px_per_mm and one.rules.scale == "true-size"]
    known = [one.scale * one.px_per_mm for one in sized if one.px_per_mm]
    usual = sorted(known)[len(known) // 2] if known else None
    return round(usual, 4) if usual and sum(abs(k / usual - 1) < 0.001 for k in known) > len(known) / 2 else None


def _lasting(entry: RowEntry) -> dict[str, Any]:
    """What of an item no rule changes."""
    line, subject = entry.line, entry.subject
    return {
        "name": line.name,
        "code": line.code,
        "view": subject.view,
        "frame": subject.frame,
        "listed": [subject.size.width, subject.size.height],
        "measures": _measured(subject.measures),
    }


def _item(entry: RowEntry, placement: Placement, rules: Standard, areas: dict[str, Box]) -> dict[str, Any]:
    line, subject = entry.line, entry.subject
    whole = placement.rules.backdrop != "cleared"
    if placement.rules.backdrop == "kept" or not entry.key:
        source, crop = straight_source(line, subject.adjustment), [0, 0, *subject.frame]
    else:
        source = f"/media/cutout/{entry.key}/small.webp"
        crop = [entry.left, entry.top, entry.width, entry.height]
    key = placement.rules.model_dump_json(include={"margin", "place", "line"})
    area = areas.get(key) or areas.setdefault(key, free_area(rules.canvas, placement.rules))
    box, density = placement.box, placement.px_per_mm
    size = [round(side / density / placement.scale) for side in (box.width, box.height)] if density and box else None
    return {
        "id": line.id,
        "src": source,
        "crop": crop,
        "matrix": _short(placement.matrix, 6),
        "rule": _short(placement.by_rule, 6),
        "canvas": placement.canvas,
        "origin": placement.origin,
        "box": _short(box, 2) if box else None,
        "area": area,
        "line": area.bottom if placement.rules.place == "line" else None,
        "share": round(100 * placement.share, 1),
        "turn": round(placement.turn, 2),
        "scale": round(placement.scale, 4),
        "mm": size,
        "ppm": density and round(density, 3),
        "tone": None if placement.tone.does_nothing else placement.tone.matrix,
        "curve": placement.tone.table if placement.tone.bends else None,
        "uncut": placement.rules.fit if whole else "",
        "cut": bool(placement.cut_sides) or whole,
        "adjustment": subject.adjustment._asdict(),
        "moved": subject.adjustment.moves,
        "notes": [{"text": note.text, "calls": note.calls} for note in placement.notes],
    }


def _measured(measures: Measures | None) -> dict[str, Any] | None:
    """What is shown on the picture on demand, px of the photo."""
    if measures is None:
        return None
    axis, foot = max(measures.upright, measures.level, key=lambda a: a.score), measures.foot
    lies = axis is measures.level and axis.score > measures.upright.score
    return {
        "bounds": measures.bounds,
        "centroid": _short(measures.centroid, 1),
        "foot": [foot.left, foot.right],
        "footAngle": round(foot.angle, 1) if foot.flat else None,
        "axis": [round(axis.x, 1), round(axis.y, 1)],
        "axisAngle": round(axis.angle + (90 if lies else 0), 2),
        "lean": round(axis.angle, 1),
        "mirrored": round(100 * axis.score),
    }


def _short(numbers: Any, digits: int) -> list[float]:
    return [round(float(number), digits) for number in numbers]
