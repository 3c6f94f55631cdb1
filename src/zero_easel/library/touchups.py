"""A person's marks on a photo: drawn, undone, redone without limit, and kept."""

from sqlalchemy.orm import Session

from zero_easel.core.clearing.marks import Mark
from zero_easel.library.models import PhotoRow


def marks_in_force(photo: PhotoRow) -> tuple[Mark, ...]:
    """The marks that the cutout is made with."""
    return tuple(Mark.model_validate(mark) for mark in photo.marks[: photo.marks_at])


def draw(session: Session, photo: PhotoRow, marks: list[Mark]) -> None:
    """Add marks; what had been undone is gone then."""
    kept = photo.marks[: photo.marks_at]
    _set(session, photo, [*kept, *(mark.model_dump(mode="json") for mark in marks)], photo.marks_at + len(marks))


def undo(session: Session, photo: PhotoRow) -> None:
    """Take back the last mark in force, if there is any."""
    _set(session, photo, photo.marks, max(0, photo.marks_at - 1))


def redo(session: Session, photo: PhotoRow) -> None:
    """Put the last mark that was undone in force again."""
    _set(session, photo, photo.marks, min(len(photo.marks), photo.marks_at + 1))


def fences_of(photo: PhotoRow) -> list[Mark]:
    """The fences in force."""
    return [mark for mark in marks_in_force(photo) if mark.kind == "fence"]


def _set(session: Session, photo: PhotoRow, marks: list[object], at: int) -> None:
    """Any change to what is in force makes the stored cutout outdated: it waits to be made again at full size."""
    changed = photo.marks[: photo.marks_at] != marks[:at]
    photo.marks, photo.marks_at = marks, at
    if changed:
        photo.clearing, photo.accepted = "waiting", False
    session.flush()
