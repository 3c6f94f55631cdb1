"""Handing a run over: what goes out, the lists with it, and the archive, made while it is sent."""

import io
import zipfile
from collections.abc import Iterator
from pathlib import Path

from sqlalchemy.orm import Session

from zero_easel.core.finishing.checking import Checked
from zero_easel.core.standard.model import Standard
from zero_easel.library.models import PictureRow, Run
from zero_easel.library.vault import Vault
from zero_easel.planning.manifest import (
    HELD,
    JSON_NAME,
    LD_NAME,
    NAME,
    ManifestRow,
    said_of,
    write_json,
    write_linked,
    write_manifest,
)
from zero_easel.runs.service import pictures_of, told_of

_PIECE = 1 << 20


def handed_over(picture: PictureRow, rules: Standard) -> bool:
    """Whether a picture leaves the house: it is made, and if the standard asks for it, meets all checks."""
    return picture.state == "done" and (rules.hand_over == "all" or not picture.failures)


def rows_of(session: Session, run: Run) -> list[tuple[ManifestRow, PictureRow]]:
    """What became of each photo and deliverable, as the lists tell it."""
    rules = Standard.model_validate(run.rules)
    return [(_row(picture, rules), picture) for picture in pictures_of(session, run.id)]


def _row(picture: PictureRow, rules: Standard) -> ManifestRow:
    status = picture.state
    if picture.state == "done" and not handed_over(picture, rules):
        status = HELD
    output = picture.output if status == "done" else ""
    message = "; ".join(text for text in (picture.note, picture.message) if text)
    return ManifestRow(
        picture.original, picture.code, picture.view, output, picture.width, picture.height, picture.bytes,
        picture.sha256, status, message, picture.deliverable, picture.quality,
        said_of([Checked(*check) for check in picture.checks]),
    )  # fmt: skip


def lists_of(session: Session, run: Run) -> dict[str, bytes]:
    """manifest.csv, manifest.json and images.jsonld of a run as it stands."""
    rules, rows = Standard.model_validate(run.rules), rows_of(session, run)
    about = {"shoot": run.shoot.name, "run": run.id, "standard": rules.name, "version": run.standard_version}
    return {
        NAME: write_manifest(row for row, _ in rows),
        JSON_NAME: write_json((row for row, _ in rows), about),
        LD_NAME: write_linked(((row, told_of(picture)) for row, picture in rows), rules.information),
    }


class _Sent(io.RawIOBase):
    """A file that only goes forward: what is written waits to be taken away."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: bytes) -> int:  # type: ignore[override]
        self._parts.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        """All that was written since it was last asked."""
        data, self._parts = b"".join(self._parts), []
        return data


def stream_archive(session: Session, vault: Vault, run: Run) -> Iterator[bytes]:
    """A ZIP of what is handed over and the lists, piece by piece while it is made; nothing of it lies in memory or on
    disk as a whole. The pictures are compressed already and only stored."""
    rules = Standard.model_validate(run.rules)
    wanted = [
        (vault.run(run.id) / picture.output, picture.output)
        for picture in pictures_of(session, run.id)
        if handed_over(picture, rules)
    ]
    return _streamed(wanted, lists_of(session, run))


def _streamed(files: list[tuple[Path, str]], lists: dict[str, bytes]) -> Iterator[bytes]:
    sent = _Sent()
    with zipfile.ZipFile(sent, "w", zipfile.ZIP_STORED) as archive:
        for path, name in files:
            info = zipfile.ZipInfo.from_file(path, name)
            with path.open("rb") as source, archive.open(info, "w") as target:
                while piece := source.read(_PIECE):
                    target.write(piece)
                    yield sent.taken()
        for name, data in lists.items():
            archive.writestr(name, data)
    yield sent.taken()
