"""The catalog in the library."""

from typing import NamedTuple

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from zero_easel.core.catalog import Problem, Product, read_catalog
from zero_easel.library.models import ProductRow


class Imported(NamedTuple):
    """What a table brought: new products, changed ones, and rows that were left out."""

    added: int
    changed: int
    problems: list[Problem]


def import_catalog(session: Session, data: bytes, name: str) -> Imported:
    """Add or update products by code from a CSV table. Raises TableError if it cannot be used at all."""
    catalog = read_catalog(data, name)
    known = {row.code.casefold(): row for row in session.scalars(select(ProductRow))}
    added = changed = 0
    for product in catalog.products:
        row = known.get(product.code.casefold())
        if row is None:
            session.add(ProductRow(**product.model_dump()))
            added += 1
        elif _product(row) != product:
            for key, value in product.model_dump().items():
                setattr(row, key, value)
            changed += 1
    session.flush()
    return Imported(added, changed, catalog.problems)


def all_products(session: Session) -> list[Product]:
    """The whole catalog in the order of codes."""
    return [_product(row) for row in session.scalars(select(ProductRow).order_by(ProductRow.code))]


def find_products(session: Session, text: str, limit: int = 200) -> list[Product]:
    """Products whose code, name or EAN contains the text, in any letter case; those starting with it come first."""
    words = text.strip()
    query = select(ProductRow).order_by(ProductRow.code).limit(limit)
    if words:
        like = f"%{_escaped(words)}%"
        columns = (ProductRow.code, ProductRow.name, ProductRow.ean)
        starts = ProductRow.code.ilike(f"{_escaped(words)}%", escape="\\")
        query = (
            select(ProductRow)
            .where(or_(*(c.ilike(like, escape="\\") for c in columns)))
            .order_by(starts.desc(), ProductRow.code)
            .limit(limit)
        )
    return [_product(row) for row in session.scalars(query)]


def find_code(session: Session, code: str) -> str | None:
    """The catalog's own spelling of a code, None if it is not in the catalog."""
    return session.scalar(select(ProductRow.code).where(func.lower(ProductRow.code) == code.strip().lower()))


def _product(row: ProductRow) -> Product:
    return Product(**{field: getattr(row, field) for field in Product.model_fields})


def _escaped(text: str) -> str:
    return text.replace("\\", r"\\").replace("%", r"\%").replace("_", r"\_")
