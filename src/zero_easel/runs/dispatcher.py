"""The bench hand: one thread that gives waiting work to processes and writes down what comes back.

All waiting work stands in the database, so there is nothing to lose: a photo waits until its cutout is stored, a
picture until its file is. Pictures of runs go first, because somebody is waiting for them; photos are read for code
cards before they are cleared, because a card is not.
"""

import threading
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, fields
from typing import Any

import structlog
from sqlalchemy import func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zero_easel.core.photos.reading import Reading
from zero_easel.core.placing.layout import is_by_row
from zero_easel.core.placing.placement import Placement
from zero_easel.engines.engine import LONGEST_PAUSE, PAUSE, Engine
from zero_easel.engines.making import Made
from zero_easel.engines.processes import reason_of
from zero_easel.files import UnreachableError, no_room
from zero_easel.library.changes.cutouts import empties_of, key_of
from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.shoots import store_reading, waiting_to_be_read, waits_for_clearing
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import (
    Clearing,
    CutoutRow,
    Original,
    PhotoRow,
    PictureRow,
    PictureState,
    Run,
    RunState,
    Shoot,
    now,
)
from zero_easel.library.store.vault import Vault, cutout_key
from zero_easel.pipeline import Task
from zero_easel.runs.results import unmet_of
from zero_easel.runs.service import finish_if_through, is_clearing, placements_of, recover, start_asked, subject_of
from zero_easel.runs.tidying import follow_rule
from zero_easel.runs.work import Cleared, Order, clear_photo, make_pictures, read_original
from zero_easel.settings import needed_mb

log = structlog.get_logger()


_PATIENCE = 5
"""Matching a shoot that still grows waits this many times as long as the last matching took."""
_LOOKING = 30.0
"""Seconds for which somebody who has asked for photos is taken to look at them."""
_TIDY = 3_600.0
"""Seconds after which it is looked again which runs the rule lets go."""
_ARRIVING = 2.0
"""Seconds after the last file that came in for which more are expected."""


@dataclass(frozen=True)
class _Job:
    """photo_id: 0 for a photo that is only read, which is done for all that have its digest."""

    photo_id: int
    name: str
    function: Callable[..., Any] = field(compare=False)
    arguments: tuple[Any, ...] = field(compare=False)
    picture_ids: tuple[int, ...] = ()
    run_id: int | None = None
    digest: str = ""
    urgency: int = 0
    megabytes: int = 0


class Dispatcher:
    """Works off what is waiting in the database by an engine, from start() to stop()."""

    def __init__(self, database: Database, vault: Vault, engine: Engine) -> None:
        self._database, self._vault, self.engine = database, vault, engine
        self._wake, self._stopping = threading.Event(), threading.Event()
        self._in_hand: dict[int, _Job] = {}
        # Taken from the database, but neither in hand nor written down: they go back as soon as it can be written.
        self._lost: list[_Job] = []
        # Why work is held up until there is room again, as a phrase; "" while it is not.
        self.held_up = ""
        self._match_after = 0.0
        # Photos that somebody is looking at, and until when that is taken for granted.
        self._looked_at: dict[int, float] = {}
        self._arrived, self._tidied = -_ARRIVING, float("-inf")
        # Where the pictures of a run go whose places depend on each other; worked out once, when all are cleared.
        self._rows: dict[int, dict[int, Placement | None]] = {}
        self._thread: threading.Thread

    def start(self) -> None:
        """Begin; runs that an earlier process left under way are marked as interrupted."""
        with self._database.session() as session:
            for run_id in recover(session, self._vault):
                log.warning("run interrupted", run=run_id)
            asked = set(session.scalars(select(Shoot.id).where(Shoot.run_asked)))
            start_asked(session, self._vault, asked - waiting_to_be_read(session, asked))
        self._stopping.clear()
        self._thread = threading.Thread(target=self._loop, name="dispatcher", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End at once; whatever is waiting or in hand waits for the next start."""
        self._stopping.set()
        self._wake.set()
        self._thread.join()
        self.engine.close()
        self._in_hand.clear()
        self._lost.clear()
        with self._database.session() as session:
            recover(session, self._vault)

    def wake(self) -> None:
        """Say that new work may be waiting."""
        self._wake.set()

    def look_at(self, photo_ids: Iterable[int]) -> None:
        """Say that somebody waits for the cutouts of some photos: these are made before everything."""
        until = time.monotonic() + _LOOKING
        self._looked_at = {**self._looked_at, **dict.fromkeys(photo_ids, until)}
        self._wake.set()

    def arriving(self) -> None:
        """Say that files are being brought in: what only makes lists richer waits until they are."""
        self._arrived = time.monotonic()

    def _loop(self) -> None:
        pause = PAUSE
        while not self._stopping.is_set():
            self._wake.clear()
            try:
                if self._is_held_up():
                    self._stopping.wait(PAUSE / 4)
                    continue
                self._fill()
                self._collect()
                pause = PAUSE
            except Exception as error:
                self._let_go(error)
                # A full disk or a locked file must not end all work for good; it is tried again, ever more rarely.
                known = isinstance(error, OSError | OperationalError) or pause > PAUSE
                log.warning("work waits", reason=str(error), again_in_s=pause, exc_info=not known)
                self._stopping.wait(pause)
                pause = min(2 * pause, LONGEST_PAUSE)

    def _let_go(self, error: Exception) -> None:
        """Where no process can be started, or no worker reached, what is in hand comes to nothing: it waits again.
        Where the disk is full, that is told."""
        self.held_up = str(error) if isinstance(error, UnreachableError) else self._vault.trouble()
        if isinstance(error, OSError):
            self.engine.close()
            self._lost += self._in_hand.values()
            self._in_hand.clear()

    def _fill(self) -> None:
        room = self.engine.capacity + 1 - len(self._in_hand)
        if room <= 0:
            return
        self._match()
        with self._database.session() as session:
            jobs = self._next_clearings(session, room, set(), self._watched()) if self._looked_at else []
            jobs += self._next_pictures(session, room - len(jobs), {job.photo_id for job in jobs})
            jobs += self._next_readings(session, room - len(jobs))
            jobs += self._next_clearings(session, room - len(jobs), {job.photo_id for job in jobs})
            if not jobs and not self._in_hand:
                self._finish(session)
            if time.monotonic() > self._tidied + _TIDY:
                self._tidied = time.monotonic()
                follow_rule(session, self._vault)
        self._lost += jobs
        for job in self._affordable(jobs):
            self._in_hand[self.engine.submit(job.function, *job.arguments, urgency=job.urgency)] = job
            self._lost.remove(job)
        if self.held_up:
            log.info("work goes on")
            self.held_up = ""

    def _affordable(self, jobs: Sequence[_Job]) -> list[_Job]:
        """Those of some pieces of work for which there is memory beside what is in hand; the largest goes alone."""
        room, found = self.engine.megabytes, []
        taken = sum(job.megabytes for job in self._in_hand.values())
        for job in jobs:
            if room and taken and taken + job.megabytes > room:
                break
            taken += job.megabytes
            found.append(job)
        return found

    def _is_held_up(self) -> bool:
        """Whether work that came to nothing for want of room cannot go on yet."""
        self._put_back()
        trouble = self._vault.trouble() if self.held_up else ""
        self.held_up = trouble or self.held_up
        return bool(trouble)

    def _watched(self) -> set[int]:
        moment = time.monotonic()
        self._looked_at = {photo_id: until for photo_id, until in self._looked_at.items() if until > moment}
        return set(self._looked_at)

    def _finish(self, session: Session) -> None:
        """Runs of which nothing waits and that nobody has marked as done yet, for something came between."""
        for run_id in session.scalars(select(Run.id).where(Run.state == RunState.RUNNING)).all():
            finish_if_through(session, self._vault, run_id)

    def _put_back(self) -> None:
        """What was taken and came to nothing waits again; all else that is lost stands as waiting anyway."""
        pictures = [picture_id for job in self._lost for picture_id in job.picture_ids]
        if pictures:
            again = update(PictureRow).where(PictureRow.id.in_(pictures), PictureRow.state == PictureState.WORKING)
            with self._database.session() as session:
                session.execute(again.values(state=PictureState.WAITING))
        self._lost.clear()

    def _match(self) -> None:
        """Match shoots in which something came in, once no photo of theirs waits to be read."""
        if time.monotonic() < self._match_after:
            return
        with self._database.session() as session:
            stale = session.scalars(select(Shoot).where(Shoot.stale)).all()
            waiting = waiting_to_be_read(session, [shoot.id for shoot in stale]) if stale else set()
            started = time.monotonic()
            for shoot in stale:
                if shoot.id not in waiting:
                    ensure_matched(session, shoot)
            self._match_after = started + _PATIENCE * (time.monotonic() - started)

    def _next_pictures(self, session: Session, room: int, taken: set[int]) -> list[_Job]:
        """The next photos with all their waiting pictures: what is costly about a photo is done once."""
        if room <= 0:
            return []
        query = (
            select(PictureRow.run_id, PictureRow.photo_id)
            .join(Run)
            .where(PictureRow.state == PictureState.WAITING, Run.state == RunState.RUNNING)
            .where(Run.id.not_in(self._not_placed(session)), PictureRow.photo_id.not_in(taken))
            .group_by(PictureRow.run_id, PictureRow.photo_id)
            .order_by(Run.urgent.desc(), Run.trial.desc(), func.min(PictureRow.id))
            .limit(room)
        )
        jobs = []
        for run_id, photo_id in session.execute(query).all():
            pictures = session.scalars(
                select(PictureRow)
                .where(
                    PictureRow.run_id == run_id,
                    PictureRow.photo_id == photo_id,
                    PictureRow.state == PictureState.WAITING,
                )
                .order_by(PictureRow.id)
            ).all()
            jobs.append(self._pictures_of(session, pictures))
        return jobs

    def _pictures_of(self, session: Session, pictures: Sequence[PictureRow]) -> _Job:
        run, photo = pictures[0].run, pictures[0].photo
        order = _order(session, photo)
        placement, parts = self._rows.get(run.id, {}), []
        for picture in pictures:
            picture.state = PictureState.WORKING
            if order.key != picture.subject.cutout:
                # Corrected since the run was planned: what is made now is not what its key says.
                picture.key = ""
            task = Task(picture.deliverable, picture.output, picture.fields, placement.get(picture.id))
            parts.append((task, self._vault.picture(run.id, picture.output)))
        arguments = (self._vault.location, order, run.rules, parts, subject_of(pictures[0]))
        made = tuple(picture.id for picture in pictures)
        return _Job(
            photo.id,
            photo.name,
            make_pictures,
            arguments,
            made,
            run.id,
            urgency=int(run.urgent or run.trial),
            megabytes=_needs(photo),
        )

    def _not_placed(self, session: Session) -> list[int]:
        """Runs that cannot go on yet, for the place of each picture depends on all, and some are not cleared."""
        runs = session.scalars(select(Run).where(Run.state == RunState.RUNNING)).all()
        self._rows = {run_id: row for run_id, row in self._rows.items() if run_id in {run.id for run in runs}}
        waiting = []
        for run in runs:
            if run.id not in self._rows and is_by_row(run.rules):
                if is_clearing(session, run):
                    waiting.append(run.id)
                    continue
                placement = placements_of(session, run)
                if placement is None:
                    waiting.append(run.id)
                else:
                    self._rows[run.id] = placement
        return waiting

    def _next_readings(self, session: Session, room: int) -> list[_Job]:
        taken = {job.digest for job in self._in_hand.values()}
        if room <= 0:
            return []
        query = (
            select(Original.digest, PhotoRow.name)
            .join(PhotoRow, PhotoRow.digest == Original.digest)
            .where(~Original.read, Original.error == "")
            .group_by(Original.digest)
            .order_by(PhotoRow.id)
        )
        if time.monotonic() - self._arrived < _ARRIVING:
            query = query.join(Shoot, Shoot.id == PhotoRow.shoot_id).where(Shoot.cards)
        rows = session.execute(query.limit(room + len(taken))).all()
        fresh = [(digest, name) for digest, name in rows if digest not in taken][:room]
        return [
            _Job(0, name, read_original, (self._vault.location, digest, name), digest=digest) for digest, name in fresh
        ]

    def _next_clearings(self, session: Session, room: int, taken: set[int], only: set[int] | None = None) -> list[_Job]:
        taken = taken | {job.photo_id for job in self._in_hand.values()}
        # What may yet turn out to be a code card waits until its shoot is matched.
        query = (
            select(PhotoRow)
            .join(Original, Original.digest == PhotoRow.digest)
            .join(Shoot, Shoot.id == PhotoRow.shoot_id)
            .where(waits_for_clearing(session), Original.read, ~Original.card_like | ~Shoot.stale)
            .order_by(PhotoRow.id)
        )
        jobs: list[_Job] = []
        if room <= 0:
            return jobs
        if only is not None:
            query = query.where(PhotoRow.id.in_(only))
        for photo in session.scalars(query.limit(room + len(taken))).unique():
            if photo.id not in taken and len(jobs) < room:
                arguments = (self._vault.location, _order(session, photo))
                jobs.append(
                    _Job(
                        photo.id,
                        photo.name,
                        clear_photo,
                        arguments,
                        urgency=0 if only is None else 2,
                        megabytes=_needs(photo),
                    )
                )
        return jobs

    def _collect(self) -> None:
        """Write down what has come back; wait a moment for it, or for new work if nothing is in hand."""
        if not self._in_hand:
            self._wake.wait(2)
            return
        back = [(self._in_hand.pop(ticket), value) for ticket, value in self.engine.results(0.2)]
        self._lost += [job for job, _ in back]
        for job, value in back:
            # Where nothing can be written or reached no photo is to blame: it stays lost, and so waits again.
            trouble = self._vault.trouble() if _came_to_nothing(value) else ""
            if trouble or no_room(value):
                self.held_up = trouble or reason_of(value, "The library")
                log.warning("work is held up", reason=self.held_up)
            else:
                self._note(job, value)

    def _note(self, job: _Job, result: Any) -> None:
        with self._database.session() as session:
            if job.digest:
                # What cannot be read shows no card either; why it gives no picture is said when it is cleared.
                read = store_reading(session, job.digest, result if isinstance(result, Reading) else Reading())
                start_asked(session, self._vault, read)
            cleared = result if isinstance(result, Cleared) else getattr(result, "cleared", None)
            if cleared is not None:
                _store_cutout(session, job.photo_id, cleared)
            if job.picture_ids:
                _store_pictures(session, job, result)
                _stop_if_asked(session, job)
            elif isinstance(result, BaseException) and (photo := session.get(PhotoRow, job.photo_id)):
                photo.clearing, photo.problem = Clearing.FAILED, reason_of(result, job.name)
        self._lost.remove(job)
        if job.run_id is not None:
            with self._database.session() as session:
                through = finish_if_through(session, self._vault, job.run_id)
            if through and not self._in_hand and not self._lost:
                self._vault.sweep()


def _needs(photo: PhotoRow) -> int:
    return needed_mb(photo.original.width, photo.original.height)


def _order(session: Session, photo: PhotoRow) -> Order:
    empties = empties_of(session, photo.shoot_id)
    key, before = key_of(photo, empties), cutout_key(photo.digest, empties, photo.marks)
    return Order(photo.digest, photo.name, key, tuple(empties), photo.marks, photo.adjustment.rectified, before)


def _store_cutout(session: Session, photo_id: int, cleared: Cleared) -> None:
    values = {field.name: getattr(cleared, field.name) for field in fields(cleared)}
    statement = insert(CutoutRow).values(values)
    session.execute(statement.on_conflict_do_update(index_elements=["key"], set_=values))
    photo = session.get(PhotoRow, photo_id)
    if photo is not None:
        photo.clearing, photo.problem, photo.cutout_key = Clearing.DONE, "", cleared.key


def _came_to_nothing(result: Any) -> bool:
    return isinstance(result, BaseException) or any(made.failure for made in getattr(result, "made", ()))


def _stop_if_asked(session: Session, job: _Job) -> None:
    """Let a run rest in which a picture has failed, if a person wants to look at that first."""
    run = session.get_one(Run, job.run_id)
    session.flush()
    failed = [picture for at in job.picture_ids if (picture := session.get(PictureRow, at)) is not None]
    failed = [picture for picture in failed if picture.state == PictureState.FAILED]
    if run.stop_at_failure and failed and run.state == RunState.RUNNING:
        run.state, run.note = RunState.PAUSED, f"It rests, as asked, for a picture failed: {failed[0].message}"


def _store_pictures(session: Session, job: _Job, result: Any) -> None:
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
