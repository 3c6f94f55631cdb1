"""Placing by hand, and rules as they are changed at the line-up; every step back again."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.placing.by_example import rules_from
from zero_easel.core.placing.placement import Adjustment
from zero_easel.core.standard.model import ALL, Scope, Standard, StandardError, validated
from zero_easel.library.history import note_step, take_step
from zero_easel.library.lineup import hand_of, kept_hand, lay_row, row_of
from zero_easel.library.models import PhotoRow, Shoot, StandardRow
from zero_easel.library.standards import add_standard, drop_rule, rules_of, set_rule, store

STAGE = "place"


def place_by_hand(session: Session, shoot: Shoot, ids: Sequence[int], changes: Mapping[str, Any]) -> None:
    """Change what a person decided for photos; changes: some of Adjustment's fields. Raises StandardError if there is
    no such photo in the shoot."""
    _set(session, shoot, ids, f"{_named(session, shoot, ids)} placed by hand", lambda hand: hand._replace(**changes))


def back_to_rule(session: Session, shoot: Shoot, ids: Sequence[int]) -> None:
    """Drop what a person decided for photos."""
    _set(session, shoot, ids, f"{_named(session, shoot, ids)} back to the rule", lambda _: Adjustment())


def same_for_view(session: Session, shoot: Shoot, photo_id: int) -> int:
    """Place the same view of all other products as this photo was; returns how many were changed."""
    row = row_of(session, shoot)
    mine = next((one for one in row if one.line.id == photo_id), None)
    if mine is None:
        raise StandardError("this photo is not in the row")
    view = mine.subject.view.casefold()
    others = [one.line.id for one in row if one.subject.view.casefold() == view and one.line.id != photo_id]
    hand = mine.subject.hand._replace(keep=None)
    if others:
        said = f"{len(others)} {mine.subject.view or 'other'} views placed like {mine.line.code or mine.line.name}"
        _set(session, shoot, others, said, lambda _: hand)
    return len(others)


def make_rule(session: Session, shoot: Shoot, photo_id: int, scope: Scope) -> Standard:
    """Turn a photo's placing by hand into the rule for a scope, and drop it there. Raises StandardError."""
    row = row_of(session, shoot)
    before = rules_of(shoot.standard)
    found = [(one, lay) for one, lay in zip(row, lay_row(row, before), strict=True) if one.line.id == photo_id]
    standing, laid = found[0] if found else (None, None)
    if standing is None or laid is None:
        raise StandardError("this photo is not in the row")
    after = rules_from(before, scope, laid, standing.subject.hand)
    hand = kept_hand(standing.subject.hand)
    turn = {"turn": hand["turn"]} if "turn" in hand else {}  # how one photo was held is no rule for others
    store(shoot.standard, after)
    session.get_one(PhotoRow, photo_id).hand = turn
    key, said = str(photo_id), f"{standing.line.code or standing.line.name} became the rule for {scope}"
    note_step(
        session, shoot.id, STAGE, said,
        {"hands": {key: hand}, "rules": before.model_dump()}, {"hands": {key: turn}, "rules": after.model_dump()},
    )  # fmt: skip
    return after


def make_standard(session: Session, shoot: Shoot, photo_id: int) -> StandardRow:
    """A standard of its own by which a photo stands where a person placed it; its shoot follows it from now on.

    Raises StandardError.
    """
    row, before = row_of(session, shoot), rules_of(shoot.standard)
    found = [(one, lay) for one, lay in zip(row, lay_row(row, before), strict=True) if one.line.id == photo_id]
    standing, laid = found[0] if found else (None, None)
    if standing is None or laid is None:
        raise StandardError("this photo is not in the row")
    after = rules_from(before, ALL, laid, standing.subject.hand)
    name = f"{before.name}, like {standing.line.code or standing.line.name}"[:110]
    made = add_standard(session, after.model_copy(update={"name": name}))
    hand = kept_hand(standing.subject.hand)
    session.get_one(PhotoRow, photo_id).hand = {"turn": hand["turn"]} if "turn" in hand else {}
    shoot.standard = made
    session.flush()
    return made


def change_rule(session: Session, shoot: Shoot, field: str, value: str | None, scope: Scope = ALL) -> Standard:
    """Change one rule, or with value None drop a scope's own. Raises StandardError; nothing is changed then."""
    before = rules_of(shoot.standard)
    if value is None:
        after = drop_rule(session, shoot.standard, field, scope)
    else:
        after = set_rule(session, shoot.standard, field, value, scope)
    if after != before:
        said = f"{field.rpartition('.')[2].replace('_', ' ')} for {scope}"
        note_step(session, shoot.id, STAGE, said, {"rules": before.model_dump()}, {"rules": after.model_dump()})
    return after


def undo(session: Session, shoot: Shoot) -> str:
    """Take the last step back; returns what it was, "" if there is none."""
    return _step(session, shoot, back=True)


def redo(session: Session, shoot: Shoot) -> str:
    """Do the last step that was taken back again; returns what it is, "" if there is none."""
    return _step(session, shoot, back=False)


def _step(session: Session, shoot: Shoot, back: bool) -> str:
    said, state, left = take_step(session, shoot.id, STAGE, back)
    if "rules" in state:
        store(shoot.standard, _only_that(rules_of(shoot.standard), left["rules"], state["rules"]))
    for key, hand in state.get("hands", {}).items():
        photo = session.get(PhotoRow, int(key))
        if photo is not None:
            photo.hand = hand
    session.flush()
    return said


def _only_that(now: Standard, left: Mapping[str, Any], wanted: Mapping[str, Any]) -> Standard:
    """The standard with the rules set that a step had changed; what was changed elsewhere since stays. Raises
    StandardError if the two do not go together."""
    data = now.model_dump()
    for part, rules in wanted.items():
        if part not in data:
            continue  # a step from before standards had these parts
        if isinstance(rules, dict) and part != "views":
            data[part] |= {key: value for key, value in rules.items() if value != left[part].get(key)}
        elif rules != left[part]:
            data[part] = rules
    return validated(data)


def _set(
    session: Session, shoot: Shoot, ids: Sequence[int], said: str, change: Callable[[Adjustment], Adjustment]
) -> None:
    photos = _photos(session, shoot, ids)
    before = {str(photo.id): dict(photo.hand or {}) for photo in photos}
    for photo in photos:
        photo.hand = kept_hand(change(hand_of(photo.hand)))
    after = {str(photo.id): photo.hand for photo in photos}
    if after != before:
        note_step(session, shoot.id, STAGE, said, {"hands": before}, {"hands": after})


def _photos(session: Session, shoot: Shoot, ids: Sequence[int]) -> list[PhotoRow]:
    rows: list[PhotoRow] = []
    for start in range(0, len(ids), 500):
        query = select(PhotoRow).where(PhotoRow.shoot_id == shoot.id, PhotoRow.id.in_(ids[start : start + 500]))
        rows += session.scalars(query).unique()
    if not rows or len(rows) != len(set(ids)):
        raise StandardError("there is no such photo in this shoot")
    return rows


def _named(session: Session, shoot: Shoot, ids: Sequence[int]) -> str:
    photos = _photos(session, shoot, ids)
    return (photos[0].code or photos[0].name) if len(photos) == 1 else f"{len(photos)} photos"
