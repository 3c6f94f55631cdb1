"""Placing by hand, and rules as they are changed at the line-up; each change is kept and can be undone."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.light.geometry import Size
from zero_easel.core.light.rectify import Rectification, problem_of
from zero_easel.core.placing.by_example import rules_from
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Adjustment, KeptPart, Placement
from zero_easel.core.standard.differences import changes_between
from zero_easel.core.standard.model import ALL, Scope, Standard, StandardError
from zero_easel.core.tone.toning import Nine
from zero_easel.library.changes.cutouts import follow_cutouts
from zero_easel.library.changes.history import Where, record
from zero_easel.library.changes.standards import add_standard, drop_rule, set_rule, store
from zero_easel.library.lists.lineup import RowEntry, row_of
from zero_easel.library.store.models import PhotoRow, Shoot, Stage, StandardRow, State


def at_place(shoot: Shoot) -> Where:
    """The line-up of a shoot, as a place that undoes."""
    return Where(Stage.PLACE, shoot.id)


def place_by_hand(session: Session, shoot: Shoot, ids: Sequence[int], changes: Mapping[str, Any]) -> None:
    """Change what a person decided for photos; changes: some of Adjustment's fields. Raises StandardError if there is
    no such photo in the shoot."""
    _adjust(session, shoot, ids, "{} placed by hand", lambda photo: photo.adjustment._replace(**changes))


def keep_part_of(session: Session, shoot: Shoot, photo_id: int, part: KeptPart) -> None:
    """Keep another part of a whole picture where "cover" cuts: on canvases of its ratio, or on all if that is 0.

    Raises StandardError if there is no such photo in the shoot.
    """

    def kept(photo: PhotoRow) -> Adjustment:
        if part.ratio:
            return photo.adjustment.with_part(part)
        return photo.adjustment._replace(keep=(part.x, part.y), zoom=part.zoom, parts=())

    _adjust(session, shoot, [photo_id], "another part of {} is kept", kept)


def set_neutral(session: Session, shoot: Shoot, ids: Sequence[int], colour: tuple[float, float, float] | None) -> None:
    """Say what ought to be neutral in photos, as linear sRGB; None leaves it to what is measured. Raises StandardError
    if there is no such photo in the shoot."""
    text = "what is neutral in {} is said by hand" if colour else "what is neutral in {} is measured again"
    _adjust(session, shoot, ids, text, lambda photo: photo.adjustment._replace(neutral=colour))


def set_target(session: Session, shoot: Shoot, target: Nine | None) -> int:
    """Bring all photos of a shoot to a colour target by its matrix, or None of them; returns how many."""
    ids = [entry.line.id for entry in row_of(session, shoot.id)]
    text = "{} follow the colour target" if target else "{} follow no colour target"
    _adjust(session, shoot, ids, text, lambda photo: photo.adjustment._replace(target=target))
    return len(ids)


def rectify(session: Session, shoot: Shoot, asked: Mapping[int, Rectification], text: str) -> None:
    """Undo the geometry of photos otherwise than before; text: what was done, {} for the photos. Raises StandardError
    if there is no such photo in the shoot, or one cannot be rectified so; nothing is changed then."""
    for photo in _photos(session, shoot, list(asked)):
        frame = Size(photo.original.width, photo.original.height)
        if problem := problem_of(asked[photo.id], frame):
            raise StandardError(problem)
    _adjust(session, shoot, list(asked), text, lambda photo: photo.adjustment._replace(rectified=asked[photo.id]))


def back_to_rule(session: Session, shoot: Shoot, ids: Sequence[int]) -> None:
    """Drop what a person decided about the place of photos."""
    _adjust(session, shoot, ids, "{} back to the rule", lambda photo: photo.adjustment.placed_like(Adjustment()))


def same_for_view(session: Session, shoot: Shoot, photo_id: int) -> int:
    """Place the same view of all other products as this photo was; returns how many were changed."""
    row = row_of(session, shoot.id)
    mine = next((one for one in row if one.line.id == photo_id), None)
    if mine is None:
        raise StandardError("this photo is not in the row")
    view = mine.subject.view.casefold()
    others = [one.line.id for one in row if one.subject.view.casefold() == view and one.line.id != photo_id]
    adjustment = mine.subject.adjustment._replace(keep=None)
    if others:
        text = f"{len(others)} {mine.subject.view or 'other'} views placed like {_called(mine)}"
        _adjust(session, shoot, others, text, lambda photo: photo.adjustment.placed_like(adjustment))
    return len(others)


def make_rule(session: Session, shoot: Shoot, photo_id: int, scope: Scope) -> Standard:
    """Turn a photo's placing by hand into the rule for a scope, and drop it there. Raises StandardError."""
    entry, placement = _placed(session, shoot, photo_id)
    before, adjustment = shoot.standard.rules, entry.subject.adjustment
    after = rules_from(before, scope, placement, adjustment)
    changes, turned = changes_between(before, after), _turned(adjustment)
    record(
        session,
        at_place(shoot),
        f"{_called(entry)} became the rule for {scope}",
        State(adjustments={photo_id: adjustment.changed()}, rules={key: c.before for key, c in changes.items()}),
        State(adjustments={photo_id: turned.changed()}, rules={key: c.after for key, c in changes.items()}),
        standard_id=shoot.standard_id,
    )
    store(session, shoot.standard, after)
    session.get_one(PhotoRow, photo_id).adjustment = turned
    session.flush()
    return after


def make_standard(session: Session, shoot: Shoot, photo_id: int) -> StandardRow:
    """A standard of its own by which a photo stands where a person placed it; its shoot follows it from now on.

    Raises StandardError.
    """
    entry, placement = _placed(session, shoot, photo_id)
    before, adjustment = shoot.standard.rules, entry.subject.adjustment
    after = rules_from(before, ALL, placement, adjustment)
    name = f"{before.name}, like {_called(entry)}"[:110]
    shoot.standard = add_standard(session, after.model_copy(update={"name": name}))
    session.get_one(PhotoRow, photo_id).adjustment = _turned(adjustment)
    session.flush()
    return shoot.standard


def change_rule(session: Session, shoot: Shoot, field: str, value: str | None, scope: Scope = ALL) -> Standard:
    """Change one rule, or with value None drop a scope's own. Raises StandardError; nothing is changed then."""
    if value is None:
        return drop_rule(session, shoot.standard, field, scope, at=at_place(shoot))
    return set_rule(session, shoot.standard, field, value, scope, at=at_place(shoot))


def _placed(session: Session, shoot: Shoot, photo_id: int) -> tuple[RowEntry, Placement]:
    """A photo, and where it stands in its row. Raises StandardError if it is not there."""
    row = row_of(session, shoot.id)
    for entry, placement in zip(row, lay_out([one.subject for one in row], shoot.standard.rules), strict=True):
        if entry.line.id == photo_id and placement is not None:
            return entry, placement
    raise StandardError("this photo is not in the row")


def _turned(adjustment: Adjustment) -> Adjustment:
    """Of an adjustment what is no rule for others: how one photo was held, and what is known of its own light."""
    return adjustment.placed_like(Adjustment(turn=adjustment.turn))


def _called(entry: RowEntry) -> str:
    return entry.line.code or entry.line.name


def _adjust(
    session: Session,
    shoot: Shoot,
    ids: Sequence[int],
    text: str,
    change: Callable[[PhotoRow], Adjustment],
) -> None:
    """Change what a person decided for photos, and keep that; text: what was done, {} for the photos."""
    photos = _photos(session, shoot, ids)
    before = {photo.id: photo.adjustment.changed() for photo in photos}
    for photo in photos:
        photo.adjustment = change(photo)
    follow_cutouts(session, photos)
    after = {photo.id: photo.adjustment.changed() for photo in photos}
    if after != before:
        which = (photos[0].code or photos[0].name) if len(photos) == 1 else f"{len(photos)} photos"
        record(session, at_place(shoot), text.format(which), State(adjustments=before), State(adjustments=after))


def _photos(session: Session, shoot: Shoot, ids: Sequence[int]) -> list[PhotoRow]:
    rows: list[PhotoRow] = []
    for start in range(0, len(ids), 500):
        query = select(PhotoRow).where(PhotoRow.shoot_id == shoot.id, PhotoRow.id.in_(ids[start : start + 500]))
        rows += session.scalars(query).unique()
    if not rows or len(rows) != len(set(ids)):
        raise StandardError("there is no such photo in this shoot")
    return rows
