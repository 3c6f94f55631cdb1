"""Rename only: byte-identical copies of photos under new names, and the way back by the table that this leaves."""

import hashlib
import os
import shutil
import tempfile
import time
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import NamedTuple

from zero_easel.core.catalog.plan import Planned, find_clashes
from zero_easel.core.catalog.tables import TableError, read_table, write_table
from zero_easel.core.standard.naming import one_file
from zero_easel.files import write_atomically

NAME = "renamed.csv"
_HEADINGS = ("old", "new", "sha256")
_CHUNK = 1 << 20


class RenameError(Exception):
    """A renaming that cannot be done; nothing was written. The message is a sentence for the person who asked."""


class Copied(NamedTuple):
    """One photo under its new name. old: its path within what was renamed."""

    old: str
    new: str
    sha256: str


@dataclass(frozen=True)
class Copy:
    """A photo to be copied. old: its path within what is renamed, with slashes. path: where its bytes are."""

    old: str
    path: Path
    planned: Planned


def copy_under_new_names(
    sources: Sequence[Copy], out: Path, on_copy: Callable[[Copied], None] | None = None
) -> list[Copied]:
    """Copy photos into a folder, or into an archive if `out` ends in .zip, with the table NAME beside them.

    Raises RenameError before anything is written if two would share a name or a file is there already, and OSError if
    it cannot be written.
    """
    _check(sources, out)
    copied = []
    with _Target(out) as target:
        for source in sources:
            copied.append(Copied(source.old, source.planned.output, target.take(source.path, source.planned.output)))
            if on_copy is not None:
                on_copy(copied[-1])
        target.put(NAME, write_table([_HEADINGS, *copied]))
    return copied


def undo(table: Path) -> int:
    """Give the files beside a table their old names back; returns how many.

    Raises RenameError if a file is missing, was changed, or would hit another one; nothing is moved then.
    """
    rows = _read(table)
    folder = table.parent
    moving = {one_file(row.new) for row in rows}
    for row in rows:
        path = folder / row.new
        if not path.is_file():
            raise RenameError(f"{row.new} is not beside {table.name}; nothing was renamed.")
        if _digest(path) != row.sha256:
            raise RenameError(f"{row.new} was changed since; nothing was renamed.")
        if one_file(row.old) not in moving and (folder / row.old).exists():
            raise RenameError(f"{row.old} exists beside {table.name} already; nothing was renamed.")
    _move_all(folder, rows)
    table.unlink()
    for parent in sorted({(folder / row.new).parent for row in rows}, key=lambda p: -len(p.parts)):
        _remove_empty(parent, folder)
    return len(rows)


def _move_all(folder: Path, rows: list[Copied]) -> None:
    """First out of each other's way, then to the old names: two may have changed places."""
    waiting = Path(tempfile.mkdtemp(dir=folder, prefix=".part-"))
    for number, row in enumerate(rows):
        (folder / row.new).replace(waiting / str(number))
    for number, row in enumerate(rows):
        (folder / row.old).parent.mkdir(parents=True, exist_ok=True)
        (waiting / str(number)).replace(folder / row.old)
    waiting.rmdir()


def _remove_empty(folder: Path, top: Path) -> None:
    """A subfolder that the renaming had made and that is empty now, and those above it."""
    while folder != top and folder.is_relative_to(top) and folder.is_dir() and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def _read(table: Path) -> list[Copied]:
    try:
        lines = read_table(table.read_bytes(), table.name).lines
    except TableError as error:
        raise RenameError(str(error)) from error
    except OSError as error:
        raise RenameError(f"{table} cannot be read: {error.strerror or error}.") from error
    if tuple(cell.strip() for cell in lines[0].cells) != _HEADINGS:
        raise RenameError(f"{table.name} is not a table that a renaming left: its columns must be old, new, sha256.")
    rows = [Copied(*line.cells) for line in lines[1:] if len(line.cells) == len(_HEADINGS)]
    for row in rows:
        for name in (row.old, row.new):
            path = PurePosixPath(name)
            if not name or path.is_absolute() or ".." in path.parts or "\\" in name:
                raise RenameError(f"{table.name} names {name or 'nothing'}, which is not a file beside it.")
    if len({one_file(row.old) for row in rows}) < len(rows):
        raise RenameError(f"{table.name} gives one old name twice; nothing was renamed.")
    return rows


def _check(sources: Sequence[Copy], out: Path) -> None:
    clashes = find_clashes([source.planned for source in sources])
    if clashes:
        more = f" ({len(clashes) - 1} more like this.)" if len(clashes) > 1 else ""
        raise RenameError(f"{clashes[0]}; nothing was written.{more}")
    if out.suffix.lower() == ".zip":
        if out.exists():
            raise RenameError(f"{out} exists already; nothing was written.")
        return
    taken = [name for name in [*(s.planned.output for s in sources), NAME] if (out / name).exists()]
    if taken:
        more = f" and {len(taken) - 1} more" if len(taken) > 1 else ""
        raise RenameError(f"{taken[0]}{more} exists in {out} already; nothing was written.")


class _Target:
    """A folder or a ZIP archive that files are copied into; the archive appears only when it is whole."""

    def __init__(self, out: Path) -> None:
        self._out = out
        self._archive: zipfile.ZipFile | None = None

    def __enter__(self) -> "_Target":
        if self._out.suffix.lower() == ".zip":
            self._out.parent.mkdir(parents=True, exist_ok=True)
            handle, name = tempfile.mkstemp(dir=self._out.parent, prefix=".part-")
            os.close(handle)
            self._partial = Path(name)
            self._archive = zipfile.ZipFile(self._partial, "w", zipfile.ZIP_STORED)
        else:
            self._out.mkdir(parents=True, exist_ok=True)
        return self

    def take(self, source: Path, name: str) -> str:
        """Copy a file and return the digest of what was copied."""
        digest = hashlib.sha256()
        if self._archive is not None:
            with source.open("rb") as file, self._archive.open(_entry(name, source), "w", force_zip64=True) as target:
                while chunk := file.read(_CHUNK):
                    digest.update(chunk)
                    target.write(chunk)
            return digest.hexdigest()
        path = self._out / name
        path.parent.mkdir(parents=True, exist_ok=True)
        data = source.read_bytes()
        write_atomically(path, data)
        shutil.copystat(source, path)
        path.chmod(0o644)
        return hashlib.sha256(data).hexdigest()

    def put(self, name: str, data: bytes) -> None:
        """Add a file of given bytes."""
        if self._archive is not None:
            self._archive.writestr(name, data)
        else:
            write_atomically(self._out / name, data)

    def __exit__(self, kind: object, *_rest: object) -> None:
        if self._archive is None:
            return
        self._archive.close()
        if kind is None:
            self._partial.chmod(0o644)
            self._partial.replace(self._out)
        else:
            self._partial.unlink(missing_ok=True)


def _entry(name: str, source: Path) -> zipfile.ZipInfo:
    """What an archive says of a copy: its name, and the date of the original, as far as the format reaches."""
    changed = time.localtime(source.stat().st_mtime)[:6]
    entry = zipfile.ZipInfo(name, min(max(changed, (1980, 1, 1, 0, 0, 0)), (2107, 12, 31, 23, 59, 58)))
    entry.external_attr = 0o644 << 16
    return entry


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
