"""Product tables and shot lists, read forgivingly and checked row by row."""

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from pydantic import BaseModel, ConfigDict, Field

from zero_easel.core.catalog.gtin import read_gtin
from zero_easel.core.catalog.tables import Problem, Table, TableError, TableRow, read_table

FREE, UNUSED = "free", "unused"
"""What else a column may be: a field of its own, usable in names; or nothing."""
FIELDS = ("code", "name", "category", "ean", "width", "height", "depth", "colour")
SHOT_FIELDS = ("filename", "code", "view")
_HEADINGS = {
    "code": ("code", "product code", "product id", "sku", "item", "item no", "item number", "item code", "article",
             "article no", "article number", "style", "style no", "reference", "ref"),
    "name": ("name", "product", "product name", "title", "description", "item name", "article name"),
    "category": ("category", "group", "product group", "department", "family", "product type", "type"),
    "ean": ("ean", "gtin", "ean13", "gtin13", "gtin14", "ean 13", "gtin 13", "ean/gtin", "ean / gtin", "barcode",
            "bar code", "upc"),
    "width": ("width", "w"),
    "height": ("height", "h"),
    "depth": ("depth", "d"),
    "colour": ("colour", "color"),
    "filename": ("filename", "file name", "file", "photo", "picture", "image", "photo file"),
    "view": ("view", "side", "facing"),
}  # fmt: skip
_USUAL = {word: field for field, words in _HEADINGS.items() for word in words}
_SIZES = ("width", "height", "depth")
_UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "inch": 25.4, "inches": 25.4, '"': 25.4, "″": 25.4}
_UNIT_ENDS = re.compile(r"[\s_(\[/]*(mm|cm|m|in|inch|inches)[)\]]?\s*$")
_HEADING_ROWS = 10


class Product(BaseModel):
    """One row of the catalog. Sizes in mm, None where the table has none. extra: the table's further columns, by
    field_key of their headings."""

    model_config = ConfigDict(frozen=True)
    code: str
    name: str = ""
    category: str = ""
    ean: str = ""
    width_mm: float | None = None
    height_mm: float | None = None
    depth_mm: float | None = None
    colour: str = ""
    extra: dict[str, str] = Field(default_factory=dict)


class Coded(NamedTuple):
    """A product as far as photos are matched with it."""

    code: str
    ean: str


class Shot(NamedTuple):
    """One row of a shot list: this file shows this product from this side."""

    filename: str
    code: str
    view: str


class Catalog(NamedTuple):
    """Products that came in, rows that did not, and notes on the table as a whole. fields: of Product, those that the
    table has a column for; it says nothing about the others."""

    products: list[Product]
    problems: list[Problem]
    notes: Sequence[str] = ()
    fields: frozenset[str] = frozenset()


class ShotList(NamedTuple):
    """Shots that came in, rows that did not, and notes on the table as a whole."""

    shots: list[Shot]
    problems: list[Problem]
    notes: Sequence[str] = ()


class Column(NamedTuple):
    """A column of a product table. key: the heading as it is remembered. field: one of FIELDS, FREE or UNUSED.
    unit: in which a size is given unless its cell says otherwise, mm. sample: the first cells."""

    key: str
    heading: str
    field: str
    unit: float
    sample: Sequence[str]


def kind_of_table(data: bytes, name: str, mapping: Mapping[str, str] | None = None) -> str:
    """ "shotlist" if the headings name files and codes, "catalog" if they name codes, else "". Raises TableError."""
    table = read_table(data, name)
    fields = [_usual(cell) for cell in table.lines[_heading_row(table, SHOT_FIELDS)].cells]
    if "filename" in fields and "code" in fields:
        return "shotlist"
    return "catalog" if any(column.field == "code" for column in columns_of(table, mapping)) else ""


def columns_of(table: Table, mapping: Mapping[str, str] | None = None) -> list[Column]:
    """What each column of a product table holds: as mapped by hand (key -> field), else guessed from its heading.

    Of two columns for one field the first one counts; others become free fields. A heading that says nothing known
    is a free field; an empty one is unused.
    """
    at = _heading_row(table, FIELDS, mapping)
    following = table.lines[at + 1 : at + 4]
    taken: set[str] = set()
    columns = []
    for index, heading in enumerate(table.lines[at].cells):
        key = _folded(heading)
        field = (mapping or {}).get(key) or _guess(heading)
        if field in taken:
            field = FREE
        if field in FIELDS:
            taken.add(field)
        sample = [line.cells[index].strip() for line in following if index < len(line.cells)]
        columns.append(Column(key, heading.strip(), field, _unit_of(heading), sample))
    return columns


def read_catalog(data: bytes, name: str, mapping: Mapping[str, str] | None = None) -> Catalog:
    """Read a product table. A code that stands twice, or a wrong EAN check digit, is a problem of that row.

    mapping: by hand, see columns_of. Raises TableError if there is no column for the code, or no row below the
    headings.
    """
    table = read_table(data, name)
    columns = columns_of(table, mapping)
    if all(column.field != "code" for column in columns):
        raise TableError(
            f"{name} has no column for the product code; its headings are {_quoted(c.heading for c in columns)}. "
            'Call one of them "code", or say which it is.'
        )
    products: list[Product] = []
    problems: list[Problem] = []
    seen: dict[str, int] = {}
    for line in _below(table, FIELDS, mapping, name):
        try:
            product = _product(columns, line)
        except ValueError as error:
            problems.append(Problem(line.number, str(error)))
            continue
        key = product.code.casefold()
        if key in seen:
            problems.append(
                Problem(line.number, f"code {product.code} stands in row {seen[key]} already; row {seen[key]} counts")
            )
            continue
        seen[key] = line.number
        products.append(product)
    held = {f"{c.field}_mm" if c.field in _SIZES else c.field for c in columns if c.field in FIELDS}
    return Catalog(products, problems, table.notes, frozenset(held))


def read_shotlist(data: bytes, name: str) -> ShotList:
    """Read a table of filename, code and view. Raises TableError if filename or code is missing as a heading."""
    table = read_table(data, name)
    headings = [_usual(cell) for cell in table.lines[_heading_row(table, SHOT_FIELDS)].cells]
    for field in ("filename", "code"):
        if field not in headings:
            raise TableError(f"{name} has no column for the {field}; its first row must hold the headings.")
    shots: list[Shot] = []
    problems: list[Problem] = []
    seen: dict[str, int] = {}
    for line in _below(table, SHOT_FIELDS, None, name):
        row = {h: c.strip() for h, c in zip(headings, line.cells, strict=False) if h}
        filename, code = row.get("filename", ""), row.get("code", "")
        key = filename.casefold()
        if not filename or not code:
            problems.append(Problem(line.number, f"{'file name' if not filename else 'code'} is missing"))
        elif key in seen:
            problems.append(Problem(line.number, f"{filename} stands in row {seen[key]} already"))
        else:
            seen[key] = line.number
            shots.append(Shot(filename, code, row.get("view", "")))
    return ShotList(shots, problems, table.notes)


def field_key(heading: str) -> str:
    """A heading as the name of a placeholder: "Outer material" -> outer_material."""
    return re.sub(r"\W+", "_", heading.strip().lower()).strip("_")


def _heading_row(table: Table, wanted: Sequence[str], mapping: Mapping[str, str] | None = None) -> int:
    """Index of the line that holds the headings: the first of the leading ones that names a code, else the first."""
    for index, line in enumerate(table.lines[:_HEADING_ROWS]):
        fields = {(mapping or {}).get(_folded(cell)) or _usual(cell) for cell in line.cells}
        if "code" in fields and len(fields & set(wanted)) >= min(2, sum(bool(c.strip()) for c in line.cells)):
            return index
    return 0


def _below(table: Table, wanted: Sequence[str], mapping: Mapping[str, str] | None, name: str) -> Iterator[TableRow]:
    rows = table.lines[_heading_row(table, wanted, mapping) + 1 :]
    if not rows:
        raise TableError(f"{name} has headings but no rows below them.")
    yield from rows


def _product(columns: list[Column], line: TableRow) -> Product:
    row: dict[str, Any] = {"extra": {}}
    for column, cell in zip(columns, line.cells, strict=False):
        text = " ".join(cell.split())
        if column.field in _SIZES:
            row[f"{column.field}_mm"] = _millimetres(text, column)
        elif column.field == "ean":
            row["ean"] = read_gtin(text)
        elif column.field == FREE:
            if text and field_key(column.heading):
                row["extra"].setdefault(field_key(column.heading), text)
        elif column.field != UNUSED:
            row[column.field] = text
    if not row.get("code"):
        raise ValueError("the code is missing")
    if len(row["code"]) > 100:
        raise ValueError(f"the code {row['code'][:20]}... is {len(row['code'])} characters long")
    return Product(**row)


def _millimetres(text: str, column: Column) -> float | None:
    if not text:
        return None
    found = re.fullmatch(r"([0-9]+(?:[.,][0-9]+)?)\s*(mm|cm|m|in|inch|inches|\"|″)?", text.lower())
    unit = _UNITS[found.group(2)] if found and found.group(2) else column.unit
    value = float(found.group(1).replace(",", ".")) * unit if found else -1.0
    if not 0 < value < 1e6:
        raise ValueError(f"{column.field} {text!r} is not a size in mm, cm or inches")
    return round(value, 3)


def _guess(heading: str) -> str:
    """The field that a heading of a product table names."""
    usual = _usual(heading)
    if usual in FIELDS:
        return usual
    return FREE if field_key(heading) else UNUSED


def _usual(heading: str) -> str:
    """The field that a heading names in the usual words, or ""."""
    words = _folded(heading)
    if words in _USUAL:
        return _USUAL[words]
    without = _UNIT_ENDS.sub("", words)
    return _USUAL.get(without, "") if _USUAL.get(without) in _SIZES else ""


def _unit_of(heading: str) -> float:
    found = _UNIT_ENDS.search(_folded(heading))
    return _UNITS[found.group(1)] if found else 1.0


def _folded(heading: str) -> str:
    return " ".join(heading.replace("_", " ").replace("-", " ").casefold().split()).strip(":.")


def _quoted(headings: Iterator[str]) -> str:
    shown = [f'"{h}"' for h in headings if h]
    return ", ".join(shown[:6]) + (f" and {len(shown) - 6} more" if len(shown) > 6 else "") if shown else "empty"
