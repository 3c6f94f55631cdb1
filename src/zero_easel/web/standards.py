"""The standard: rules as sentences beside live samples."""

import json
from contextlib import suppress
from dataclasses import dataclass

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy import select

from zero_easel.core.laid import Laid
from zero_easel.core.lengths import in_unit
from zero_easel.core.patterns import PatternError
from zero_easel.core.placement import is_by_row
from zero_easel.core.room import free_area
from zero_easel.core.standard import ALL, AS_FITS, Scope, Standard, StandardError, write_views
from zero_easel.core.standard_file import write_standard
from zero_easel.library.lineup import Standing, lay_row, row_of
from zero_easel.library.matches import all_stale
from zero_easel.library.models import Photo, ProductRow, Shoot
from zero_easel.library.names import plan_shoot
from zero_easel.library.standards import drop_rule, ensure_standard, rules_of, set_rule
from zero_easel.web.page import Db, show

router = APIRouter()
_SAMPLES = 6


@dataclass(frozen=True)
class Sample:
    """An item on its canvas. share: of the canvas's height, in per cent."""

    standing: Standing
    laid: Laid
    share: int


@router.get("/standards")
def standard_page(request: Request, session: Db, category: str = "", view: str = "") -> HTMLResponse:
    """The standard beside items of the newest shoot that has some."""
    ensure_standard(session)
    return show(request, "standard.html", **rules_context(session, _newest(session), Scope(category, view)))


@router.post("/standards/rule")
def change_rule(
    request: Request, session: Db, field: str = Form(), value: str = Form(""), shoot_id: int = Form(0),
    category: str = Form(""), view: str = Form(""), drop: bool = Form(False),
) -> HTMLResponse:  # fmt: skip
    """Change one value; what is not possible is said, and nothing changes."""
    row, error, scope = ensure_standard(session), "", Scope(category, view)
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
    context = rules_context(session, session.get(Shoot, shoot_id), scope)
    answer = show(request, "_rules_answer.html", error=error, saved="" if error else field, **context)
    answer.headers["HX-Trigger"] = json.dumps({"ruled": ruled(rules_of(row), scope, field, error)})
    return answer


@router.get("/standards/file")
def as_file(session: Db) -> Response:
    """The standard as YAML."""
    text = write_standard(rules_of(ensure_standard(session)))
    headers = {"Content-Disposition": 'attachment; filename="standard.yaml"'}
    return Response(text, media_type="application/yaml", headers=headers)


def ruled(rules: Standard, scope: Scope, field: str, error: str) -> dict[str, object]:
    """What a page's fields are told after a change: all values as they are kept, and which are the scope's own."""
    return {"field": field, "refused": field if error else "", "values": _values(rules, scope),
            "own": [f"item.{key}" for key in rules.own_rules(scope)] if scope != ALL else []}  # fmt: skip


def _values(rules: Standard, scope: Scope) -> dict[str, str]:
    """All values by dotted field, as the fields of the page show them."""
    data = rules.model_dump() | {"item": rules.rules_for(scope).model_dump()}
    flat = {f"{part}.{key}": value for part in ("canvas", "item", "deliverable") for key, value in data[part].items()}
    shown = {key: as_typed(key, value) for key, value in flat.items()}
    return shown | {"name": rules.name, "views": write_views(rules.views)}


def as_typed(field: str, value: object) -> str:
    """A value as its field shows it."""
    if field == "item.px_per_mm" and not value:
        return AS_FITS
    if isinstance(value, bool):
        return "true" if value else "false"
    return f"{value:.6g}" if isinstance(value, float) else str(value)


def _newest(session: Db) -> Shoot | None:
    return session.scalar(
        select(Shoot).join(Photo).where(Photo.cutout_key.is_not(None)).order_by(Shoot.id.desc()).limit(1)
    )


def scopes_of(session: Db, rules: Standard) -> dict[str, list[str]]:
    """Categories and views that rules may be made for."""
    categories = set(session.scalars(select(ProductRow.category).distinct()))
    views = set(session.scalars(select(Photo.view).distinct())) | set(session.scalars(select(Photo.turn).distinct()))
    categories |= {special.category for special in rules.exceptions}
    views |= {special.view for special in rules.exceptions}
    return {key: sorted({word.casefold() for word in words if word})
            for key, words in (("categories", categories), ("views", views))}  # fmt: skip


def rules_context(session: Db, shoot: Shoot | None, scope: Scope = ALL) -> dict[str, object]:
    """All that the sentences of a standard and the samples beside them show."""
    row = ensure_standard(session)
    rules = rules_of(row)
    example = ""
    if shoot:
        # A column that a pattern asks for may have gone from the catalog: the page of names says so.
        with suppress(PatternError):
            planned, _ = plan_shoot(session, shoot)
            example = next((p.output for _, p in planned if p.code), planned[0][1].output if planned else "")
    return sentences(session, rules, scope) | {
        "row": row, "shoot": shoot, "samples": samples(row_of(session, shoot) if shoot else [], rules),
        "area": free_area(rules.canvas, rules.rules_for(scope)), "example": example,
    }  # fmt: skip


def sentences(session: Db, rules: Standard, scope: Scope) -> dict[str, object]:
    """What the sentences of a standard show for a scope."""
    canvas = rules.canvas
    return {
        "rules": rules, "item": rules.rules_for(scope), "scope": scope,
        "own": rules.own_rules(scope) if scope != ALL else {}, "views": write_views(rules.views),
        "scopes": scopes_of(session, rules), "shown": _values(rules, scope),
        "printed": [in_unit(px, canvas.unit, canvas.density) for px in (canvas.width, canvas.height)],
    }  # fmt: skip


def samples(row: list[Standing], rules: Standard) -> list[Sample]:
    """A few items of different products as the rules place them."""
    chosen: dict[str, Standing] = {}
    for standing in row:
        if standing.subject.measures is not None:
            chosen.setdefault(standing.line.code or standing.line.name, standing)
    few = list(chosen.values())[:_SAMPLES]
    together = row if is_by_row(rules) else few
    placed = dict(zip((one.line.id for one in together), lay_row(together, rules), strict=True))
    made = ((standing, placed[standing.line.id]) for standing in few)
    return [Sample(standing, laid, _share(laid)) for standing, laid in made if laid is not None]


def _share(laid: Laid) -> int:
    return round(100 * laid.box.height / laid.canvas[1]) if laid.box else 100
