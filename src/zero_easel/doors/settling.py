"""Which files of a folder have stopped growing, whoever writes them, and whether by events or none."""

import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

from zero_easel.library.intake import may_come_in

DONE, REFUSED = "done", "refused"
"""Folders within a watched one into which files go; what lies there does not come in."""
_WHOLE, _REST, _PATIENCE = 0.2, 1.5, 15.0
"""Seconds for which a file must not have changed: one that ends as its kind does, to the byte; one that may be whole;
and one that ends in the middle of its picture, for whoever writes it may only be slow."""
_TAIL = 4096
_ENDS = {b"\xff\xd8\xff": b"\xff\xd9", b"\x89PNG": b"IEND\xaeB`\x82", b"PK\x03\x04": b"PK\x05\x06"}
"""How files of a kind begin, and what stands at or near their end (ITU-T T.81 B.1.1.3; PNG 11.2.5; ZIP 4.3.16)."""


class FileState(NamedTuple):
    """By which a file is known to be the same as before. modified: ns since 1970."""

    bytes: int
    modified: int


@dataclass
class Settling:
    """Remembers since when each file of one folder has been as it is."""

    _since: dict[str, tuple[FileState, float]] = field(default_factory=dict)

    def ripe(self, root: Path, found: Mapping[str, FileState], moment: float) -> list[str]:
        """Those of the files found that may be taken. moment: now, in seconds of any clock that only goes on."""
        since = {
            path: known if (known := self._since.get(path)) is not None and known[0] == stamp else (stamp, moment)
            for path, stamp in found.items()
        }
        self._since = since
        return [path for path, (stamp, begun) in since.items() if _rested(root / path, stamp, moment - begun)]


def files_in(root: Path) -> dict[str, FileState]:
    """All files below a folder that may come in, by their paths within it, with slashes. Links are not followed, what
    is hidden or was put away is passed over. Raises OSError if the folder itself cannot be read."""
    return dict(_files(root, ""))


def _files(folder: Path, before: str) -> Iterator[tuple[str, FileState]]:
    with os.scandir(folder) as entries:
        for entry in entries:
            path = f"{before}{entry.name}"
            try:
                if entry.name.startswith("."):
                    continue
                if entry.is_dir(follow_symlinks=False):
                    if before or entry.name not in (DONE, REFUSED):
                        yield from _files(folder / entry.name, f"{path}/")
                elif entry.is_file(follow_symlinks=False) and may_come_in(entry.name):
                    told = entry.stat()
                    yield path, FileState(told.st_size, told.st_mtime_ns)
            except (FileNotFoundError, PermissionError, NotADirectoryError):
                # It went in this moment, or is a folder within that is nobody's business here.
                continue


def _rested(path: Path, stamp: FileState, seconds: float) -> bool:
    if seconds >= _PATIENCE or seconds < _WHOLE or not stamp.bytes:
        return seconds >= _PATIENCE
    return seconds >= _rest_of(path, stamp.bytes)


def _rest_of(path: Path, size: int) -> float:
    """Seconds for which a file must not have changed, by how it ends."""
    try:
        with path.open("rb") as file:
            begin = file.read(4)
            file.seek(max(0, size - _TAIL))
            tail = file.read(_TAIL)
    except OSError:
        return _REST
    end = next((end for magic, end in _ENDS.items() if begin.startswith(magic)), b"")
    if end and end not in tail:
        return _PATIENCE
    return _WHOLE if end and tail.endswith(end) else _REST
