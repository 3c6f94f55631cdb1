"""A run whose workers and whose server are killed again and again: each file is there once, and right."""

import hashlib
import random
import subprocess
import sys
import time
from pathlib import Path

import cv2
import numpy as np
import psutil
import pytest
from clusters import answers
from sqlalchemy import select
from support import new_library, until

from zero_easel.core.photos.reading import Reading
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Standard
from zero_easel.engines.workers import Workers
from zero_easel.library.changes.standards import change_rules
from zero_easel.library.shoots import bring_in, create_shoot, photos_of, store_reading
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import PictureRow, PictureState, Run, RunState
from zero_easel.library.store.vault import Vault
from zero_easel.runs.dispatcher import Dispatcher
from zero_easel.runs.service import start_run

PHOTOS, KILLS, OF_SERVER = 100, 25, 6
STANDARD = Standard(
    deliverables=(Deliverable(name="shop"), Deliverable(name="small", size="longest", number=200, folder="small"))
)
ZERO_EASEL = str(Path(sys.executable).with_name("zero-easel"))


def things() -> list[bytes]:
    """Photos of a disc each, no two alike."""
    found = []
    for at in range(PHOTOS):
        pixels = np.full((180, 240, 3), 235, np.uint8)
        cv2.ellipse(pixels, (120, 90), (30 + at % 50, 40 + at // 50), 0, 0, 360, (40, 60 + at, 160), -1, cv2.LINE_AA)
        found.append(cv2.imencode(".png", pixels)[1].tobytes())
    return found


def library(folder: Path) -> Database:
    database, vault = new_library(folder / "zero-easel.sqlite"), Vault(folder)
    vault.prepare()
    with database.session() as session:
        shoot = create_shoot(session, "Night")
        change_rules(session, shoot.standard, STANDARD)
        for at, data in enumerate(things()):
            bring_in(session, vault, shoot, data, f"thing-{at:03}.png")
        for photo in photos_of(session, shoot.id):
            store_reading(session, photo.digest, Reading((), False, 1.0))
        start_run(session, vault, shoot)
    return database


def undisturbed(folder: Path) -> dict[str, str]:
    database, vault = library(folder), Vault(folder)
    dispatcher = Dispatcher(database, vault, Workers(2))
    dispatcher.start()
    go_on(database)
    dispatcher.wake()
    until(lambda: recorded(database)[1] == RunState.DONE)
    dispatcher.stop()
    made = recorded(database)[0]
    database.close()
    return made


def go_on(database: Database) -> None:
    with database.session() as session:
        session.scalars(select(Run)).one().state = RunState.RUNNING


def recorded(database: Database) -> tuple[dict[str, str], RunState]:
    with database.session() as session:
        done = session.scalars(select(PictureRow).where(PictureRow.state == PictureState.DONE))
        return {row.output: row.sha256 for row in done}, session.scalars(select(Run.state)).one()


def in_hand(database: Database) -> set[str]:
    with database.session() as session:
        working = select(PictureRow.output).where(PictureRow.state.in_((PictureState.WORKING, PictureState.WAITING)))
        return set(session.scalars(working.order_by(PictureRow.id).limit(4)))


class Server:
    """The application over a data folder; its run goes on as soon as it is there."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.start()

    def start(self) -> None:
        command = [ZERO_EASEL, "serve", "--data", str(self._folder), "--port", "8710"]
        self._process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert self._process.stdout is not None
        address = self._process.stdout.readline().split()[4]
        until(lambda: answers(f"{address}/status"))
        said = subprocess.run([ZERO_EASEL, "runs", "go-on", "1", "--data", str(self._folder)], capture_output=True)
        assert said.returncode in (0, 2)  # 2: it was through already

    def kill(self) -> None:
        self._process.kill()
        self._process.wait()

    def kill_a_worker(self, chance: random.Random) -> None:
        below = psutil.Process(self._process.pid).children(recursive=True)
        # What they are forked from, and what counts their semaphores, has other ends.
        workers = [one for one in below if not one.children() and "resource_tracker" not in " ".join(one.cmdline())]
        if workers:
            chance.choice(workers).kill()


@pytest.mark.slow
def test_killed_twenty_five_times_a_run_is_whole(tmp_path: Path) -> None:
    chance = random.Random(4)
    wanted = undisturbed(tmp_path / "calm")
    folder = tmp_path / "night"
    database, server = library(folder), Server(folder)
    seen: dict[str, tuple[int, int]] = {}
    hit: set[str] = set()
    try:
        for kill in range(KILLS):
            # A piece of work that takes two workers down is set aside, so none is hit twice.
            until(lambda hit=hit: hit <= recorded(database)[0].keys())
            for output in recorded(database)[0]:
                found = (folder / "runs/1" / output).stat()
                seen.setdefault(output, (found.st_ino, found.st_mtime_ns))
            hit = in_hand(database)
            if kill % (KILLS // OF_SERVER) == 1:
                server.kill()
                server.start()
            else:
                server.kill_a_worker(chance)
            time.sleep(chance.random() / 2)
        until(lambda: recorded(database)[1] == RunState.DONE)
    finally:
        server.kill()
    made, _ = recorded(database)
    with database.session() as session:
        assert not [row.message for row in session.scalars(select(PictureRow)) if row.state == PictureState.FAILED]
    database.close()
    assert made == wanted and len(made) == 2 * PHOTOS
    root = folder / "runs/1"
    files = {path.relative_to(root).as_posix(): path for path in root.rglob("*") if path.is_file()}
    assert {name: hashlib.sha256(path.read_bytes()).hexdigest() for name, path in files.items()} == wanted
    # What had been written down is the very same file still: it was not made once more.
    again = [name for name, was in seen.items() if (files[name].stat().st_ino, files[name].stat().st_mtime_ns) != was]
    assert not again and len(seen) > PHOTOS / 2
    assert not list(folder.rglob(".part-*"))
