"""Writing down what came of a piece of work."""

from dataclasses import fields
from typing import Any

from sqlalchemy import update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from zero_easel.engines.making import Made
from zero_easel.engines.processes import reason_of
from zero_easel.library.store.models import Clearing, CutoutRow, PhotoRow, PictureRow, PictureState, Run, RunState, now
from zero_easel.library.telling import tell_of_run
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
        failures = _store_pictures(session, job, result)
        if failures:
            _stop_if_asked(session, job.run_id, failures[0])
    elif isinstance(result, BaseException) and (photo := session.get(PhotoRow, job.photo_id)):
        photo.clearing, photo.problem = Clearing.FAILED, reason_of(result, job.name)


def _store_cutout(session: Session, photo_id: int, cleared: Cleared) -> None:
    values = {field.name: getattr(cleared, field.name) for field in fields(cleared)}
    statement = insert(CutoutRow).values(values)
    session.execute(statement.on_conflict_do_update(index_elements=["key"], set_=values))
    photo = session.get(PhotoRow, photo_id)
    if photo is not None:
        photo.clearing, photo.problem, photo.cutout_key = Clearing.DONE, "", cleared.key


def _stop_if_asked(session: Session, run_id: int | None, failure: str) -> None:
    """Let a run rest in which a picture has failed, if a person wants to look at that first."""
    run = session.get(Run, run_id)
    # A trial may have gone meanwhile.
    if run is not None and run.stop_at_failure and run.state == RunState.RUNNING:
        run.state, run.note = RunState.PAUSED, f"It rests, as asked, for a picture failed: {failure}"
        tell_of_run(session, run)


def _store_pictures(session: Session, job: Job, result: Any) -> list[str]:
    """Returns why some failed. Those of a trial that has gone meanwhile are gone."""
    lost = isinstance(result, BaseException)
    made = [Made(failure=reason_of(result, job.name))] * len(job.picture_ids) if lost else result.made
    for picture_id, one in zip(job.picture_ids, made, strict=True):
        # No row is read for it: this is done for every picture of a run, beside pages that are looked at.
        session.execute(
            update(PictureRow).where(PictureRow.id == picture_id).values(_known_of(one)),
            execution_options={"synchronize_session": False},
        )
    return [one.failure for one in made if one.failure]


def _known_of(made: Made) -> dict[str, Any]:
    if made.failure:
        return {"state": PictureState.FAILED, "message": made.failure, "made": now()}
    return {
        "state": PictureState.DONE,
        "message": made.message,
        "made": now(),
        "quality": made.quality,
        "width": made.width,
        "height": made.height,
        "bytes": made.bytes,
        "sha256": made.sha256,
        "checks": made.checks,
        "matrix": made.matrix,
        "unmet": unmet_of(made.checks),
    }
