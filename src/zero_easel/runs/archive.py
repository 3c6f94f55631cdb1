"""Handing a run over: what goes out, the lists with it, as an archive, made while it is sent, or into a folder."""

import io
import os
import secrets
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

from sqlalchemy.orm import Session

from zero_easel.core.catalog.plan import Planned
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.naming import counted_apart, portable, stem
from zero_easel.engines.cutouts import kept_cutout
from zero_easel.files import write_atomically
from zero_easel.folder.renaming import Copy, copy_under_new_names
from zero_easel.library.lists.lines import PhotoLine
from zero_easel.library.store.models import PhotoRow, PictureRow, PictureState, Run
from zero_easel.library.store.vault import Vault
from zero_easel.planning.manifest import (
    JSON_NAME,
    LD_NAME,
    NAME,
    ManifestRow,
    is_handed_over,
    manifest_row,
    write_json,
    write_linked,
    write_manifest,
)
from zero_easel.runs.service import RunError, made_of, pictures_of
from zero_easel.storage import Kept

_PIECE = 1 << 20


def handed_over(picture: PictureRow, rules: Standard) -> bool:
    """Whether a picture leaves the house: it is made, and if the standard asks for it, meets all checks."""
    return picture.state == PictureState.DONE and is_handed_over(made_of(picture), rules)


def _row(picture: PictureRow, rules: Standard) -> ManifestRow:
    planned = Planned(picture.original, picture.code, picture.view, picture.output, deliverable=picture.deliverable)
    made = made_of(picture)
    if picture.note and not made.failure:
        made = replace(made, message="; ".join(text for text in (picture.note, made.message) if text))
    return manifest_row(planned, picture.state, made, rules)


def lists_of(session: Session, run: Run) -> dict[str, bytes]:
    """manifest.csv, manifest.json and images.jsonld of a run as it stands."""
    rules, pictures = run.rules, pictures_of(session, run.id)
    rows = [_row(picture, rules) for picture in pictures]
    about = {"shoot": run.shoot.name, "run": run.id, "standard": rules.name, "version": run.standard_version}
    return {
        NAME: write_manifest(rows),
        JSON_NAME: write_json(rows, about),
        LD_NAME: write_linked(((row, p.fields) for row, p in zip(rows, pictures, strict=True)), rules.information),
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
    rules = run.rules
    wanted = [
        (vault.picture(run.id, picture.output), picture.output)
        for picture in pictures_of(session, run.id)
        if handed_over(picture, rules)
    ]
    return _streamed(wanted, lists_of(session, run))


def _streamed(files: list[tuple[Kept, str]], lists: dict[str, bytes]) -> Iterator[bytes]:
    sent = _Sent()
    with zipfile.ZipFile(sent, "w", zipfile.ZIP_STORED) as archive:
        for kept, name in files:
            path = kept.path()
            info = zipfile.ZipInfo.from_file(path, name)
            with path.open("rb") as source, archive.open(info, "w") as target:
                while piece := source.read(_PIECE):
                    target.write(piece)
                    yield sent.taken()
        for name, data in lists.items():
            archive.writestr(name, data)
    yield sent.taken()


def stream_cutouts(vault: Vault, photos: Sequence[PhotoRow], *, whole: bool) -> Iterator[bytes]:
    """A ZIP of cutouts as they are, PNGs named like their photos, cropped to the item or within the whole frame. Those
    that are not there are left out."""
    sent, names = _Sent(), counted_apart([_cutout_name(photo) for photo in photos])
    with zipfile.ZipFile(sent, "w", zipfile.ZIP_STORED) as archive:
        for photo, name in zip(photos, names, strict=True):
            kept = kept_cutout(vault.cutout(photo.cutout_key)) if photo.cutout_key else None
            if kept is not None and kept.measures is not None:
                archive.writestr(name, kept.png(whole=whole))
                yield sent.taken()
    yield sent.taken()


def _cutout_name(photo: PhotoRow) -> str:
    return "/".join(portable(part) for part in [*photo.folder.split("/"), f"{stem(photo.name)}.png"] if part)


def renamed_archive(vault: Vault, planned: Sequence[tuple[PhotoLine, Planned]]) -> Path:
    """A temporary ZIP archive of a shoot's originals under their new names, with the table of old and new ones. Raises
    RenameError."""
    copies = [
        Copy(f"{line.folder}/{line.name}" if line.folder else line.name, vault.original(line.digest).path(), picture)
        for line, picture in planned
    ]
    path = vault.local / f".part-renamed-{os.getpid()}-{secrets.token_hex(8)}.zip"
    copy_under_new_names(copies, path)
    return path


def copy_out(session: Session, vault: Vault, run: Run, root: Path, folder: str, *, dates: bool) -> tuple[Path, int]:
    """Copy what a run hands over, and its lists, into a new folder within root; returns it and the number of pictures.
    folder: its name, with slashes for folders in folders. dates: files are dated by when their photos were taken.

    Raises RunError if there is such a folder with something in it, if it would lie elsewhere, or cannot be written.
    """
    target = root.joinpath(*(portable(part) for part in folder.replace("\\", "/").split("/") if part.strip(" .")))
    if target == root:
        raise RunError("The new folder needs a name.")
    if not target.resolve().is_relative_to(root.resolve()):
        raise RunError(f"{target} leads out of {root}; name another folder.")
    wanted = [picture for picture in pictures_of(session, run.id) if handed_over(picture, run.rules)]
    try:
        if target.exists() and (not target.is_dir() or any(target.iterdir())):
            raise RunError(f"{target} is there already; name another folder.")
        for picture in wanted:
            path = target / picture.output
            path.parent.mkdir(parents=True, exist_ok=True)
            write_atomically(path, vault.picture(run.id, picture.output).read())
            taken = picture.photo.original.taken
            if dates and taken is not None:
                os.utime(path, (taken.timestamp(), taken.timestamp()))
        for name, data in lists_of(session, run).items():
            write_atomically(target / name, data)
    except OSError as error:
        raise RunError(f"{target} cannot be written: {error.strerror or error}.") from error
    return target, len(wanted)
