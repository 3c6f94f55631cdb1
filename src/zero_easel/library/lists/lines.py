"""A shoot's photos as plain lines, thousands at a time, in shooting order: what lists, counts and matching need."""

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Any, NamedTuple, Protocol

from sqlalchemy import ColumnElement, and_, or_, select
from sqlalchemy.orm import Session

from zero_easel.core.catalog.cards import Snap
from zero_easel.core.catalog.shooting import Frame, in_shooting_order
from zero_easel.core.items.flag import DOUBTFUL
from zero_easel.library.lists.kept import kept
from zero_easel.library.store.models import Clearing, CutoutRow, Original, PhotoRow, ProductRow, Shoot, ShotRow


class PhotoLine(NamedTuple):
    """One photo with the facts of its file and of its cutout; see models.Photo, Original and CutoutRow.

    confidence: of the cutout, None without one. found: whether the cutout holds an item. wanted: whether it should show
    a product, see wants_products.
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
    clearing: Clearing
    problem: str
    accepted: bool
    behind: int | None
    chosen: bool
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
    codes: tuple[str, ...]
    card_like: bool
    blur: float | None
    paper: float | None
    clipped: float | None
    confidence: float | None
    found: bool
    wanted: bool

    @property
    def unmatched(self) -> bool:
        """Whether it should show a product, and none is known."""
        return takes_part(self) and self.wanted and not self.code

    @property
    def megapixels(self) -> float:
        """Millions of pixels."""
        return self.width * self.height / 1e6

    @property
    def snap(self) -> Snap:
        """What the code cards are followed by, but for its look and its target."""
        frame = Frame(self.name, self.taken)
        raw = self.format == "raw"
        return Snap(frame, self.codes, self.card_like, self.not_card, bool(self.error), folder=self.folder, raw=raw)


def wants_products() -> ColumnElement[bool]:
    """For questions about photos: whether they should show products. There is a catalog, or their shoot has a shot
    list; without either, or as whole pictures, what has no product needs nobody."""
    known = or_(
        select(ProductRow.code).exists(), select(ShotRow.id).where(ShotRow.shoot_id == PhotoRow.shoot_id).exists()
    )
    return and_(known, ~select(Shoot.id).where(Shoot.id == PhotoRow.shoot_id, Shoot.whole).exists())


_PHOTO = PhotoLine._fields[: PhotoLine._fields.index("bytes")]
_ORIGINAL = PhotoLine._fields[PhotoLine._fields.index("bytes") : PhotoLine._fields.index("confidence")]
_P, _O, _C = (model.__table__.c for model in (PhotoRow, Original, CutoutRow))
# Plain columns: rows of the mapped classes cost twice as much.
_COLUMNS = (
    *(_P[field] for field in _PHOTO),
    *(_O[field] for field in _ORIGINAL),
    _C["confidence"],
    _C["bounds"].is_not(None),
    wants_products(),
)
_JOINED = PhotoRow.__table__.join(Original.__table__).outerjoin(CutoutRow.__table__)


class TakesPart(Protocol):
    """What decides whether a run makes a picture of a photo; lines and rows both have it."""

    left_out: bool
    empty: bool
    listed: bool
    card: bool

    @property
    def error(self) -> str: ...


def lines_of(session: Session, shoot_id: int) -> list[PhotoLine]:
    """All photos of a shoot in shooting order. The list is shared: nobody may change it."""
    return kept(session, ("lines", shoot_id), lambda: [line for line, _ in lines_with(session, shoot_id)])


def lines_with(
    session: Session, shoot_id: int, *more: Any, joined: Callable[[Any], Any] = lambda tables: tables
) -> list[tuple[PhotoLine, Sequence[Any]]]:
    """All photos of a shoot in shooting order, each with more columns, by one question to the database. joined: joins
    the tables of these columns."""
    query = select(*_COLUMNS, *more).select_from(joined(_JOINED)).where(_P["shoot_id"] == shoot_id).order_by(_P["id"])
    count = len(_COLUMNS)
    found = [(PhotoLine._make(row[:count]), row[count:]) for row in session.execute(query)]
    return [found[at] for at in in_shooting_order([Frame(line.name, line.taken) for line, _ in found])]


def line_of(session: Session, photo: PhotoRow) -> PhotoLine:
    """One photo that is at hand as a line."""
    original, cutout = photo.original, photo.cutout
    return PhotoLine._make(
        (
            *(getattr(photo, field) for field in _PHOTO),
            *(getattr(original, field) for field in _ORIGINAL),
            cutout.confidence if cutout else None,
            cutout is not None and cutout.bounds is not None,
            bool(session.scalar(select(wants_products()).where(PhotoRow.id == photo.id))),
        )
    )


def takes_part(photo: TakesPart | PhotoLine | PhotoRow) -> bool:
    """Whether a run makes a picture of this photo."""
    return not (photo.left_out or photo.empty or photo.card or photo.error) and photo.listed


def doubtful(photo: PhotoLine | PhotoRow) -> bool:
    """Whether a person should look at a photo's cutout: not accepted yet, and failed, empty or of low confidence."""
    if photo.accepted:
        return False
    if photo.clearing == Clearing.FAILED:
        return True
    if isinstance(photo, PhotoLine):
        return photo.confidence is not None and (not photo.found or photo.confidence < DOUBTFUL)
    return photo.cutout is not None and (photo.cutout.bounds is None or photo.cutout.confidence < DOUBTFUL)
