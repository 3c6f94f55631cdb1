"""What a worker process does with one photo of the library. Arguments and results are small and plain."""

import time
from dataclasses import dataclass
from pathlib import Path

from zero_easel.core.colour import Encoded
from zero_easel.core.encode import encode_webp
from zero_easel.core.item import CutItem
from zero_easel.core.laid import Laid, Subject
from zero_easel.core.marks import Mark
from zero_easel.core.photo import Photo, PhotoError, read_photo
from zero_easel.core.reading import Reading, read
from zero_easel.core.standard import Standard
from zero_easel.files import write_atomically
from zero_easel.library.vault import Vault
from zero_easel.pipeline import PictureError, clear, empty_frame, picture_of

SMALL, LARGE = 480, 1400
"""Longer sides of the reduced cutouts that pages show, px."""


@dataclass(frozen=True)
class Cleared:
    """Facts of a cutout that is now in the vault. Box and bounds in px of the upright photo. measures: packed."""

    key: str
    confidence: float
    flags: list[list[str]]
    left: int
    top: int
    width: int
    height: int
    bounds: list[float] | None
    measures: str
    seconds: float


@dataclass(frozen=True)
class Made:
    """Facts of a finished picture that is now in its run's folder. cleared: its cutout, if that was made too."""

    width: int
    height: int
    bytes: int
    sha256: str
    message: str
    cleared: Cleared | None


@dataclass(frozen=True)
class Order:
    """A photo to be cleared. key: what its cutout will be called. empties: digests of photos of its bare backdrop.
    marks: what a person drew."""

    digest: str
    name: str
    key: str
    empties: tuple[str, ...]
    marks: tuple[Mark, ...]


def read_original(root: Path, digest: str, name: str) -> Reading:
    """Read barcodes and sharpness off one original. Raises PictureError."""
    try:
        return read(read_photo(Vault(root).original(digest), name).pixels)
    except PhotoError as error:
        raise PictureError(str(error)) from error


def clear_photo(root: Path, order: Order) -> Cleared:
    """Cut out one original and keep the cutout. Raises PictureError."""
    return _cleared(Vault(root), order)[1]


def make_picture(root: Path, order: Order, rules: Standard, target: Path, subject: Subject, laid: Laid | None) -> Made:
    """Make one finished picture from the kept cutout, or from the original if there is none. laid: its place, if that
    depends on others. Raises PictureError."""
    vault, cleared = Vault(root), None

    def item() -> CutItem:
        nonlocal cleared
        kept = _kept(vault, order.key)
        if kept is None:
            kept, cleared = _cleared(vault, order)
        return kept

    picture = picture_of(subject, rules, order.name, original=lambda: _original(vault, order), item=item, laid=laid)
    target.parent.mkdir(parents=True, exist_ok=True)
    write_atomically(target, picture.data)
    message = "; ".join(picture.notes)
    return Made(picture.width, picture.height, len(picture.data), picture.sha256, message, cleared)


def _cleared(vault: Vault, order: Order) -> tuple[CutItem, Cleared]:
    started = time.perf_counter()
    photo = _original(vault, order)
    item = clear(photo, [_empty(vault, digest) for digest in order.empties], order.marks)
    _keep(vault, order.key, item)
    height, width = item.pixels.shape[:2]
    cleared = Cleared(
        key=order.key,
        confidence=item.confidence,
        flags=[list(flag) for flag in item.flags],
        left=item.left,
        top=item.top,
        width=width,
        height=height,
        bounds=list(item.bounds) if item.bounds else None,
        measures=item.measures.packed() if item.measures else "",
        seconds=round(time.perf_counter() - started, 3),
    )
    return item, cleared


def _original(vault: Vault, order: Order) -> Photo:
    try:
        return read_photo(vault.original(order.digest), order.name)
    except PhotoError as error:
        raise PictureError(str(error)) from error


def _empty(vault: Vault, digest: str) -> Encoded:
    """A photo of the bare backdrop at the largest size at which it is used. Raises PictureError."""
    try:
        return empty_frame(vault.original(digest))
    except PhotoError as error:
        raise PictureError(str(error)) from error


def _keep(vault: Vault, key: str, item: CutItem) -> None:
    """Previews first, then facts, then pixels: whoever finds the pixels finds all of it."""
    png, facts = item.packed()
    path = vault.cutout(key)
    path.parent.mkdir(parents=True, exist_ok=True)
    for kind, longest in (("small", SMALL), ("large", LARGE)):
        reduced = item.reduced(longest).pixels
        if reduced.dtype != "uint8":
            reduced = (reduced >> 8).astype("uint8")
        write_atomically(vault.preview(key, kind), encode_webp(reduced, 90))
    write_atomically(path.with_suffix(".json"), facts.encode())
    write_atomically(path, png)


def _kept(vault: Vault, key: str) -> CutItem | None:
    """The stored cutout, None if it is not there or was damaged: it can always be made again."""
    path = vault.cutout(key)
    try:
        return CutItem.unpacked(path.read_bytes(), path.with_suffix(".json").read_text())
    except (OSError, ValueError, TypeError, KeyError):
        return None
