"""A library with finished pictures to be handed over, and the servers that take them."""

import getpass
import hashlib
import os
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
from clusters import Machine, free_port
from PIL import Image
from sqlalchemy import select
from support import new_library, until

from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Standard
from zero_easel.doors.out.sealing import Seal
from zero_easel.doors.out.sending import Sender
from zero_easel.doors.out.targets import Wanted, add_target, hand_over
from zero_easel.library.shoots import bring_in, create_shoot
from zero_easel.library.store.doors import HandOverTarget, Sending, SendingState
from zero_easel.library.store.models import PhotoRow, PictureRow, PictureState, Run, RunState, Shoot
from zero_easel.library.store.vault import Vault
from zero_easel.standins.shop import Shop, ShopServer


def picture_bytes(number: int, size: int = 900, corner: int = 255) -> bytes:
    """A JPEG with a square on white, like no other of another number."""
    pixels = np.full((size, size, 3), corner, np.uint8)
    chance = np.random.default_rng(number)
    pixels[200:-200, 200:-200] = chance.integers(0, 255, (size - 400, size - 400, 3))
    file = BytesIO()
    Image.fromarray(pixels).save(file, "JPEG", quality=60)
    return file.getvalue()


class House:
    """A shoot of one photo and a run that is through, with as many pictures as wanted."""

    def __init__(self, data: Path, count: int, size: int = 900) -> None:
        self.data = data
        self.database, self.vault = new_library(data / "zero-easel.sqlite"), Vault(data)
        self.vault.prepare()
        self.seal = Seal(data)
        with self.database.session() as session:
            shoot = create_shoot(session, "Shelf")
            photo = bring_in(session, self.vault, shoot, picture_bytes(0), "A.JPG").photo_id
        self.run([(f"BY-{2000 + at}_front.jpg", picture_bytes(at, size), "BY-2104") for at in range(count)], photo)
        self.sender: Sender | None = None

    def run(self, pictures: list[tuple[str, bytes, str]], photo: int = 1) -> int:
        """One more run that is through, of pictures with a name, content and product each."""
        with self.database.session() as session:
            shoot = session.get_one(Shoot, 1)
            rules = Standard(deliverables=(Deliverable(name="shop"),))
            run = Run(shoot_id=1, standard_id=shoot.standard_id, standard_version=1, rules=rules, state=RunState.DONE)
            session.add(run)
            session.flush()
            for name, data, code in pictures:
                self.vault.picture(run.id, name).write(data)
                row = PictureRow(run_id=run.id, photo_id=photo, original="A.JPG", code=code, view="front")
                row.deliverable, row.output, row.state, row.bytes = "shop", name, PictureState.DONE, len(data)
                row.sha256 = hashlib.sha256(data).hexdigest()
                session.add(row)
            assert session.get(PhotoRow, photo)
            return run.id

    def target(self, **wanted: Any) -> int:
        folders = wanted.pop("folders", [])
        asked = Wanted(**{"name": "There", **wanted})
        with self.database.session() as session:
            return add_target(session, session.get_one(Shoot, 1), asked, self.seal.close(asked.secret), folders).id

    def hand_over(self, target: int, run: int = 1) -> int:
        with self.database.session() as session:
            return hand_over(session, session.get_one(HandOverTarget, target), session.get_one(Run, run))

    def start(self, pause: float = 0.02) -> None:
        self.sender = Sender(self.database, self.vault, self.seal, pause=pause)
        self.sender.start()

    def stop(self) -> None:
        if self.sender is not None:
            self.sender.stop()
            self.sender = None

    def rows(self, target: int) -> list[Sending]:
        with self.database.session() as session:
            return list(session.scalars(select(Sending).where(Sending.target_id == target)).unique())

    def states(self, target: int) -> dict[str, SendingState]:
        return {row.path: row.state for row in self.rows(target)}

    def until_through(self, target: int) -> None:
        until(lambda: SendingState.WAITING not in self.states(target).values())

    def trouble(self, target: int) -> str:
        with self.database.session() as session:
            return session.get_one(HandOverTarget, target).trouble

    def digests(self, target: int) -> dict[str, str]:
        """What ought to lie there."""
        return {row.path: row.sha256 for row in self.rows(target)}


def lying_in(folder: Path) -> dict[str, str]:
    """All files below a folder, by their digests."""
    files = [path for path in folder.rglob("*") if path.is_file()]
    return {path.relative_to(folder).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest() for path in files}


@contextmanager
def ssh_server(base: Path) -> Iterator[tuple[int, str]]:
    """OpenSSH as a process; its port, and the private key that opens it."""
    base.mkdir(parents=True, exist_ok=True)
    for name in ("host", "user"):
        command = ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", base / name]
        subprocess.run(command, check=True, capture_output=True)
    if os.geteuid() == 0:
        Path("/run/sshd").mkdir(exist_ok=True)
    port, config = free_port(), base / "config"
    config.write_text(
        f"Port {port}\nListenAddress 127.0.0.1\nHostKey {base / 'host'}\nAuthorizedKeysFile {base / 'user.pub'}\n"
        f"StrictModes no\nUsePAM no\nPermitRootLogin yes\nPidFile {base / 'pid'}\nSubsystem sftp internal-sftp\n"
        "MaxStartups 100\n"
    )
    process = subprocess.Popen(["/usr/sbin/sshd", "-D", "-e", "-f", config], stderr=(base / "log").open("w"))
    try:
        until(lambda: "Server listening" in (base / "log").read_text())
        yield port, (base / "user").read_text()
    finally:
        process.terminate()
        process.wait(30)


@contextmanager
def webdav_server(folder: Path) -> Iterator[int]:
    """WsgiDAV as a process; its port."""
    folder.mkdir(parents=True, exist_ok=True)
    program = str(Path(sys.executable).with_name("wsgidav"))
    machine = Machine([program, "--host", "127.0.0.1", "--port", "PORT", "--root", str(folder), "--auth", "anonymous"])
    try:
        until(lambda: _answers(machine.port))
        yield machine.port
    finally:
        machine.end()


@contextmanager
def open_shop(shop: Shop) -> Iterator[ShopServer]:
    """A shop's stand-in at its counter."""
    server = ShopServer(shop)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield server
    finally:
        server.shutdown()
        server.server_close()


def _answers(port: int) -> bool:
    try:
        socket.create_connection(("127.0.0.1", port), 1).close()
    except OSError:
        return False
    return True


def user() -> str:
    return getpass.getuser()
