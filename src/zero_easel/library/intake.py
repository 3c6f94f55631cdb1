"""Bringing in from the command line: files, folders and archives into a shoot of the library."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from zero_easel.core.catalog.tables import SUFFIXES
from zero_easel.core.photos.decoding import BYTE_LIMIT, PICTURE_SUFFIXES
from zero_easel.core.standard.naming import natural_key, printable
from zero_easel.library.incoming import ARCHIVE, Report, take
from zero_easel.library.shoots import bring_in, examine, shoot_named
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Shoot
from zero_easel.library.store.vault import Vault

_WANTED = {*PICTURE_SUFFIXES, *SUFFIXES, ARCHIVE}


def list_incoming(paths: Sequence[Path], recursive: bool) -> list[tuple[Path, str]]:
    """Files to be brought in with the names that they keep, folders included; tables first, hidden files left out.

    A file that is named itself comes in whatever it is called; of a folder, only what may be a photo, a table or an
    archive.
    """
    found: list[tuple[Path, str]] = []
    for path in paths:
        if not path.is_dir():
            found.append((path, printable(path.name)))
            continue
        for file in path.rglob("*") if recursive else path.iterdir():
            inner = file.relative_to(path)
            hidden = any(part.startswith(".") for part in inner.parts)
            if file.is_file() and may_come_in(file.name) and not hidden:
                found.append((file, printable(inner.as_posix())))
    return sorted(found, key=lambda f: in_turn(f[1]))


def may_come_in(name: str) -> bool:
    """Whether a file of this name may be a photo, a table or an archive."""
    return Path(name).suffix.lower() in _WANTED


def in_turn(name: str) -> tuple[bool, object]:
    """Key by which files come in: tables first, so that each photo is matched the moment it is there."""
    return Path(name).suffix.lower() not in SUFFIXES, natural_key(name)


def bring_all_in(
    data: Path,
    files: Sequence[tuple[Path, str]],
    shoot_name: str,
    jobs: int,
    on_report: Callable[[Report], None],
    store: str = "",
) -> None:
    """Bring files into the shoot of that name in a data folder, the newest if there are several, a new one if none.

    An application that is running on the folder goes on and clears them. store: where its photos are kept, if not
    there. Raises ValueError if the name is empty.
    """
    database, vault, shoot_name = (
        Database(data / "zero-easel.sqlite"),
        Vault(store or data, data),
        printable(shoot_name),
    )
    try:
        database.migrate()
        with database.session() as session:
            shoot_id = shoot_named(session, shoot_name).id
        with ThreadPoolExecutor(jobs) as pool:
            # Decoding goes ahead in threads, a few at a time; the database is written here alone.
            for batch in _batches(files, 4 * jobs):
                decoded = [pool.submit(_decoded, vault, path, name) for path, name in batch]
                for (path, name), facts in zip(batch, decoded, strict=True):
                    for report in _take(database, vault, shoot_id, path, name, facts.result()):
                        on_report(report)
    finally:
        database.close()


def _batches(files: Sequence[Any], size: int) -> Iterator[Sequence[Any]]:
    for start in range(0, len(files), size):
        yield files[start : start + size]


def _decoded(vault: Vault, path: Path, name: str) -> dict[str, object] | None:
    """Facts of a photo, None for what is none or is left to be told in words."""
    if path.suffix.lower() in (*SUFFIXES, ARCHIVE):
        return None
    try:
        return examine(vault, path.read_bytes(), name) if path.stat().st_size <= BYTE_LIMIT else None
    except OSError:
        return None


def _take(
    database: Database, vault: Vault, shoot_id: int, path: Path, name: str, facts: dict[str, object] | None
) -> Iterator[Report]:
    try:
        if facts is None:
            with path.open("rb") as file:
                yield from take(database, vault, shoot_id, name, file)
            return
        with database.session() as session:
            shoot = session.get_one(Shoot, shoot_id)
            result = bring_in(session, vault, shoot, b"", name, facts)
    except OSError as error:
        yield Report(name, "photo", False, f"{path} cannot be read: {error.strerror or error}.")
        return
    message = result.error or (f"{result.name} {result.note}." if result.note else "")
    yield Report(result.name, "photo", not result.error, message)
