"""Runs from the command line, with an application on the folder and without."""

import json
from pathlib import Path

from filelock import FileLock
from sqlalchemy import select
from support import PHOTOS, new_library, zero_easel

from zero_easel.core.photos.reading import Reading
from zero_easel.files import data_lock
from zero_easel.library.shoots import bring_in, create_shoot, photos_of, store_reading
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Run, RunState
from zero_easel.library.store.vault import Vault
from zero_easel.runs.service import start_run


def library(folder: Path) -> Database:
    database, vault = new_library(folder / "zero-easel.sqlite"), Vault(folder)
    vault.prepare()
    with database.session() as session:
        for name in ("Shelf", "Wall"):
            shoot = create_shoot(session, name)
            bring_in(session, vault, shoot, (PHOTOS / "BRYD0105.JPG").read_bytes(), "A.JPG")
            for photo in photos_of(session, shoot.id):
                store_reading(session, photo.digest, Reading((), False, 1.0))
            start_run(session, vault, shoot)
    return database


def states(database: Database) -> list[tuple[RunState, bool]]:
    with database.session() as session:
        return [(run.state, run.urgent) for run in session.scalars(select(Run).order_by(Run.id))]


def test_runs_are_listed_paused_taken_up_and_put_first(tmp_path: Path) -> None:
    database = library(tmp_path)
    listed = zero_easel("runs", "list", "--data", tmp_path)
    assert listed.returncode == 0 and "2\tWall\trunning\t0 done, 1 remaining" in listed.stdout
    told = [json.loads(line) for line in zero_easel("runs", "list", "--json", "--data", tmp_path).stdout.splitlines()]
    assert [one["id"] for one in told] == [2, 1] and told[0]["remaining"] == 1 and told[0]["seconds_left"] is None
    assert zero_easel("runs", "pause", "1", "--data", tmp_path).returncode == 0
    assert zero_easel("runs", "first", "2", "--data", tmp_path).returncode == 0
    assert states(database) == [(RunState.PAUSED, False), (RunState.RUNNING, True)]
    nobody = zero_easel("runs", "go-on", "1", "--data", tmp_path)
    assert nobody.returncode == 2 and "no application is running" in nobody.stderr
    lock: FileLock = data_lock(tmp_path)
    try:
        # As if by the application, which is another process.
        assert zero_easel_elsewhere("runs", "go-on", "1", "--data", tmp_path) == 0
    finally:
        lock.release()
    assert states(database)[0] == (RunState.RUNNING, False)
    assert zero_easel("runs", "stop", "2", "--data", tmp_path).returncode == 0
    assert states(database)[1][0] == RunState.STOPPED
    gone = zero_easel("runs", "stop", "7", "--data", tmp_path)
    assert gone.returncode == 2 and "There is no such run" in gone.stderr
    database.close()


def zero_easel_elsewhere(*arguments: str | Path) -> int:
    from support import installed

    return installed(*arguments).returncode


def test_where_there_is_no_library_that_is_said(tmp_path: Path) -> None:
    said = zero_easel("runs", "list", "--data", tmp_path)
    assert said.returncode == 2 and "holds no library" in said.stderr and not list(tmp_path.iterdir())


def test_a_folder_is_run_by_dask_workers_as_by_processes(tmp_path: Path) -> None:
    photos = tmp_path / "photos"
    photos.mkdir()
    (photos / "a.JPG").write_bytes((PHOTOS / "BRYD0105.JPG").read_bytes())
    for engine in ("local", "dask"):
        done = zero_easel("run", photos, "--out", tmp_path / engine, "--engine", engine, "--jobs", "1")
        assert done.returncode == 0, done.stderr
    assert (tmp_path / "local/a.jpg").read_bytes() == (tmp_path / "dask/a.jpg").read_bytes()
