"""Matching by hand: assigning, swapping, shifting runs, and leaving out."""

from collections.abc import Callable, Sequence

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from zero_easel.core.catalog.products import Shot, read_shotlist
from zero_easel.core.catalog.tables import Problem, Table
from zero_easel.library.changes.history import Where, record
from zero_easel.library.changes.matches import ensure_matched, rematch, stale
from zero_easel.library.lists.lines import lines_of, takes_part
from zero_easel.library.store.models import MatchState, PhotoRow, Shoot, ShotRow, Stage, State


class MatchError(ValueError):
    """A step of matching that cannot be done, with the reason in a sentence."""


def import_shotlist(session: Session, shoot: Shoot, data: bytes | Table, name: str) -> tuple[int, list[Problem]]:
    """Replace a shoot's shot list and match again; returns rows taken and rows left out. Raises TableError."""
    shots, problems, _ = read_shotlist(data, name)
    before = _shots(session, shoot.id)
    set_shots(session, shoot.id, shots)
    record(session, Where(Stage.MATCH, shoot.id), f"shot list {name}", State(shots=before), State(shots=tuple(shots)))
    rematch(session, shoot)
    return len(shots), problems


def assign(session: Session, shoot: Shoot, ids: Sequence[int], code: str, view: str | None) -> None:
    """Say by hand which product photos show; view None leaves each photo's own. An empty code: no product."""
    code = " ".join(code.split())
    photos = _photos(session, shoot, ids)
    message = f"{code or 'no product'} for {_count(photos)}"

    def do(photo: PhotoRow) -> None:
        photo.code, photo.by_hand, photo.card = code, True, False
        photo.view = photo.view if view is None else " ".join(view.split())

    _by_hand(session, shoot, photos, message, do)


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


def set_cards(session: Session, shoot: Shoot, cards: bool) -> None:
    """Say whether there may be code cards among a shoot's photos."""
    _switch(session, shoot, "cards", cards, "code cards are looked for" if cards else "no code cards in this shoot")


def set_raw_counts(session: Session, shoot: Shoot, raw_counts: bool) -> None:
    """Say which of a raw file and the picture beside it is the photo."""
    text = "raw files count" if raw_counts else "the pictures beside raw files count"
    _switch(session, shoot, "raw_counts", raw_counts, text)


def set_bursts(session: Session, shoot: Shoot, bursts: bool) -> None:
    """Say whether of photos taken within seconds and nearly alike the best alone is taken."""
    text = "the best of each burst counts" if bursts else "all photos of bursts count"
    _switch(session, shoot, "bursts", bursts, text)


def _switch(session: Session, shoot: Shoot, field: str, value: bool, text: str) -> None:
    """Say one thing of a whole shoot, by its field, and match again."""
    before = getattr(shoot, field)
    if before == value:
        return
    record(session, Where(Stage.MATCH, shoot.id), text, _said(field, before), _said(field, value))
    setattr(shoot, field, value)
    rematch(session, shoot)


def _said(field: str, value: bool) -> State:
    return State.model_validate({field: value})


def choose(session: Session, shoot: Shoot, ids: Sequence[int]) -> None:
    """Let a photo count of its burst. Raises MatchError unless it is one photo, and of a burst."""
    if len(ids) != 1:
        raise MatchError("Choose one photo of a burst.")
    ensure_matched(session, shoot)
    photo = _photos(session, shoot, ids)[0]
    best = photo.behind or photo.id
    query = select(PhotoRow).where(PhotoRow.shoot_id == shoot.id, (PhotoRow.behind == best) | (PhotoRow.id == best))
    burst = list(session.scalars(query).unique())
    if len(burst) < 2:
        raise MatchError(f"{photo.name} is of no burst.")

    def do(one: PhotoRow) -> None:
        one.chosen = one.id == photo.id

    _by_hand(session, shoot, burst, f"{photo.name} counts of its burst", do)


def leave_out(session: Session, shoot: Shoot, ids: Sequence[int], out: bool = True) -> None:
    """Leave photos out of runs, or include them again; files stay. All else follows when the shoot is next looked
    at."""
    _leave_out(session, shoot.id, _photos(session, shoot, ids), out)


def leave_photo_out(session: Session, photo: PhotoRow, out: bool = True) -> None:
    """The same for one photo that is at hand."""
    _leave_out(session, photo.shoot_id, [photo], out)


def _leave_out(session: Session, shoot_id: int, photos: Sequence[PhotoRow], out: bool) -> None:
    photos = [photo for photo in photos if photo.left_out != out]
    if not photos:
        return
    before = {photo.id: _held(photo) for photo in photos}
    for photo in photos:
        photo.left_out = out
    after = {photo.id: _held(photo) for photo in photos}
    text = f"{_count(photos)} {'left out' if out else 'included again'}"
    record(session, Where(Stage.MATCH, shoot_id), text, State(photos=before), State(photos=after))
    stale(session, [shoot_id])


def swap(session: Session, shoot: Shoot, ids: Sequence[int]) -> None:
    """Exchange product and view of two photos. Raises MatchError unless it is two."""
    if len(set(ids)) != 2:
        raise MatchError("Choose two photos to swap.")
    first, second = _photos(session, shoot, ids)
    _deal(session, shoot, [first, second], [_shows(second), _shows(first)], f"{first.name} and {second.name} swapped")


def shift(session: Session, shoot: Shoot, ids: Sequence[int], by: int) -> str:
    """Move products and views along a run of photos in shooting order, by one photo later (1) or earlier (-1).

    The photo that is left without gets none; what falls off the other end is told. Raises MatchError for a run of one.
    """
    chosen = set(ids)
    order = [line.id for line in lines_of(session, shoot.id) if line.id in chosen and takes_part(line)]
    photos = _photos(session, shoot, order)
    if len(photos) < 2:
        raise MatchError("A run to shift has at least two photos.")
    shown = [_shows(photo) for photo in photos]
    lost = shown[-1] if by > 0 else shown[0]
    dealt = [("", ""), *shown[:-1]] if by > 0 else [*shown[1:], ("", "")]
    direction = "later" if by > 0 else "earlier"
    message = f"{_count(photos)} from {photos[0].name} shifted by one {direction}"
    _deal(session, shoot, photos, dealt, message)
    return f"{message}; {' '.join(lost)} fell off the end" if lost[0] else message


def run_from(session: Session, shoot: Shoot, photo_id: int) -> list[int]:
    """All photos that take part from one on, in shooting order."""
    order = [line.id for line in lines_of(session, shoot.id) if takes_part(line)]
    return order[order.index(photo_id) :] if photo_id in order else []


def _photos(session: Session, shoot: Shoot, ids: Sequence[int]) -> list[PhotoRow]:
    """The photos in the order of the ids. Raises MatchError if one is not of this shoot."""
    rows: dict[int, PhotoRow] = {}
    for start in range(0, len(ids), 500):
        query = select(PhotoRow).where(PhotoRow.shoot_id == shoot.id, PhotoRow.id.in_(ids[start : start + 500]))
        rows |= {photo.id: photo for photo in session.scalars(query).unique()}
    if not ids or len(rows) != len(set(ids)):
        raise MatchError("Choose photos of this shoot first.")
    return [rows[photo_id] for photo_id in ids]


def _held(photo: PhotoRow) -> MatchState:
    return MatchState(*(getattr(photo, field) for field in MatchState._fields))


def _shows(photo: PhotoRow) -> tuple[str, str]:
    return photo.code, photo.view


def _deal(
    session: Session, shoot: Shoot, photos: list[PhotoRow], dealt: Sequence[tuple[str, str]], message: str
) -> None:
    given = {photo.id: adjustment for photo, adjustment in zip(photos, dealt, strict=True)}

    def do(photo: PhotoRow) -> None:
        (photo.code, photo.view), photo.by_hand = given[photo.id], True

    _by_hand(session, shoot, photos, message, do)


def _by_hand(
    session: Session, shoot: Shoot, photos: list[PhotoRow], text: str, do: Callable[[PhotoRow], object]
) -> None:
    """Change photos by hand, keep the change, and let all else follow."""
    before = {photo.id: _held(photo) for photo in photos}
    for photo in photos:
        do(photo)
        if photo.by_hand and not photo.card:
            photo.why = "by hand"
    after = {photo.id: _held(photo) for photo in photos}
    if after != before:
        record(session, Where(Stage.MATCH, shoot.id), text, State(photos=before), State(photos=after))
        rematch(session, shoot)


def _shots(session: Session, shoot_id: int) -> tuple[Shot, ...]:
    rows = session.scalars(select(ShotRow).where(ShotRow.shoot_id == shoot_id).order_by(ShotRow.id))
    return tuple(Shot(row.filename, row.code, row.view) for row in rows)


def set_shots(session: Session, shoot_id: int, shots: Sequence[Shot]) -> None:
    """Replace the shot list of a shoot."""
    session.execute(delete(ShotRow).where(ShotRow.shoot_id == shoot_id))
    session.add_all(ShotRow(shoot_id=shoot_id, filename=f, code=c, view=v) for f, c, v in shots)
    session.flush()


def _count(photos: Sequence[PhotoRow]) -> str:
    return photos[0].name if len(photos) == 1 else f"{len(photos)} photos"
