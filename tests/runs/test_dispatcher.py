"""The dispatcher where processes cannot be started: nothing fails for it, nothing is lost, and little is logged."""

import gc
import multiprocessing
import os
import resource
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from multiprocessing import forkserver
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select, update
from structlog.testing import capture_logs
from support import PHOTOS, halved, new_library, until

from zero_easel.core.photos.reading import Reading
from zero_easel.engines.decoders import decoders
from zero_easel.engines.workers import Workers
from zero_easel.library.changes.repairs import import_shotlist
from zero_easel.library.shoots import bring_in, create_shoot, photos_of, store_reading
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import PhotoRow, PictureRow, PictureState, Run, RunState, Shoot
from zero_easel.library.store.vault import Vault
from zero_easel.runs.dispatcher import Dispatcher
from zero_easel.runs.service import go_first, set_state, start_run


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    """A library with a shoot of one picture."""
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(tmp_path)
    vault.prepare()
    with database.session() as session:
        shoot = create_shoot(session, "Shelf")
        bring_in(session, vault, shoot, (PHOTOS / "BRYD0105.JPG").read_bytes(), "BRYD0105.JPG")
        for photo in photos_of(session, shoot.id):
            store_reading(session, photo.digest, Reading((), False, 1.0))
        import_shotlist(session, shoot, b"filename,code,view\nBRYD0105.JPG,A,front\n", "s.csv")
    yield database
    database.close()


@pytest.fixture
def dispatcher(database: Database, tmp_path: Path) -> Iterator[Dispatcher]:
    """A dispatcher that has begun; it may be stopped twice."""
    dispatcher = Dispatcher(database, Vault(tmp_path), Workers(2))
    dispatcher.start()
    yield dispatcher
    dispatcher.stop()


def states(database: Database) -> tuple[set[PictureState], RunState]:
    with database.session() as session:
        return set(session.scalars(select(PictureRow.state))), session.scalars(select(Run.state)).one()


def end_decoders() -> None:
    """Whatever needs one starts it anew. Their pipes are closed when nothing speaks of them any more."""
    decoders().close()
    decoders.cache_clear()
    gc.collect()


@contextmanager
def few_files() -> Iterator[None]:
    """A process that may open hardly any more files: no pipe to a worker, but still a file of the database's."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    taken = {int(name) for name in os.listdir("/proc/self/fd")}  # noqa: PTH208
    most = next(n for n in range(3, soft) if n - sum(one < n for one in taken) >= 6)
    resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))


@contextmanager
def no_python(seconds: float = 0) -> Iterator[None]:
    """Workers that end before they begin: the process that they are forked from ends soon after it is started."""
    # It would go on as long as anything that was forked from it.
    for child in multiprocessing.active_children():
        child.kill()
    forkserver._forkserver._stop()  # type: ignore[attr-defined]
    with tempfile.TemporaryDirectory() as folder:
        instead = Path(folder, "python")
        instead.write_text(f"#!/bin/sh\nsleep {seconds}\nexit 1\n")
        instead.chmod(0o755)
        multiprocessing.set_executable(str(instead))
        try:
            yield
        finally:
            multiprocessing.set_executable(sys.executable)


def takes_orders_and_ends() -> AbstractContextManager[None]:
    """It is told to start a worker, and ends before it does: what asked reads to the end of the file."""
    return no_python(0.5)


@pytest.mark.slow
@pytest.mark.parametrize("trouble", [few_files, no_python, takes_orders_and_ends])
def test_work_waits_until_processes_can_be_started(
    database: Database, dispatcher: Dispatcher, tmp_path: Path, trouble: Callable
) -> None:
    # Whatever it has begun already would have a process that goes on.
    dispatcher.stop()
    end_decoders()
    before = set(multiprocessing.active_children())
    with capture_logs() as lines, trouble():
        dispatcher.start()
        with database.session() as session:
            start_run(session, Vault(tmp_path), session.scalars(select(Shoot)).one())
        until(lambda: sum(line["event"] == "work waits" for line in lines) >= 2)
    # Meanwhile the database may not be open to writing either: then they go back as soon as it is.
    until(lambda: states(database)[0] != {PictureState.WORKING})
    assert PictureState.FAILED not in states(database)[0]
    waits = [line for line in lines if line["event"] == "work waits"]
    assert [line["again_in_s"] for line in waits][:2] == [2.0, 4.0]
    assert all(line["reason"] and not line["exc_info"] for line in waits)
    until(lambda: states(database) == ({PictureState.DONE}, RunState.DONE))
    dispatcher.stop()
    end_decoders()
    until(lambda: set(multiprocessing.active_children()) <= before)


def row_of_shoots(tmp_path: Path) -> tuple[Database, Vault]:
    """Three shoots of two photos each, to be cut out; the second photo of each is damaged."""
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(tmp_path)
    vault.prepare()
    whole = halved("BRYD0105.JPG")
    with database.session() as session:
        for number in range(3):
            shoot = create_shoot(session, f"Shoot {number}")
            bring_in(session, vault, shoot, whole + bytes([number]), f"{number}-a.JPG")
            bring_in(session, vault, shoot, whole + bytes([number, 1]), f"{number}-b.JPG")
        for photo in session.scalars(select(PhotoRow)).unique():
            store_reading(session, photo.digest, Reading((), False, 1.0))
    return database, vault


class Noted(Workers):
    """Workers that note what they were given, in its order, and work on nothing until they may."""

    def __init__(self) -> None:
        super().__init__(1)
        self.given: list[tuple[str, int]] = []

    def submit(self, function: Callable, *arguments: Any, urgency: int = 0) -> int:
        order = next(one for one in arguments if hasattr(one, "digest"))
        self.given.append((order.name, urgency))
        return super().submit(function, *arguments, urgency=urgency)


def test_urgent_runs_and_photos_that_are_looked_at_go_first(tmp_path: Path) -> None:
    database, vault = row_of_shoots(tmp_path)
    engine = Noted()
    dispatcher = Dispatcher(database, vault, engine)
    with database.session() as session:
        for shoot in session.scalars(select(Shoot).order_by(Shoot.id)).all()[:2]:
            start_run(session, vault, shoot)
        go_first(session, session.get_one(Run, 2))
        watched = session.scalars(select(PhotoRow.id).where(PhotoRow.name == "2-b.JPG")).one()
    dispatcher.look_at([watched])
    dispatcher.start()
    try:
        with database.session() as session:
            session.execute(update(Run).values(state=RunState.RUNNING))
        dispatcher.wake()
        until(lambda: set(states_of_runs(database)) == {RunState.DONE})
    finally:
        dispatcher.stop()
        database.close()
    names = [name for name, _ in engine.given]
    assert names[0] == "2-b.JPG" and engine.given[0][1] == 2
    urgent = [names.index(name) for name in ("1-a.JPG", "1-b.JPG")]
    assert max(urgent) < min(names.index(name) for name in ("0-a.JPG", "0-b.JPG"))


def test_a_run_rests_at_its_first_failure_if_that_was_asked(tmp_path: Path) -> None:
    database, vault = row_of_shoots(tmp_path)
    with database.session() as session:
        shoot = session.get_one(Shoot, 1)
        shoot.stop_at_failure = True
        start_run(session, vault, shoot)
        first = photos_of(session, 1)[0]
        # It vanished since it was brought in.
        vault.original(first.digest).path().unlink()
    dispatcher = Dispatcher(database, vault, Workers(1))
    dispatcher.start()
    try:
        with database.session() as session:
            session.get_one(Run, 1).state = RunState.RUNNING
        dispatcher.wake()
        until(lambda: states_of_runs(database) == [RunState.PAUSED])
        with database.session() as session:
            run = session.get_one(Run, 1)
            assert "as asked, for a picture failed" in run.note and "0-a.JPG" in run.note
            set_state(session, run, RunState.RUNNING)
        dispatcher.wake()
        until(lambda: states_of_runs(database) == [RunState.DONE])
    finally:
        dispatcher.stop()
        database.close()


def states_of_runs(database: Database) -> list[RunState]:
    with database.session() as session:
        return list(session.scalars(select(Run.state).order_by(Run.id)))
