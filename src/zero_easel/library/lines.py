"""A shoot's photos as plain lines, thousands at a time, in shooting order: what lists, counts and matching need."""

import json
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple, Protocol

from sqlalchemy import String, select, type_coerce
from sqlalchemy.orm import Session

from zero_easel.core.catalog.cards import Snap
from zero_easel.core.catalog.matching import in_shooting_order
from zero_easel.core.catalog.shooting import Frame
from zero_easel.core.items.flag import DOUBTFUL
from zero_easel.library.models import CutoutRow, Original, PhotoRow


class PhotoLine(NamedTuple):
    """One photo with the facts of its file and of its cutout; see models.Photo, Original and CutoutRow.

    confidence: of the cutout, None without one. found: whether the cutout holds an item.
    """

    id: int
    digest: str
    name: str
    folder: str
    code: str
    view: str
    turn: str
    why: str
    doubt: str
    by_hand: bool
    listed: bool
    left_out: bool
    card: bool
    not_card: bool
    empty: bool
    clearing: str
    problem: str
    accepted: bool
    bytes: int
    format: str
    width: int
    height: int
    bits: int
    profile: str
    density: float
    taken: datetime | None
    error: str
    read: bool
    codes: list[str]
    card_like: bool
    blur: float | None
    confidence: float | None
    found: bool

    @property
    def megapixels(self) -> float:
        """Millions of pixels."""
        return self.width * self.height / 1e6

    @property
    def snap(self) -> Snap:
        """What the code cards are followed by."""
        frame = Frame(self.name, self.taken)
        return Snap(frame, tuple(self.codes), self.card_like, self.not_card, bool(self.error))


_PHOTO = PhotoLine._fields[: PhotoLine._fields.index("bytes")]
_ORIGINAL = PhotoLine._fields[PhotoLine._fields.index("bytes") : PhotoLine._fields.index("confidence")]
_CODES = PhotoLine._fields.index("codes")
_P, _O, _C = (model.__table__.c for model in (PhotoRow, Original, CutoutRow))
# Plain columns: rows of the mapped classes cost twice as much. JSON is fetched as text: for thousands of photos it is
# nearly always "[]", and never needed but for being there.
_QUERY = (
    select(
        *(_P[field] for field in _PHOTO),
        *(type_coerce(_O[field], String) if field == "codes" else _O[field] for field in _ORIGINAL),
        _C["confidence"],
        type_coerce(_C["bounds"], String),
    )
    .select_from(PhotoRow.__table__.join(Original.__table__).outerjoin(CutoutRow.__table__))
    .order_by(_P["id"])
)
_NONE = ("null", None)


def _line(row: Sequence[Any]) -> PhotoLine:
    values = list(row)
    values[_CODES] = json.loads(values[_CODES]) if values[_CODES] != "[]" else []
    values[-1] = values[-1] not in _NONE
    return PhotoLine._make(values)


class TakesPart(Protocol):
    """What decides whether a run makes a picture of a photo; lines and rows both have it."""

    left_out: bool
    empty: bool
    listed: bool
    card: bool

    @property
    def error(self) -> str: ...


def lines_of(session: Session, shoot_id: int) -> list[PhotoLine]:
    """All photos of a shoot in shooting order."""
    lines = [_line(row) for row in session.execute(_QUERY.where(_P["shoot_id"] == shoot_id))]
    return [lines[at] for at in in_shooting_order([line.snap for line in lines])]


def takes_part(photo: TakesPart | PhotoLine | PhotoRow) -> bool:
    """Whether a run makes a picture of this photo."""
    return not (photo.left_out or photo.empty or photo.card or photo.error) and photo.listed


def doubtful(photo: PhotoLine | PhotoRow) -> bool:
    """Whether a person should look at a photo's cutout: not accepted yet, and failed, empty or of low confidence."""
    if photo.accepted:
        return False
    if photo.clearing == "failed":
        return True
    if isinstance(photo, PhotoLine):
        return photo.confidence is not None and (not photo.found or photo.confidence < DOUBTFUL)
    return photo.cutout is not None and (photo.cutout.bounds is None or photo.cutout.confidence < DOUBTFUL)
