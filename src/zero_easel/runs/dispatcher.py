"""The bench hand: one thread that gives waiting work to processes and writes down what comes back.

All waiting work stands in the database, so there is nothing to lose: a photo waits until its cutout is stored, a
picture until its file is. Pictures of runs go before clearing, because somebody is waiting for them.
"""

import threading
from collections.abc import Callable
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import structlog
from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from zero_easel.core.standard import Standard
from zero_easel.library.database import Database
from zero_easel.library.models import CutoutRow, Photo, PictureRow, Run
from zero_easel.library.shoots import empties_of, key_of
from zero_easel.library.touchups import marks_in_force
from zero_easel.library.vault import Vault
from zero_easel.runs.processes import alone, new_pool, reason_of
from zero_easel.runs.service import finish_if_through, recover
from zero_easel.runs.work import Cleared, Made, Order, clear_photo, make_picture

log = structlog.get_logger()


@dataclass(frozen=True)
class _Job:
    photo_id: int
    name: str
    function: Callable[..., Any] = field(compare=False)
    arguments: tuple[Any, ...] = field(compare=False)
    picture_id: int | None = None
    run_id: int | None = None


class Dispatcher:
    """Works off what is waiting in the database with `jobs` processes, from start() to stop()."""

    def __init__(self, database: Database, vault: Vault, jobs: int) -> None:
        self._database, self._vault, self._jobs = database, vault, jobs
        self._wake, self._stopping = threading.Event(), threading.Event()
        self._in_hand: dict[Future[Any], _Job] = {}
        self._thread: threading.Thread
        self._pool: ProcessPoolExecutor

    def start(self) -> None:
        """Begin; runs that an earlier process left under way are marked as interrupted."""
        with self._database.session() as session:
            for run_id in recover(session, self._vault):
                log.warning("run interrupted", run=run_id)
        self._stopping.clear()
        self._pool = new_pool(self._jobs)
        self._thread = threading.Thread(target=self._loop, name="dispatcher", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End after the pieces in hand; whatever is waiting stays waiting."""
        self._stopping.set()
        self._wake.set()
        self._thread.join()
        self._pool.shutdown(cancel_futures=True)
        with self._database.session() as session:
            recover(session, self._vault)

    def wake(self) -> None:
        """Say that new work may be waiting."""
        self._wake.set()

    def _loop(self) -> None:
        while not self._stopping.is_set():
            self._wake.clear()
            try:
                self._fill()
                self._collect()
            except Exception:
                # A full disk or a locked file must not end all work for good; it is tried again.
                log.exception("dispatcher")
                self._stopping.wait(2)
        wait(self._in_hand)
        self._collect()

    def _fill(self) -> None:
        room = self._jobs + 1 - len(self._in_hand)
        if room <= 0:
            return
        with self._database.session() as session:
            jobs = self._next_pictures(session, room)
            jobs += self._next_clearings(session, room - len(jobs), {job.photo_id for job in jobs})
        for job in jobs:
            self._in_hand[self._submit(job)] = job

    def _submit(self, job: _Job) -> Future[Any]:
        try:
            return self._pool.submit(job.function, *job.arguments)
        except BrokenProcessPool as error:
            future: Future[Any] = Future()
            future.set_exception(error)
            return future

    def _next_pictures(self, session: Session, room: int) -> list[_Job]:
        query = (
            select(PictureRow)
            .join(Run)
            .where(PictureRow.state == "waiting", Run.state == "running")
            .order_by(PictureRow.id)
            .limit(room)
        )
        jobs = []
        for picture in session.scalars(query):
            picture.state = "working"
            photo, run = picture.photo, picture.run
            target = self._vault.run(run.id) / picture.output
            rules = Standard.model_validate(run.rules)
            arguments = (self._vault.root, _order(session, photo), rules, target)
            jobs.append(_Job(photo.id, photo.name, make_picture, arguments, picture.id, run.id))
        return jobs

    def _next_clearings(self, session: Session, room: int, taken: set[int]) -> list[_Job]:
        taken = taken | {job.photo_id for job in self._in_hand.values()}
        query = select(Photo).where(Photo.clearing == "waiting", ~Photo.left_out, ~Photo.empty).order_by(Photo.id)
        jobs: list[_Job] = []
        if room <= 0:
            return jobs
        for photo in session.scalars(query.limit(room + len(taken))).unique():
            if photo.id not in taken and len(jobs) < room:
                arguments = (self._vault.root, _order(session, photo))
                jobs.append(_Job(photo.id, photo.name, clear_photo, arguments))
        return jobs

    def _collect(self) -> None:
        """Write down what has come back; wait a moment for it, or for new work if nothing is in hand."""
        if not self._in_hand:
            self._wake.wait(2)
            return
        ready = wait(self._in_hand, timeout=0.2, return_when=FIRST_COMPLETED).done
        broken = []
        for future in ready:
            job = self._in_hand.pop(future)
            error = future.exception()
            if isinstance(error, BrokenProcessPool):
                broken.append(job)
            else:
                self._note(job, error if error is not None else future.result())
        if broken:
            self._retry(broken)

    def _retry(self, broken: list[_Job]) -> None:
        """A worker died and took its neighbours' work along: each piece again by itself, so one alone fails."""
        log.warning("worker died", photos=[job.name for job in broken])
        self._pool.shutdown(cancel_futures=True)
        self._pool = new_pool(self._jobs)
        for job in broken:
            self._note(job, alone(job.function, job.arguments))

    def _note(self, job: _Job, result: Any) -> None:
        with self._database.session() as session:
            cleared = result if isinstance(result, Cleared) else getattr(result, "cleared", None)
            if cleared is not None:
                _store_cutout(session, job.photo_id, cleared)
            if job.picture_id is not None:
                _store_picture(session, job, result)
            elif isinstance(result, BaseException):
                photo = session.get_one(Photo, job.photo_id)
                photo.clearing, photo.problem = "failed", reason_of(result, job.name)
        if job.run_id is not None:
            with self._database.session() as session:
                finish_if_through(session, job.run_id)


def _order(session: Session, photo: Photo) -> Order:
    empties = empties_of(session, photo.shoot_id)
    return Order(photo.digest, photo.name, key_of(photo, empties), tuple(empties), marks_in_force(photo))


def _store_cutout(session: Session, photo_id: int, cleared: Cleared) -> None:
    values = asdict(cleared)
    statement = insert(CutoutRow).values(values)
    session.execute(statement.on_conflict_do_update(index_elements=["key"], set_=values))
    photo = session.get(Photo, photo_id)
    if photo is not None:
        photo.clearing, photo.problem, photo.cutout_key = "done", "", cleared.key


def _store_picture(session: Session, job: _Job, result: Any) -> None:
    picture = session.get(PictureRow, job.picture_id)
    if picture is None:
        return
    if isinstance(result, Made):
        picture.state, picture.message = "done", result.message
        picture.width, picture.height = result.width, result.height
        picture.bytes, picture.sha256 = result.bytes, result.sha256
    else:
        picture.state, picture.message = "failed", reason_of(result, job.name)


def data_lock(folder: Path) -> Any:
    """Hold the data folder for this process alone; the lock ends with it. Raises BlockingIOError if it is in use."""
    try:
        import fcntl
    except ImportError:  # no such locks on this system
        return None
    folder.mkdir(parents=True, exist_ok=True)
    handle = (folder / "in-use.lock").open("w")
    fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    return handle
