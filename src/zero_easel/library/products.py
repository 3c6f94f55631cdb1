"""The catalog in the library."""

from collections.abc import Collection, Iterator, Mapping
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, func, insert, or_, select, update
from sqlalchemy.orm import Session

from zero_easel.core.catalog.codes import Coded
from zero_easel.core.catalog.products import Catalog, Column, Product, columns_of, read_catalog
from zero_easel.core.catalog.tables import Problem, Table, read_table
from zero_easel.library.store.models import Original, PhotoRow, ProductRow
from zero_easel.library.store.remembered import remember, remembered

_MAPPING, _COLUMNS = "catalog mapping", "catalog columns"
_AT_ONCE = 500


class ProductChange(NamedTuple):
    """A product that a table would change: field -> (as it is, as it would be)."""

    code: str
    fields: dict[str, tuple[str, str]]


class Imported(NamedTuple):
    """What a table brings: new products, changed ones, rows that are left out, and notes on the table."""

    added: int
    changed: int
    problems: list[Problem]
    new: list[Product]
    differences: list[ProductChange]
    notes: list[str]


def mapping_of(session: Session) -> dict[str, str]:
    """Columns as they were last mapped by hand: heading -> field."""
    return dict(remembered(session, _MAPPING) or {})


def columns_in(
    session: Session, data: bytes | Table, name: str, mapping: Mapping[str, str] | None = None
) -> list[Column]:
    """What the columns of a product table hold, by what is remembered and said anew. Raises TableError."""
    return columns_of(read_table(data, name), {**mapping_of(session), **(mapping or {})}, lambda: _texts(session))


def compare_catalog(
    session: Session, data: bytes | Table, name: str, mapping: Mapping[str, str] | None = None
) -> Imported:
    """What importing a product table would do; nothing is changed. Raises TableError if it cannot be used at all."""
    catalog = _read(session, data, name, mapping)
    return _compared(session, catalog)[0]


def import_catalog(
    session: Session, data: bytes | Table, name: str, mapping: Mapping[str, str] | None = None
) -> Imported:
    """Add or update products by code from a table, and remember how its columns were mapped; what the table has no
    column for stays as it is. Raises TableError."""
    imported = _take(session, _read(session, data, name, mapping))
    if mapping:
        remember(session, _MAPPING, {**mapping_of(session), **mapping})
    return imported


def put_product(session: Session, product: Product, fields: Collection[str]) -> bool:
    """Add a product, or change one by its code: the fields of Product that are named, and its free columns; returns
    whether that changed anything."""
    imported = _take(session, Catalog([product], [], fields=frozenset(fields)))
    return bool(imported.added or imported.changed)


def _take(session: Session, catalog: Catalog) -> Imported:
    """Add and update what a catalog brings, and remember its free columns."""
    imported, changed = _compared(session, catalog)
    if imported.new:
        session.execute(insert(ProductRow), [product.model_dump() for product in imported.new])
    if changed:
        ids = {code.casefold(): row_id for row_id, code in session.execute(select(ProductRow.id, ProductRow.code))}
        rows = [{"id": ids[product.code.casefold()], **product.model_dump()} for product in changed]
        session.execute(update(ProductRow), rows)
    session.flush()
    session.expire_all()
    columns = {key for product in catalog.products for key in product.extra}
    if columns - set(free_columns(session)):
        remember(session, _COLUMNS, sorted(columns | set(free_columns(session))))
    return imported


def _read(session: Session, data: bytes | Table, name: str, mapping: Mapping[str, str] | None) -> Catalog:
    return read_catalog(data, name, {**mapping_of(session), **(mapping or {})}, lambda: _texts(session))


def _texts(session: Session) -> list[str]:
    """Names of photos, and what their code cards say."""
    names = session.scalars(select(PhotoRow.name).distinct())
    cards = session.scalars(select(Original.codes).where(Original.card_like))
    return [*(name.rpartition(".")[0] for name in names), *(code for codes in cards for code in codes)]


def _compared(session: Session, catalog: Catalog) -> tuple[Imported, list[Product]]:
    """What a table brings, and the changed products as they would be."""
    known = {p.code.casefold(): p for p in all_products(session)}
    new, changed, differences = [], [], []
    for product in catalog.products:
        before = known.get(product.code.casefold())
        if before is None:
            new.append(product)
            continue
        given = {field: getattr(product, field) for field in catalog.fields}
        after = before.model_copy(update={**given, "extra": {**before.extra, **product.extra}})
        fields = _differences(before, after)
        if fields:
            changed.append(after)
            differences.append(ProductChange(product.code, fields))
    notes = list(catalog.notes)
    return Imported(len(new), len(changed), catalog.problems, new, differences, notes), changed


def free_columns(session: Session) -> list[str]:
    """Free columns of the catalog, as placeholders are called."""
    return list(remembered(session, _COLUMNS) or [])


def all_products(session: Session) -> list[Product]:
    """The whole catalog in the order of codes."""
    return [_product(row) for row in session.execute(select(*_COLUMNS_READ).order_by(ProductRow.code))]


def codes_for_matching(session: Session) -> list[Coded]:
    """The whole catalog as far as photos are matched with it."""
    return [
        Coded._make(row) for row in session.execute(select(ProductRow.code, ProductRow.ean).order_by(ProductRow.code))
    ]


def products_by_code(session: Session, codes: Collection[str]) -> dict[str, Product]:
    """Some products of the catalog; codes that it does not have are left out."""
    return {product.code: product for part in _parts(sorted(codes)) for product in _with(session, part)}


def find_products(session: Session, text: str, limit: int = 200) -> list[Product]:
    """Products whose code, name or EAN contains every word of the text, in any letter case; those whose code starts
    with it come first."""
    query = select(*_COLUMNS_READ).where(*_holds(text)).order_by(ProductRow.code).limit(limit)
    if text.split():
        starts = ProductRow.code.ilike(f"{_escaped(text.strip())}%", escape="\\")
        query = query.order_by(None).order_by(starts.desc(), ProductRow.code)
    return [_product(row) for row in session.execute(query)]


def products_matching(session: Session, text: str, after: int, limit: int) -> list[tuple[int, Product]]:
    """The same in the order in which they came in, with the number of each. after: number of the one before them."""
    query = select(ProductRow.id, *_COLUMNS_READ).where(ProductRow.id > after, *_holds(text))
    return [(row[0], _product(row[1:])) for row in session.execute(query.order_by(ProductRow.id).limit(limit))]


def _holds(text: str) -> list[ColumnElement[bool]]:
    """Conditions on a product whose code, name or EAN contains every word of a text."""
    columns = (ProductRow.code, ProductRow.name, ProductRow.ean)
    return [or_(*(column.ilike(f"%{_escaped(word)}%", escape="\\") for column in columns)) for word in text.split()]


def count_products(session: Session) -> int:
    """How many products the catalog has."""
    return session.scalar(select(func.count()).select_from(ProductRow)) or 0


def products_unseen(session: Session, seen: Collection[str], limit: int) -> tuple[list[Product], int]:
    """The first products of the catalog without a photo among `seen` codes, and how many there are."""
    codes = list(session.scalars(select(ProductRow.code).order_by(ProductRow.code)))
    missing = [code for code in codes if code not in seen]
    return list(products_by_code(session, missing[:limit]).values()), len(missing)


def find_code(session: Session, code: str) -> str | None:
    """The catalog's own spelling of a code, None if it is not in the catalog."""
    return session.scalar(select(ProductRow.code).where(func.lower(ProductRow.code) == code.strip().lower()))


def find_by_ean(session: Session, text: str) -> str | None:
    """The code of the product whose whole EAN was typed or scanned, None if there is none."""
    return session.scalar(select(ProductRow.code).where(ProductRow.ean == text.strip(), ProductRow.ean != ""))


_FIELDS = tuple(Product.model_fields)
_COLUMNS_READ = tuple(getattr(ProductRow, field) for field in _FIELDS)


def _product(row: Any) -> Product:
    return Product.model_construct(**dict(zip(_FIELDS, row, strict=True)))


def _with(session: Session, codes: list[str]) -> list[Product]:
    return [_product(row) for row in session.execute(select(*_COLUMNS_READ).where(ProductRow.code.in_(codes)))]


def _parts(codes: list[str]) -> Iterator[list[str]]:
    for start in range(0, len(codes), _AT_ONCE):
        yield codes[start : start + _AT_ONCE]


def _differences(before: Product, after: Product) -> dict[str, tuple[str, str]]:
    """Fields in which two products differ, as text; code's spelling counts, free columns each by itself."""
    if before == after:
        return {}
    one = {**before.extra, **before.model_dump(exclude={"extra"})}
    other = {**after.extra, **after.model_dump(exclude={"extra"})}
    return {
        key: (_text(one.get(key)), _text(other.get(key)))
        for key in {**one, **other}
        if _text(one.get(key)) != _text(other.get(key))
    }


def _text(value: object) -> str:
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


def _escaped(text: str) -> str:
    return text.replace("\\", r"\\").replace("%", r"\%").replace("_", r"\_")
