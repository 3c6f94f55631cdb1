"""A data folder that is full, or a photo that takes too long: work waits or goes on, and says why."""

import shutil
import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np
import pytest
from sqlalchemy import select, text
from support import halved, new_library, until

from zero_easel.core.photos.reading import Reading
from zero_easel.engines.engine import Allowance
from zero_easel.engines.workers import Workers
from zero_easel.library.shoots import bring_in, create_shoot, photos_of, store_reading
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Clearing, PhotoRow, PictureRow, PictureState, Run, RunState, Shoot
from zero_easel.library.store.vault import Vault
from zero_easel.runs.dispatcher import Dispatcher
from zero_easel.runs.service import start_run
from zero_easel.storage import ROOM

NAMES = ("BRYD0105", "BRYD0111", "BRYD0112")


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A disk of 200 MB."""
    folder = tmp_path / "disk"
    folder.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=200m", "none", folder], capture_output=True)
    if mounted.returncode:
        pytest.skip("no disk of its own can be mounted here")
    yield folder
    subprocess.run(["umount", "-l", folder], check=True)


def library(database: Database, vault: Vault) -> None:
    vault.prepare()
    with database.session() as session:
        shoot = create_shoot(session, "Shelf")
        for number, name in enumerate(NAMES):
            bring_in(session, vault, shoot, halved(f"{name}.JPG"), f"A-{number}_front.JPG")
        for photo in photos_of(session, shoot.id):
            store_reading(session, photo.digest, Reading((), False, 1.0))


def fill(path: Path) -> None:
    """Take all room that there is."""
    with path.open("wb") as file, pytest.raises(OSError):
        while True:
            file.write(bytes(1_000_000))
            file.flush()


def run_state(database: Database) -> tuple[list[PictureState], RunState]:
    with database.session() as session:
        return list(session.scalars(select(PictureRow.state))), session.scalars(select(Run.state)).one()


def clearings(database: Database) -> set[Clearing]:
    with database.session() as session:
        return set(session.scalars(select(PhotoRow.clearing)))


def test_a_full_disk_holds_the_run_up_until_there_is_room(small_disk: Path, tmp_path: Path) -> None:
    # The database lies elsewhere, so that what is told of the run can be read meanwhile.
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(small_disk)
    library(database, vault)
    filling = small_disk / "filling"
    fill(filling)
    with a_run(database, vault, Workers(2)) as dispatcher:
        until(lambda: "is full" in dispatcher.held_up)
        assert str(small_disk) in dispatcher.held_up
        states, state = run_state(database)
        assert PictureState.FAILED not in states and state == RunState.RUNNING
        filling.unlink()
        until(lambda: run_state(database) == ([PictureState.DONE] * 3, RunState.DONE))
        assert dispatcher.held_up == ""
    assert len(vault.pictures(1)) == 3 and not list(small_disk.rglob(".part-*"))


def test_room_is_what_is_asked_for(tmp_path: Path) -> None:
    vault = Vault(tmp_path / "data")
    assert "cannot be written" in vault.trouble()
    vault.prepare()
    assert vault.trouble() == "" and ROOM > 1_000_000 and not list(vault.local.rglob(".part-*"))


def test_a_photo_that_takes_too_long_is_set_aside_and_the_rest_is_made(tmp_path: Path) -> None:
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(tmp_path)
    library(database, vault)
    with a_run(database, vault, Workers(1, Allowance(seconds=0.001))):
        until(lambda: run_state(database)[1] == RunState.DONE)
        until(lambda: Clearing.WAITING not in clearings(database))
        with database.session() as session:
            failed = [one for one in session.scalars(select(PictureRow)) if one.state == PictureState.FAILED]
            assert failed and all("takes longer than the 0.001 seconds" in one.message for one in failed)
            assert all(one.original in one.message for one in failed)


def test_a_full_disk_with_the_database_on_it_holds_the_run_up(small_disk: Path) -> None:
    database, vault = new_library(small_disk / "easel.sqlite"), Vault(small_disk)
    library(database, vault)
    filling = small_disk / "filling"
    with a_run(database, vault, Workers(2)) as dispatcher:
        fill(filling)
        until(lambda: "is full" in dispatcher.held_up)
        with database.session() as session:
            assert session.scalar(text("PRAGMA integrity_check")) == "ok"
        filling.unlink()
        until(lambda: run_state(database) == ([PictureState.DONE] * 3, RunState.DONE))
        with database.session() as session:
            assert session.scalar(text("PRAGMA integrity_check")) == "ok"


def test_a_place_that_may_only_be_read_holds_the_run_up(small_disk: Path, tmp_path: Path) -> None:
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(small_disk, tmp_path)
    library(database, vault)
    subprocess.run(["mount", "-o", "remount,ro", small_disk], check=True)
    goes_on_after(database, vault, "Read-only", lambda: subprocess.run(["mount", "-o", "remount,rw", small_disk]))


def test_a_place_that_is_taken_away_is_waited_for(tmp_path: Path) -> None:
    share, away = tmp_path / "share", tmp_path / "away"
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(share, tmp_path)
    library(database, vault)
    share.rename(away)
    goes_on_after(database, vault, "cannot be written (No such file", lambda: away.rename(share))
    assert not away.exists()


def test_pictures_that_are_deleted_in_mid_run_are_made_again(tmp_path: Path) -> None:
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(tmp_path)
    library(database, vault)
    with a_run(database, vault, Workers(1)):
        until(lambda: PictureState.DONE in run_state(database)[0])
        shutil.rmtree(tmp_path / "runs")
        until(lambda: run_state(database) == ([PictureState.DONE] * 3, RunState.DONE))
    assert len(vault.pictures(1)) == 3


@contextmanager
def a_run(database: Database, vault: Vault, workers: Workers) -> Iterator[Dispatcher]:
    """A run that was started over the library's shoot, and what works on it."""
    dispatcher = Dispatcher(database, vault, workers)
    dispatcher.start()
    try:
        with database.session() as session:
            start_run(session, vault, session.scalars(select(Shoot)).one())
        dispatcher.wake()
        yield dispatcher
    finally:
        dispatcher.stop()
        database.close()


def goes_on_after(database: Database, vault: Vault, told: str, mend: Callable[[], object]) -> None:
    with a_run(database, vault, Workers(2)) as dispatcher:
        until(lambda: told in dispatcher.held_up)
        states, state = run_state(database)
        assert PictureState.FAILED not in states and state == RunState.RUNNING
        mend()
        until(lambda: run_state(database) == ([PictureState.DONE] * 3, RunState.DONE))
    assert len(vault.pictures(1)) == 3


def test_a_photo_that_eats_memory_is_set_aside_and_the_rest_is_made(tmp_path: Path) -> None:
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(tmp_path)
    library(database, vault)
    # A few kilobytes of file, some hundred megapixels.
    huge = cv2.imencode(".png", np.full((10_000, 14_000, 3), 230, np.uint8))[1].tobytes()
    with database.session() as session:
        shoot = session.scalars(select(Shoot)).one()
        bring_in(session, vault, shoot, huge, "A-9_front.png")
        for photo in photos_of(session, shoot.id):
            store_reading(session, photo.digest, Reading((), False, 1.0))
    with a_run(database, vault, Workers(2, Allowance(megabytes=900))):
        until(lambda: run_state(database)[1] == RunState.DONE)
        with database.session() as session:
            by_state = {one.original: (one.state, one.message) for one in session.scalars(select(PictureRow))}
    state, message = by_state.pop("A-9_front.png")
    assert state == PictureState.FAILED and "A-9_front.png" in message and "memory" in message
    assert {state for state, _ in by_state.values()} == {PictureState.DONE} and len(by_state) == 3
