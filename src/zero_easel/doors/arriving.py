"""One file of a watched folder: taken into its shoot, kept in mind, and put away if that is wished."""

import hashlib
import os
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.standard.naming import base_name, folder_name, printable
from zero_easel.doors.settling import DONE, REFUSED, FileState
from zero_easel.files import write_atomically
from zero_easel.library.changes.matches import stale
from zero_easel.library.incoming import Report, take
from zero_easel.library.store.database import Database
from zero_easel.library.store.doors import Arrival, WatchedFolder
from zero_easel.library.store.models import PhotoRow, now
from zero_easel.library.store.vault import Vault


def take_in(database: Database, vault: Vault, folder: WatchedFolder, path: str, stamp: FileState) -> Arrival | None:
    """Bring a file into its shoot; None if it went meanwhile. A file that was brought in before changes nothing, so
    that whatever ends the application between two steps does no harm. Raises OSError if it cannot be read or kept."""
    name = printable(path)
    try:
        with (Path(folder.path) / path).open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
            with database.session() as session:
                arrival = _renamed(session, folder, path, digest, stamp)
                if arrival is not None:
                    return arrival
                _forget_damaged(session, folder, path)
            file.seek(0)
            reports = list(take(database, vault, folder.shoot_id, name, file))
    except FileNotFoundError:
        return None
    with database.session() as session:
        return _remembered(session, folder.id, path, stamp, digest, reports)


def put_away(root: Path, path: str, *, ok: bool, said: str) -> None:
    """Move a file into the folder of what was taken, or of what was refused with the reason beside it. Never over
    another file. Raises OSError."""
    target = _free(root / (DONE if ok else REFUSED) / path)
    target.parent.mkdir(parents=True, exist_ok=True)
    if not ok:
        write_atomically(target.with_name(f"{target.name}.txt"), f"{said}\n".encode())
    try:
        (root / path).rename(target)
    except FileNotFoundError:
        return
    except OSError:
        # From one file system to another, or no right to: the file stays where it is, and so does no reason.
        if not ok:
            target.with_name(f"{target.name}.txt").unlink(missing_ok=True)
        raise


def _free(target: Path) -> Path:
    at, free = 2, target
    while os.path.lexists(free):
        free = target.with_name(f"{target.stem} ({at}){target.suffix}")
        at += 1
    return free


def _remembered(
    session: Session, folder_id: int, path: str, stamp: FileState, digest: str, reports: list[Report]
) -> Arrival:
    arrival = session.scalar(select(Arrival).where(Arrival.folder_id == folder_id, Arrival.path == path))
    if arrival is None:
        arrival = Arrival(folder_id=folder_id, path=path)
        session.add(arrival)
    arrival.bytes, arrival.modified, arrival.digest, arrival.came = stamp.bytes, stamp.modified, digest, now()
    arrival.ok = all(report.ok for report in reports)
    arrival.said = " ".join(report.message for report in reports if report.message)
    arrival.look = next((report.look for report in reports if report.look), "")
    session.flush()
    return arrival


def _renamed(session: Session, folder: WatchedFolder, path: str, digest: str, stamp: FileState) -> Arrival | None:
    """The arrival of a file that was taken under another name and has been renamed since: its photo is called so, too.
    Where files are put away this cannot be told, and another name is another file."""
    if folder.moves:
        return None
    query = select(Arrival).where(
        Arrival.folder_id == folder.id, Arrival.digest == digest, Arrival.ok, Arrival.path != path
    )
    for arrival in session.scalars(query):
        if os.path.lexists(Path(folder.path) / arrival.path):
            continue
        photos = _photos(session, folder.shoot_id, arrival)
        if len(photos) != 1:
            continue
        before = session.scalar(select(Arrival).where(Arrival.folder_id == folder.id, Arrival.path == path))
        if before is not None:
            session.delete(before)
            session.flush()
        name = printable(path)
        photos[0].name, photos[0].folder = base_name(name), folder_name(name)
        arrival.said = f"{base_name(name)} was called {base_name(printable(arrival.path))}."
        arrival.path, arrival.bytes, arrival.modified = path, stamp.bytes, stamp.modified
        session.flush()
        stale(session, [folder.shoot_id])
        return arrival
    return None


def _forget_damaged(session: Session, folder: WatchedFolder, path: str) -> None:
    """A file that gave no picture and now comes whole: the damaged one stands in nobody's way."""
    arrival = session.scalar(select(Arrival).where(Arrival.folder_id == folder.id, Arrival.path == path))
    if arrival is None:
        return
    for photo in _photos(session, folder.shoot_id, arrival):
        if photo.error:
            session.delete(photo)
            stale(session, [folder.shoot_id])
    session.flush()


def _photos(session: Session, shoot_id: int, arrival: Arrival) -> list[PhotoRow]:
    """Photos of a shoot that came by an arrival."""
    name = printable(arrival.path)
    query = select(PhotoRow).where(
        PhotoRow.shoot_id == shoot_id,
        PhotoRow.digest == arrival.digest,
        PhotoRow.name == base_name(name),
        PhotoRow.folder == folder_name(name),
    )
    return list(session.scalars(query).unique())
