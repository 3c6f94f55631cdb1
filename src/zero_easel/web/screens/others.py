"""What a correction taught, tried on the other doubtful photos of its shoot: before, after, and whether to take it."""

from typing import Annotated

from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from zero_easel.library.changes.touchups import draw
from zero_easel.library.lists.lines import doubtful
from zero_easel.library.shoots import empties_of, key_of, photos_of
from zero_easel.library.store.models import PhotoRow, Shoot
from zero_easel.touchup.offers import Offer, offer_of
from zero_easel.web.page import Bench, Db, Number, PhotoById, found, plural, show
from zero_easel.web.screens.clearing import in_order
from zero_easel.web.screens.touchup import open_photo_of

router = APIRouter()
_NOTHING = "Nothing was drawn on this photo, so there is nothing to learn from it."


@router.get("/photos/{photo_id}/others")
def others(request: Request, session: Db, photo: PhotoById) -> HTMLResponse:
    """All doubtful photos of the shoot; each is tried when the one before it has been."""
    if not photo.marks:
        raise HTTPException(409, _NOTHING)
    return _page(request, session, photo, "")


@router.get("/photos/{photo_id}/others/{other_id}")
def other(request: Request, session: Db, bench: Bench, photo: PhotoById, other_id: Number) -> HTMLResponse:
    """One of them, tried, and the place of the next."""
    tried = _other(session, photo, other_id)
    offer = _offer(session, bench, photo, tried)
    doubts = [p.id for p in _doubts(session, photo)]
    after = [number for number in doubts if number > tried.id]
    return show(request, "_other.html", photo=photo, other=tried, offer=offer, following=min(after, default=None),
                left=len(after))  # fmt: skip


@router.get("/photos/{photo_id}/others/{other_id}/{which}.png")
def picture(session: Db, bench: Bench, photo: PhotoById, other_id: Number, which: str) -> Response:
    """The other photo's item, before or after."""
    offer = _offer(session, bench, photo, _other(session, photo, other_id))
    if offer is None or which not in ("before", "after"):
        raise HTTPException(404, "There is no such picture.")
    return Response(offer.before if which == "before" else offer.after, media_type="image/png")


@router.post("/photos/{photo_id}/others")
def take(
    request: Request, session: Db, bench: Bench, photo: PhotoById,
    chosen: Annotated[list[Number], Form(default_factory=list)],
) -> HTMLResponse:  # fmt: skip
    """Draw the marks on the photos that were chosen; each can be undone on its own page."""
    taken = 0
    for number in chosen:
        tried = _other(session, photo, number)
        offer = _offer(session, bench, photo, tried)
        if offer is not None:
            draw(session, tried, offer.marks)
            taken += 1
    if not taken:
        return _page(request, session, photo, "Nothing was chosen.")
    said = f"Drawn on {plural(taken, 'photo')}, cleared anew now. Undo takes it back on the photo\u2019s own page."
    return _page(request, session, photo, said)


def _page(request: Request, session: Session, photo: PhotoRow, message: str) -> HTMLResponse:
    doubts = sorted(p.id for p in _doubts(session, photo))
    return show(
        request,
        "others.html",
        shoot=session.get_one(Shoot, photo.shoot_id),
        photo=photo,
        count=len(doubts),
        first=doubts[0] if doubts else None,
        message=message,
        ground=session.get_one(Shoot, photo.shoot_id).standard.rules.canvas.ground,
    )


def _doubts(session: Session, photo: PhotoRow) -> list[PhotoRow]:
    """The other doubtful photos of the shoot that nobody has drawn on."""
    photos = in_order(photos_of(session, photo.shoot_id))
    return [p for p in photos if p.id != photo.id and p.cutout is not None and doubtful(p) and not p.marks]


def _other(session: Session, photo: PhotoRow, number: int) -> PhotoRow:
    other = found(session.get(PhotoRow, number), "photo")
    if other.shoot_id != photo.shoot_id or other.id == photo.id:
        raise HTTPException(404, "There is no such photo in this shoot.")
    return other


def _offer(session: Session, bench: Bench, photo: PhotoRow, other: PhotoRow) -> Offer | None:
    if not photo.marks:
        raise HTTPException(409, _NOTHING)
    empties = empties_of(session, photo.shoot_id)
    keys = key_of(photo, empties), key_of(other, empties)
    kept = bench.offers.get(keys)
    if kept is not None:
        return kept
    right, tried = open_photo_of(session, bench, photo), open_photo_of(session, bench, other)
    return bench.offers.keep(keys, offer_of(right, photo.marks, tried, other.marks))
