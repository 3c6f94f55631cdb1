"""Place: the line-up of a shoot, corrected by hand, above the sentences that rule it."""

from typing import Any, Literal

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field
from pydantic_core import to_json

from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Box
from zero_easel.core.placing.placement import Placement
from zero_easel.core.placing.room import free_area
from zero_easel.core.standard.model import Scope, Standard, StandardError
from zero_easel.library.history import steps_of
from zero_easel.library.lineup import RowEntry, lay_row, row_of
from zero_easel.library.models import Shoot
from zero_easel.library.placing import (
    STAGE,
    back_to_rule,
    change_rule,
    make_rule,
    make_standard,
    place_by_hand,
    redo,
    same_for_view,
    undo,
)
from zero_easel.library.standards import rules_of
from zero_easel.web.page import Db, ShootById, found, show, stages
from zero_easel.web.standards import ruled, sentences

router = APIRouter()


class Hand(BaseModel):
    """Photos placed by hand; what is not given stays as it is. See core.laid.ByHand."""

    photos: list[int] = Field(min_length=1, max_length=20_000)
    turn: float | None = Field(default=None, ge=-360, le=360)
    scale: float | None = Field(default=None, ge=0.02, le=50)
    right: float | None = Field(default=None, ge=-400, le=400)
    down: float | None = Field(default=None, ge=-400, le=400)
    keep: tuple[float, float] | None = None
    backdrop: Literal["", "cleared", "kept"] | None = None


@router.get("/shoots/{shoot_id}/place")
def place_page(request: Request, session: Db, shoot: ShootById, category: str = "", view: str = "") -> HTMLResponse:
    """The line-up, and the rules for its items."""
    scope, rules = Scope(category, view), rules_of(shoot.standard)
    row = row_data(session, shoot, scope, whole=True)
    marks = stages(session, shoot)
    return show(
        request, "place.html", marks=marks, stage="place", shoot=shoot, row=shoot.standard, line_up=row,
        **sentences(session, rules, scope),
    )  # fmt: skip


@router.get("/shoots/{shoot_id}/row")
def row_now(session: Db, shoot: ShootById, category: str = "", view: str = "") -> Response:
    """The line-up as it stands."""
    return _json(row_data(session, shoot, Scope(category, view), whole=True))


@router.post("/shoots/{shoot_id}/place/rule")
def rule(
    session: Db, shoot: ShootById, field: str = Form(), value: str = Form(""), category: str = Form(""),
    view: str = Form(""), drop: bool = Form(False),
) -> Response:  # fmt: skip
    """Change one rule, or let a scope follow the rule for all again."""
    scope, error = Scope(category, view), ""
    try:
        change_rule(session, shoot, field, None if drop else value, scope)
    except StandardError as problem:
        error = f"Not changed: {problem}."
    told = ruled(rules_of(shoot.standard), scope, field, error)
    return _answer(session, shoot, scope, error, "Kept.", **told)


@router.post("/shoots/{shoot_id}/place/hand")
def by_hand(session: Db, shoot: ShootById, hand: Hand, category: str = "", view: str = "") -> Response:
    """Place photos by hand."""
    changes = hand.model_dump(exclude={"photos"}, exclude_unset=True)
    return _try(session, shoot, Scope(category, view), lambda: place_by_hand(session, shoot, hand.photos, changes))


@router.post("/shoots/{shoot_id}/place/drop")
def drop(session: Db, shoot: ShootById, hand: Hand, category: str = "", view: str = "") -> Response:
    """Let photos follow the rule again."""
    return _try(session, shoot, Scope(category, view), lambda: back_to_rule(session, shoot, hand.photos))


@router.post("/shoots/{shoot_id}/place/{photo_id}/same")
def same(session: Db, shoot: ShootById, photo_id: int, category: str = "", view: str = "") -> Response:
    """Place the same view of all other products likewise."""
    return _try(session, shoot, Scope(category, view), lambda: same_for_view(session, shoot, photo_id))


@router.post("/shoots/{shoot_id}/place/{photo_id}/rule")
def to_rule(session: Db, shoot: ShootById, photo_id: int, category: str = "", view: str = "") -> Response:
    """Turn a photo's placing by hand into the rule."""
    scope = Scope(category, view)
    return _try(session, shoot, scope, lambda: make_rule(session, shoot, photo_id, scope))


@router.post("/shoots/{shoot_id}/place/{photo_id}/standard")
def to_standard(session: Db, shoot: ShootById, photo_id: int, category: str = "", view: str = "") -> Response:
    """Make a standard of its own of a photo's placing by hand."""
    scope, error, said = Scope(category, view), "", "Kept."
    try:
        made = make_standard(session, shoot, photo_id)
        said = f"This shoot follows the standard “{rules_of(made).name}” now."
    except StandardError as problem:
        error = f"Not done: {problem}."
    told = ruled(rules_of(shoot.standard), scope, "", "")
    return _answer(session, shoot, scope, error, said, **told)


@router.post("/shoots/{shoot_id}/place/step/{way}")
def step(session: Db, shoot: ShootById, way: str, category: str = "", view: str = "") -> Response:
    """Undo or redo."""
    take = found({"undo": undo, "redo": redo}.get(way), "command")
    scope, said, error = Scope(category, view), "", ""
    try:
        with session.begin_nested():
            said = take(session, shoot)
    except StandardError as problem:
        error = f"Not done: {problem}."
    word = "Taken back" if way == "undo" else "Done again"
    told = ruled(rules_of(shoot.standard), scope, "", "")
    return _answer(session, shoot, scope, error, f"{word}: {said}." if said else "Nothing left to take.", **told)


def _try(session: Db, shoot: Shoot, scope: Scope, do: Any) -> Response:
    error = ""
    try:
        do()
    except StandardError as problem:
        error = f"Not done: {problem}."
    told = ruled(rules_of(shoot.standard), scope, "", "")
    return _answer(session, shoot, scope, error, "Kept.", **told)


def _answer(session: Db, shoot: Shoot, scope: Scope, error: str, said: str, **more: Any) -> Response:
    session.flush()
    steps = steps_of(session, shoot.id, STAGE)
    data = {"said": error or said, "fault": bool(error), "undo": steps.undo, "redo": steps.redo, **more}
    return _json(data | {"row": row_data(session, shoot, scope, whole=False)})


def _json(data: dict[str, Any]) -> Response:
    # Many times faster than the standard library's: rows are long.
    return Response(to_json(data), media_type="application/json")


def row_data(session: Db, shoot: Shoot, scope: Scope, *, whole: bool) -> dict[str, Any]:
    """The line-up of a scope as the page draws it: lengths in px of the canvas, maps as CSS's matrix(). whole: with
    what no rule changes, which a page needs once."""
    rules, row = rules_of(shoot.standard), row_of(session, shoot)
    shown = [
        (standing, laid)
        for standing, laid in zip(row, lay_row(row, rules), strict=True)
        if laid is not None and _in_scope(standing, scope)
    ]
    areas: dict[int, Box] = {}
    missing = sum(standing.subject.measures is None for standing in row)
    return {
        "canvas": [rules.canvas.width, rules.canvas.height], "ground": rules.canvas.ground,
        "scale": _one_scale([laid for _, laid in shown]), "missing": missing,
        "items": [_item(standing, laid, rules, areas) | (_lasting(standing) if whole else {})
                  for standing, laid in shown],
    }  # fmt: skip


def _in_scope(standing: RowEntry, scope: Scope) -> bool:
    subject = standing.subject
    return (not scope.category or subject.category.casefold() == scope.category.casefold()) and (
        not scope.view or subject.view.casefold() == scope.view.casefold()
    )


def _one_scale(row: list[Placement]) -> float | None:
    """px of the canvas to a mm, if that is the same for all whose size is known: then the line is a ruler."""
    known = [laid.scale * laid.px_per_mm for laid in row if laid.px_per_mm and laid.rules.scale == "true-size"]
    usual = sorted(known)[len(known) // 2] if known else None
    return round(usual, 4) if usual and sum(abs(k / usual - 1) < 0.001 for k in known) > len(known) / 2 else None


def _lasting(standing: RowEntry) -> dict[str, Any]:
    """What of an item no rule changes."""
    line, subject = standing.line, standing.subject
    return {
        "name": line.name, "code": line.code, "view": subject.view, "frame": subject.frame,
        "listed": [subject.size.width, subject.size.height], "measures": _measured(subject.measures),
    }  # fmt: skip


def _item(standing: RowEntry, laid: Placement, rules: Standard, areas: dict[int, Box]) -> dict[str, Any]:
    line, subject = standing.line, standing.subject
    kept = laid.rules.backdrop == "kept"
    if kept or not standing.key:
        source, crop = f"/media/large/{line.digest}.jpg", [0, 0, *subject.frame]
    else:
        source = f"/media/cutout/{standing.key}/small.webp"
        crop = [standing.left, standing.top, standing.width, standing.height]
    area = areas.get(id(laid.rules)) or areas.setdefault(id(laid.rules), free_area(rules.canvas, laid.rules))
    box, density = laid.box, laid.px_per_mm
    size = [round(side / density / laid.scale) for side in (box.width, box.height)] if density and box else None
    return {
        "id": line.id, "src": source, "crop": crop,
        "way": _short(laid.way, 6), "rule": _short(laid.by_rule, 6), "canvas": laid.canvas,
        "origin": laid.origin, "box": _short(box, 2) if box else None, "area": area,
        "line": area.bottom if laid.rules.place == "line" else None, "share": round(100 * laid.share, 1),
        "turn": round(laid.turn, 2), "scale": round(laid.scale, 4), "mm": size,
        "ppm": density and round(density, 3),
        "uncut": laid.rules.fit if kept else "", "hand": subject.hand._asdict(), "moved": subject.hand.moves,
        "notes": [{"text": note.text, "calls": note.calls} for note in laid.notes],
    }  # fmt: skip


def _measured(measures: Measures | None) -> dict[str, Any] | None:
    """What is shown on the picture on demand, px of the photo."""
    if measures is None:
        return None
    axis, foot = max(measures.upright, measures.level, key=lambda a: a.score), measures.foot
    lies = axis is measures.level and axis.score > measures.upright.score
    return {
        "bounds": measures.bounds, "centroid": _short(measures.centroid, 1), "foot": [foot.left, foot.right],
        "footAngle": round(foot.angle, 1) if foot.flat else None, "axis": [round(axis.x, 1), round(axis.y, 1)],
        "axisAngle": round(axis.angle + (90 if lies else 0), 2), "lean": round(axis.angle, 1),
        "mirrored": round(100 * axis.score),
    }  # fmt: skip


def _short(numbers: Any, digits: int) -> list[float]:
    return [round(float(number), digits) for number in numbers]
