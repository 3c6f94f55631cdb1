"""What a worker process does with one photo of the library. Arguments and results are small and plain."""

import time
from dataclasses import dataclass
from pathlib import Path

from zero_easel.core.encode import encode_webp
from zero_easel.core.item import CutItem
from zero_easel.core.photo import PhotoError, read_photo
from zero_easel.core.standard import Standard
from zero_easel.files import write_atomically
from zero_easel.library.vault import Vault
from zero_easel.pipeline import PictureError, clear, finish

SMALL, LARGE = 480, 1400
"""Longer sides of the reduced cutouts that pages show, px."""


@dataclass(frozen=True)
class Cleared:
    """Facts of a cutout that is now in the vault. Box and bounds in px of the upright photo."""

    key: str
    confidence: float
    flags: list[list[str]]
    left: int
    top: int
    width: int
    height: int
    bounds: list[float] | None
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


def clear_photo(root: Path, digest: str, name: str, key: str) -> Cleared:
    """Cut out one original and keep the cutout. Raises PictureError."""
    return _cleared(Vault(root), digest, name, key)[1]


def make_picture(root: Path, digest: str, name: str, key: str, rules: Standard, target: Path) -> Made:
    """Make one finished picture from the kept cutout, or from the original if there is none. Raises PictureError."""
    vault = Vault(root)
    cleared = None
    item = _kept(vault, key)
    if item is None:
        item, cleared = _cleared(vault, digest, name, key)
    picture = finish(item, rules, name)
    target.parent.mkdir(parents=True, exist_ok=True)
    write_atomically(target, picture.data)
    message = "; ".join(picture.notes)
    return Made(picture.width, picture.height, len(picture.data), picture.sha256, message, cleared)


def _cleared(vault: Vault, digest: str, name: str, key: str) -> tuple[CutItem, Cleared]:
    started = time.perf_counter()
    try:
        photo = read_photo(vault.original(digest), name)
    except PhotoError as error:
        raise PictureError(str(error)) from error
    item = clear(photo)
    _keep(vault, key, item)
    height, width = item.pixels.shape[:2]
    cleared = Cleared(
        key=key,
        confidence=item.confidence,
        flags=[list(flag) for flag in item.flags],
        left=item.left,
        top=item.top,
        width=width,
        height=height,
        bounds=list(item.bounds) if item.bounds else None,
        seconds=round(time.perf_counter() - started, 3),
    )
    return item, cleared


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
    except (OSError, ValueError, TypeError):
        return None
