"""The photos of a shoot as the row that they are placed in."""

from collections.abc import Sequence
from typing import NamedTuple

from sqlalchemy.orm import Session

from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Adjustment, Placement, Subject
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.standard.model import Standard
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import PhotoLine, lines_with, takes_part
from zero_easel.library.store.models import CutoutRow, PhotoRow, ProductRow


class RowEntry(NamedTuple):
    """A photo in its row. key, left, top, width, height: of its cutout, px of the upright photo; key "" without one."""

    line: PhotoLine
    subject: Subject
    key: str
    left: int
    top: int
    width: int
    height: int


_P, _C, _R = (model.__table__.c for model in (PhotoRow, CutoutRow, ProductRow))
_MORE = (
    _P.adjustment,
    _C.key,
    _C.left,
    _C.top,
    _C.width,
    _C.height,
    _C.measures,
    _R.category,
    _R.colour,
    _R.width_mm,
    _R.height_mm,
    _R.depth_mm,
)


def row_of(session: Session, shoot_id: int) -> list[RowEntry]:
    """All photos of a shoot that take part, in shooting order. The list is shared: nobody may change it."""
    return kept(session, ("row", shoot_id), lambda: _row_of(session, shoot_id))


def laid_out(session: Session, shoot_id: int, row: Sequence[RowEntry], rules: Standard) -> list[Placement | None]:
    """Where all of a shoot's row, as row_of gave it, go by some rules. The list is shared: nobody may change it."""
    # Of this very row, which is kept with it: another may have come since.
    key = ("laid", shoot_id, id(row), rules.model_dump_json())
    return kept(session, key, lambda: (row, lay_out([one.subject for one in row], rules)))[1]


def _row_of(session: Session, shoot_id: int) -> list[RowEntry]:
    """The same by one question to the database."""
    rows = lines_with(
        session, shoot_id, *_MORE, joined=lambda tables: tables.outerjoin(ProductRow.__table__, _R.code == _P.code)
    )
    return [_entry(line, *more) for line, more in rows if takes_part(line)]


def _entry(
    line: PhotoLine,
    adjustment: Adjustment,
    key: str | None,
    left: int | None,
    top: int | None,
    width: int | None,
    height: int | None,
    measures: Measures | None,
    category: str | None,
    colour: str | None,
    *sides: float | None,
) -> RowEntry:
    frame, view = Size(line.width, line.height), line.view or line.turn
    subject = Subject(measures, frame, category or "", view, Dimensions(*sides), adjustment, colour or "")
    return RowEntry(line, subject, key or "", left or 0, top or 0, width or 0, height or 0)
