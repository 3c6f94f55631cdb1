"""The photos of a shoot as the row that they are placed in."""

import json
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from sqlalchemy import String, select, type_coerce
from sqlalchemy.orm import Session

from zero_easel.core.catalog import Product
from zero_easel.core.laid import ByHand, Laid, Subject
from zero_easel.core.measure import Measures
from zero_easel.core.placement import lay_out
from zero_easel.core.pose import Size
from zero_easel.core.standard import Standard
from zero_easel.library.lines import Line, lines_of, takes_part
from zero_easel.library.models import CutoutRow, Photo, Shoot
from zero_easel.library.products import products_by_code


class Standing(NamedTuple):
    """A photo in its row. key, left, top, width, height: of its cutout, px of the upright photo; key "" without one."""

    line: Line
    subject: Subject
    key: str
    left: int
    top: int
    width: int
    height: int


_QUERY = select(
    Photo.id, type_coerce(Photo.__table__.c.hand, String), CutoutRow.key, CutoutRow.left, CutoutRow.top,
    CutoutRow.width, CutoutRow.height, CutoutRow.measures,
).outerjoin(CutoutRow, CutoutRow.key == Photo.cutout_key)  # fmt: skip


def row_of(session: Session, shoot: Shoot, lines: Sequence[Line] | None = None) -> list[Standing]:
    """All photos of a shoot that take part, in shooting order."""
    part = [line for line in (lines_of(session, shoot.id) if lines is None else lines) if takes_part(line)]
    products = products_by_code(session, {line.code for line in part})
    cutouts = {row[0]: row for row in session.execute(_QUERY.where(Photo.shoot_id == shoot.id))}
    return [_standing(line, products.get(line.code), cutouts[line.id]) for line in part]


def _standing(line: Line, product: Product | None, row: Any) -> Standing:
    _, hand, key, left, top, width, height, measures = row
    product = product or Product(code="")
    measured = measures_from(measures) if measures else None
    frame, view = (line.width, line.height), line.view or line.turn
    subject = Subject(measured, frame, product.category, view, size_of(product), _hand(hand))
    return Standing(line, subject, key or "", left or 0, top or 0, width or 0, height or 0)


@lru_cache(20_000)
def measures_from(text: str) -> Measures:
    """Measures as a cutout's row keeps them; kept once they are read, for each change of a rule lays a row out."""
    return Measures.unpacked(text)


def size_of(product: Product) -> Size:
    """A product's listed size."""
    return Size(product.width_mm, product.height_mm, product.depth_mm)


@lru_cache(2_000)
def _hand(text: str) -> ByHand:
    return hand_of(json.loads(text))


def hand_of(data: Mapping[str, Any] | None) -> ByHand:
    """What a person decided, from the form that is kept."""
    values = dict(data or {})
    if values.get("keep"):
        values["keep"] = tuple(values["keep"])
    return ByHand(**values)


def kept_hand(hand: ByHand) -> dict[str, Any]:
    """The form that is kept: only what differs from the rule."""
    usual = ByHand()._asdict()
    return {key: value for key, value in hand._asdict().items() if value != usual[key]}


def lay_row(row: Sequence[Standing], rules: Standard) -> list[Laid | None]:
    """Lay a row out."""
    return lay_out([standing.subject for standing in row], rules)
