"""The lists of a run over a folder: written while it goes on, so that no end of it can lose them."""

import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from zero_easel.core.catalog.plan import Planned
from zero_easel.core.standard.model import Standard
from zero_easel.engines.making import Made
from zero_easel.files import ensure_seen, no_room, write_atomically
from zero_easel.planning.manifest import (
    DONE,
    FAILED,
    HELD,
    JSON_NAME,
    LD_NAME,
    NAME,
    WAITING,
    ManifestRow,
    manifest_row,
    write_json,
    write_linked,
    write_manifest,
)

_EVERY = 10.0
"""Seconds between two writings at least: the lists of 10,000 pictures take a fifth of a second."""


class Lists:
    """What became of each picture so far, and the three files that say it.

    pictures: of each photo that gives any, by its place in the run. others: rows of photos that give none. on_row: is
    told of each picture as it is made.
    """

    def __init__(
        self,
        out: Path,
        standard: Standard,
        pictures: Mapping[int, Sequence[Planned]],
        others: Sequence[ManifestRow],
        on_row: Callable[[ManifestRow, Made], None],
    ) -> None:
        self._out, self._standard, self._pictures, self._others = out, standard, pictures, others
        self._on_row = on_row
        self._rows: dict[int, list[ManifestRow]] = {}
        self._written = time.monotonic()

    def note(self, at: int, results: Sequence[Made]) -> None:
        """Take down what became of the pictures of a photo. Raises OSError if the lists cannot be written, unless that
        is for want of room, which may come: they are written again later."""
        self._rows[at] = [self._row(picture, one) for picture, one in zip(self._pictures[at], results, strict=True)]
        for row, one in zip(self._rows[at], results, strict=True):
            self._on_row(row, one)
        if time.monotonic() > self._written + _EVERY:
            try:
                self.write()
            except OSError as error:
                if not no_room(error):
                    raise
                self._written = time.monotonic()

    def write(self) -> list[ManifestRow]:
        """Write all three as the run stands; returns its rows, in the order of the photos. Raises OSError."""
        ensure_seen(self._out)
        rows = [row for at in self._pictures for row in self._rows.get(at, self._waiting(at))]
        rows += self._others
        values = {picture.output: picture.values for planned in self._pictures.values() for picture in planned}
        write_atomically(self._out / NAME, write_manifest(rows))
        write_atomically(self._out / JSON_NAME, write_json(rows, {"standard": self._standard.name}))
        linked = ((row, values.get(row.output, {})) for row in rows)
        write_atomically(self._out / LD_NAME, write_linked(linked, self._standard.information))
        self._written = time.monotonic()
        return rows

    def compare_with_disk(self) -> None:
        """Call failed whatever was made and is not there, whole, any more."""
        for rows in self._rows.values():
            for index, row in enumerate(rows):
                if row.status == DONE and _size(self._out / row.output) != row.bytes:
                    rows[index] = _gone(row)
                    self._on_row(rows[index], Made(failure=rows[index].message))

    def _waiting(self, at: int) -> list[ManifestRow]:
        return [manifest_row(picture, WAITING, Made(), self._standard) for picture in self._pictures[at]]

    def _row(self, picture: Planned, one: Made) -> ManifestRow:
        row = manifest_row(picture, FAILED if one.failure else DONE, one, self._standard)
        if row.status == HELD:
            # Made, measured, and not handed over: what fails must not lie among what may go out.
            (self._out / picture.output).unlink(missing_ok=True)
        return row


def _size(path: Path) -> int:
    """Bytes of a file, -1 if there is none."""
    try:
        return path.stat().st_size
    except OSError:
        return -1


def _gone(row: ManifestRow) -> ManifestRow:
    reason = f"{row.output} was made and is not there any more: somebody changed the folder while the run went on."
    return ManifestRow(row.original, row.code, row.view, "", 0, 0, 0, "", FAILED, reason, deliverable=row.deliverable)
