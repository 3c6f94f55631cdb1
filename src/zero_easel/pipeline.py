"""The unit of work: one photo and a standard -> one finished picture. Deterministic, without database or clock."""

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path

from zero_easel.core.colour import Encoded
from zero_easel.core.cutout import cutout
from zero_easel.core.encode import encode
from zero_easel.core.item import CutItem
from zero_easel.core.laid import Laid, Subject
from zero_easel.core.marks import Mark
from zero_easel.core.photo import Photo, read_photo
from zero_easel.core.placement import lay_out, rules_of
from zero_easel.core.render import render, render_uncut
from zero_easel.core.sight import MODERATE, reduced
from zero_easel.core.standard import Standard


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


def picture_of(
    subject: Subject,
    standard: Standard,
    name: str,
    *,
    original: Callable[[], Photo],
    item: Callable[[], CutItem],
    laid: Laid | None = None,
) -> Picture:
    """One finished picture. laid: where it goes if its whole row was laid out; else it is laid out by itself.

    original, item: how to come by the photo and its cutout; asked for only if they are needed, perhaps twice. Raises
    PictureError.
    """
    item, original = cache(item), cache(original)
    if laid is None:
        if needs_cutout(subject, standard):
            subject = subject._replace(measures=item().measures, frame=(item().width, item().height))
        else:
            height, width = original().pixels.shape[:2]
            subject = subject._replace(frame=(width, height))
        laid = lay_out([subject], standard)[0]
    if laid is not None and laid.rules.backdrop == "kept":
        return finish_uncut(original(), standard, laid)
    return finish(item(), standard, name, laid)


def needs_cutout(subject: Subject, standard: Standard) -> bool:
    """Whether a photo has to be cut out to be placed: all but uncut ones, and of these those that are cut around it."""
    rules = rules_of(subject, standard)
    return rules.backdrop == "cleared" or (rules.fit == "cover" and subject.hand.keep is None)


def finish(item: CutItem, standard: Standard, name: str, laid: Laid | None) -> Picture:
    """Draw and encode an item by the standard, where it was laid among others. Raises PictureError if there is no item;
    name is used in the message."""
    if item.measures is None or laid is None:
        raise PictureError(f"{name} shows no item in front of its backdrop.")
    drawn = render(item, standard, laid)
    return _picture(drawn.pixels, standard, [flag.text for flag in item.flags] + [note.text for note in laid.notes])


def finish_uncut(photo: Photo, standard: Standard, laid: Laid) -> Picture:
    """Draw and encode a photo whose backdrop is kept."""
    pixels = render_uncut(photo.pixels, photo.alpha, laid, standard.canvas.ground)
    return _picture(pixels, standard, [note.text for note in laid.notes])


def _picture(pixels: Encoded, standard: Standard, notes: list[str]) -> Picture:
    height, width = pixels.shape[:2]
    return Picture(encode(pixels, standard.deliverable, standard.canvas.density), width, height, notes)


@lru_cache(4)
def empty_frame(path: Path) -> Encoded:
    """A photo of the bare backdrop, as large as it is used. Raises PhotoError."""
    return reduced(read_photo(path).pixels, MODERATE)
