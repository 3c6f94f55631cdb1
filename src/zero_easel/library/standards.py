"""The stored standard: editing value by value, and freezing the version that a run uses."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.patterns import PatternError
from zero_easel.core.plan import Namer
from zero_easel.core.standard import ALL, Scope, Standard, StandardError, changed, dropped
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


def set_rule(session: Session, row: StandardRow, field: str, value: str, scope: Scope = ALL) -> Standard:
    """Change one value, named by its dotted field, for a scope; opens the next version if a run froze this one.

    Raises StandardError with the reason, a name pattern that asks for an unknown column among them; nothing is changed
    then.
    """
    before = rules_of(row)
    after = changed(before, field, value, scope)
    try:
        Namer(after, free_columns(session))
    except PatternError as error:
        raise StandardError(str(error)) from error
    if after != before:
        store(row, after)
    return after


def drop_rule(session: Session, row: StandardRow, field: str, scope: Scope) -> Standard:
    """Let a scope follow the rule for all again. Raises StandardError; nothing is changed then."""
    after = dropped(rules_of(row), field, scope)
    if after != rules_of(row):
        store(row, after)
    session.flush()
    return after


def store(row: StandardRow, standard: Standard) -> None:
    """Replace all rules."""
    if row.frozen:
        row.version += 1
        row.frozen = False
    row.rules = standard.model_dump()
    row.updated = now()
