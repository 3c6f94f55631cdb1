"""Standards: their list, and the rules of one as sentences beside live samples."""

import json
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, HTTPException, Request, UploadFile
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, RedirectResponse, Response
from sqlalchemy import select

from zero_easel.core.finishing.stamp import is_wanted
from zero_easel.core.placing.layout import is_by_row
from zero_easel.core.placing.placement import Placement
from zero_easel.core.placing.room import free_area
from zero_easel.core.standard import checks as checking
from zero_easel.core.standard import deliverable as delivering
from zero_easel.core.standard.assets import FONTS, SUFFIXES, Assets
from zero_easel.core.standard.checks import KINDS, Check
from zero_easel.core.standard.editing import values_as_typed
from zero_easel.core.standard.grounds import read_ground
from zero_easel.core.standard.lengths import in_unit
from zero_easel.core.standard.model import ALL, LISTS, Scope, Standard, StandardError
from zero_easel.core.standard.naming import base_name, portable
from zero_easel.core.standard.overlays import PLACES, Overlay
from zero_easel.core.standard.patterns import Pattern, PatternError, Value
from zero_easel.core.standard.rule import Part
from zero_easel.core.standard.sizes import rules_on, size_of
from zero_easel.core.standard.yaml_file import read_standard, schema, write_standard
from zero_easel.library.lineup import RowEntry, lay_row, row_of
from zero_easel.library.matches import all_stale
from zero_easel.library.models import PhotoRow, ProductRow, Shoot, StandardRow
from zero_easel.library.names import plan_shoot
from zero_easel.library.products import free_columns, products_by_code
from zero_easel.library.standards import (
    add_parts,
    add_standard,
    all_standards,
    drop_rule,
    redo,
    remove_part,
    remove_standard,
    rules_of,
    set_rule,
    steps_open,
    undo,
    used_by,
)
from zero_easel.web import sentences as _sentences  # noqa: F401 - templates draw with it
from zero_easel.web.page import Bench, Db, found, show

router = APIRouter()
_SAMPLES = 6
_ASSET_LIMIT = 60_000_000


def standard_or_404(session: Db, standard_id: int) -> StandardRow:
    """The standard of the address."""
    return found(session.get(StandardRow, standard_id), "standard")


StandardById = Annotated[StandardRow, Depends(standard_or_404)]


@dataclass(frozen=True)
class Sample:
    """An item on its canvas. share: of the canvas's height, in per cent. stamps: overlays as they will be drawn."""

    standing: RowEntry
    laid: Placement
    share: int
    stamps: list[dict[str, Any]]


@router.get("/standards")
def list_standards(request: Request, session: Db, error: str = "") -> HTMLResponse:
    """All standards, and ways to make one more."""
    return _list(request, session, error)


@router.post("/standards")
def new_standard(
    request: Request, session: Db, like: int = Form(0), name: str = Form(""), file: UploadFile | None = None
) -> Response:
    """One more standard: a copy of another, or from a file."""
    try:
        if file is not None and file.filename:
            text = file.file.read(2_000_000).decode("utf-8-sig", errors="replace")
            rules = read_standard(text, base_name(file.filename))
        else:
            rules = rules_of(found(session.get(StandardRow, like), "standard"))
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
    request: Request, session: Db, bench: Bench, row: StandardById, shoot: int = 0, category: str = "", view: str = "",
    on: str = "",
) -> HTMLResponse:  # fmt: skip
    """The standard beside items of a shoot, by default the newest that follows it."""
    chosen = session.get(Shoot, shoot) if shoot else _newest(session, row)
    context = rules_context(session, bench, row, chosen, Scope(category, view), on)
    return show(request, "standard.html", **context)


@router.post("/standards/{standard_id}/rule")
def change_rule(
    request: Request, session: Db, bench: Bench, row: StandardById, field: str = Form(), value: str = Form(""),
    shoot_id: int = Form(0), category: str = Form(""), view: str = Form(""), on: str = Form(""),
    drop: bool = Form(False),
) -> HTMLResponse:  # fmt: skip
    """Change one value; what is not possible is said, and nothing changes."""
    error, scope = "", Scope(category, view)
    try:
        if drop:
            drop_rule(session, row, field, scope)
        else:
            set_rule(session, row, field, value, scope)
        if field == "views":
            all_stale(session)
    except StandardError as problem:
        error = str(problem)
    session.flush()
    context = rules_context(session, bench, row, session.get(Shoot, shoot_id), scope, on)
    answer = show(request, "_rules_answer.html", error=error, saved="" if error else field, **context)
    answer.headers["HX-Trigger"] = json.dumps({"ruled": ruled(rules_of(row), scope, field, error)})
    if not error and field.split(".")[0] in LISTS and field.endswith(".name"):
        # Every field of that part has another name now.
        answer.headers["HX-Refresh"] = "true"
    return answer


@router.post("/standards/{standard_id}/step/{way}")
def step(
    request: Request, session: Db, bench: Bench, row: StandardById, way: str, shoot_id: int = Form(0),
    category: str = Form(""), view: str = Form(""), on: str = Form(""),
) -> HTMLResponse:  # fmt: skip
    """Undo or redo; the page is drawn anew, for parts may have come or gone."""
    take = found({"undo": undo, "redo": redo}.get(way), "command")
    changes, word = take(session, row), "Undone" if way == "undo" else "Done again"
    texts = "; ".join(change.text for change in changes[:4])
    said = f"{word}: {texts}" if changes else f"There is nothing to {way}"
    if any(change.field == "views" for change in changes):
        all_stale(session)
    scope = Scope(category, view)
    context = rules_context(session, bench, row, session.get(Shoot, shoot_id), scope, on)
    return show(request, "_rules.html", said=said, **context)


@router.post("/standards/{standard_id}/parts/{part}")
def add_to(
    request: Request, session: Db, bench: Bench, row: StandardById, part: str, kind: str = Form(""),
    remove: str = Form(""),
) -> Response:  # fmt: skip
    """Add deliverables, overlays or checks, or take one out."""
    try:
        if remove:
            remove_part(session, row, part, remove)
        else:
            made = _made(part, kind, Assets(bench.vault.assets), free_columns(session))
            add_parts(session, row, part, *made)
    except (StandardError, ValueError) as problem:
        context = rules_context(session, bench, row, _newest(session, row))
        return show(request, "standard.html", 409, error=str(problem), **context)
    return RedirectResponse(f"/standards/{row.id}#{part}", 303)


def _made(part: str, kind: str, assets: Assets, columns: Sequence[str]) -> list[Part]:
    """The parts that a person asked for."""
    if part == "deliverables":
        known = delivering.SETS.get(kind)
        return list(known[1]) if known else [delivering.Deliverable(name="another", folder="{deliverable}")]
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
        return _list(request, session, f"{rules_of(row).name} is not deleted: {problem}.", 409)
    return RedirectResponse("/standards", 303)


@router.post("/shoots/{shoot_id}/standard")
def give_standard(session: Db, shoot_id: int, standard: int = Form(), back: str = Form("deliver")) -> Response:
    """Let a shoot follow another standard."""
    shoot = found(session.get(Shoot, shoot_id), "shoot")
    shoot.standard_id = found(session.get(StandardRow, standard), "standard").id
    shoot.stale = True  # views in turn are the standard's
    stage = back if back in ("deliver", "place", "names") else "deliver"
    return RedirectResponse(f"/shoots/{shoot.id}/{stage}", 303)


@router.get("/standards/{standard_id}/file")
def as_file(row: StandardById) -> Response:
    """The standard as YAML."""
    rules = rules_of(row)
    headers = {"Content-Disposition": f'attachment; filename="{_ascii(rules.name)}.yaml"'}
    return Response(write_standard(rules), media_type="application/yaml", headers=headers)


@router.post("/standards/{standard_id}/assets")
def add_asset(bench: Bench, row: StandardById, file: UploadFile) -> Response:
    """Keep a file that standards may name: a picture, a font, a colour profile. Other content under a taken name
    gets a number: what versions of standards name must never change."""
    name = portable(base_name(file.filename or "asset"))
    data = file.file.read(_ASSET_LIMIT + 1)
    ending = "." + name.rpartition(".")[2].lower()
    if ending not in SUFFIXES:
        raise HTTPException(422, f"{name} is no picture, font or colour profile: {', '.join(sorted(SUFFIXES))}.")
    if len(data) > _ASSET_LIMIT:
        raise HTTPException(413, f"{name} is larger than {_ASSET_LIMIT // 1_000_000} MB.")
    stem, count, path = name[: -len(ending)], 1, bench.vault.assets / name
    while path.exists() and path.read_bytes() != data:
        count += 1
        path = bench.vault.assets / f"{stem}-{count}{ending}"
    path.write_bytes(data)
    return RedirectResponse(f"/standards/{row.id}#assets", 303)


@router.get("/media/asset/{name}")
def asset(bench: Bench, name: str) -> FileResponse:
    """A picture among the assets, for samples."""
    if name not in Assets(bench.vault.assets).names():
        raise HTTPException(404, "There is no such picture.")
    return FileResponse(bench.vault.assets / name)


def _ascii(name: str) -> str:
    return portable(name).encode("ascii", "ignore").decode().replace('"', "").strip() or "standard"


def _list(request: Request, session: Db, error: str, status: int = 200) -> HTMLResponse:
    rows = [(row, rules_of(row), used_by(session, row)) for row in all_standards(session)]
    return show(request, "standards.html", status, rows=rows, error=error, sizes=_sizes)


def _sizes(rules: Standard) -> list[str]:
    """What a standard delivers, in a few words each."""
    return [f"{d.name} {' x '.join(map(str, size_of(rules, d)))} {d.kind.label}" for d in rules.deliverables]


def ruled(rules: Standard, scope: Scope, field: str, error: str) -> dict[str, Any]:
    """What a page's fields are told after a change: all values as they are kept, and which are the scope's own."""
    return {"field": field, "refused": field if error else "", "values": values_as_typed(rules, scope),
            "own": [f"item.{key}" for key in rules.own_rules(scope)] if scope != ALL else []}  # fmt: skip


def _newest(session: Db, row: StandardRow) -> Shoot | None:
    """The newest shoot with items that follows a standard, or else the newest of all."""
    query = select(Shoot).join(PhotoRow).where(PhotoRow.cutout_key.is_not(None)).order_by(Shoot.id.desc()).limit(1)
    return session.scalar(query.where(Shoot.standard_id == row.id)) or session.scalar(query)


def scopes_of(session: Db, rules: Standard) -> dict[str, list[str]]:
    """Categories and views that rules may be made for."""
    categories = set(session.scalars(select(ProductRow.category).distinct()))
    views = set(session.scalars(select(PhotoRow.view).distinct())) | set(
        session.scalars(select(PhotoRow.turn).distinct())
    )
    categories |= {special.category for special in rules.exceptions}
    views |= {special.view for special in rules.exceptions}
    return {key: sorted({word.casefold() for word in words if word})
            for key, words in (("categories", categories), ("views", views))}  # fmt: skip


def rules_context(
    session: Db, bench: Bench, row: StandardRow, shoot: Shoot | None, scope: Scope = ALL, on: str = ""
) -> dict[str, Any]:
    """All that the sentences of a standard and the samples beside them show. on: the deliverable on whose canvas the
    samples are, "" for the standard's own."""
    rules = rules_of(row)
    on = on if any(d.name == on for d in rules.deliverables) else ""
    on_canvas = rules_on(rules, rules.deliverable(on)) if on else rules
    example = ""
    if shoot:
        # A column that a pattern asks for may have gone from the catalog: the page of names says so.
        with suppress(PatternError):
            planned, _ = plan_shoot(session, shoot)
            example = next((p.output for _, p in planned if p.code), planned[0][1].output if planned else "")
    made = samples(session, row_of(session, shoot) if shoot else [], on_canvas, on)
    return sentences(session, rules, scope) | {
        "row": row, "shoot": shoot, "samples": made, "canvas": on_canvas.canvas, "on": on,
        "ground": read_ground(on_canvas.canvas.ground),
        "area": free_area(on_canvas.canvas, on_canvas.rules_for(scope)), "example": example,
        "sizes": {d.name: size_of(rules, d) for d in rules.deliverables}, "kinds": KINDS,
        "deliverable_sets": delivering.SETS, "check_sets": checking.SETS, "formats": delivering.FORMATS,
        "places": PLACES, "fonts": FONTS, "assets": Assets(bench.vault.assets).names(),
        "shoots": session.scalars(select(Shoot).order_by(Shoot.id.desc())).all(), "uses": used_by(session, row),
        "steps": steps_open(session, row),
    }  # fmt: skip


def sentences(session: Db, rules: Standard, scope: Scope) -> dict[str, Any]:
    """What the sentences of a standard show for a scope."""
    canvas = rules.canvas
    return {
        "rules": rules, "item": rules.rules_for(scope), "scope": scope,
        "own": rules.own_rules(scope) if scope != ALL else {},
        "scopes": scopes_of(session, rules), "shown": values_as_typed(rules, scope),
        "printed": [in_unit(px, canvas.unit, canvas.density) for px in (canvas.width, canvas.height)],
    }  # fmt: skip


def samples(session: Db, row: list[RowEntry], rules: Standard, on: str) -> list[Sample]:
    """A few items of different products as the rules place them; overlays only on the canvas of a deliverable."""
    chosen: dict[str, RowEntry] = {}
    for standing in row:
        if standing.subject.measures is not None:
            chosen.setdefault(standing.line.code or standing.line.name, standing)
    few = list(chosen.values())[:_SAMPLES]
    together = row if is_by_row(rules) else few
    placed = dict(zip((one.line.id for one in together), lay_row(together, rules), strict=True))
    made = [(standing, laid) for standing in few if (laid := placed[standing.line.id]) is not None]
    values = _told(session, [standing for standing, _ in made]) if on else {}
    return [
        Sample(standing, laid, _share(laid), _stamps(rules, on, laid, values.get(standing.line.code, {})))
        for standing, laid in made
    ]


def _told(session: Db, row: list[RowEntry]) -> dict[str, dict[str, Value]]:
    """Fields of the catalog, by product code."""
    products = products_by_code(session, {standing.line.code for standing in row})
    return {
        code: {**p.extra, "code": p.code, "name": p.name, "category": p.category, "colour": p.colour, "ean": p.ean}
        for code, p in products.items()
    }


def _stamps(rules: Standard, on: str, laid: Placement, values: dict[str, Value]) -> list[dict[str, Any]]:
    """Where overlays will lie, for a drawing of them; their exact pixels come with the picture."""
    if not on:
        return []
    width, height = laid.canvas
    unit = min(width, height) / 100
    found_ones = []
    for overlay in rules.overlays:
        if overlay.name not in rules.deliverable(on).overlays or not is_wanted(overlay, values):
            continue
        text = Pattern(overlay.text).fill(values).text.strip() if overlay.text else ""
        size, words, inset = overlay.size * unit, overlay.at.split(), overlay.inset * unit
        # Letters are a little over half as wide as they are high; a plate leaves room around them.
        wide = size * (0.56 * len(text) + {"none": 0, "bar": 0.7, "disc": 0.9}[overlay.plate]) if text else size
        high = wide if overlay.plate == "disc" else size
        x = inset if "left" in words else width - inset - wide if "right" in words else (width - wide) / 2
        y = inset if "top" in words else height - inset - high if "bottom" in words else (height - high) / 2
        found_ones.append({"overlay": overlay, "text": text, "x": x, "y": y, "wide": wide, "high": high, "size": size})
    return found_ones


def _share(laid: Placement) -> int:
    return round(100 * laid.box.height / laid.canvas[1]) if laid.box else 100
