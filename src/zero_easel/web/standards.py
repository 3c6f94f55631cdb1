"""Place and the standard: rules as sentences beside live samples."""

import json
from contextlib import suppress
from dataclasses import dataclass

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy import func, select

from zero_easel.core.measure import Bounds
from zero_easel.core.patterns import PatternError
from zero_easel.core.placement import free_area, place
from zero_easel.core.standard import Standard, StandardError, write_views
from zero_easel.core.standard_file import write_standard
from zero_easel.library.lines import takes_part
from zero_easel.library.matches import all_stale
from zero_easel.library.models import Photo, Shoot
from zero_easel.library.names import plan_shoot
from zero_easel.library.shoots import photos_of
from zero_easel.library.standards import ensure_standard, rules_of, set_rule
from zero_easel.web.page import Db, ShootById, show, stages

router = APIRouter()
_SAMPLES = 6


@dataclass(frozen=True)
class Sample:
    """An item on its canvas, in canvas px: where the whole crop of its cutout lies, and its share of the height."""

    photo: Photo
    x: float
    y: float
    width: float
    height: float
    share: int


@router.get("/shoots/{shoot_id}/place")
def place_page(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """The standard beside items of this shoot."""
    return show(request, "place.html", marks=stages(session, shoot), stage="place", **_rules(session, shoot))


@router.get("/standards")
def standard_page(request: Request, session: Db) -> HTMLResponse:
    """The standard beside items of the newest shoot that has some."""
    ensure_standard(session)
    return show(request, "standard.html", **_rules(session, _newest(session)))


@router.post("/standards/rule")
def change_rule(
    request: Request, session: Db, field: str = Form(), value: str = Form(""), shoot_id: int = Form(0)
) -> HTMLResponse:
    """Change one value; what is not possible is said, and nothing changes."""
    row, error = ensure_standard(session), ""
    try:
        set_rule(session, row, field, value)
        if field == "views":
            all_stale(session)
    except StandardError as problem:
        error = str(problem)
    session.flush()
    shoot = session.get(Shoot, shoot_id)
    context = _rules(session, shoot)
    answer = show(request, "_rules_answer.html", error=error, saved="" if error else field, **context)
    ruled = {"field": field, "refused": field if error else "", "values": _values(rules_of(row))}
    answer.headers["HX-Trigger"] = json.dumps({"ruled": ruled})
    return answer


@router.get("/standards/file")
def as_file(session: Db) -> Response:
    """The standard as YAML."""
    text = write_standard(rules_of(ensure_standard(session)))
    headers = {"Content-Disposition": 'attachment; filename="standard.yaml"'}
    return Response(text, media_type="application/yaml", headers=headers)


def _values(rules: Standard) -> dict[str, str]:
    """All values by dotted field, as the fields of the page show them."""
    data = rules.model_dump()
    flat = {f"{part}.{key}": value for part in ("canvas", "item", "deliverable") for key, value in data[part].items()}
    shown = {key: f"{value:g}" if isinstance(value, float) else str(value) for key, value in flat.items()}
    return shown | {"name": rules.name, "views": write_views(rules.views)}


def _newest(session: Db) -> Shoot | None:
    return session.scalar(
        select(Shoot).join(Photo).where(Photo.cutout_key.is_not(None)).order_by(Shoot.id.desc()).limit(1)
    )


def _rules(session: Db, shoot: Shoot | None) -> dict[str, object]:
    row = ensure_standard(session)
    rules = rules_of(row)
    photos = photos_of(session, shoot.id) if shoot else []
    example = ""
    if shoot:
        # A column that a pattern asks for may have gone from the catalog: the page of names says so.
        with suppress(PatternError):
            planned, _ = plan_shoot(session, shoot)
            example = next((p.output for _, p in planned if p.code), planned[0][1].output if planned else "")
    used = session.scalar(select(func.count()).select_from(Shoot)) or 0
    return {
        "row": row, "rules": rules, "shoot": shoot, "samples": samples(photos, rules), "area": free_area(rules),
        "example": example, "used": used, "views": write_views(rules.views),
    }  # fmt: skip


def samples(photos: list[Photo], rules: Standard) -> list[Sample]:
    """A few items of different products as the rules place them."""
    chosen: dict[str, Photo] = {}
    for photo in photos:
        if takes_part(photo) and photo.cutout is not None and photo.cutout.bounds:
            chosen.setdefault(photo.code or photo.name, photo)
    return [_sample(photo, rules) for photo in list(chosen.values())[:_SAMPLES]]


def _sample(photo: Photo, rules: Standard) -> Sample:
    cut = photo.cutout
    assert cut is not None and cut.bounds is not None
    bounds = Bounds(*cut.bounds)
    put = place(bounds, rules)
    return Sample(
        photo=photo,
        x=round(put.scale * cut.left + put.dx, 2),
        y=round(put.scale * cut.top + put.dy, 2),
        width=round(put.scale * cut.width, 2),
        height=round(put.scale * cut.height, 2),
        share=round(100 * put.scale * bounds.height / rules.canvas.height),
    )
