"""Matching by hand: assigning, swapping, shifting runs, and every step back again."""

from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from zero_easel.core.catalog.products import read_shotlist
from zero_easel.core.catalog.tables import Problem
from zero_easel.library.history import note_step, take_step
from zero_easel.library.lines import lines_of, takes_part
from zero_easel.library.matches import rematch
from zero_easel.library.models import PhotoRow, Shoot, ShotRow

STAGE = "match"
_HAND = ("code", "view", "by_hand", "not_card", "left_out")
"""What a person sets on a photo; everything else follows by itself."""


class MatchError(ValueError):
    """A step of matching that cannot be done, with the reason in a sentence."""


def import_shotlist(session: Session, shoot: Shoot, data: bytes, name: str) -> tuple[int, list[Problem]]:
    """Replace a shoot's shot list and match again; returns rows taken and rows left out. Raises TableError."""
    shots, problems, _ = read_shotlist(data, name)
    before = _shots(session, shoot.id)
    _set_shots(session, shoot.id, [list(shot) for shot in shots])
    note_step(
        session, shoot.id, STAGE, f"shot list {name}", {"shots": before}, {"shots": [list(shot) for shot in shots]}
    )
    rematch(session, shoot)
    return len(shots), problems


def assign(session: Session, shoot: Shoot, ids: Sequence[int], code: str, view: str | None) -> None:
    """Say by hand which product photos show; view None leaves each photo's own. An empty code: no product."""
    code = " ".join(code.split())
    photos = _photos(session, shoot, ids)
    said = f"{code or 'no product'} for {_count(photos)}"

    def do(photo: PhotoRow) -> None:
        photo.code, photo.by_hand, photo.card = code, True, False
        photo.view = photo.view if view is None else " ".join(view.split())

    _by_hand(session, shoot, photos, said, do)


def back_to_automatic(session: Session, shoot: Shoot, ids: Sequence[int]) -> None:
    """Take back what was said of photos by hand, and match them by themselves again."""
    photos = _photos(session, shoot, ids)

    def do(photo: PhotoRow) -> None:
        photo.by_hand = photo.not_card = False

    _by_hand(session, shoot, photos, f"automatic again for {_count(photos)}", do)


def confirm(session: Session, shoot: Shoot, ids: Sequence[int]) -> None:
    """Say that the doubtful products of photos are right, and that doubtful cards are cards."""
    photos = [photo for photo in _photos(session, shoot, ids) if photo.code or photo.card]
    _by_hand(session, shoot, photos, f"{_count(photos)} confirmed", lambda photo: setattr(photo, "by_hand", True))


def no_card(session: Session, shoot: Shoot, photo_id: int) -> None:
    """Say that a photo taken for a code card is none."""
    photos = _photos(session, shoot, [photo_id])

    def do(photo: PhotoRow) -> None:
        photo.not_card, photo.by_hand = True, False

    _by_hand(session, shoot, photos, f"{photos[0].name} is no card", do)


def leave_out(session: Session, shoot: Shoot, ids: Sequence[int], out: bool = True) -> None:
    """Leave photos out of runs, or take them back in; files stay."""
    photos = [photo for photo in _photos(session, shoot, ids) if photo.left_out != out]
    said = f"{_count(photos)} {'left out' if out else 'taken in again'}"
    _by_hand(session, shoot, photos, said, lambda photo: setattr(photo, "left_out", out))


def swap(session: Session, shoot: Shoot, ids: Sequence[int]) -> None:
    """Exchange product and view of two photos. Raises MatchError unless it is two."""
    if len(set(ids)) != 2:
        raise MatchError("Choose two photos to swap.")
    first, second = _photos(session, shoot, ids)
    _deal(session, shoot, [first, second], [_held(second), _held(first)], f"{first.name} and {second.name} swapped")


def shift(session: Session, shoot: Shoot, ids: Sequence[int], by: int) -> str:
    """Move products and views along a run of photos in shooting order, by one photo later (1) or earlier (-1).

    The photo that is left without gets none; what falls off the other end is told. Raises MatchError for a run of one.
    """
    chosen = set(ids)
    order = [line.id for line in lines_of(session, shoot.id) if line.id in chosen and takes_part(line)]
    photos = _photos(session, shoot, order)
    if len(photos) < 2:
        raise MatchError("A run to shift has at least two photos.")
    held = [_held(photo) for photo in photos]
    lost = held[-1] if by > 0 else held[0]
    dealt = [("", ""), *held[:-1]] if by > 0 else [*held[1:], ("", "")]
    way = "later" if by > 0 else "earlier"
    said = f"{_count(photos)} from {photos[0].name} shifted by one {way}"
    _deal(session, shoot, photos, dealt, said)
    return f"{said}; {' '.join(lost)} fell off the end" if lost[0] else said


def run_from(session: Session, shoot: Shoot, photo_id: int) -> list[int]:
    """All photos that take part from one on, in shooting order."""
    order = [line.id for line in lines_of(session, shoot.id) if takes_part(line)]
    return order[order.index(photo_id) :] if photo_id in order else []


def undo(session: Session, shoot: Shoot) -> str:
    """Take the last step back; returns what it was, "" if there is none."""
    return _step(session, shoot, back=True)


def redo(session: Session, shoot: Shoot) -> str:
    """Do the last step that was taken back again; returns what it is, "" if there is none."""
    return _step(session, shoot, back=False)


def _step(session: Session, shoot: Shoot, back: bool) -> str:
    said, state, _ = take_step(session, shoot.id, STAGE, back)
    if said:
        _restore(session, shoot, state)
    return said


def _photos(session: Session, shoot: Shoot, ids: Sequence[int]) -> list[PhotoRow]:
    """The photos in the order of the ids. Raises MatchError if one is not of this shoot."""
    rows: dict[int, PhotoRow] = {}
    for start in range(0, len(ids), 500):
        query = select(PhotoRow).where(PhotoRow.shoot_id == shoot.id, PhotoRow.id.in_(ids[start : start + 500]))
        rows |= {photo.id: photo for photo in session.scalars(query).unique()}
    if not ids or len(rows) != len(set(ids)):
        raise MatchError("Choose photos of this shoot first.")
    return [rows[photo_id] for photo_id in ids]


def _held(photo: PhotoRow) -> tuple[str, str]:
    return photo.code, photo.view


def _deal(session: Session, shoot: Shoot, photos: list[PhotoRow], dealt: Sequence[tuple[str, str]], said: str) -> None:
    given = {photo.id: hand for photo, hand in zip(photos, dealt, strict=True)}

    def do(photo: PhotoRow) -> None:
        (photo.code, photo.view), photo.by_hand = given[photo.id], True

    _by_hand(session, shoot, photos, said, do)


def _by_hand(
    session: Session, shoot: Shoot, photos: list[PhotoRow], said: str, do: Callable[[PhotoRow], object]
) -> None:
    """Change photos by hand, keep the step, and let all else follow."""
    before = {str(photo.id): [getattr(photo, key) for key in _HAND] for photo in photos}
    for photo in photos:
        do(photo)
        if photo.by_hand and not photo.card:
            photo.why = "by hand"
    after = {str(photo.id): [getattr(photo, key) for key in _HAND] for photo in photos}
    if after != before:
        note_step(session, shoot.id, STAGE, said, {"photos": before}, {"photos": after})
        rematch(session, shoot)


def _restore(session: Session, shoot: Shoot, state: dict[str, Any]) -> None:
    if "shots" in state:
        _set_shots(session, shoot.id, state["shots"])
    held = state.get("photos", {})
    present = set(session.scalars(select(PhotoRow.id).where(PhotoRow.shoot_id == shoot.id)))
    rows = [{"id": int(key), **dict(zip(_HAND, values, strict=True)), "why": "by hand"}
            for key, values in held.items() if int(key) in present]  # fmt: skip
    if rows:
        session.execute(update(PhotoRow), rows)
    session.expire_all()
    rematch(session, shoot)


def _shots(session: Session, shoot_id: int) -> list[list[str]]:
    rows = session.scalars(select(ShotRow).where(ShotRow.shoot_id == shoot_id).order_by(ShotRow.id))
    return [[s.filename, s.code, s.view] for s in rows]


def _set_shots(session: Session, shoot_id: int, shots: list[list[str]]) -> None:
    session.execute(delete(ShotRow).where(ShotRow.shoot_id == shoot_id))
    session.add_all(ShotRow(shoot_id=shoot_id, filename=f, code=c, view=v) for f, c, v in shots)
    session.flush()


def _count(photos: Sequence[PhotoRow]) -> str:
    return photos[0].name if len(photos) == 1 else f"{len(photos)} photos"
