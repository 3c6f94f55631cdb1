"""Undo and redo, for whatever a person can change: matches, placing, rules and marks, by what history kept of it."""

from typing import NamedTuple

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from zero_easel.core.placing.placement import Adjustment
from zero_easel.core.standard.differences import Difference
from zero_easel.library.changes.cutouts import follow_cutouts
from zero_easel.library.changes.history import Where, take
from zero_easel.library.changes.matches import rematch
from zero_easel.library.changes.repairs import set_shots
from zero_easel.library.changes.standards import restore_rules
from zero_easel.library.changes.touchups import set_marks
from zero_easel.library.people import journal
from zero_easel.library.store.models import Change, PhotoRow, Shoot, StandardRow, State


class Step(NamedTuple):
    """What was undone or done again: in words, and what it changed of a standard now."""

    text: str
    changes: list[Difference]


def undo(session: Session, where: Where) -> Step | None:
    """Undo the last change there; None if there is none."""
    return _step(session, where, back=True)


def redo(session: Session, where: Where) -> Step | None:
    """Do the change that was undone last again; None if there is none."""
    return _step(session, where, back=False)


def _step(session: Session, where: Where, *, back: bool) -> Step | None:
    change = take(session, where, back=back)
    if change is None:
        return None
    changes = _rules(session, change, back=back)
    side = change.before if back else change.after
    placed = [(session.get(PhotoRow, photo_id), adjustment) for photo_id, adjustment in side.adjustments.items()]
    present = [(photo, adjustment) for photo, adjustment in placed if photo is not None]
    for photo, adjustment in present:
        photo.adjustment = Adjustment.of(adjustment)
    follow_cutouts(session, [photo for photo, _ in present])
    if change.after.marks:
        _marks(session, change, back=back)
    if side.photos or side.shots is not None or (side.cards, side.raw_counts, side.bursts) != (None, None, None):
        _match(session, change, side)
    session.flush()
    done = "undone" if back else "done again"
    journal.write(
        session,
        f"{done}: {change.text}",
        shoot_id=change.shoot_id,
        photo_id=change.photo_id,
        standard_id=change.standard_id,
    )
    lost = change.after.rules and not changes
    return Step(f"{change.text} (changed elsewhere since, and left as it is)" if lost else change.text, changes)


def _rules(session: Session, change: Change, *, back: bool) -> list[Difference]:
    row = session.get(StandardRow, change.standard_id) if change.standard_id and change.after.rules else None
    if row is None:
        return []
    return restore_rules(session, row, change, back=back)


def _marks(session: Session, change: Change, *, back: bool) -> None:
    photo = session.get_one(PhotoRow, change.photo_id)
    drawn = change.after.marks
    set_marks(session, photo, photo.marks[: -len(drawn)] if back else (*photo.marks, *drawn))


def _match(session: Session, change: Change, side: State) -> None:
    shoot = session.get_one(Shoot, change.shoot_id)
    if side.shots is not None:
        set_shots(session, shoot.id, side.shots)
    if side.cards is not None:
        shoot.cards = side.cards
        session.flush()
    if side.raw_counts is not None:
        shoot.raw_counts = side.raw_counts
        session.flush()
    if side.bursts is not None:
        shoot.bursts = side.bursts
        session.flush()
    present = set(session.scalars(select(PhotoRow.id).where(PhotoRow.shoot_id == shoot.id)))
    rows = [
        {"id": photo_id, **held._asdict(), "why": "by hand"}
        for photo_id, held in side.photos.items()
        if photo_id in present
    ]
    if rows:
        session.execute(update(PhotoRow), rows)
    session.expire_all()
    rematch(session, shoot)
