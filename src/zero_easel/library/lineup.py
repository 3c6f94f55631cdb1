"""The photos of a shoot as the row that they are placed in."""

import json
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from sqlalchemy import String, select, type_coerce
from sqlalchemy.orm import Session

from zero_easel.core.catalog.products import Product
from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Adjustment, Placement, Subject
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.standard.model import Standard
from zero_easel.library.lines import PhotoLine, lines_of, takes_part
from zero_easel.library.models import CutoutRow, PhotoRow, Shoot
from zero_easel.library.products import products_by_code


class RowEntry(NamedTuple):
    """A photo in its row. key, left, top, width, height: of its cutout, px of the upright photo; key "" without one."""

    line: PhotoLine
    subject: Subject
    key: str
    left: int
    top: int
    width: int
    height: int


_QUERY = select(
    PhotoRow.id, type_coerce(PhotoRow.__table__.c.hand, String), CutoutRow.key, CutoutRow.left, CutoutRow.top,
    CutoutRow.width, CutoutRow.height, CutoutRow.measures,
).outerjoin(CutoutRow, CutoutRow.key == PhotoRow.cutout_key)  # fmt: skip


def row_of(session: Session, shoot: Shoot, lines: Sequence[PhotoLine] | None = None) -> list[RowEntry]:
    """All photos of a shoot that take part, in shooting order."""
    part = [line for line in (lines_of(session, shoot.id) if lines is None else lines) if takes_part(line)]
    products = products_by_code(session, {line.code for line in part})
    cutouts = {row[0]: row for row in session.execute(_QUERY.where(PhotoRow.shoot_id == shoot.id))}
    return [_standing(line, products.get(line.code), cutouts[line.id]) for line in part]


def _standing(line: PhotoLine, product: Product | None, row: Any) -> RowEntry:
    _, hand, key, left, top, width, height, measures = row
    product = product or Product(code="")
    measured = measures_from(measures) if measures else None
    frame, view = Size(line.width, line.height), line.view or line.turn
    subject = Subject(measured, frame, product.category, view, size_of(product), _hand(hand))
    return RowEntry(line, subject, key or "", left or 0, top or 0, width or 0, height or 0)


@lru_cache(20_000)
def measures_from(text: str) -> Measures:
    """Measures as a cutout's row keeps them; kept once they are read, for each change of a rule lays a row out."""
    return Measures.unpacked(text)


def size_of(product: Product) -> Dimensions:
    """A product's listed size."""
    return Dimensions(product.width_mm, product.height_mm, product.depth_mm)


@lru_cache(2_000)
def _hand(text: str) -> Adjustment:
    return hand_of(json.loads(text))


def hand_of(data: Mapping[str, Any] | None) -> Adjustment:
    """What a person decided, from the form that is kept."""
    values = dict(data or {})
    if values.get("keep"):
        values["keep"] = tuple(values["keep"])
    return Adjustment(**values)


def kept_hand(hand: Adjustment) -> dict[str, Any]:
    """The form that is kept: only what differs from the rule."""
    usual = Adjustment()._asdict()
    return {key: value for key, value in hand._asdict().items() if value != usual[key]}


def lay_row(row: Sequence[RowEntry], rules: Standard) -> list[Placement | None]:
    """Lay a row out."""
    return lay_out([standing.subject for standing in row], rules)
