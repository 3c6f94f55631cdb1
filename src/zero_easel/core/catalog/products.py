"""Product tables and shot lists, read forgivingly and checked row by row."""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from pydantic import BaseModel, ConfigDict, Field

from zero_easel.core.catalog.gtin import read_gtin
from zero_easel.core.catalog.guessing import code_by_values
from zero_easel.core.catalog.headings import SIZES, UNITS, folded_heading, named_by, unit_of
from zero_easel.core.catalog.tables import Problem, Table, TableError, TableRow, read_table

FREE, UNUSED = "free", "unused"
"""What else a column may be: a field of its own, usable in names; or nothing."""
FIELDS = ("code", "name", "category", "ean", "width", "height", "depth", "colour")
SHOT_FIELDS = ("filename", "code", "view")
_HEADING_ROWS = 10


Texts = Callable[[], Iterable[str]]


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


def kind_of_table(data: bytes | Table, name: str, mapping: Mapping[str, str] | None = None) -> str:
    """ "shotlist" if the headings name files and codes, "catalog" if they name codes, else "". Raises TableError."""
    table = read_table(data, name)
    fields = {named_by(cell).field for cell in table.lines[_heading_row(table, SHOT_FIELDS)].cells}
    if {"filename", "code"} <= fields:
        return "shotlist"
    return "catalog" if any(column.field == "code" for column in columns_of(table, mapping)) else ""


def columns_of(table: Table, mapping: Mapping[str, str] | None = None, texts: Texts = tuple) -> list[Column]:
    """What each column of a product table holds: as mapped by hand (key -> field), else guessed from its heading, and
    of codes, if no heading tells, from the values.

    Of two columns for one field the one mapped by hand counts, then the one whose heading is surer, then the first;
    others become free fields. A heading that says nothing known is a free field; an empty one is unused. texts: see
    read_catalog.
    """
    at = _heading_row(table, FIELDS, mapping)
    cells, rows = table.lines[at].cells, [line.cells for line in table.lines[at + 1 :]]
    fields = _fields_of(cells, mapping or {})
    if "code" not in fields:
        free = [index for index, field in enumerate(fields) if field == FREE and not _by_hand(cells[index], mapping)]
        guess = code_by_values(rows, free, list(texts()))
        if guess is not None:
            fields[guess.column] = "code"
    return [
        Column(
            folded_heading(heading),
            heading.strip(),
            field,
            unit_of(heading),
            [row[index].strip() for row in rows[:3] if index < len(row)],
        )
        for index, (heading, field) in enumerate(zip(cells, fields, strict=True))
    ]


def _fields_of(headings: Sequence[str], mapping: Mapping[str, str]) -> list[str]:
    """The field of each column, every one of FIELDS at most once."""
    claims = []
    for index, heading in enumerate(headings):
        by_hand, named = mapping.get(folded_heading(heading)), named_by(heading)
        field = by_hand or (named.field if named.field in FIELDS else FREE if field_key(heading) else UNUSED)
        claims.append((0 if by_hand else -named.sureness, index, field))
    fields = [FREE] * len(claims)
    for _, index, field in sorted(claims, key=lambda claim: (claim[0] != 0, claim[0], claim[1])):
        fields[index] = FREE if field in FIELDS and field in fields else field
    return fields


def _by_hand(heading: str, mapping: Mapping[str, str] | None) -> bool:
    return folded_heading(heading) in (mapping or {})


def read_catalog(
    data: bytes | Table, name: str, mapping: Mapping[str, str] | None = None, texts: Texts = tuple
) -> Catalog:
    """Read a product table. A code that stands twice, or a wrong EAN check digit, is a problem of that row.

    mapping: by hand, see columns_of. texts: fetches names of photos and codes on cards, by which a column of codes is
    known where no heading tells; a note says so. Raises TableError if there is no column for the code, or no row
    below the headings.
    """
    table = read_table(data, name)
    columns = columns_of(table, mapping, texts)
    codes = [column for column in columns if column.field == "code"]
    if not codes:
        raise TableError(
            f"{name} has no column for the product code; its headings are {_quoted(c.heading for c in columns)}. "
            'Call one of them "code", or say which it is.',
            missing_code=True,
        )
    notes = list(table.notes)
    if named_by(codes[0].heading).field != "code" and not _by_hand(codes[0].heading, mapping):
        heading = codes[0].heading
        notes.append(f'"{heading}" is taken for the product code: its values are in file names or on code cards.')
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
    held = {f"{c.field}_mm" if c.field in SIZES else c.field for c in columns if c.field in FIELDS}
    return Catalog(products, problems, notes, frozenset(held))


def read_shotlist(data: bytes | Table, name: str) -> ShotList:
    """Read a table of filename, code and view. Raises TableError if filename or code is missing as a heading."""
    table = read_table(data, name)
    headings = [named_by(cell).field for cell in table.lines[_heading_row(table, SHOT_FIELDS)].cells]
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
    """Index of the line that holds the headings: the first of the leading ones that names a code, else
    two other fields, else the first."""
    for index, line in enumerate(table.lines[:_HEADING_ROWS]):
        fields = {(mapping or {}).get(folded_heading(cell)) or named_by(cell).field for cell in line.cells}
        if "code" in fields and len(fields & set(wanted)) >= min(2, sum(bool(c.strip()) for c in line.cells)):
            return index
    for index, line in enumerate(table.lines[:_HEADING_ROWS]):
        if len({named_by(cell).field for cell in line.cells} & set(wanted)) >= 2:
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
        if column.field in SIZES:
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
    unit = UNITS[found.group(2)] if found and found.group(2) else column.unit
    value = float(found.group(1).replace(",", ".")) * unit if found else -1.0
    if not 0 < value < 1e6:
        raise ValueError(f"{column.field} {text!r} is not a size in mm, cm or inches")
    return round(value, 3)


def _quoted(headings: Iterator[str]) -> str:
    shown = [f'"{h}"' for h in headings if h]
    return ", ".join(shown[:6]) + (f" and {len(shown) - 6} more" if len(shown) > 6 else "") if shown else "empty"
