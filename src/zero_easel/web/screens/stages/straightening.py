"""Straighten: one photo with what its lens bent, and the rectangle in it that is to be seen from in front."""

import json
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field

from zero_easel.core.finishing.encode import encode_jpeg
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, MOST_BEND, Rectification
from zero_easel.core.standard.model import StandardError
from zero_easel.library.changes.placing import rectify
from zero_easel.library.lists.lineup import row_of
from zero_easel.library.shoots import LARGE
from zero_easel.library.store.models import Shoot
from zero_easel.web.page import Bench, Db, PhotoById, found, show
from zero_easel.web.stages import stages
from zero_easel.web.straightening import known_lens, rectangle_in, straight_large

router = APIRouter()


@router.get("/photos/{photo_id}/straighten")
def straighten_page(request: Request, session: Db, bench: Bench, photo: PhotoById) -> HTMLResponse:
    """One photo with what its lens bent, and the rectangle in it that is to be seen from in front."""
    shoot, lens = session.get_one(Shoot, photo.shoot_id), known_lens(bench.vault, photo.digest)
    held = {
        "id": photo.id,
        "frame": [photo.original.width, photo.original.height],
        "rectified": photo.adjustment.rectified,
        "lens": lens.radial if lens else None,
        "most": MOST_BEND,
    }
    told: dict[str, Any] = {
        "marks": stages(session, shoot),
        "stage": "light",
        "lens": lens,
        "cut": photo.cutout_key is not None,
        "most": MOST_BEND,
    }
    return show(request, "straighten.html", 200, shoot=shoot, photo=photo, held=json.dumps(held), **told)


@router.get("/photos/{photo_id}/straight.jpg")
def straight_picture(
    session: Db,
    bench: Bench,
    photo: PhotoById,
    asked: Annotated[str, Query(alias="as", max_length=400)],
    longest: Annotated[int, Query(ge=64, le=LARGE)] = LARGE,
) -> Response:
    """A photo at screen size with its geometry undone as it is asked for."""
    try:
        wanted = Rectification.of(json.loads(asked))
        frame = Size(photo.original.width, photo.original.height)
        pixels = found(straight_large(session, bench.vault, photo.digest, frame, wanted, longest), "photo")
    except (ValueError, TypeError) as error:
        raise HTTPException(422, str(error) or "That is no geometry.") from error
    return Response(encode_jpeg(pixels), media_type="image/jpeg", headers={"Cache-Control": "private, max-age=3600"})


@router.get("/photos/{photo_id}/rectangle")
def rectangle(session: Db, bench: Bench, photo: PhotoById) -> dict[str, Any]:
    """The corners of the rectangle that a photo's item fills, none if it fills none."""
    return {"corners": rectangle_in(session, bench.vault, photo)}


class Straight(BaseModel):
    """What is to be undone of a photo's geometry, as core.light.rectify has it. together: its bend for all photos of
    the shoot, and its rectangle for this one."""

    radial: tuple[float, float, float]
    corners: Annotated[list[tuple[float, float]], Field(max_length=4)] = []
    aspect: Annotated[float, Field(ge=0, le=20)] = 0.0
    together: bool = False


@router.post("/photos/{photo_id}/straighten")
def straighten(session: Db, photo: PhotoById, asked: Straight) -> Response:
    """Undo a photo's geometry so; a photo that cannot be rectified so says why, and nothing changes."""
    shoot = session.get_one(Shoot, photo.shoot_id)
    own = Rectification(asked.radial, tuple(asked.corners), asked.aspect)
    wanted, text = {photo.id: own}, "the geometry of {} is undone"
    if own == AS_PHOTOGRAPHED:
        text = "the geometry of {} is as photographed"
    if asked.together:
        row = row_of(session, shoot.id)
        wanted |= {
            entry.line.id: entry.subject.adjustment.rectified._replace(radial=asked.radial)
            for entry in row
            if entry.line.id != photo.id
        }
    try:
        rectify(session, shoot, wanted, text)
    except StandardError as error:
        raise HTTPException(422, f"{error}.") from error
    return Response(status_code=204)
