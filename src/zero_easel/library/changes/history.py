"""What a person changed, kept so that each change can be undone and done again. Nothing else writes the change table.

A place that undoes sees its own changes: a stage of a shoot, a standard wherever it was changed, a photo's marks. One
change may stand in two of them, a rule that was changed at the line-up for one: undone in either, it is undone in both.
"""

from typing import NamedTuple

from sqlalchemy import ColumnElement, and_, func, select
from sqlalchemy.orm import Session

from zero_easel.library.people import journal
from zero_easel.library.store.models import Change, Stage, State


class Where(NamedTuple):
    """A place that undoes: a stage of a shoot, a standard, or a photo that is touched up."""

    stage: Stage
    id: int

    def mine(self) -> ColumnElement[bool]:
        """Which changes stand there."""
        if self.stage == Stage.STANDARD:
            return Change.standard_id == self.id
        if self.stage == Stage.TOUCH_UP:
            return Change.photo_id == self.id
        return and_(Change.shoot_id == self.id, Change.stage == self.stage)


class Undoable(NamedTuple):
    """What can be undone and done again: the next change of either, in words, "" if there is none; and how many."""

    undo: str
    redo: str
    undos: int
    redos: int


def record(
    session: Session, where: Where, text: str, before: State, after: State, *, standard_id: int | None = None
) -> None:
    """Keep a change. What was undone there before can no longer be done again: only what was undone since the last
    change can. standard_id: the standard that it changed too, from another place."""
    shoot_id = where.id if where.stage in (Stage.MATCH, Stage.PLACE) else None
    photo_id = where.id if where.stage == Stage.TOUCH_UP else None
    standard_id = where.id if where.stage == Stage.STANDARD else standard_id
    session.add(
        Change(
            stage=where.stage,
            shoot_id=shoot_id,
            photo_id=photo_id,
            standard_id=standard_id,
            text=text,
            before=before,
            after=after,
        )
    )
    session.flush()
    journal.write(session, text, shoot_id=shoot_id, photo_id=photo_id, standard_id=standard_id)


def undoable(session: Session, where: Where) -> Undoable:
    """What can be undone and done again there, in one question to the database."""
    last = select(func.coalesce(func.max(Change.id), 0)).where(where.mine(), ~Change.undone).scalar_subquery()
    again = and_(where.mine(), Change.undone, Change.id > last)
    row = session.execute(
        select(
            select(Change.text).where(Change.id == last).scalar_subquery(),
            select(Change.text).where(again).order_by(Change.id).limit(1).scalar_subquery(),
            select(func.count(Change.id)).where(where.mine(), ~Change.undone).scalar_subquery(),
            select(func.count(Change.id)).where(again).scalar_subquery(),
        )
    ).one()
    return Undoable(row[0] or "", row[1] or "", row[2], row[3])


def take(session: Session, where: Where, *, back: bool) -> Change | None:
    """Mark the next change as undone (back) or as done again, and return it; None if there is none."""
    last = session.scalar(select(func.max(Change.id)).where(where.mine(), ~Change.undone))
    if back:
        change = session.get(Change, last) if last is not None else None
    else:
        change = session.scalar(
            select(Change).where(where.mine(), Change.undone, Change.id > (last or 0)).order_by(Change.id).limit(1)
        )
    if change is not None:
        change.undone = back
        session.flush()
    return change
