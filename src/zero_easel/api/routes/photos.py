"""Photos of a shoot: what is known of each, its cutout, and what people decide about it as a whole."""

from collections.abc import Callable
from enum import StrEnum
from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, Query, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from zero_easel.api.access import Bench, Reading, Writing, may
from zero_easel.api.pages import Listing, PartAsked
from zero_easel.api.problems import Refusal, problems
from zero_easel.api.told import ByCamera, ChangedPhoto, Point, SeenPhoto, SeenShoot, Sent, YesOrNo
from zero_easel.api.versions import Seen, tagged
from zero_easel.library.changes.cutouts import accept_cutouts, set_empty
from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.changes.repairs import leave_photo_out
from zero_easel.library.lists.lines import PhotoLine, doubtful, line_of, lines_of, takes_part
from zero_easel.library.store.access import Right
from zero_easel.library.store.models import PhotoRow, Shoot
from zero_easel.storage import Kept

router = APIRouter(tags=["photos"])


class WhichPhotos(StrEnum):
    """Which photos of a shoot are asked for."""

    ALL = "all"
    TAKING_PART = "taking-part"
    TO_MATCH = "to-match"
    TO_LOOK_AT = "to-look-at"
    BROKEN = "broken"


class PhotoDecisions(BaseModel):
    """What people decide about a photo as a whole. left_out: it stays out of runs. empty: it shows the bare backdrop.
    accepted: its cutout has been seen, and will do."""

    left_out: bool
    empty: bool
    accepted: bool


class Doubt(BaseModel):
    """A reason to look at a cutout. places: outlines of where, x and y in thousandths of the upright photo."""

    code: str = Field(examples=["edge"])
    said: str
    places: list[list[Point]]


class PhotoTold(PhotoDecisions):
    """A photo. folder: where it lay among what came in. format, width, height: of its file, px upright; taken: by the
    camera's clock. error: why it gives no picture, or "". code, view: what it shows; doubt: why a person should make
    sure of that. card: it is a code card. taking_part: a run makes pictures of it. behind: the photo of the same burst
    that counts. clearing: waiting, done, failed, or "" for what is never cleared; problem: why it failed. confidence:
    how sure the cutout is, 0 to 1, null without one; to_look_at: whether a person should."""

    id: int = Field(examples=[1])
    shoot: int
    name: str = Field(examples=["BRYD0102.JPG"])
    folder: str
    sha256: str
    bytes: int
    format: str
    width: int
    height: int
    taken: ByCamera | None
    error: str
    code: str = Field(examples=["BY-1001"])
    view: str
    doubt: str
    card: bool
    taking_part: bool
    behind: int | None
    clearing: str
    problem: str
    confidence: float | None
    to_look_at: bool


class PhotoWhole(PhotoTold):
    """A photo with the reasons to look at its cutout."""

    doubts: list[Doubt]


class PhotoChange(Sent):
    """Whatever is left out stays as it is."""

    left_out: YesOrNo | None = None
    empty: YesOrNo | None = None
    accepted: YesOrNo | None = None


def decisions_of(photo: PhotoRow) -> PhotoDecisions:
    """What an ETag of a photo is of."""
    return PhotoDecisions(left_out=photo.left_out, empty=photo.empty, accepted=photo.accepted)


def _told(shoot_id: int, line: PhotoLine) -> PhotoTold:
    return PhotoTold(
        shoot=shoot_id,
        sha256=line.digest,
        view=line.view or line.turn,
        taking_part=takes_part(line),
        to_look_at=takes_part(line) and doubtful(line),
        clearing=line.clearing.value,
        **{key: getattr(line, key) for key in _SAME},
    )


_SAME = (
    *("id", "name", "folder", "bytes", "format", "width", "height", "taken", "error", "code", "doubt", "card"),
    *("behind", "problem", "confidence", "left_out", "empty", "accepted"),
)


def _whole(session: Session, photo: PhotoRow) -> PhotoWhole:
    line = line_of(session, photo)
    flags = photo.cutout.flags if photo.cutout else ()
    doubts = [Doubt(code=f.code, said=f.text, places=[list(outline) for outline in f.places]) for f in flags]
    return PhotoWhole(doubts=doubts, **_told(photo.shoot_id, line).model_dump())


_WANTED: dict[WhichPhotos, Callable[[PhotoLine], bool]] = {
    WhichPhotos.ALL: lambda _: True,
    WhichPhotos.TAKING_PART: takes_part,
    WhichPhotos.TO_MATCH: lambda line: line.unmatched or (takes_part(line) and bool(line.doubt)),
    WhichPhotos.TO_LOOK_AT: lambda line: takes_part(line) and doubtful(line),
    WhichPhotos.BROKEN: lambda line: bool(line.error),
}


@router.get("/shoots/{shoot_id}/photos", dependencies=may(Right.READ))
def list_photos(
    session: Reading,
    shoot: SeenShoot,
    cursor: PartAsked,
    only: Annotated[WhichPhotos, Query(description="Which of them.")] = WhichPhotos.ALL,
) -> Listing[PhotoTold]:
    """The photos of a shoot, in the order in which they came in."""
    ensure_matched(session, shoot)
    lines = sorted((line for line in lines_of(session, shoot.id) if _WANTED[only](line)), key=lambda line: line.id)
    rows = [line for line in lines if line.id > cursor.after][: cursor.limit + 1]
    return cursor.part(rows, lambda line: _told(shoot.id, line), lambda line: line.id)


@router.get("/photos/{photo_id}", dependencies=may(Right.READ))
def read_photo(session: Reading, photo: SeenPhoto, response: Response) -> PhotoWhole:
    """One photo, with the reasons to look at its cutout."""
    ensure_matched(session, session.get_one(Shoot, photo.shoot_id))
    tagged(response, decisions_of(photo))
    return _whole(session, photo)


@router.patch("/photos/{photo_id}", dependencies=may(Right.PHOTOS), responses=problems(412, 428))
def change_photo(
    session: Writing,
    bench: Bench,
    photo: ChangedPhoto,
    asked: PhotoChange,
    seen: Seen,
    response: Response,
    after: BackgroundTasks,
) -> PhotoWhole:
    """Leave a photo out, take it as the bare backdrop, or accept its cutout; or take that back."""
    seen.must_be(decisions_of(photo))
    if asked.left_out is not None:
        leave_photo_out(session, photo, asked.left_out)
    if asked.empty is not None and asked.empty != photo.empty:
        set_empty(session, photo, asked.empty)
    if asked.accepted is not None:
        accept_cutouts(session, [photo], asked.accepted)
    after.add_task(bench.dispatcher.wake)
    tagged(response, decisions_of(photo))
    return _whole(session, photo)


@router.get(
    "/photos/{photo_id}/original",
    dependencies=may(Right.READ),
    response_class=Response,
    responses={200: {"content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}},
)
def read_original(bench: Bench, photo: SeenPhoto) -> Response:
    """The file as it came in, byte by byte."""
    return file_of(bench.vault.original(photo.digest), "application/octet-stream", photo.name)


@router.get(
    "/photos/{photo_id}/cutout",
    dependencies=may(Right.READ),
    response_class=Response,
    responses={200: {"content": {"image/webp": {"schema": {"type": "string", "format": "binary"}}}}},
)
def read_cutout(bench: Bench, photo: SeenPhoto) -> Response:
    """The item with its transparency, reduced to the size of a screen. 404 as long as it is not cleared."""
    if photo.cutout_key is None:
        raise Refusal(404, "This photo is not cleared.")
    return file_of(bench.vault.preview(photo.cutout_key, "large"), "image/webp")


def file_of(kept: Kept, media: str, name: str = "") -> Response:
    """A file of the library, to be saved under a name if it has one. Raises Refusal if it is gone."""
    if not kept.exists():
        raise Refusal(404, "Its file is not there any more.")
    return FileResponse(kept.path(), media_type=media, filename=name or None)
