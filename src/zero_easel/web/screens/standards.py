"""Standards: their list, and the rules of one as sentences beside live samples."""

import json
from collections.abc import Sequence
from contextlib import suppress
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from sqlalchemy import or_, select
from sqlalchemy.orm import object_session

from zero_easel.core.finishing.overlay_places import put_at
from zero_easel.core.photos.assets import Assets
from zero_easel.core.placing.room import free_area
from zero_easel.core.standard import checks as checking
from zero_easel.core.standard.checks import KINDS, Check
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.editing import values_as_typed
from zero_easel.core.standard.grounds import read_ground
from zero_easel.core.standard.lengths import in_unit
from zero_easel.core.standard.model import ALL, LISTS, Scope, Standard, StandardError
from zero_easel.core.standard.naming import base_name, portable
from zero_easel.core.standard.overlays import Overlay
from zero_easel.core.standard.patterns import PatternError
from zero_easel.core.standard.rule import Part
from zero_easel.core.standard.sizes import SETS, rules_on, size_of
from zero_easel.core.standard.yaml.file import schema, write_standard
from zero_easel.engines.limited import standard_from
from zero_easel.library.batches import example_of, plan_shoot
from zero_easel.library.changes.history import Where, undoable
from zero_easel.library.changes.standards import (
    add_parts,
    add_standard,
    all_standards,
    change_rules,
    drop_rule,
    follow,
    own_standard,
    remove_part,
    remove_standard,
    set_rule,
    used_by,
)
from zero_easel.library.changes.undo import Step, redo, undo
from zero_easel.library.lists.lineup import row_of
from zero_easel.library.people import journal
from zero_easel.library.products import free_columns
from zero_easel.library.size_sets import keep_sizes, size_sets
from zero_easel.library.store.models import PhotoRow, ProductRow, Shoot, Stage, StandardRow
from zero_easel.web.meanwhile import Conflict, InMind, Meanwhile, Saw, Seen
from zero_easel.web.page import Bench, Db, Number, ShootById, found, show
from zero_easel.web.samples import samples_of

router = APIRouter()
_NAMING = ("names", "deliverables", "views")
"""Rules on which names of files depend."""


def standard_or_404(session: Db, standard_id: Number) -> StandardRow:
    """The standard of the address."""
    return found(session.get(StandardRow, standard_id), "standard")


StandardById = Annotated[StandardRow, Depends(standard_or_404)]


@router.get("/standards")
def list_standards(request: Request, session: Db) -> HTMLResponse:
    """All standards, and ways to make one more."""
    return _list(request, session, "")


@router.post("/standards")
def new_standard(
    request: Request,
    session: Db,
    like: Annotated[Number, Form()] = 0,
    name: str = Form(""),
    file: UploadFile | None = None,
) -> Response:
    """One more standard: a copy of another, or from a file."""
    try:
        if file is not None and file.filename:
            text = file.file.read(2_000_000).decode("utf-8-sig", errors="replace")
            rules, _ = standard_from(text, base_name(file.filename))
        else:
            rules = found(session.get(StandardRow, like), "standard").rules
            rules = rules.model_copy(update={"name": " ".join(name.split())[:110] or f"{rules.name}, copy"})
        row = add_standard(session, rules)
    except StandardError as problem:
        return _list(request, session, f"{problem}.", 422)
    return RedirectResponse(f"/standards/{row.id}", 303)


@router.get("/standards/schema.json")
def as_schema() -> JSONResponse:
    """The JSON Schema of standards as files."""
    return JSONResponse(schema(), media_type="application/schema+json")


@router.get("/standards/{standard_id}")
def standard_page(
    request: Request,
    session: Db,
    bench: Bench,
    row: StandardById,
    shoot: Number = 0,
    category: str = "",
    view: str = "",
    on: str = "",
) -> HTMLResponse:
    """The standard beside items of a shoot, by default the newest that follows it."""
    chosen = session.get(Shoot, shoot) if shoot else _newest(session, row)
    context = rules_context(session, bench, row, chosen, Scope(category, view), on)
    return show(request, "standard.html", **context)


@router.post("/standards/{standard_id}/rule")
def change_rule(
    request: Request,
    session: Db,
    bench: Bench,
    row: StandardById,
    mind: InMind,
    saw: Seen,
    field: str = Form(),
    value: str = Form(""),
    shoot_id: Annotated[Number, Form()] = 0,
    category: str = Form(""),
    view: str = Form(""),
    on: str = Form(""),
    drop: bool = Form(False),
) -> HTMLResponse:
    """Change one value; what is not possible is said, and nothing changes."""
    error, scope = "", Scope(category, view)
    conflict = set_meanwhile(mind, row, scope, field, value, saw)
    try:
        if conflict is not None:
            raise StandardError(conflict.said)
        if drop:
            drop_rule(session, row, field, scope)
        else:
            set_rule(session, row, field, value, scope)
    except StandardError as problem:
        error = str(problem)
    context = _changed(session, bench, row, shoot_id, scope, on)
    if field.split(".")[0] in _NAMING or field in ("canvas.width", "canvas.height"):
        context["example"] = _example(session, session.get(Shoot, shoot_id))
    answer = show(request, "_rules_answer.html", error=error, saved="" if error else field, **context)
    answer.headers["HX-Trigger"] = json.dumps({"ruled": ruled(row.rules, scope, field, error, conflict)})
    if not error and field.split(".")[0] in LISTS and field.endswith(".name"):
        # Every field of that part has another name now.
        answer.headers["HX-Refresh"] = "true"
    return answer


@router.post("/standards/{standard_id}/overlays/{name}/place")
def place_overlay(
    request: Request,
    session: Db,
    bench: Bench,
    row: StandardById,
    name: str,
    photo: Annotated[Number, Form()],
    x: Annotated[float, Form(ge=-100_000, le=100_000)],
    y: Annotated[float, Form(ge=-100_000, le=100_000)],
    factor: Annotated[float, Form(gt=0, le=100)] = 1.0,
    shoot_id: Annotated[Number, Form()] = 0,
    on: str = Form(""),
) -> HTMLResponse:
    """An overlay whose middle was put somewhere on the sample of a photo, in px of its canvas, and made larger."""
    before = _changed(session, bench, row, shoot_id, ALL, on)["samples"]
    sample = found(next((one for one in before if one.entry.line.id == photo), None), "picture")
    placed = found(next((one for one in sample.overlays if one.overlay.name == name), None), "overlay")
    error = ""
    try:
        moved = put_at(placed, sample.placement.canvas, (x, y), factor)
        overlays = [moved if one.name == name else one for one in row.rules.overlays]
        change_rules(session, row, row.rules.model_copy(update={"overlays": tuple(overlays)}))
    except (StandardError, ValueError) as problem:
        error = str(problem)
    context = _changed(session, bench, row, shoot_id, ALL, on)
    answer = show(request, "_rules_answer.html", error=error, saved="" if error else "overlays", **context)
    answer.headers["HX-Trigger"] = json.dumps({"ruled": ruled(row.rules, ALL, f"overlays.{name}.at", error)})
    return answer


@router.post("/standards/{standard_id}/step/{direction}")
def step(
    request: Request,
    session: Db,
    bench: Bench,
    row: StandardById,
    direction: str,
    shoot_id: Annotated[Number, Form()] = 0,
    category: str = Form(""),
    view: str = Form(""),
    on: str = Form(""),
) -> HTMLResponse:
    """Undo or redo; the page is drawn anew, for parts may have come or gone."""
    take = found({"undo": undo, "redo": redo}.get(direction), "command")
    done = take(session, Where(Stage.STANDARD, row.id))
    context = rules_context(session, bench, row, session.get(Shoot, shoot_id), Scope(category, view), on)
    return show(request, "_rules.html", message=step_told(direction, done), **context)


def step_told(direction: str, done: Step | None) -> str:
    """What undo or redo did, in words."""
    if done is None:
        return f"There is nothing to {direction}"
    texts = "; ".join(change.text for change in done.changes[:4]) or done.text
    return f"{'Undone' if direction == 'undo' else 'Done again'}: {texts}"


@router.post("/standards/{standard_id}/parts/{part}")
def add_to(
    request: Request,
    session: Db,
    bench: Bench,
    row: StandardById,
    part: str,
    kind: str = Form(""),
    remove: str = Form(""),
) -> Response:
    """Add deliverables, overlays or checks, or remove one."""
    try:
        if remove:
            remove_part(session, row, part, remove)
        else:
            kept = size_sets(session).get(kind) if part == "deliverables" else None
            made = list(kept) if kept else _made(part, kind, bench.vault.assets, free_columns(session))
            add_parts(session, row, part, *made)
    except (StandardError, ValueError) as problem:
        context = rules_context(session, bench, row, _newest(session, row))
        return show(request, "standard.html", 409, error=str(problem), **context)
    return RedirectResponse(f"/standards/{row.id}#{part}", 303)


@router.post("/standards/{standard_id}/sets")
def keep_set(request: Request, session: Db, bench: Bench, row: StandardById, name: str = Form("")) -> Response:
    """Keep the deliverables under a name, to be added to other standards."""
    try:
        keep_sizes(session, name, row.rules.deliverables)
    except ValueError as problem:
        context = rules_context(session, bench, row, _newest(session, row))
        return show(request, "standard.html", 409, error=f"{problem}", **context)
    return RedirectResponse(f"/standards/{row.id}#deliverables", 303)


def _made(part: str, kind: str, assets: Assets, columns: Sequence[str]) -> list[Part]:
    """The parts that a person asked for."""
    if part == "deliverables":
        known = SETS.get(kind)
        return list(known[1]) if known else [Deliverable(name="another", folder="{deliverable}")]
    if part == "checks":
        if kind in checking.SETS:
            return list(checking.SETS[kind][1])
        found(KINDS.get(kind), "check")
        return [Check(rule=kind, value=KINDS[kind].example)]  # type: ignore[arg-type]
    if kind == "badge":
        # With a column for it the badge says by how much; else it says something that is true of all.
        says = {"text": "−{discount} %", "when": "discount"} if "discount" in columns else {"text": "New"}
        return [Overlay(name="badge", plate="disc", plate_colour="#A8321E", colour="#FFFFFF", **says)]  # type: ignore[arg-type]
    pictures = [name for name in assets.names() if name.lower().endswith((".png", ".webp", ".jpg", ".tif"))]
    if kind == "picture":
        if not pictures:
            raise StandardError("add a picture to the assets first")
        return [Overlay(name="picture", picture=pictures[0], size=12)]
    return [Overlay(name="mark", text="Brindle Yard", at="bottom right", size=4, opacity=60)]


@router.post("/standards/{standard_id}/delete")
def delete_standard(request: Request, session: Db, row: StandardById) -> Response:
    """Delete a standard that nothing needs."""
    try:
        remove_standard(session, row)
    except StandardError as problem:
        return _list(request, session, f"{row.rules.name} is not deleted: {problem}.", 409)
    return RedirectResponse("/standards", 303)


@router.post("/shoots/{shoot_id}/standard")
def give_standard(
    session: Db, shoot_id: Number, standard: Annotated[Number, Form()], back: str = Form("deliver")
) -> Response:
    """Let a shoot follow another standard."""
    shoot = found(session.get(Shoot, shoot_id), "shoot")
    follow(session, shoot, found(session.get(StandardRow, standard), "standard"))
    stage = back if back in ("deliver", "light", "place", "names", "whole") else "deliver"
    return RedirectResponse(f"/shoots/{shoot.id}/{stage}", 303)


@router.post("/shoots/{shoot_id}/standard/own")
def give_own_standard(session: Db, shoot: ShootById, back: str = Form("names")) -> Response:
    """Let a shoot follow a standard of its own, derived from the one that it follows."""
    own_standard(session, shoot)
    return RedirectResponse(f"/shoots/{shoot.id}/{back if back in ('light', 'place', 'whole') else 'names'}", 303)


@router.get("/standards/{standard_id}/file")
def as_file(row: StandardById) -> Response:
    """The standard as YAML."""
    rules = row.rules
    headers = {"Content-Disposition": f'attachment; filename="{_ascii(rules.name)}.yaml"'}
    return Response(write_standard(rules), media_type="application/yaml", headers=headers)


def _ascii(name: str) -> str:
    return portable(name).encode("ascii", "ignore").decode().replace('"', "").strip() or "standard"


def _list(request: Request, session: Db, error: str, status: int = 200) -> HTMLResponse:
    rows = [(row, row.rules, used_by(session, row)) for row in all_standards(session)]
    plain = [one for one in rows if one[2] and all(shoot.whole for shoot in one[2])]
    kept = [one for one in rows if one not in plain]
    return show(request, "standards.html", status, rows=rows, kept=kept, plain=plain, error=error, sizes=_sizes)


def _sizes(rules: Standard) -> list[str]:
    """What a standard delivers, in a few words each."""
    return [f"{d.name} {' x '.join(map(str, size_of(rules, d)))} {d.kind.label}" for d in rules.deliverables]


def set_meanwhile(
    mind: Meanwhile, row: StandardRow, scope: Scope, field: str, wanted: str, saw: Saw
) -> Conflict | None:
    """What somebody else has set a rule to since it was seen, and the journal keeps both; else who sets it now is kept
    in mind."""
    key, present = (row.id, scope, field), values_as_typed(row.rules, scope).get(field, "")
    conflict = mind.conflict(key, present, wanted, saw)
    if conflict is None:
        mind.note(key, saw)
    elif (session := object_session(row)) is not None:
        journal.write(session, f"{field}: {conflict.told}", about=row.rules.name, standard_id=row.id)
    return conflict


def ruled(rules: Standard, scope: Scope, field: str, error: str, conflict: Conflict | None = None) -> dict[str, Any]:
    """What a page's fields are told after a change: all values as they are kept, which are the scope's own, and what
    somebody else has set meanwhile."""
    return {
        "conflict": {**conflict._asdict(), "said": conflict.said} if conflict else None,
        "field": field,
        "refused": field if error else "",
        "values": values_as_typed(rules, scope),
        "own": [f"item.{key}" for key in rules.own_rules(scope)] if scope != ALL else [],
    }


def _newest(session: Db, row: StandardRow) -> Shoot | None:
    """The newest shoot with something to show that follows a standard, or else the newest of all."""
    shown = or_(PhotoRow.cutout_key.is_not(None), Shoot.whole)
    query = select(Shoot).join(PhotoRow).where(shown).order_by(Shoot.id.desc()).limit(1)
    return session.scalar(query.where(Shoot.standard_id == row.id)) or session.scalar(query)


def scopes_of(session: Db, rules: Standard) -> dict[str, list[str]]:
    """Categories and views that rules may be made for."""
    categories = set(session.scalars(select(ProductRow.category).distinct()))
    views = set(session.scalars(select(PhotoRow.view).distinct())) | set(
        session.scalars(select(PhotoRow.turn).distinct())
    )
    categories |= {special.category for special in rules.exceptions}
    views |= {special.view for special in rules.exceptions}
    return {
        key: sorted({word.casefold() for word in words if word})
        for key, words in (("categories", categories), ("views", views))
    }


def rules_context(
    session: Db, bench: Bench, row: StandardRow, shoot: Shoot | None, scope: Scope = ALL, on: str = ""
) -> dict[str, Any]:
    """All that the sentences of a standard and the samples beside them show. on: the deliverable on whose canvas the
    samples are, "" for the standard's own."""
    rules = row.rules
    changed = _changed(session, bench, row, shoot.id if shoot else 0, scope, on)
    return (
        changed
        | sentences(session, rules, scope)
        | {
            "shoot": shoot,
            "example": _example(session, shoot),
            "kinds": KINDS,
            "deliverable_sets": SETS,
            "own_sets": size_sets(session),
            "check_sets": checking.SETS,
            "shoots": session.scalars(select(Shoot).order_by(Shoot.id.desc())).all(),
            "uses": used_by(session, row),
        }
    )


def _changed(session: Db, bench: Bench, row: StandardRow, shoot_id: int, scope: Scope, on: str) -> dict[str, Any]:
    """What one change of a rule may change on the page, beside the sentences themselves."""
    rules, assets = row.rules, bench.vault.assets
    on = on if any(d.name == on for d in rules.deliverables) else ""
    on_canvas = rules_on(rules, rules.deliverable(on)) if on else rules
    entries = row_of(session, shoot_id) if shoot_id else []
    return {
        "row": row,
        "rules": rules,
        "samples": samples_of(session, entries, on_canvas, on, assets),
        "on": on,
        "canvas": on_canvas.canvas,
        "ground": read_ground(on_canvas.canvas.ground),
        "assets": assets.names(),
        "area": free_area(on_canvas.canvas, on_canvas.rules_for(scope)),
        "sizes": {d.name: size_of(rules, d) for d in rules.deliverables},
        "printed": _printed(rules),
        "steps": undoable(session, Where(Stage.STANDARD, row.id)),
    }


def _example(session: Db, shoot: Shoot | None) -> str:
    """A name to see the rules by: of a photo with a product, if there is one."""
    if shoot is None:
        return ""
    # A column that a pattern asks for may have gone from the catalog: the page of names says so.
    with suppress(PatternError):
        return example_of(plan_shoot(session, shoot).batch.pictures)
    return ""


def _printed(rules: Standard) -> list[str]:
    """The canvas in the unit besides px."""
    canvas = rules.canvas
    return [in_unit(px, canvas.unit, canvas.density) for px in (canvas.width, canvas.height)]


def sentences(session: Db, rules: Standard, scope: Scope) -> dict[str, Any]:
    """What the sentences of a standard show for a scope."""
    return {
        "rules": rules,
        "item": rules.rules_for(scope),
        "scope": scope,
        "own": rules.own_rules(scope) if scope != ALL else {},
        "scopes": scopes_of(session, rules),
        "shown": values_as_typed(rules, scope),
    }
