"""Runs as people ask for them: start, pause, stop, continue, progress, archive."""

from collections import Counter
from collections.abc import Collection
from contextlib import suppress
from dataclasses import dataclass

from sqlalchemy import Select, delete, func, select, update
from sqlalchemy.orm import Session, joinedload

from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import is_by_row
from zero_easel.core.placing.placement import Adjustment, Placement, Subject
from zero_easel.core.standard.patterns import PatternError
from zero_easel.engines.making import Made
from zero_easel.library.batches import plan_shoot
from zero_easel.library.changes.standards import freeze
from zero_easel.library.lists.lines import takes_part
from zero_easel.library.people import journal
from zero_easel.library.shoots import waiting_to_be_read
from zero_easel.library.store.models import Clearing, PhotoRow, PictureRow, PictureState, Run, RunState, Shoot, now
from zero_easel.library.store.vault import Vault
from zero_easel.library.telling import tell_of_run
from zero_easel.pipeline import needs_cutout
from zero_easel.planning.batch import lay_all
from zero_easel.runs.drafts.drafting import Draft, drafts_of, write_down
from zero_easel.runs.drafts.reuse import in_pieces, taken_over

UNDER_WAY = (RunState.RUNNING, RunState.PAUSED)
RESTING = (RunState.PAUSED, RunState.STOPPED, RunState.INTERRUPTED)


_LATEST = 60
"""Pictures by which the pace of a run is told."""


class RunError(Exception):
    """A run that cannot start or go on, with the reason in a sentence."""


class StillReadingError(RunError):
    """A run that cannot start yet."""


@dataclass(frozen=True)
class Progress:
    """Where a run stands. reused: how many of those done an earlier run had made already. clearing: photos that are
    still to be cut out before anything is drawn. per_minute: pictures, of late; seconds_left: expected to its end; both
    None while unknown or at rest."""

    state: RunState
    total: int
    done: int
    failed: int
    left_out: int
    reused: int
    clearing: int
    per_minute: float | None
    seconds_left: float | None
    note: str

    @property
    def remaining(self) -> int:
        """Pictures still to be made."""
        return self.total - self.done - self.failed

    @property
    def running(self) -> bool:
        """Whether it is going on by itself."""
        return self.state == RunState.RUNNING

    @property
    def can_continue(self) -> bool:
        """Whether a person may take it up again."""
        return self.state in RESTING


def ask_for_run(session: Session, vault: Vault, shoot: Shoot) -> Run | None:
    """Start a run over a shoot, or, while its photos are still being read for code cards, as soon as that is through:
    None then. Raises RunError as start_run does."""
    try:
        return start_run(session, vault, shoot)
    except StillReadingError:
        shoot.run_asked = True
        return None


def start_asked(session: Session, vault: Vault, shoot_ids: Collection[int]) -> None:
    """Start the runs that were asked for over some shoots whose photos have been read. One that cannot start is asked
    for no more: the page says why."""
    asked = session.scalars(select(Shoot).where(Shoot.id.in_(shoot_ids), Shoot.run_asked)).unique().all()
    for shoot in asked:
        shoot.run_asked = False
        with suppress(RunError):  # what came in since is waited for, too
            ask_for_run(session, vault, shoot)


def start_run(session: Session, vault: Vault, shoot: Shoot, only: Collection[int] | None = None) -> Run:
    """Plan and queue a run over a shoot with the standard as it is now, and freeze that version. What an earlier run
    made from the very same photo, rules and facts is taken from there and not made again. only: ids of the photos that
    a trial is of; the others stand in its row, and are not made. Former trials go.

    Raises RunError if nothing can be made, if two outputs would share a name, or if a run is under way.
    """
    if is_under_way(session, shoot.id):
        raise RunError("A run over this shoot is under way.")
    try:
        planned = plan_shoot(session, shoot)
    except PatternError as error:
        raise RunError(f"The file names cannot be made: {error}.") from error
    unread = any(not line.code and not line.read for line, _ in planned.pictures)
    if unread and shoot.cards and waiting_to_be_read(session, [shoot.id]):
        raise StillReadingError("Some photos are still being read for code cards; that takes a moment.")
    if planned.batch.clashes:
        raise RunError(f"{planned.batch.clashes[0]}. Give them different views or change the name pattern.")
    if not planned.batch.pictures:
        raise RunError("No photo of this shoot can be made into a picture.")
    freeze(session, shoot.standard)
    standard = shoot.standard
    run = Run(shoot_id=shoot.id, standard_id=standard.id, standard_version=standard.version, rules=standard.rules)
    run.trial, run.stop_at_failure = only is not None, shoot.stop_at_failure
    session.add(run)
    session.flush()
    drafts = drafts_of(session, shoot, run.rules, planned)
    if only is not None:
        drafts = [_tried(draft, only) for draft in drafts]
    # Taken over before they are written down: of thousands each is written once.
    write_down(session, run.id, drafts, taken_over(session, vault, run, drafts))
    what = "tried a few photos" if run.trial else f"started run {run.id}"
    journal.write(session, what, about=shoot.name, shoot_id=shoot.id, standard_id=standard.id, run_id=run.id)
    _remove_trials(session, vault, run)
    finish_if_through(session, vault, run.id)
    session.refresh(run)
    return run


def _tried(draft: Draft, only: Collection[int]) -> Draft:
    if draft.output and draft.photo_id not in only:
        return draft._replace(state=PictureState.LEFT_OUT, message="is not part of the trial")
    return draft


def is_under_way(session: Session, shoot_id: int) -> bool:
    """Whether a run over a shoot goes on, or waits for a person; a trial gives way."""
    query = select(Run.id).where(Run.shoot_id == shoot_id, Run.state.in_(UNDER_WAY), ~Run.trial)
    return session.scalar(query.limit(1)) is not None


def _remove_trials(session: Session, vault: Vault, new: Run) -> None:
    """Take the former trials of a run's shoot away, pictures and all; what is under way comes to nothing by it."""
    query = select(Run).where(Run.shoot_id == new.shoot_id, Run.trial, Run.id != new.id)
    for run in session.scalars(query).all():
        session.execute(delete(PictureRow).where(PictureRow.run_id == run.id))
        session.delete(run)
        session.flush()
        vault.remove_run(run.id)


def set_state(session: Session, run: Run, state: RunState) -> None:
    """Pause, stop, or take up again; other programs are told. Raises RunError if it is at its end.

    Pictures in hand are still finished; a stopped run keeps what it made and can be taken up again.
    """
    if run.state == RunState.DONE:
        raise RunError("This run has ended.")
    if state == RunState.RUNNING and run.state in RESTING:
        run.resumed, run.note = now(), ""
    fresh = run.state != state
    run.state = state
    run.ended = now() if state == RunState.STOPPED else None
    if fresh:
        _told(session, run, f"{run.name} is {state}")
    if fresh and state != RunState.RUNNING:
        tell_of_run(session, run)


def _told(session: Session, run: Run, text: str) -> None:
    journal.write(session, text, about=run.shoot.name, shoot_id=run.shoot_id, run_id=run.id)


def go_first(session: Session, run: Run) -> None:
    """Let a run go before all others."""
    session.execute(update(Run).where(Run.id != run.id).values(urgent=False))
    run.urgent = True
    _told(session, run, f"{run.name} goes first")


def other_runs_go(session: Session, run: Run) -> bool:
    """Whether another run is going on, too."""
    query = select(Run.id).where(Run.state == RunState.RUNNING, Run.id != run.id)
    return session.scalar(query.limit(1)) is not None


def try_again(session: Session, run: Run) -> int:
    """What failed waits once more, alone; returns how many pictures. Files that give no picture are not asked again."""
    again = [
        picture
        for picture in pictures_of(session, run.id)
        if picture.state == PictureState.FAILED and picture.output and not picture.photo.error
    ]
    for picture in again:
        picture.state, picture.message = PictureState.WAITING, ""
        photo = picture.photo
        if photo.clearing == Clearing.FAILED:
            photo.clearing, photo.problem = Clearing.WAITING, ""
    if again:
        run.state, run.ended, run.note, run.resumed = RunState.RUNNING, None, "", now()
        _told(session, run, f"tried {len(again)} failed pictures of {run.name} again")
    session.flush()
    return len(again)


def finish_if_through(session: Session, vault: Vault, run_id: int) -> bool:
    """Mark a run as done once nothing of it is waiting or in hand; returns whether that is so. A picture whose file has
    gone meanwhile waits again."""
    run = session.get(Run, run_id)
    left = PictureRow.state.in_((PictureState.WAITING, PictureState.WORKING))
    unmade = select(PictureRow.id).where(PictureRow.run_id == run_id, left).limit(1)
    if run is None or session.scalar(unmade) is not None:
        return False
    if _check_files(session, vault, run):
        return False
    # A statement, so that it is written whatever is in hand; who marks it as done tells of it.
    done = update(Run).where(Run.id == run_id, Run.state != RunState.DONE)
    if session.connection().execute(done.values(state=RunState.DONE, ended=now(), note="")).rowcount:
        session.refresh(run)
        tell_of_run(session, run)
    return True


def progress_of(session: Session, run: Run) -> Progress:
    """Counts, pace and the expected time to the end."""
    counts = _counts(session, run.id)
    done, failed = counts[PictureState.DONE], counts[PictureState.FAILED]
    total = sum(counts.values()) - counts[PictureState.LEFT_OUT]
    reused = (
        session.scalar(
            select(func.count()).select_from(PictureRow).where(PictureRow.run_id == run.id, PictureRow.reused)
        )
        or 0
    )
    running = run.state == RunState.RUNNING
    pace = _pace(session, run) if running else None
    left = (total - done - failed) / pace if pace else None
    clearing = 0
    if running and is_by_row(run.rules):
        photos = _uncleared(run).with_only_columns(func.count(PictureRow.photo_id.distinct()))
        clearing = session.scalar(photos) or 0
    minute = 60 * pace if pace else None
    return Progress(
        run.state, total, done, failed, counts[PictureState.LEFT_OUT], reused, clearing, minute, left, run.note
    )


def _pace(session: Session, run: Run) -> float | None:
    """Pictures a second by the latest of them since the run was last taken up: how slowly it began does not count for
    long, and if nothing more is made, it falls. None while too few are known."""
    query = (
        select(PictureRow.made)
        .where(PictureRow.run_id == run.id, PictureRow.made >= run.resumed)
        .order_by(PictureRow.made.desc())
        .limit(_LATEST)
    )
    made = [moment for moment in session.scalars(query) if moment is not None]
    if len(made) < 2:
        return None
    # The oldest of the latest only says when counting begins, unless it is the first of all.
    whole = len(made) < _LATEST
    begun, count = (run.resumed, len(made)) if whole else (made[-1], len(made) - 1)
    return count / max(0.001, (now() - begun).total_seconds())


def _uncleared(run: Run) -> Select[PictureRow]:
    """Pictures of a run whose photos are not cut out yet."""
    return (
        select(PictureRow)
        .join(PhotoRow, PhotoRow.id == PictureRow.photo_id)
        .where(PictureRow.run_id == run.id, PictureRow.output != "", PhotoRow.clearing == Clearing.WAITING)
        .where(~PhotoRow.left_out, ~PhotoRow.empty, ~PhotoRow.card, PhotoRow.listed)
    )


def _is_clearing(session: Session, run: Run) -> bool:
    """Whether photos of a run are still to be cut out; asked of the first few as a rule."""
    query = (
        _uncleared(run).options(joinedload(PictureRow.photo)).execution_options(populate_existing=True, yield_per=20)
    )
    return any(
        takes_part(picture.photo) and needs_cutout(subject_of(picture), run.rules) for picture in session.scalars(query)
    )


def recover(session: Session, vault: Vault) -> list[int]:
    """After a restart: whatever was under way is interrupted, pictures in hand wait again; returns those runs."""
    session.execute(
        update(PictureRow).where(PictureRow.state == PictureState.WORKING).values(state=PictureState.WAITING)
    )
    runs = session.scalars(select(Run).where(Run.state == RunState.RUNNING)).all()
    for run in runs:
        _check_files(session, vault, run)
        if finish_if_through(session, vault, run.id):
            continue
        at = progress_of(session, run)
        run.state = RunState.INTERRUPTED
        run.note = (
            f"The application ended while this run was under way. {at.done} of {at.total} pictures are finished and "
            f"kept, {at.remaining} remain. Continue makes the rest."
        )
        tell_of_run(session, run)
    return [run.id for run in runs if run.state == RunState.INTERRUPTED]


def pictures_of(session: Session, run_id: int) -> list[PictureRow]:
    """All outputs of a run in shooting order."""
    return list(session.scalars(select(PictureRow).where(PictureRow.run_id == run_id).order_by(PictureRow.id)))


def latest_run(session: Session, shoot_id: int) -> Run | None:
    """The newest run over a shoot that was no trial."""
    query = select(Run).where(Run.shoot_id == shoot_id, ~Run.trial).order_by(Run.id.desc())
    return session.scalar(query.limit(1))


def subject_of(picture: PictureRow) -> Subject:
    """What a picture's place depends on besides its cutout and the rules; measures are still missing."""
    kept, original = picture.subject, picture.photo.original
    return Subject(
        None,
        Size(original.width, original.height),
        kept.category,
        kept.view or picture.view,
        kept.size,
        Adjustment.of(dict(kept.adjustment)),
        kept.listed,
    )


def placements_of(session: Session, run: Run) -> dict[int, Placement | None] | None:
    """Where all pictures of a run go, by their ids, each deliverable laid out as one row of all photos; None while some
    are not cleared yet."""
    query = (
        select(PictureRow)
        .where(PictureRow.run_id == run.id, PictureRow.output != "")
        .options(joinedload(PictureRow.photo))
        .order_by(PictureRow.id)
    )
    if _is_clearing(session, run):
        return None
    pictures = session.scalars(query.execution_options(populate_existing=True)).all()
    placed = lay_all({picture.photo_id: _measured(picture) for picture in pictures}, run.rules)
    return {picture.id: placed[picture.deliverable][picture.photo_id] for picture in pictures}


def _measured(picture: PictureRow) -> Subject:
    cutout = picture.photo.cutout
    return subject_of(picture)._replace(measures=cutout.measures if cutout else None)


def made_of(picture: PictureRow) -> Made:
    """What is known of an output, as a run over a folder tells it."""
    failure = picture.message if picture.state == PictureState.FAILED else ""
    return Made(
        picture.width,
        picture.height,
        picture.bytes,
        picture.quality,
        picture.sha256,
        picture.message,
        picture.checks,
        picture.matrix,
        failure,
    )


def _counts(session: Session, run_id: int) -> Counter[PictureState]:
    query = select(PictureRow.state, func.count()).where(PictureRow.run_id == run_id).group_by(PictureRow.state)
    return Counter({state: count for state, count in session.execute(query)})


def _check_files(session: Session, vault: Vault, run: Run) -> int:
    """A picture counts as done only while its file is there in full; returns how many are not."""
    there = vault.pictures(run.id)
    done = select(PictureRow.id, PictureRow.output, PictureRow.bytes).where(
        PictureRow.run_id == run.id, PictureRow.state == PictureState.DONE
    )
    gone = [at for at, output, size in session.execute(done) if there.get(output) != size]
    for some in in_pieces(gone):
        session.execute(update(PictureRow).where(PictureRow.id.in_(some)).values(state=PictureState.WAITING))
    return len(gone)
