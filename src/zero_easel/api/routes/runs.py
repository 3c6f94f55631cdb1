"""Runs, and what came of them: pictures, their checks and files, archives and lists."""

import json
from enum import StrEnum
from typing import Annotated, Any, Literal

from fastapi import APIRouter, BackgroundTasks, Query, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.api import PREFIX
from zero_easel.api.access import Bench, Reading, Writing, may
from zero_easel.api.once import Creating, made
from zero_easel.api.pages import Listing, PartAsked
from zero_easel.api.problems import Refusal, problems
from zero_easel.api.routes.photos import file_of
from zero_easel.api.told import ChangedRun, ChangedShoot, Moment, SeenPicture, SeenRun, SeenShoot, Sent
from zero_easel.core.standard.deliverable import FORMATS
from zero_easel.core.standard.patterns import PatternError
from zero_easel.library.store.access import Right
from zero_easel.library.store.models import PictureRow, PictureState, Run, RunState
from zero_easel.planning.manifest import JSON_NAME
from zero_easel.runs.archive import lists_of, stream_archive
from zero_easel.runs.forecast import forecast
from zero_easel.runs.service import RunError, ask_for_run, go_first, progress_of, set_state, try_again

router = APIRouter()
_TYPES = {kind.suffix: kind.mime for kind in FORMATS.values()}
_ANY_FILE: dict[int | str, dict[str, Any]] = {
    200: {
        "content": {media: {"schema": {"type": "string", "format": "binary"}} for media in sorted({*_TYPES.values()})}
    }
}


class RunTold(BaseModel):
    """A run. standard, version: that it began with. state: running, paused, stopped, interrupted or done. note: why it
    rests. urgent: it goes before others. trial: of a few photos only. total: pictures, those that are left out aside;
    reused: of the done those that an earlier run had made. per_minute, seconds_left: null while unknown or at rest."""

    id: int = Field(examples=[1])
    shoot: int
    shoot_name: str
    standard: int | None
    version: int
    state: RunState
    note: str
    urgent: bool
    trial: bool
    created: Moment
    ended: Moment | None
    total: int
    done: int
    failed: int
    remaining: int
    left_out: int
    reused: int
    per_minute: float | None
    seconds_left: float | None


class RunAsked(BaseModel):
    """A run that starts by itself as soon as all photos have been looked through for code cards."""

    shoot: int
    said: str


class RunWish(StrEnum):
    """What a run is to do."""

    GO_ON = "go-on"
    PAUSE = "pause"
    STOP = "stop"
    TRY_AGAIN = "try-again"
    GO_FIRST = "go-first"


class RunWished(Sent):
    """go-on: be taken up again. pause: rest. stop: end, but may be taken up again. try-again: make what failed once
    more. go-first: go before all other runs."""

    wish: RunWish


class Reason(BaseModel):
    """Why some pictures would be made."""

    pictures: int
    why: str


class ForecastTold(BaseModel):
    """What a run would do now. there: pictures that an earlier run has made. null without an earlier run: all are
    made."""

    total: int | None
    there: int | None
    reasons: list[Reason]


class CheckTold(BaseModel):
    """A check and how a picture met it. mend: what to do if it did not."""

    rule: str
    value: str
    measured: str
    ok: bool
    mend: str


class PictureTold(BaseModel):
    """A picture of a run. output: its path among those of the run, "" if none is made of the photo. state: waiting,
    working, done, failed or left out. message: why it failed or is left out, or what there is to know. quality: that it
    was encoded with, 0 where there is none. unmet: how many checks it does not meet."""

    id: int = Field(examples=[1])
    run: int
    photo: int
    original: str = Field(examples=["BRYD0102.JPG"])
    code: str
    view: str
    deliverable: str
    output: str
    state: PictureState
    message: str
    width: int
    height: int
    bytes: int
    sha256: str
    quality: int
    unmet: int
    checks: list[CheckTold]


def told(session: Session, run: Run) -> RunTold:
    """A run as it stands."""
    at = progress_of(session, run)
    return RunTold(
        id=run.id,
        shoot=run.shoot_id,
        shoot_name=run.shoot.name,
        standard=run.standard_id,
        version=run.standard_version,
        note=run.note,
        urgent=run.urgent,
        trial=run.trial,
        created=run.created,
        ended=run.ended,
        **{key: getattr(at, key) for key in _COUNTED},
    )


_COUNTED = ("state", "total", "done", "failed", "remaining", "left_out", "reused", "per_minute", "seconds_left")


def _picture(row: PictureRow) -> PictureTold:
    checks = [CheckTold(**one._asdict()) for one in row.checks]
    message = "; ".join(text for text in (row.note, row.message) if text)
    same = ("id", "original", "code", "deliverable", "output", "state", "width", "height", "bytes", "sha256")
    return PictureTold(
        run=row.run_id,
        photo=row.photo_id,
        view=row.view or row.subject.view,
        message=message,
        checks=checks,
        quality=row.quality,
        unmet=row.unmet,
        **{key: getattr(row, key) for key in same},
    )


@router.get("/runs", tags=["runs"], dependencies=may(Right.READ))
def list_runs(
    session: Reading,
    cursor: PartAsked,
    shoot: Annotated[int, Query(ge=0, le=2**53, description="WhichPhotos those over this shoot.")] = 0,
) -> Listing[RunTold]:
    """All runs, the newest first."""
    query = select(Run).where(Run.shoot_id == shoot) if shoot else select(Run)
    rows = cursor.rows(session, query, Run.id, newest=True)
    return cursor.part(rows, lambda run: told(session, run), lambda run: run.id)


@router.get("/runs/{run_id}", tags=["runs"], dependencies=may(Right.READ))
def read_run(session: Reading, run: SeenRun) -> RunTold:
    """One run as it stands."""
    return told(session, run)


@router.get("/shoots/{shoot_id}/forecast", tags=["runs"], dependencies=may(Right.READ), responses=problems(409))
def read_forecast(session: Reading, shoot: SeenShoot) -> ForecastTold:
    """What a run over a shoot would make now, and why."""
    try:
        found = forecast(session, shoot)
    except PatternError as error:
        raise Refusal(409, f"The file names cannot be made: {error}.") from error
    if found is None:
        return ForecastTold(total=None, there=None, reasons=[])
    reasons = [Reason(pictures=count, why=why) for count, why in found.reasons]
    return ForecastTold(total=found.total, there=found.there, reasons=reasons)


@router.post(
    "/shoots/{shoot_id}/runs",
    tags=["runs"],
    status_code=201,
    response_model=RunTold,
    dependencies=may(Right.RUNS),
    responses={202: {"model": RunAsked}, **problems(409)},
)
def start(session: Writing, bench: Bench, shoot: ChangedShoot, once: Creating, after: BackgroundTasks) -> Response:
    """Start a run over a shoot by its standard as it is now. 202 if some photos are still being looked through for code
    cards: it then starts by itself. What an earlier run made of the very same things is taken over."""

    def create() -> Response:
        try:
            run = ask_for_run(session, bench.vault, shoot)
        except RunError as error:
            raise Refusal(409, str(error)) from error
        if run is None:
            said = "It starts as soon as all photos have been looked through for code cards."
            return made(RunAsked(shoot=shoot.id, said=said), f"{PREFIX}/runs?shoot={shoot.id}", status=202)
        return made(told(session, run), f"{PREFIX}/runs/{run.id}")

    answer = once.do(None, create)
    after.add_task(bench.dispatcher.wake)
    answer.background = after
    return answer


@router.post("/runs/{run_id}/wishes", tags=["runs"], dependencies=may(Right.RUNS), responses=problems(409))
def wish(session: Writing, bench: Bench, run: ChangedRun, asked: RunWished, after: BackgroundTasks) -> RunTold:
    """Let a run rest, end, go on, try again what failed, or go before others. 409 if it is at its end."""
    states = {RunWish.GO_ON: RunState.RUNNING, RunWish.PAUSE: RunState.PAUSED, RunWish.STOP: RunState.STOPPED}
    try:
        if asked.wish == RunWish.TRY_AGAIN:
            try_again(session, run)
        elif asked.wish == RunWish.GO_FIRST:
            go_first(session, run)
        else:
            set_state(session, run, states[asked.wish])
    except RunError as error:
        raise Refusal(409, str(error)) from error
    session.flush()
    after.add_task(bench.dispatcher.wake)
    return told(session, run)


@router.get("/runs/{run_id}/pictures", tags=["results"], dependencies=may(Right.READ))
def list_pictures(
    session: Reading,
    run: SeenRun,
    cursor: PartAsked,
    state: Annotated[PictureState | None, Query(description="WhichPhotos those in this state.")] = None,
    only: Annotated[Literal["all", "unmet"], Query(description="unmet: only those that fail a check.")] = "all",
) -> Listing[PictureTold]:
    """The pictures of a run in shooting order."""
    query = select(PictureRow).where(PictureRow.run_id == run.id)
    query = query.where(PictureRow.state == state) if state is not None else query
    query = query.where(PictureRow.unmet > 0) if only == "unmet" else query
    return cursor.part(cursor.rows(session, query, PictureRow.id), _picture, lambda row: row.id)


@router.get("/pictures/{picture_id}", tags=["results"], dependencies=may(Right.READ))
def read_picture(picture: SeenPicture) -> PictureTold:
    """One picture of a run, with its checks."""
    return _picture(picture)


@router.get(
    "/pictures/{picture_id}/file",
    tags=["results"],
    dependencies=may(Right.READ),
    response_class=Response,
    responses=_ANY_FILE,
)
def read_picture_file(bench: Bench, picture: SeenPicture) -> Response:
    """A finished picture, byte by byte as it is handed over. 404 as long as it is not finished."""
    if picture.state != PictureState.DONE:
        raise Refusal(404, "This picture is not finished.")
    ending = "." + picture.output.rpartition(".")[2]
    name = picture.output.rpartition("/")[2]
    return file_of(bench.vault.picture(picture.run_id, picture.output), _TYPES[ending], name)


@router.get(
    "/runs/{run_id}/archive",
    tags=["results"],
    dependencies=may(Right.READ),
    response_class=StreamingResponse,
    responses={200: {"content": {"application/zip": {"schema": {"type": "string", "format": "binary"}}}}},
)
def read_archive(session: Reading, bench: Bench, run: SeenRun) -> StreamingResponse:
    """All that is handed over, with the lists, as one ZIP archive that is made while it is sent."""
    return StreamingResponse(stream_archive(session, bench.vault, run), media_type="application/zip")


class Manifest(BaseModel):
    """What became of each photo of a run; see docs/formats.md."""

    shoot: str
    run: int
    standard: str
    version: int
    pictures: list[dict[str, Any]]


@router.get("/runs/{run_id}/manifest", tags=["results"], dependencies=may(Right.READ))
def read_manifest(session: Reading, run: SeenRun) -> Manifest:
    """What became of each photo of a run, as manifest.json in its archive."""
    return Manifest.model_validate(json.loads(lists_of(session, run)[JSON_NAME]))
