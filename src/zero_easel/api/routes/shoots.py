"""Shoots: batches of photos that belong together, and what comes into them."""

from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, File, Query, Request, Response, UploadFile
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.api import PREFIX
from zero_easel.api.access import Bench, Reading, Writing, may
from zero_easel.api.once import Creating, made
from zero_easel.api.pages import Listing, PartAsked
from zero_easel.api.problems import Refusal, found, problems
from zero_easel.api.told import ChangedShoot, Moment, Number, Other, SeenShoot, Sent, YesOrNo
from zero_easel.api.versions import Seen, tagged
from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.changes.repairs import set_bursts, set_cards, set_raw_counts
from zero_easel.library.changes.standards import follow
from zero_easel.library.incoming import take
from zero_easel.library.lists.summary import Summary, summaries
from zero_easel.library.shoots import create_shoot, delete_shoot, rename_shoot
from zero_easel.library.store.access import Right
from zero_easel.library.store.models import Shoot, StandardRow
from zero_easel.runs.service import latest_run

router = APIRouter(tags=["shoots"])
Files = Annotated[list[UploadFile], File(min_length=1)]
Name = Annotated[str, Field(min_length=1, max_length=200, pattern=r"\S", examples=["Autumn shelf"])]


class ShootSettings(BaseModel):
    """What people decide about a shoot. standard: number of the one that it follows. cards: there may be code cards
    among its photos. raw_counts: of a raw file and the picture beside it the raw file is the photo. bursts: of photos
    taken within seconds and nearly alike the best is taken. stop_at_failure: its runs rest once a picture fails."""

    name: Name
    standard: int
    cards: bool
    raw_counts: bool
    bursts: bool
    stop_at_failure: bool


class Counts(BaseModel):
    """Photos of a shoot. broken: that give no picture. to_read: not looked through for code cards yet. taking_part:
    that a run makes pictures of; of these to_clear: not cut out yet, to_look_at: cut out with doubt. to_match: whose
    product needs a person."""

    photos: int = Field(examples=[30])
    broken: int
    to_read: int
    taking_part: int
    to_clear: int
    to_look_at: int
    to_match: int


class ShootTold(ShootSettings):
    """A shoot. whole: its pictures are whole ones, nothing is cut out. newest_run: its number, null without any."""

    id: int = Field(examples=[1])
    created: Moment
    whole: bool
    counts: Counts
    newest_run: int | None


class NewShoot(Sent):
    """whole: its pictures are to be whole ones, nothing cut out."""

    name: Name
    whole: YesOrNo = False


class ShootChange(Sent):
    """Whatever is left out stays as it is."""

    name: Name | None = None
    standard: Other | None = None
    cards: YesOrNo | None = None
    raw_counts: YesOrNo | None = None
    bursts: YesOrNo | None = None
    stop_at_failure: YesOrNo | None = None


class FileTaken(BaseModel):
    """What became of one file. kind: photo, table or archive. said: why it was refused, or what there is to know."""

    name: str = Field(examples=["BRYD0102.JPG"])
    kind: str = Field(examples=["photo"])
    taken: bool
    said: str


class FilesTaken(BaseModel):
    """One for each file, those within archives too."""

    files: list[FileTaken]


def settings_of(shoot: Shoot) -> ShootSettings:
    """What an ETag of a shoot is of."""
    return ShootSettings(
        name=shoot.name,
        standard=shoot.standard_id,
        cards=shoot.cards,
        raw_counts=shoot.raw_counts,
        bursts=shoot.bursts,
        stop_at_failure=shoot.stop_at_failure,
    )


def told(session: Session, shoot: Shoot) -> ShootTold:
    """A shoot with its counts."""
    return _told(session, shoot, summaries(session, [shoot.id]).get(shoot.id, Summary()))


def _told(session: Session, shoot: Shoot, at: Summary) -> ShootTold:
    run = latest_run(session, shoot.id)
    counts = Counts(
        photos=at.photos,
        broken=at.broken,
        to_read=at.unread,
        taking_part=at.part,
        to_clear=at.waiting,
        to_look_at=at.look,
        to_match=at.to_settle,
    )
    return ShootTold(
        id=shoot.id,
        created=shoot.created,
        whole=shoot.whole,
        counts=counts,
        newest_run=run.id if run else None,
        **settings_of(shoot).model_dump(),
    )


@router.get("/shoots", dependencies=may(Right.READ))
def list_shoots(
    session: Reading,
    cursor: PartAsked,
    name: Annotated[str, Query(max_length=200, description="WhichPhotos those of exactly this name.")] = "",
) -> Listing[ShootTold]:
    """All shoots, the newest first."""
    query = select(Shoot).where(Shoot.name == name) if name else select(Shoot)
    rows = cursor.rows(session, query, Shoot.id, newest=True)
    counted = summaries(session, [shoot.id for shoot in rows])
    return cursor.part(rows, lambda one: _told(session, one, counted.get(one.id, Summary())), lambda one: one.id)


@router.post("/shoots", dependencies=may(Right.PHOTOS), status_code=201, response_model=ShootTold)
def add_shoot(session: Writing, asked: NewShoot, once: Creating) -> Response:
    """A new, empty shoot under the shop's first standard, or, of whole pictures, under one of its own."""

    def create() -> Response:
        try:
            shoot = create_shoot(session, asked.name, whole=asked.whole)
        except ValueError as error:
            raise Refusal(422, str(error)) from error
        return made(told(session, shoot), f"{PREFIX}/shoots/{shoot.id}", settings_of(shoot))

    return once.do(asked, create)


@router.get("/shoots/{shoot_id}", dependencies=may(Right.READ))
def read_shoot(session: Reading, shoot: SeenShoot, response: Response) -> ShootTold:
    """One shoot."""
    tagged(response, settings_of(shoot))
    return told(session, shoot)


@router.patch("/shoots/{shoot_id}", dependencies=may(Right.PHOTOS), responses=problems(412, 428))
def change_shoot(
    session: Writing,
    bench: Bench,
    shoot: ChangedShoot,
    asked: ShootChange,
    seen: Seen,
    response: Response,
    after: BackgroundTasks,
) -> ShootTold:
    """Change what is decided about a shoot."""
    seen.must_be(settings_of(shoot))
    ensure_matched(session, shoot)
    if asked.name is not None:
        try:
            rename_shoot(session, shoot, asked.name)
        except ValueError as error:
            raise Refusal(422, str(error)) from error
    if asked.standard is not None and asked.standard != shoot.standard_id:
        follow(session, shoot, found(session.get(StandardRow, asked.standard), "standard"))
    for value, say in ((asked.cards, set_cards), (asked.raw_counts, set_raw_counts), (asked.bursts, set_bursts)):
        if value is not None:
            say(session, shoot, value)
    if asked.stop_at_failure is not None:
        shoot.stop_at_failure = asked.stop_at_failure
    session.flush()
    after.add_task(bench.dispatcher.wake)
    tagged(response, settings_of(shoot))
    return told(session, shoot)


@router.delete("/shoots/{shoot_id}", dependencies=may(Right.PHOTOS), status_code=204, responses=problems(409, 412, 428))
def remove_shoot(session: Writing, bench: Bench, shoot: ChangedShoot, seen: Seen) -> None:
    """Delete a shoot with its matches, marks, runs and finished pictures. Its photos' files stay in the library."""
    seen.must_be(settings_of(shoot))
    try:
        delete_shoot(session, bench.vault, shoot)
    except ValueError as error:
        raise Refusal(409, str(error)) from error


@router.post("/shoots/{shoot_id}/files", dependencies=may(Right.PHOTOS), responses=problems(413))
def bring_files_in(request: Request, bench: Bench, shoot_id: Number, files: Files) -> FilesTaken:
    """Bring photos, product tables, shot lists and ZIP archives of them in. Each is told apart; one that is damaged
    stops nothing. The same file under the same name comes in once, however often it is sent."""
    with bench.database.session() as session:
        found(session.get(Shoot, shoot_id), "shoot")
    taken: list[FileTaken] = []
    database = bench.database.acting(request.state.caller.name)
    for file in files:
        bench.dispatcher.arriving()
        for one in take(database, bench.vault, shoot_id, file.filename or "", file.file):
            taken.append(FileTaken(name=one.name, kind=one.kind, taken=one.ok, said=one.message))
    bench.dispatcher.wake()
    return FilesTaken(files=taken)
