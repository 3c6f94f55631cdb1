"""The stored standards: editing value by value, and versions, which runs freeze and people name."""

from typing import Any, NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zero_easel.core.catalog.plan import plan_all
from zero_easel.core.standard.differences import Difference, differences
from zero_easel.core.standard.editing import added, changed, dropped, removed
from zero_easel.core.standard.model import ALL, Scope, Standard, StandardError, validated
from zero_easel.core.standard.patterns import PatternError
from zero_easel.core.standard.rule import Part
from zero_easel.library.models import Remembered, Run, Shoot, StandardRow, StandardVersion, now
from zero_easel.library.products import free_columns

_MOST_STEPS = 60
"""Changes of one standard that can be taken back."""


class Version(NamedTuple):
    """A version in the history of a standard. changes: what it changed of the one before. runs: ids of the runs
    that used it. current: the standard as it is now."""

    number: int
    label: str
    rules: Standard
    changes: list[Difference]
    runs: list[int]
    current: bool


def ensure_standard(session: Session) -> StandardRow:
    """The shop's first standard; on first use the built-in one is stored."""
    row = session.scalar(select(StandardRow).order_by(StandardRow.id))
    return row or add_standard(session, Standard())


def all_standards(session: Session) -> list[StandardRow]:
    """All standards, in the order in which they were made."""
    ensure_standard(session)
    return list(session.scalars(select(StandardRow).order_by(StandardRow.id)))


def add_standard(session: Session, rules: Standard) -> StandardRow:
    """Store one more standard; a name that is taken gets a number."""
    taken = {str(name).casefold() for name in session.scalars(select(StandardRow.rules["name"].as_string()))}
    name, count = rules.name, 1
    while name.casefold() in taken:
        count += 1
        name = f"{rules.name[:110]} {count}"
    row = StandardRow(rules=rules.model_copy(update={"name": name}).model_dump())
    session.add(row)
    session.flush()
    return row


def remove_standard(session: Session, row: StandardRow) -> None:
    """Delete a standard. Raises StandardError while a shoot uses it, a run used it, or it is the last."""
    if used_by(session, row):
        raise StandardError("shoots use it; give them another standard first")
    if session.scalar(select(Run.id).where(Run.standard_id == row.id).limit(1)):
        raise StandardError("a run used it, and its history is kept")
    if session.scalar(select(func.count()).select_from(StandardRow)) == 1:
        raise StandardError("it is the only one")
    session.delete(row)
    session.flush()


def used_by(session: Session, row: StandardRow) -> list[Shoot]:
    """The shoots that follow a standard."""
    return list(session.scalars(select(Shoot).where(Shoot.standard_id == row.id).order_by(Shoot.id)))


def rules_of(row: StandardRow) -> Standard:
    """The rules as the core model."""
    return Standard.model_validate(row.rules)


def set_rule(session: Session, row: StandardRow, field: str, value: str, scope: Scope = ALL) -> Standard:
    """Change one value, named by its dotted field, for a scope; opens the next version if this one is frozen.

    Raises StandardError with the reason, a pattern that asks for an unknown column among them; nothing is changed then.
    """
    return _kept(session, row, changed(rules_of(row), field, value, scope))


def drop_rule(session: Session, row: StandardRow, field: str, scope: Scope) -> Standard:
    """Let a scope follow the rule for all again. Raises StandardError; nothing is changed then."""
    return _kept(session, row, dropped(rules_of(row), field, scope))


def add_parts(session: Session, row: StandardRow, part: str, *given: Part) -> Standard:
    """Add deliverables, overlays or checks. Raises StandardError; nothing is changed then."""
    return _kept(session, row, added(rules_of(row), part, *given))


def remove_part(session: Session, row: StandardRow, part: str, key: str) -> Standard:
    """Take one deliverable, overlay or check out. Raises StandardError; nothing is changed then."""
    return _kept(session, row, removed(rules_of(row), part, key))


def _kept(session: Session, row: StandardRow, after: Standard) -> Standard:
    try:
        plan_all(after, [], {}, free_columns(session))
    except PatternError as error:
        raise StandardError(str(error)) from error
    before = row.rules
    store(row, after)
    if row.rules != before:
        _remember(session, row, [*_steps(session, row)["undo"], before][-_MOST_STEPS:], [])
    session.flush()
    return after


def undo(session: Session, row: StandardRow) -> list[Difference]:
    """Take the last change of a standard back; returns what that changed, in words, empty if there is nothing to take
    back."""
    return _step(session, row, "undo", "redo")


def redo(session: Session, row: StandardRow) -> list[Difference]:
    """Do the change that was taken back last again; returns what that changed."""
    return _step(session, row, "redo", "undo")


def steps_open(session: Session, row: StandardRow) -> tuple[int, int]:
    """How many changes can be taken back, and how many done again."""
    steps = _steps(session, row)
    return len(steps["undo"]), len(steps["redo"])


def _step(session: Session, row: StandardRow, way: str, other: str) -> list[Difference]:
    steps = _steps(session, row)
    if not steps[way]:
        return []
    now = rules_of(row)
    wanted = validated(steps[way][-1])
    left = {way: steps[way][:-1], other: [*steps[other], row.rules]}
    store(row, wanted)
    _remember(session, row, left["undo"], left["redo"])
    session.flush()
    return differences(now, wanted)


def _steps(session: Session, row: StandardRow) -> dict[str, list[Any]]:
    found = session.get(Remembered, f"standard {row.id}")
    return dict(found.value) if found else {"undo": [], "redo": []}


def _remember(session: Session, row: StandardRow, undo: list[Any], redo: list[Any]) -> None:
    session.merge(Remembered(key=f"standard {row.id}", value={"undo": undo, "redo": redo}))


def store(row: StandardRow, standard: Standard) -> None:
    """Replace all rules; a frozen version is kept, and the next one opened."""
    rules = standard.model_dump(mode="json")
    if rules == Standard.model_validate(row.rules).model_dump(mode="json"):
        return
    if row.frozen:
        row.version += 1
        row.frozen = False
    row.rules = rules
    row.updated = now()


def freeze(session: Session, row: StandardRow, label: str = "") -> StandardVersion:
    """Keep the present version for good, because a run uses it or a person names it."""
    version = session.scalar(
        select(StandardVersion).where(StandardVersion.standard_id == row.id, StandardVersion.number == row.version)
    )
    if version is None:
        version = StandardVersion(standard_id=row.id, number=row.version, rules=row.rules)
        session.add(version)
    if label:
        version.label = " ".join(label.split())[:120]
    row.frozen = True
    session.flush()
    return version


def versions_of(session: Session, row: StandardRow) -> list[Version]:
    """The history of a standard, the newest first; the standard as it is now leads, if it is not frozen."""
    kept = list(
        session.scalars(
            select(StandardVersion).where(StandardVersion.standard_id == row.id).order_by(StandardVersion.number)
        )
    )
    runs: dict[int, list[int]] = {}
    for run_id, number in session.execute(
        select(Run.id, Run.standard_version).where(Run.standard_id == row.id).order_by(Run.id)
    ):
        runs.setdefault(number, []).append(run_id)
    steps = [(v.number, v.label, Standard.model_validate(v.rules)) for v in kept]
    if not row.frozen:
        steps.append((row.version, "", rules_of(row)))
    history, before = [], None
    for number, label, rules in steps:
        changes: list[Difference] = [] if before is None else differences(before, rules)
        history.append(Version(number, label, rules, changes, runs.get(number, []), number == row.version))
        before = rules
    return history[::-1]


def restore(session: Session, row: StandardRow, number: int) -> Standard:
    """Make an earlier version the present one again; what was changed since stays in the history.

    Raises StandardError if there is no such version.
    """
    version = session.scalar(
        select(StandardVersion).where(StandardVersion.standard_id == row.id, StandardVersion.number == number)
    )
    if version is None:
        raise StandardError(f"there is no version {number}")
    if not row.frozen:
        freeze(session, row)
    store(row, validated(dict(version.rules)))
    session.flush()
    return rules_of(row)
