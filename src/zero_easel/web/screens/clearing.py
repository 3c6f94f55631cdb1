"""Clear: the wall of cutouts, doubtful ones first, and one of them large."""

from typing import Annotated, Any

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse

from zero_easel.core.placing.layout import cuts_nothing
from zero_easel.core.standard.naming import portable
from zero_easel.library.changes.repairs import leave_photo_out
from zero_easel.library.lists.lines import doubtful, takes_part
from zero_easel.library.shoots import photos_of
from zero_easel.library.store.models import Clearing, PhotoRow, Shoot
from zero_easel.runs.archive import stream_cutouts
from zero_easel.web.doubts import places_on
from zero_easel.web.page import Bench, Db, Number, PhotoById, ShootById, show
from zero_easel.web.stages import stages

router = APIRouter()
_SHELF_HEIGHT = 150


@router.get("/shoots/{shoot_id}/clear")
def clear_page(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """Cutouts on shelves."""
    return show(request, "clear.html", **_wall(session, shoot))


@router.get("/shoots/{shoot_id}/clear/wall")
def clear_wall(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """The shelves alone, asked for again while clearing goes on."""
    return show(request, "_wall.html", **_wall(session, shoot))


@router.post("/photos/{photo_id}/accept")
def accept(request: Request, session: Db, photo: PhotoById) -> Response:
    """Accept a cutout as it is, or take that back."""
    photo.accepted = not photo.accepted
    session.flush()
    return _after(request, session, photo)


@router.post("/photos/{photo_id}/leave-out-doubtful")
def leave_out_doubtful(request: Request, session: Db, photo: PhotoById) -> Response:
    """Leave a photo whose cutout is no good out of runs."""
    leave_photo_out(session, photo)
    return _after(request, session, photo)


@router.post("/shoots/{shoot_id}/accept-chosen")
def accept_chosen(
    request: Request, session: Db, shoot: ShootById, chosen: Annotated[list[Number], Form(default_factory=list)]
) -> HTMLResponse:
    """Accept the cutouts that were chosen."""
    for photo in photos_of(session, shoot.id):
        photo.accepted = photo.accepted or photo.id in chosen
    session.flush()
    return clear_wall(request, session, shoot)


@router.post("/shoots/{shoot_id}/accept-all")
def accept_all(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """Accept all cutouts that wait for a look."""
    for photo in photos_of(session, shoot.id):
        photo.accepted = photo.accepted or doubtful(photo)
    session.flush()
    return clear_wall(request, session, shoot)


@router.get("/shoots/{shoot_id}/cutouts.zip")
def take_cutouts(
    session: Db,
    bench: Bench,
    shoot: ShootById,
    chosen: Annotated[list[Number], Query(default_factory=list)],
    framing: str = "cropped",
) -> StreamingResponse:
    """The cutouts as they are, of the chosen photos or of all, cropped to their items or within their whole frames."""
    photos = [p for p in photos_of(session, shoot.id) if takes_part(p) and (not chosen or p.id in chosen)]
    pieces = stream_cutouts(bench.vault, photos, whole=framing == "whole")
    name = portable(shoot.name).encode("ascii", "ignore").decode().replace('"', "").strip() or "shoot"
    headers = {"Content-Disposition": f'attachment; filename="{name}-cutouts.zip"'}
    return StreamingResponse(pieces, media_type="application/zip", headers=headers)


def shelf_size(photo: PhotoRow, room: int) -> tuple[int, int]:
    """Width and height of a cutout on a shelf with `room` px of width: contained, never cropped."""
    assert photo.cutout is not None
    scale = min(_SHELF_HEIGHT / photo.cutout.height, room / photo.cutout.width)
    return max(1, round(photo.cutout.width * scale)), max(1, round(photo.cutout.height * scale))


def _after(request: Request, session: Db, photo: PhotoRow) -> Response:
    shoot = session.get_one(Shoot, photo.shoot_id)
    if request.headers.get("hx-request") == "true":
        return clear_wall(request, session, shoot)
    following = next((p for p in in_order(photos_of(session, shoot.id)) if doubtful(p)), None)
    return RedirectResponse(f"/photos/{following.id}" if following else f"/shoots/{shoot.id}/clear", 303)


def _wall(session: Db, shoot: Shoot) -> dict[str, Any]:
    photos = in_order(photos_of(session, shoot.id))
    kept = cuts_nothing(shoot.standard.rules)
    # Where backdrops are kept, what was cleared before asks for nothing, but for what a person wants cut out.
    used = [p for p in photos if not kept or p.adjustment.backdrop == "cleared"]
    waiting = [p for p in used if p.clearing == Clearing.WAITING]
    look_at = [p for p in used if doubtful(p)]
    ready = [p for p in photos if p.cutout is not None and p.clearing == Clearing.DONE and not doubtful(p)]
    return {
        "shoot": shoot,
        "marks": stages(session, shoot),
        "stage": "clear",
        "look_at": look_at,
        "ready": ready,
        "waiting": waiting,
        "kept": kept,
        "total": len(photos),
        "shelf_size": shelf_size,
        "places_on": places_on,
        "ground": shoot.standard.rules.canvas.ground,
    }


def in_order(photos: list[PhotoRow]) -> list[PhotoRow]:
    """All that take part, the least certain first, then in shooting order."""
    part = [p for p in photos if takes_part(p)]
    first = sorted((p for p in part if doubtful(p)), key=lambda p: p.cutout.confidence if p.cutout else 0.0)
    return first + [p for p in part if not doubtful(p)]
