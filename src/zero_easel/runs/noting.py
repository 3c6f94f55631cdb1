"""Writing down what came of a piece of work."""

from dataclasses import fields
from typing import Any

from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from zero_easel.engines.making import Made
from zero_easel.engines.processes import reason_of
from zero_easel.library.store.models import Clearing, CutoutRow, PhotoRow, PictureRow, PictureState, Run, RunState, now
from zero_easel.runs.next_up import Job
from zero_easel.runs.results import unmet_of
from zero_easel.runs.work import Cleared


def came_to_nothing(result: Any) -> bool:
    """Whether it failed, or some of its pictures did."""
    return isinstance(result, BaseException) or any(made.failure for made in getattr(result, "made", ()))


def note(session: Session, job: Job, result: Any) -> None:
    """Of a photo that was cleared, or of its pictures. result: what the piece of work returned or raised."""
    cleared = result if isinstance(result, Cleared) else getattr(result, "cleared", None)
    if cleared is not None:
        _store_cutout(session, job.photo_id, cleared)
    if job.picture_ids:
        _store_pictures(session, job, result)
        _stop_if_asked(session, job)
    elif isinstance(result, BaseException) and (photo := session.get(PhotoRow, job.photo_id)):
        photo.clearing, photo.problem = Clearing.FAILED, reason_of(result, job.name)


def _store_cutout(session: Session, photo_id: int, cleared: Cleared) -> None:
    values = {field.name: getattr(cleared, field.name) for field in fields(cleared)}
    statement = insert(CutoutRow).values(values)
    session.execute(statement.on_conflict_do_update(index_elements=["key"], set_=values))
    photo = session.get(PhotoRow, photo_id)
    if photo is not None:
        photo.clearing, photo.problem, photo.cutout_key = Clearing.DONE, "", cleared.key


def _stop_if_asked(session: Session, job: Job) -> None:
    """Let a run rest in which a picture has failed, if a person wants to look at that first."""
    run = session.get(Run, job.run_id)
    if run is None or not run.stop_at_failure:  # a trial may have gone meanwhile
        return
    failed = [picture for at in job.picture_ids if (picture := session.get(PictureRow, at)) is not None]
    failed = [picture for picture in failed if picture.state == PictureState.FAILED]
    if failed and run.state == RunState.RUNNING:
        run.state, run.note = RunState.PAUSED, f"It rests, as asked, for a picture failed: {failed[0].message}"


def _store_pictures(session: Session, job: Job, result: Any) -> None:
    lost = isinstance(result, BaseException)
    made = [Made(failure=reason_of(result, job.name))] * len(job.picture_ids) if lost else result.made
    for picture_id, one in zip(job.picture_ids, made, strict=True):
        picture = session.get(PictureRow, picture_id)
        if picture is None:
            continue
        picture.made = now()
        if one.failure:
            picture.state, picture.message = PictureState.FAILED, one.failure
            continue
        picture.state, picture.message, picture.quality = PictureState.DONE, one.message, one.quality
        picture.width, picture.height = one.width, one.height
        picture.bytes, picture.sha256 = one.bytes, one.sha256
        picture.checks, picture.matrix = one.checks, one.matrix
        picture.unmet = unmet_of(one.checks)
