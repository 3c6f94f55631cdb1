"""The stored standard: editing value by value, and freezing the version that a run uses."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.patterns import PatternError
from zero_easel.core.plan import Namer
from zero_easel.core.standard import Standard, StandardError, changed
from zero_easel.library.models import StandardRow, now
from zero_easel.library.products import free_columns


def ensure_standard(session: Session) -> StandardRow:
    """The shop's standard; on first use the built-in one is stored."""
    row = session.scalar(select(StandardRow).order_by(StandardRow.id))
    if row is None:
        row = StandardRow(rules=Standard().model_dump())
        session.add(row)
        session.flush()
    return row


def rules_of(row: StandardRow) -> Standard:
    """The rules as the core model."""
    return Standard.model_validate(row.rules)


def set_rule(session: Session, row: StandardRow, field: str, value: str) -> Standard:
    """Change one value, named by its dotted field; opens the next version if a run froze this one.

    Raises StandardError with the reason, a name pattern that asks for an unknown column among them; nothing is changed
    then.
    """
    before = rules_of(row)
    after = changed(before, field, value)
    try:
        Namer(after, free_columns(session))
    except PatternError as error:
        raise StandardError(str(error)) from error
    if after != before:
        store(row, after)
    return after


def store(row: StandardRow, standard: Standard) -> None:
    """Replace all rules."""
    if row.frozen:
        row.version += 1
        row.frozen = False
    row.rules = standard.model_dump()
    row.updated = now()
