"""The stored standards: editing value by value, and versions, which runs freeze and people name."""

from collections.abc import Sequence
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zero_easel.core.catalog.plan import plan_all
from zero_easel.core.standard.differences import (
    Difference,
    FieldChange,
    applied,
    changes_between,
    differences,
    in_words,
)
from zero_easel.core.standard.editing import added, changed, dropped, removed
from zero_easel.core.standard.model import ALL, Scope, Standard, StandardError
from zero_easel.core.standard.patterns import PatternError
from zero_easel.core.standard.rule import Part
from zero_easel.library.changes.history import Where, record
from zero_easel.library.changes.matches import stale
from zero_easel.library.people import journal
from zero_easel.library.products import free_columns
from zero_easel.library.store.models import Change, Run, Shoot, Stage, StandardRow, StandardVersion, State, now

_WITH_PATTERNS = ("names", "information", "overlays", "deliverables")
"""Parts of a standard that may ask for columns of the catalog."""


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
    taken = {str(name).casefold() for name in session.scalars(select(func.json_extract(StandardRow.rules, "$.name")))}
    name, count = rules.name, 1
    while name.casefold() in taken:
        count += 1
        name = f"{rules.name[:110]} {count}"
    row = StandardRow(rules=rules.model_copy(update={"name": name}))
    session.add(row)
    session.flush()
    journal.write(session, "made the standard", about=name, standard_id=row.id)
    return row


def remove_standard(session: Session, row: StandardRow) -> None:
    """Delete a standard. Raises StandardError while a shoot uses it, a run used it, or it is the last."""
    if used_by(session, row):
        raise StandardError("shoots use it; give them another standard first")
    if session.scalar(select(Run.id).where(Run.standard_id == row.id).limit(1)):
        raise StandardError("a run used it, and its history is kept")
    if session.scalar(select(func.count()).select_from(StandardRow)) == 1:
        raise StandardError("it is the only one")
    journal.write(session, "removed the standard", about=row.rules.name, standard_id=row.id)
    session.delete(row)
    session.flush()


def used_by(session: Session, row: StandardRow) -> list[Shoot]:
    """The shoots that follow a standard."""
    return list(session.scalars(select(Shoot).where(Shoot.standard_id == row.id).order_by(Shoot.id)))


def follow(session: Session, shoot: Shoot, row: StandardRow) -> None:
    """Let a shoot follow another standard; views in turn are the standard's, so it is matched again."""
    shoot.standard_id = row.id
    text = f"the shoot follows {row.rules.name}"
    journal.write(session, text, about=shoot.name, shoot_id=shoot.id, standard_id=row.id)
    stale(session, [shoot.id])
    session.flush()
    session.refresh(shoot)


class Following(NamedTuple):
    """What a change of a shoot's standard concerns. others: further shoots that follow it. differs: where it is
    derived, how it differs from the standard that it comes from, whose name is parent."""

    others: list[Shoot]
    parent: str = ""
    differs: Sequence[Difference] = ()


def following(session: Session, shoot: Shoot) -> Following:
    """Whom else a change of a shoot's rules concerns."""
    row = shoot.standard
    others = [other for other in used_by(session, row) if other.id != shoot.id]
    parent = session.get(StandardRow, row.parent_id) if row.parent_id else None
    if parent is None:
        return Following(others)
    differs = [one for one in differences(parent.rules, row.rules) if one.field != "name"]
    return Following(others, parent.rules.name, differs)


def own_standard(session: Session, shoot: Shoot) -> StandardRow:
    """Let a shoot follow a standard of its own from here on, derived from the one that it follows."""
    rules = shoot.standard.rules
    name = f"{rules.name[: 117 - len(shoot.name[:50])]}, {shoot.name[:50]}"
    made = add_standard(session, rules.model_copy(update={"name": name}))
    made.parent_id = shoot.standard_id
    shoot.standard_id = made.id
    session.flush()
    session.refresh(shoot)
    return made


def set_rule(
    session: Session, row: StandardRow, field: str, value: str, scope: Scope = ALL, *, at: Where | None = None
) -> Standard:
    """Change one value, named by its dotted field, for a scope; opens the next version if this one is frozen.

    at: where it is changed, if not on the standard's own page; it can be undone in both. Raises StandardError with the
    reason, a pattern that asks for an unknown column among them; nothing is changed then.
    """
    return change_rules(session, row, changed(row.rules, field, value, scope), at)


def drop_rule(session: Session, row: StandardRow, field: str, scope: Scope, *, at: Where | None = None) -> Standard:
    """Let a scope follow the rule for all again. Raises StandardError; nothing is changed then."""
    return change_rules(session, row, dropped(row.rules, field, scope), at)


def add_parts(session: Session, row: StandardRow, part: str, *given: Part) -> Standard:
    """Add deliverables, overlays or checks. Raises StandardError; nothing is changed then."""
    return change_rules(session, row, added(row.rules, part, *given))


def remove_part(session: Session, row: StandardRow, part: str, key: str) -> Standard:
    """Remove one deliverable, overlay or check. Raises StandardError; nothing is changed then."""
    return change_rules(session, row, removed(row.rules, part, key))


def change_rules(session: Session, row: StandardRow, after: Standard, at: Where | None = None) -> Standard:
    """Replace the rules by changed ones, and keep the change so that it can be undone. Raises StandardError if a
    pattern asks for a column that the catalog does not have."""
    before, changes = row.rules, changes_between(row.rules, after)
    if not changes:
        return before
    if any(field.split(".")[0] in _WITH_PATTERNS for field in changes):
        try:
            plan_all(after, [], {}, free_columns(session))
        except PatternError as error:
            raise StandardError(str(error)) from error
    text = "; ".join(difference.text for difference in in_words(changes, before, after)[:3])
    record(
        session,
        at or Where(Stage.STANDARD, row.id),
        text,
        State(rules={k: c.before for k, c in changes.items()}),
        State(rules={k: c.after for k, c in changes.items()}),
        standard_id=row.id,
    )
    store(session, row, after)
    session.flush()
    return after


def restore_rules(session: Session, row: StandardRow, change: Change, *, back: bool) -> list[Difference]:
    """Set what a change did to the rules as it was before it, or after it; returns what that changed now."""
    fields = {
        key: FieldChange(change.before.rules.get(key), change.after.rules.get(key)) for key in change.before.rules
    }
    before = row.rules
    after = applied(before, fields, back=back)
    store(session, row, after)
    session.flush()
    return differences(before, after)


def store(session: Session, row: StandardRow, standard: Standard) -> None:
    """Replace all rules; a frozen version is kept, and the next one opened. Photos take their views in turn from the
    rules, so where these changed the shoots that follow them are matched again."""
    if standard == row.rules:
        return
    if standard.views != row.rules.views:
        stale(session, [shoot.id for shoot in used_by(session, row)])
    if row.frozen:
        row.version += 1
        row.frozen = False
    row.rules = standard
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
        journal.write(session, f"named version {row.version} {label}", about=row.rules.name, standard_id=row.id)
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
    steps = [(v.number, v.label, v.rules) for v in kept]
    if not row.frozen:
        steps.append((row.version, "", row.rules))
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
    return change_rules(session, row, version.rules)
