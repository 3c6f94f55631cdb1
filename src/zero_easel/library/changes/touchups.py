"""A person's marks on a photo: drawn, undone, redone without limit, and kept."""

from collections.abc import Sequence

from sqlalchemy.orm import Session

from zero_easel.core.clearing.marks import Mark
from zero_easel.library.changes.history import Where, record
from zero_easel.library.store.models import Clearing, PhotoRow, Stage, State


def draw(session: Session, photo: PhotoRow, marks: Sequence[Mark]) -> None:
    """Add marks, which are undone together; what had been undone is gone then."""
    kinds = ", ".join(dict.fromkeys(mark.kind for mark in marks))
    record(session, Where(Stage.TOUCH_UP, photo.id), f"mark: {kinds}", State(), State(marks=tuple(marks)))
    set_marks(session, photo, (*photo.marks, *marks))


def fences_of(photo: PhotoRow) -> list[Mark]:
    """The fences in force."""
    return [mark for mark in photo.marks if mark.kind == "fence"]


def set_marks(session: Session, photo: PhotoRow, marks: tuple[Mark, ...]) -> None:
    """Any change to what is in force makes the stored cutout outdated: it waits to be made again at full size."""
    if photo.marks != marks:
        photo.marks, photo.clearing, photo.accepted = marks, Clearing.WAITING, False
    session.flush()
