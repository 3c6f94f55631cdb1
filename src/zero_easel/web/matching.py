"""Match: which photo shows which product from which side."""

import json

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse

from zero_easel.core.matching import VIEWS
from zero_easel.library.models import Photo, Shoot
from zero_easel.library.products import all_products, find_code
from zero_easel.library.shoots import assign, back_to_automatic, photos_of, plan_shoot
from zero_easel.web.page import Db, PhotoById, ShootById, show, stages

router = APIRouter()


@router.get("/shoots/{shoot_id}/match")
def match_page(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """Photos without a product first, then the others, each with why."""
    photos = [p for p in photos_of(session, shoot.id) if not p.original.error and not p.left_out]
    products = all_products(session)
    shown = {photo.code for photo in photos}
    _, clashes = plan_shoot(session, shoot)
    return show(
        request, "match.html", shoot=shoot, marks=stages(session, shoot), stage="match", views=VIEWS,
        unknown=[p for p in photos if not p.code], known=[p for p in photos if p.code], clashes=clashes,
        products=products, names={p.code: p.name for p in products},
        unseen=[p for p in products if p.code not in shown] if photos else [],
    )  # fmt: skip


@router.post("/photos/{photo_id}/match")
def say_match(
    request: Request, session: Db, photo: PhotoById, code: str = Form(""), view: str = Form("")
) -> HTMLResponse:
    """Say by hand what a photo shows."""
    known = find_code(session, code)
    assign(photo, known or code, view)
    session.flush()
    unlisted = bool(photo.code) and known is None
    return _said(request, session, photo, "not in the catalog" if unlisted else "")


@router.post("/photos/{photo_id}/match/automatic")
def undo_match(request: Request, session: Db, photo: PhotoById) -> HTMLResponse:
    """Take back what was said by hand."""
    back_to_automatic(session, photo)
    session.flush()
    return _said(request, session, photo)


def _said(request: Request, session: Db, photo: Photo, warning: str = "") -> HTMLResponse:
    """What follows from a match, each part for its own place on the page: the fields stay as a person left them."""
    names = {p.code: p.name for p in all_products(session) if p.code == photo.code}
    shoot = session.get_one(Shoot, photo.shoot_id)
    answer = show(
        request, "_match_said.html", photo=photo, names=names, warning=warning, answer=True,
        shoot=shoot, marks=stages(session, shoot), stage="match",
    )  # fmt: skip
    matched = {"photo": photo.id, "code": photo.code, "view": photo.view}
    answer.headers["HX-Trigger"] = json.dumps({"matched": matched})
    return answer
