"""Touch up: one photo and its cutout on a canvas, and the marks that correct it."""

import json
from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from zero_easel.core.clearing.marks import Mark
from zero_easel.core.light.colour import Encoded
from zero_easel.core.photos.decoding import Photo, read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.engines.decoders import decoders
from zero_easel.library.changes.cutouts import empties_of, key_of
from zero_easel.library.changes.history import Where, undoable
from zero_easel.library.changes.touchups import draw, fences_of
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.lists.lines import doubtful, lines_of
from zero_easel.library.shoots import photos_of
from zero_easel.library.store.models import PhotoRow, Shoot, Stage
from zero_easel.pipeline import empty_frame
from zero_easel.touchup.open_photos import TILE, OpenPhoto
from zero_easel.web.doubts import places_on
from zero_easel.web.page import Bench, Db, Number, PhotoById, show
from zero_easel.web.screens.stages.clearing import in_order

router = APIRouter()
_FOR_GOOD = {"Cache-Control": "private, max-age=31536000, immutable"}


class NewMarks(BaseModel):
    """Marks that were just drawn."""

    model_config = ConfigDict(extra="forbid")
    marks: list[Mark] = Field(min_length=1, max_length=200)


@router.get("/photos/{photo_id}")
def touch_up(request: Request, session: Db, bench: Bench, photo: PhotoById) -> HTMLResponse:
    """One cutout on the canvas."""
    bench.dispatcher.look_at([photo.id])
    shoot = session.get_one(Shoot, photo.shoot_id)
    lines = in_order(lines_of(session, shoot.id))
    order = [line.id for line in lines]
    at = order.index(photo.id) if photo.id in order else -1
    return show(
        request,
        "touch_up.html",
        shoot=shoot,
        photo=photo,
        ground=shoot.standard.rules.canvas.ground,
        previous=order[at - 1] if at > 0 else None,
        following=order[at + 1] if 0 <= at < len(order) - 1 else None,
        doubt=next((line.id for line in lines if doubtful(line) and line.id != photo.id), None),
        next_view=_next_view(session, photo),
        position=at + 1,
        count=len(order),
        state=json.dumps(_state(session, photo)),
        doubts=json.dumps(places_on(photo)),
        tile=TILE,
    )


@router.get("/photos/{photo_id}/marks")
def read_marks(session: Db, photo: PhotoById) -> dict[str, object]:
    """The marks in force, and how many may be undone or redone."""
    return _state(session, photo)


@router.post("/photos/{photo_id}/marks")
def add_marks(session: Db, photo: PhotoById, drawn: NewMarks) -> dict[str, object]:
    """Draw."""
    draw(session, photo, drawn.marks)
    return _state(session, photo)


@router.post("/photos/{photo_id}/undo")
def undo_mark(session: Db, photo: PhotoById) -> dict[str, object]:
    """Undo the last marks."""
    undo(session, Where(Stage.TOUCH_UP, photo.id))
    return _state(session, photo)


@router.post("/photos/{photo_id}/redo")
def redo_mark(session: Db, photo: PhotoById) -> dict[str, object]:
    """Draw the last undone mark again."""
    redo(session, Where(Stage.TOUCH_UP, photo.id))
    return _state(session, photo)


@router.post("/photos/{photo_id}/copy-fence")
def copy_fence(session: Db, photo: PhotoById) -> dict[str, object]:
    """Draw this photo's fences on the next view of the same product."""
    target, fences = _next_view(session, photo), fences_of(photo)
    if target is None or not fences:
        raise HTTPException(409, "There is no next view of this product, or no fence to copy.")
    draw(session, target, fences)
    return {"photo": target.id, "view": target.view}


def open_photo_of(session: Db, bench: Bench, photo: PhotoById) -> OpenPhoto:
    """The photo, opened."""
    empties = empties_of(session, photo.shoot_id)

    def read() -> tuple[Photo, list[Encoded]]:
        of = decoders()
        frames = [of.do("the empty frame", empty_frame, bench.vault.original(digest).path()) for digest in empties]
        return of.do(photo.name, read_photo, bench.vault.original(photo.digest).path(), photo.name), frames

    try:
        return bench.open_photos.photo((photo.digest, *empties), read)
    except PhotoError as error:
        raise HTTPException(409, str(error)) from error


Opened = Annotated[OpenPhoto, Depends(open_photo_of, scope="function")]


@router.get("/photos/{photo_id}/tiles/photo/{digest}/{level}/{column}/{row}.jpg")
def photo_tile(photo_open: Opened, level: Number, column: Number, row: Number) -> Response:
    """A tile of the photo; level 0 is full size, each further one half of it. The digest names the version."""
    try:
        return Response(photo_open.photo_tile(level, column, row), media_type="image/jpeg", headers=_FOR_GOOD)
    except IndexError as error:
        raise HTTPException(404, "There is no such part of the photo.") from error


@router.get("/photos/{photo_id}/tiles/cutout/{key}/{level}/{column}/{row}.png")
def cutout_tile(
    session: Db, photo: PhotoById, photo_open: Opened, key: str, level: Number, column: Number, row: int
) -> Response:
    """A tile of the item with the marks in force; the key names them, so an outdated one is not answered."""
    if key != _key(session, photo):
        raise HTTPException(409, "The marks have changed since.")
    marks = photo.marks
    try:
        tile = photo_open.cutout_tile(marks, level, column, row)
    except IndexError as error:
        raise HTTPException(404, "There is no such part of the photo.") from error
    return Response(tile, media_type="image/png", headers=_FOR_GOOD)


def _key(session: Session, photo: PhotoRow) -> str:
    return key_of(photo, empties_of(session, photo.shoot_id))


def _state(session: Session, photo: PhotoRow) -> dict[str, object]:
    steps = undoable(session, Where(Stage.TOUCH_UP, photo.id))
    return {
        "id": photo.id,
        "digest": photo.digest,
        "width": photo.original.width,
        "height": photo.original.height,
        "key": _key(session, photo),
        "marks": [mark.model_dump(mode="json") for mark in photo.marks],
        "undo": steps.undos,
        "redo": steps.redos,
    }


def _next_view(session: Session, photo: PhotoRow) -> PhotoRow | None:
    """The photo after this one of the same product, the first one after the last."""
    same = [p for p in photos_of(session, photo.shoot_id) if p.code and p.code == photo.code and not p.empty]
    if len(same) < 2 or photo not in same:
        return None
    return same[(same.index(photo) + 1) % len(same)]
