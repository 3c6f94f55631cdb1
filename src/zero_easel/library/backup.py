"""A library kept a second time, while it is in use; brought back elsewhere; and whether all of it is sound.

A backup is a folder: files/ mirrors the storage, libraries/ holds a copy of the tables for each time, backup.json says
what each file's content is. Taken again into the same folder, only what is new is copied. Tables are copied first:
whatever they name was there before them.
"""

import hashlib
import json
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

from sqlalchemy import inspect, select
from sqlalchemy.orm import Session

from zero_easel.files import write_atomically
from zero_easel.library.people.journal import first_fault
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import CutoutRow, Original, PhotoRow, PictureRow, PictureState
from zero_easel.library.store.vault import Vault
from zero_easel.storage import Kept, Stored

LIBRARY = "zero-easel.sqlite"
_KINDS = ("originals", "assets", "derived", "runs")
_LIST, _FILES, _LIBRARIES = "backup.json", "files", "libraries"
_PIECE = 1 << 20
_FORM = 1
"""Of the list; a newer one is not read."""


class BackupError(Exception):
    """A backup that cannot be taken or brought back, with the reason in a sentence."""


class BackupCount(NamedTuple):
    """files, bytes: that were copied now. kept: files that were there already."""

    files: int
    bytes: int
    kept: int


class Unsound(NamedTuple):
    """Something of a library that is not sound. what: the file or row; why: as a phrase."""

    what: str
    why: str


@dataclass(frozen=True)
class _Known:
    """A file as the list of a backup has it. modified: of the one that was copied."""

    bytes: int
    sha256: str
    modified: float


def back_up(data: Path, vault: Vault, target: Path, on_file: Callable[[], None] = lambda: None) -> BackupCount:
    """Keep a library and all its files in a folder, too. data: folder of the library, which may be in use. on_file: is
    told of each file. Passwords of places to hand over to come along encrypted, their key does not. Raises BackupError,
    and OSError where nothing can be written."""
    source = data / LIBRARY
    if not source.is_file():
        raise BackupError(f"{data} holds no library.")
    if target.resolve().is_relative_to(data.resolve()):
        raise BackupError(f"{target} lies within {data}: it would be backed up with it.")
    known, files = _list_of(target), target / _FILES
    (target / _LIBRARIES).mkdir(parents=True, exist_ok=True)
    name = f"{datetime.now(UTC):%Y-%m-%dT%H-%M-%S-%f}.sqlite"
    _copy_tables(source, target / _LIBRARIES / name)
    copied = bytes_copied = kept = 0
    listed = dict(known)
    for stored in _all_of(vault):
        before = known.get(stored.key)
        if before is not None and _is_same(stored, before) and _is_there(files / stored.key, before):
            kept += 1
        else:
            # What goes away meanwhile, because a run was tidied up, is not missed.
            with suppress(FileNotFoundError):
                listed[stored.key] = _copy_in(vault, stored, files / stored.key)
                copied, bytes_copied = copied + 1, bytes_copied + stored.bytes
        on_file()
    _write_list(target, name, listed)
    return BackupCount(copied, bytes_copied, kept)


def restore(source: Path, data: Path, vault: Vault, on_file: Callable[[], None] = lambda: None) -> BackupCount:
    """Bring a backup back into an empty place. Each file is checked by its digest on the way; the tables come last, so
    that a restore that broke off is no library, and may be begun again. Raises BackupError."""
    if (data / LIBRARY).exists():
        raise BackupError(f"{data} holds a library already; name an empty folder.")
    known = _list_of(source)
    if not known and not (source / _LIST).is_file():
        raise BackupError(f"{source} holds no backup.")
    tables = source / _LIBRARIES / str(_raw_list(source)["library"])
    if not tables.is_file() or (why := _unsound(tables)):
        raise BackupError(f"The tables in {tables} are {why if tables.is_file() else 'not there'}.")
    data.mkdir(parents=True, exist_ok=True)
    vault.prepare()
    copied = kept = bytes_copied = 0
    for key, file in sorted(known.items()):
        there = Kept(vault.storage, key, fixed=False)
        if there.size() == file.bytes:
            kept += 1
        else:
            content = (source / _FILES / key).read_bytes()
            if hashlib.sha256(content).hexdigest() != file.sha256:
                raise BackupError(f"{source / _FILES / key} is damaged: it is not what was backed up.")
            there.write(content, read_only=key.startswith("originals/"))
            copied, bytes_copied = copied + 1, bytes_copied + file.bytes
        on_file()
    write_atomically(data / LIBRARY, tables.read_bytes())
    return BackupCount(copied, bytes_copied, kept)


def verify(data: Path, vault: Vault, on_file: Callable[[], None] = lambda: None) -> Iterator[Unsound]:
    """All that is not sound: tables, digests of all originals and finished pictures, and whatever is named and is not
    there. Cutouts and previews that are missing are made again, and are no fault. Raises BackupError."""
    if not (data / LIBRARY).is_file():
        raise BackupError(f"{data} holds no library.")
    if why := _unsound(data / LIBRARY):
        yield Unsound(LIBRARY, f"the tables are {why}")
        return
    database = Database(data / LIBRARY)
    try:
        with database.session() as session:
            yield from _originals(session, vault, on_file)
            yield from _pictures(session, vault, on_file)
            yield from _cutouts(session, vault)
            # A library of an earlier version has no journal yet.
            if inspect(database.engine).has_table("journal") and (entry := first_fault(session)) is not None:
                yield Unsound(
                    LIBRARY, f"entry {entry} of the journal is not as it was written, or one before it is gone"
                )
    finally:
        database.close()


def _originals(session: Session, vault: Vault, on_file: Callable[[], None]) -> Iterator[Unsound]:
    names = {digest: name for digest, name in session.execute(select(PhotoRow.digest, PhotoRow.name))}
    for digest, error in session.execute(select(Original.digest, Original.error)):
        kept, name = vault.original(digest), names.get(digest, digest[:12])
        if not kept.exists():
            # Of what is no picture only the reason was kept.
            if not error:
                yield Unsound(f"originals/{digest}", f"the original of {name} is not there")
        elif _sha256(kept) != digest:
            yield Unsound(
                f"originals/{digest}", f"the original of {name} is damaged: its content is not what its name says"
            )
        on_file()


def _pictures(session: Session, vault: Vault, on_file: Callable[[], None]) -> Iterator[Unsound]:
    query = select(PictureRow.run_id, PictureRow.output, PictureRow.sha256).where(PictureRow.state == PictureState.DONE)
    for run_id, output, sha256 in session.execute(query.order_by(PictureRow.id)):
        kept = vault.picture(run_id, output)
        if not kept.exists():
            yield Unsound(kept.key, f"{output} of run {run_id} is not there")
        elif _sha256(kept) != sha256:
            yield Unsound(kept.key, f"{output} of run {run_id} is not the file that was made")
        on_file()


def _cutouts(session: Session, vault: Vault) -> Iterator[Unsound]:
    """Those that are there must be whole; those that are not are made again."""
    there = vault.cutouts()
    for key in session.scalars(select(CutoutRow.key)):
        if key in there and not vault.cutout(key).beside(".json").exists():
            yield Unsound(f"cutouts/{key}", "a cutout is there without its facts")


def _all_of(vault: Vault) -> Iterator[Stored]:
    for kind in _KINDS:
        yield from vault.entries(kind)


def _copy_tables(source: Path, target: Path) -> None:
    """SQLite's online backup: a state between two transactions, however busy the library is."""
    part = target.with_name(f".part-{target.name}")
    live = sqlite3.connect(f"file:{source}?mode=ro", uri=True, timeout=60)
    with closing(live), closing(sqlite3.connect(part)) as copy:
        live.backup(copy)
        copy.execute("PRAGMA journal_mode=DELETE")
    part.replace(target)


def _copy_in(vault: Vault, stored: Stored, target: Path) -> _Known:
    """Copy a file of a storage, a piece at a time, and say what it holds."""
    target.parent.mkdir(parents=True, exist_ok=True)
    digest, size, part = hashlib.sha256(), 0, target.with_name(f".part-{target.name}")
    path = vault.storage.path(stored.key, fixed=not stored.key.startswith("runs/"))
    with path.open("rb") as source, part.open("wb") as file:
        while piece := source.read(_PIECE):
            digest.update(piece)
            file.write(piece)
            size += len(piece)
    part.replace(target)
    return _Known(size, digest.hexdigest(), stored.modified)


def _is_same(stored: Stored, known: _Known) -> bool:
    """Whether a file is what was copied before: a file of a run may have been made anew."""
    return stored.bytes == known.bytes and (not stored.key.startswith("runs/") or stored.modified == known.modified)


def _is_there(path: Path, known: _Known) -> bool:
    try:
        return path.stat().st_size == known.bytes
    except FileNotFoundError:
        return False


def _raw_list(folder: Path) -> dict[str, Any]:
    try:
        found: dict[str, Any] = json.loads((folder / _LIST).read_text())
    except FileNotFoundError:
        return {}
    except ValueError as error:
        raise BackupError(f"{folder / _LIST} is damaged.") from error
    if found.get("form") != _FORM:
        raise BackupError(f"{folder / _LIST} was written by another version of Zero Easel.")
    return found


def _list_of(folder: Path) -> dict[str, _Known]:
    files = _raw_list(folder).get("files", {})
    return {key: _Known(*values) for key, values in files.items()}


def _write_list(folder: Path, library: str, files: dict[str, _Known]) -> None:
    rows = {key: [one.bytes, one.sha256, one.modified] for key, one in sorted(files.items())}
    listed = {"form": _FORM, "made": datetime.now(UTC).isoformat(), "library": library, "files": rows}
    write_atomically(folder / _LIST, json.dumps(listed, indent=0).encode())


def _unsound(tables: Path) -> str:
    """What is wrong with a file of tables, as a phrase; "" if nothing is."""
    try:
        with closing(sqlite3.connect(f"file:{tables}?mode=ro", uri=True, timeout=60)) as connection:
            told = connection.execute("PRAGMA integrity_check(1)").fetchone()[0]
            lost = connection.execute("PRAGMA foreign_key_check").fetchone()
    except sqlite3.Error as error:
        return f"damaged ({error})"
    if told != "ok":
        return f"damaged ({told})"
    return f"damaged (a row of {lost[0]} names one of {lost[2]} that is not there)" if lost else ""


def _sha256(kept: Kept) -> str:
    with kept.path().open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
