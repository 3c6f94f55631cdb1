"""The unit of work: one photo and a standard -> one finished picture. Deterministic, without database or clock."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from zero_easel.core.colour import Encoded
from zero_easel.core.cutout import cutout
from zero_easel.core.encode import encode
from zero_easel.core.item import CutItem
from zero_easel.core.marks import Mark
from zero_easel.core.photo import Photo, PhotoError, read_photo
from zero_easel.core.render import render
from zero_easel.core.sight import MODERATE, reduced
from zero_easel.core.standard import Standard

_SOFT = 1.5
"""Enlarging further than this is worth a note: it looks soft."""


@dataclass(frozen=True)
class Picture:
    """A finished picture. data: the file's bytes. width, height: px. notes: what a person may want to know."""

    data: bytes
    width: int
    height: int
    notes: list[str]

    @property
    def sha256(self) -> str:
        """Digest of the file's bytes, hexadecimal."""
        return hashlib.sha256(self.data).hexdigest()


class PictureError(Exception):
    """A photo that gives no picture, with the reason in plain words."""


def clear(photo: Photo, empties: Sequence[Encoded] = (), marks: Sequence[Mark] = ()) -> CutItem:
    """Cut out the item of a photo, in the form that is kept; empties: photos of its bare backdrop."""
    return cutout(photo, empties, marks)


def finish(item: CutItem, standard: Standard, name: str) -> Picture:
    """Draw and encode an item by the standard. Raises PictureError if there is no item; name is used in the message."""
    if item.bounds is None:
        raise PictureError(f"{name} shows no item in front of its backdrop.")
    drawn = render(item, standard)
    notes = [flag.text for flag in item.flags]
    if drawn.placement.scale > _SOFT:
        notes.append(f"enlarged {drawn.placement.scale:.1f} times, may look soft")
    height, width = drawn.pixels.shape[:2]
    return Picture(encode(drawn.pixels, standard.deliverable), width, height, notes)


@lru_cache(4)
def empty_frame(path: Path) -> Encoded:
    """A photo of the bare backdrop, as large as it is used. Raises PhotoError."""
    return reduced(read_photo(path).pixels, MODERATE)


def picture_of(path: Path, standard: Standard, empties: Sequence[Path] = ()) -> Picture:
    """Photo file -> finished picture. Raises PictureError with one plain sentence that names the file."""
    try:
        return finish(clear(read_photo(path), [empty_frame(e) for e in empties]), standard, path.name)
    except PhotoError as error:
        raise PictureError(str(error)) from error
