"""Steps that a person took in a shoot, kept so that each can be taken back and done again."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from zero_easel.library.models import Change


@dataclass(frozen=True)
class Steps:
    """The step that undo would take back and the one that redo would do again, in words; "" if there is none."""

    undo: str
    redo: str


def note_step(
    session: Session, shoot_id: int, stage: str, said: str, before: dict[str, Any], after: dict[str, Any]
) -> None:
    """Keep a step; what had been undone is gone then."""
    session.execute(delete(Change).where(Change.shoot_id == shoot_id, Change.stage == stage, Change.undone))
    session.add(Change(shoot_id=shoot_id, stage=stage, said=said, before=before, after=after))
    session.flush()


def steps_of(session: Session, shoot_id: int, stage: str) -> Steps:
    """What can be undone and redone."""
    done, undone = _last_done(session, shoot_id, stage), _first_undone(session, shoot_id, stage)
    return Steps(done.said if done else "", undone.said if undone else "")


def take_step(session: Session, shoot_id: int, stage: str, back: bool) -> tuple[str, dict[str, Any], dict[str, Any]]:
    """Mark the next step as undone (back) or done again; returns what it was, the state to set, and the one to leave;
    an empty word if there is no such step."""
    change = _last_done(session, shoot_id, stage) if back else _first_undone(session, shoot_id, stage)
    if change is None:
        return "", {}, {}
    change.undone = back
    session.flush()
    states = (change.before, change.after)
    return change.said, *(states if back else states[::-1])


def _last_done(session: Session, shoot_id: int, stage: str) -> Change | None:
    query = select(Change).where(Change.shoot_id == shoot_id, Change.stage == stage, ~Change.undone)
    return session.scalar(query.order_by(Change.id.desc()).limit(1))


def _first_undone(session: Session, shoot_id: int, stage: str) -> Change | None:
    query = select(Change).where(Change.shoot_id == shoot_id, Change.stage == stage, Change.undone)
    return session.scalar(query.order_by(Change.id).limit(1))
