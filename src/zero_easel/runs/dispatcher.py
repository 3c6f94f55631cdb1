"""The bench hand: one thread that gives waiting work to processes and writes down what comes back.

All waiting work stands in the database, so there is nothing to lose: a photo waits until its cutout is stored, a
picture until its file is. What goes first is said in next_up.py.
"""

import threading
import time
from collections.abc import Iterable, Sequence
from typing import Any

import structlog
from sqlalchemy import select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zero_easel.core.photos.reading import Reading
from zero_easel.engines.engine import LONGEST_PAUSE, PAUSE, Engine
from zero_easel.engines.processes import reason_of
from zero_easel.files import UnreachableError, no_room
from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.shoots import store_reading, waiting_to_be_read
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import PictureRow, PictureState, Run, RunState, Shoot
from zero_easel.library.store.vault import Vault
from zero_easel.runs.next_up import Job, NextUp
from zero_easel.runs.noting import came_to_nothing, note
from zero_easel.runs.service import finish_if_through, recover, start_asked
from zero_easel.runs.tidying import follow_rule

log = structlog.get_logger()


_PATIENCE = 5
"""Matching a shoot that still grows waits this many times as long as the last matching took."""
_MATCH = 0.3
"""Seconds between two looks for shoots to be matched, at least."""
_LOOKING = 30.0
"""Seconds for which somebody who has asked for photos is taken to look at them."""
_TIDY = 3_600.0
"""Seconds after which it is looked again which runs the rule lets go."""
_ARRIVING = 2.0
"""Seconds after the last file that came in for which more are expected."""


class Dispatcher:
    """Works off what is waiting in the database by an engine, from start() to stop()."""

    def __init__(self, database: Database, vault: Vault, engine: Engine) -> None:
        self._database, self._vault, self.engine = database, vault, engine
        self._wake, self._stopping = threading.Event(), threading.Event()
        self._next_up = NextUp(vault)
        self._in_hand: dict[int, Job] = {}
        # Taken from the database, but neither in hand nor written down: they go back as soon as it can be written.
        self._lost: list[Job] = []
        # Why work is held up until there is room again, as a phrase; "" while it is not.
        self.held_up = ""
        self._match_after = 0.0
        # Photos that somebody is looking at, and until when that is taken for granted.
        self._looked_at: dict[int, float] = {}
        self._just_shot: dict[int, float] = {}
        self._arrived, self._tidied = -_ARRIVING, float("-inf")
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

    def just_shot(self, photo_ids: Iterable[int]) -> None:
        """Say that some photos have just been shot, and that somebody waits before the camera: they are cleared even
        before they are read."""
        until = time.monotonic() + _LOOKING
        self._just_shot = {**self._just_shot, **dict.fromkeys(photo_ids, until)}
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
        arriving = time.monotonic() - self._arrived < _ARRIVING
        with self._database.session() as session:
            self._looked_at, self._just_shot = _still(self._looked_at), _still(self._just_shot)
            watched, just_shot = set(self._looked_at), set(self._just_shot)
            in_hand = self._in_hand.values()
            jobs = self._next_up.jobs(session, room, in_hand, watched, just_shot, arriving=arriving)
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

    def _affordable(self, jobs: Sequence[Job]) -> list[Job]:
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
            self._match_after = started + max(_MATCH, _PATIENCE * (time.monotonic() - started))

    def _collect(self) -> None:
        """Write down what has come back; wait a moment for it, or for new work if nothing is in hand."""
        if not self._in_hand:
            self._wake.wait(2)
            return
        back = [(self._in_hand.pop(ticket), value) for ticket, value in self.engine.results(0.2)]
        self._lost += [job for job, _ in back]
        for job, value in back:
            # Where nothing can be written or reached no photo is to blame: it stays lost, and so waits again.
            trouble = self._vault.trouble() if came_to_nothing(value) else ""
            if trouble or no_room(value):
                self.held_up = trouble or reason_of(value, "The library")
                log.warning("work is held up", reason=self.held_up)
            else:
                self._note(job, value)

    def _note(self, job: Job, result: Any) -> None:
        with self._database.session() as session:
            if job.digest:
                # What cannot be read shows no card either; why it gives no picture is said when it is cleared.
                read = store_reading(session, job.digest, result if isinstance(result, Reading) else Reading())
                start_asked(session, self._vault, read)
            else:
                note(session, job, result)
        self._lost.remove(job)
        # While others of its run are in hand it is not through: no need to ask for each picture.
        if job.run_id is not None and all(other.run_id != job.run_id for other in self._in_hand.values()):
            with self._database.session() as session:
                through = finish_if_through(session, self._vault, job.run_id)
            if through and not self._in_hand and not self._lost:
                self._vault.sweep()


def _still(until: dict[int, float]) -> dict[int, float]:
    """What is not over yet."""
    moment = time.monotonic()
    return {photo_id: end for photo_id, end in until.items() if end > moment}
