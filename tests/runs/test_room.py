"""A data folder that is full, or a photo that takes too long: work waits or goes on, and says why."""

import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import select
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
    with filling.open("wb") as file, pytest.raises(OSError):
        while True:
            file.write(bytes(1_000_000))
            file.flush()
    dispatcher = Dispatcher(database, vault, Workers(2))
    dispatcher.start()
    try:
        with database.session() as session:
            start_run(session, vault, session.scalars(select(Shoot)).one())
        until(lambda: "is full" in dispatcher.held_up)
        assert str(small_disk) in dispatcher.held_up
        states, state = run_state(database)
        assert PictureState.FAILED not in states and state == RunState.RUNNING
        filling.unlink()
        until(lambda: run_state(database) == ([PictureState.DONE] * 3, RunState.DONE))
        assert dispatcher.held_up == ""
    finally:
        dispatcher.stop()
        database.close()
    assert len(vault.pictures(1)) == 3 and not list(small_disk.rglob(".part-*"))


def test_room_is_what_is_asked_for(tmp_path: Path) -> None:
    vault = Vault(tmp_path / "data")
    assert "cannot be written" in vault.trouble()
    vault.prepare()
    assert vault.trouble() == "" and ROOM > 1_000_000 and not list(vault.local.rglob(".part-*"))


def test_a_photo_that_takes_too_long_is_set_aside_and_the_rest_is_made(tmp_path: Path) -> None:
    database, vault = new_library(tmp_path / "easel.sqlite"), Vault(tmp_path)
    library(database, vault)
    dispatcher = Dispatcher(database, vault, Workers(1, Allowance(seconds=0.001)))
    dispatcher.start()
    try:
        with database.session() as session:
            start_run(session, vault, session.scalars(select(Shoot)).one())
        until(lambda: run_state(database)[1] == RunState.DONE)
        until(lambda: Clearing.WAITING not in clearings(database))
        with database.session() as session:
            failed = [one for one in session.scalars(select(PictureRow)) if one.state == PictureState.FAILED]
            assert failed and all("takes longer than the 0.001 seconds" in one.message for one in failed)
            assert all(one.original in one.message for one in failed)
    finally:
        dispatcher.stop()
        database.close()
