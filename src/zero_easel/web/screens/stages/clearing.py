"""Clear: the wall of cutouts, doubtful ones first, and one of them large."""

import hashlib
from collections.abc import Iterable, Sequence
from typing import Annotated, Any
from urllib.parse import parse_qs, urlsplit

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse
from sqlalchemy import select

from zero_easel.core.placing.layout import cuts_nothing
from zero_easel.core.standard.naming import portable
from zero_easel.library.changes.cutouts import accept_cutouts
from zero_easel.library.changes.repairs import leave_photo_out
from zero_easel.library.lists.lines import PhotoLine, doubtful, lines_of, takes_part
from zero_easel.library.shoots import photos_of
from zero_easel.library.store.models import Clearing, PhotoRow, Shoot
from zero_easel.runs.archive import stream_cutouts
from zero_easel.web.doubts import places_on
from zero_easel.web.page import Bench, Db, Number, PhotoById, ShootById, is_partial, show
from zero_easel.web.stages import stages

router = APIRouter()
_SHELF_HEIGHT, _PAGE = 150, 200


@router.get("/shoots/{shoot_id}/clear")
def clear_page(request: Request, session: Db, bench: Bench, shoot: ShootById) -> HTMLResponse:
    """Cutouts on shelves."""
    return show(request, "clear.html", **_wall(session, bench, shoot, _page_of(request)))


@router.get("/shoots/{shoot_id}/clear/wall")
def clear_wall(request: Request, session: Db, bench: Bench, shoot: ShootById, seen: str = "") -> HTMLResponse:
    """The shelves alone, asked for again while clearing goes on: the progress alone if all that is shown was seen."""
    wall = _wall(session, bench, shoot, _page_of(request))
    if wall["seen"] == seen and wall["waiting"]:
        return show(request, "_clearing.html", **wall)
    answer = show(request, "_wall.html", **wall)
    answer.headers["HX-Retarget"] = "#wall"
    return answer


@router.post("/photos/{photo_id}/accept")
def accept(request: Request, session: Db, bench: Bench, photo: PhotoById) -> Response:
    """Accept a cutout as it is, or take that back."""
    accept_cutouts(session, [photo], not photo.accepted)
    return _after(request, session, bench, photo)


@router.post("/photos/{photo_id}/leave-out-doubtful")
def leave_out_doubtful(request: Request, session: Db, bench: Bench, photo: PhotoById) -> Response:
    """Leave a photo whose cutout is no good out of runs."""
    leave_photo_out(session, photo)
    return _after(request, session, bench, photo)


@router.post("/shoots/{shoot_id}/accept-chosen")
def accept_chosen(
    request: Request,
    session: Db,
    bench: Bench,
    shoot: ShootById,
    chosen: Annotated[list[Number], Form(default_factory=list)],
) -> HTMLResponse:
    """Accept the cutouts that were chosen."""
    accept_cutouts(session, [photo for photo in photos_of(session, shoot.id) if photo.id in chosen])
    return clear_wall(request, session, bench, shoot)


@router.post("/shoots/{shoot_id}/accept-all")
def accept_all(request: Request, session: Db, bench: Bench, shoot: ShootById) -> HTMLResponse:
    """Accept all cutouts that wait for a look."""
    accept_cutouts(session, [photo for photo in photos_of(session, shoot.id) if doubtful(photo)])
    return clear_wall(request, session, bench, shoot)


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


def _after(request: Request, session: Db, bench: Bench, photo: PhotoRow) -> Response:
    shoot = session.get_one(Shoot, photo.shoot_id)
    if is_partial(request):
        return clear_wall(request, session, bench, shoot)
    following = next((line for line in in_order(lines_of(session, shoot.id)) if doubtful(line)), None)
    return RedirectResponse(f"/photos/{following.id}" if following else f"/shoots/{shoot.id}/clear", 303)


def _wall(session: Db, bench: Bench, shoot: Shoot, page: int) -> dict[str, Any]:
    lines = in_order(lines_of(session, shoot.id))
    kept = cuts_nothing(shoot.standard.rules)
    # Where backdrops are kept, what was cleared before asks for nothing, but for what a person wants cut out.
    wanted = _wanted_cut_out(session, shoot) if kept else set()
    used = [line for line in lines if not kept or line.id in wanted]
    waiting = [line.id for line in used if line.clearing == Clearing.WAITING]
    doubts = {line.id for line in lines if doubtful(line)}
    look_at = [line for line in used if line.id in doubts]
    ready = [
        one for one in lines if one.confidence is not None and one.clearing == Clearing.DONE and one.id not in doubts
    ]
    pages = max(1, -(-(len(look_at) + len(ready)) // _PAGE))
    page = min(max(1, page), pages)
    shown = [line.id for line in [*look_at, *ready][(page - 1) * _PAGE : page * _PAGE]]
    rows = session.scalars(select(PhotoRow).where(PhotoRow.id.in_(shown))).unique()
    photos = {photo.id: photo for photo in rows}
    bench.dispatcher.look_at(waiting[:_PAGE])
    return {
        "shoot": shoot,
        "marks": stages(session, shoot),
        "stage": "clear",
        "look_at": [photos[at] for at in shown if at in doubts],
        "ready": [photos[at] for at in shown if at not in doubts],
        "look_at_all": len(look_at),
        "ready_all": len(ready),
        "waiting": len(waiting),
        "page": page,
        "pages": pages,
        # What the page shows of them: while this stays the same nothing is drawn anew.
        "seen": _seen(photos[at] for at in shown),
        "kept": kept,
        "total": len(lines),
        "shelf_size": shelf_size,
        "places_on": places_on,
        "ground": shoot.standard.rules.canvas.ground,
    }


def _wanted_cut_out(session: Db, shoot: Shoot) -> set[int]:
    """Photos that a person wants cut out, where others keep their backdrop."""
    rows = session.execute(select(PhotoRow.id, PhotoRow.adjustment).where(PhotoRow.shoot_id == shoot.id))
    return {at for at, adjustment in rows if adjustment.backdrop == "cleared"}


def _seen(photos: Iterable[PhotoRow]) -> str:
    told = [(photo.id, photo.cutout_key, photo.accepted, photo.code, photo.problem) for photo in photos]
    return hashlib.sha256(repr(told).encode()).hexdigest()[:16]


def _page_of(request: Request) -> int:
    """Of the wall that is looked at, or that a part is asked for."""
    address = request.headers.get("HX-Current-URL", str(request.url))
    asked = parse_qs(urlsplit(address).query).get("page", ["1"])[0]
    return int(asked) if asked.isascii() and asked.isdigit() and len(asked) < 9 else 1


def in_order(lines: Sequence[PhotoLine]) -> list[PhotoLine]:
    """All that take part, the least certain first, then in shooting order."""
    part = [line for line in lines if takes_part(line)]
    first = sorted((line for line in part if doubtful(line)), key=lambda line: line.confidence or 0.0)
    ahead = {line.id for line in first}
    return first + [line for line in part if line.id not in ahead]
