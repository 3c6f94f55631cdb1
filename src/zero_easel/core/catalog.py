"""Product tables and shot lists as CSV (RFC 4180), read forgivingly and checked row by row."""

import csv
import io
import re
from collections.abc import Iterator
from typing import NamedTuple

from pydantic import BaseModel, ConfigDict

_ENCODINGS = ("utf-8-sig", "cp1252")
_HEADINGS = {
    "code": ("code", "product code", "product_code", "sku", "item", "item no", "article", "article no"),
    "name": ("name", "product", "product name", "title", "description"),
    "category": ("category", "group", "department"),
    "ean": ("ean", "gtin", "ean13", "ean/gtin", "barcode"),
    "width_mm": ("width_mm", "width mm", "width"),
    "height_mm": ("height_mm", "height mm", "height"),
    "depth_mm": ("depth_mm", "depth mm", "depth"),
    "colour": ("colour", "color"),
    "filename": ("filename", "file name", "file", "photo", "picture", "image"),
    "view": ("view", "side", "angle"),
}


class TableError(ValueError):
    """A table that cannot be used at all; the message names it and says why."""


class Problem(NamedTuple):
    """A row that was left out: its number as a spreadsheet counts (the heading is row 1), and why."""

    row: int
    reason: str


class Product(BaseModel):
    """One row of the catalog. Sizes in mm, None where the table has none."""

    model_config = ConfigDict(frozen=True)
    code: str
    name: str = ""
    category: str = ""
    ean: str = ""
    width_mm: float | None = None
    height_mm: float | None = None
    depth_mm: float | None = None
    colour: str = ""


class Shot(NamedTuple):
    """One row of a shot list: this file shows this product from this side."""

    filename: str
    code: str
    view: str


class Catalog(NamedTuple):
    """Products that came in, and rows that did not."""

    products: list[Product]
    problems: list[Problem]


class ShotList(NamedTuple):
    """Shots that came in, and rows that did not."""

    shots: list[Shot]
    problems: list[Problem]


def kind_of_table(data: bytes) -> str:
    """ "shotlist" if the headings name files, "catalog" if they name codes, else ""."""
    headings = _mapped(next(_rows(data, "the table"), (1, []))[1])
    if "filename" in headings and "code" in headings:
        return "shotlist"
    return "catalog" if "code" in headings else ""


def read_catalog(data: bytes, name: str) -> Catalog:
    """Read a product table. A code that stands twice, or a wrong EAN check digit, is a problem of that row.

    Raises TableError if there is no heading for the code.
    """
    products: list[Product] = []
    problems: list[Problem] = []
    seen: dict[str, int] = {}
    for number, row in _records(data, name, needed=("code",)):
        try:
            product = _product(row)
        except ValueError as error:
            problems.append(Problem(number, str(error)))
            continue
        key = product.code.casefold()
        if key in seen:
            problems.append(Problem(number, f"code {product.code} stands in row {seen[key]} already"))
            continue
        seen[key] = number
        products.append(product)
    return Catalog(products, problems)


def read_shotlist(data: bytes, name: str) -> ShotList:
    """Read a table of filename, code and view. Raises TableError if filename or code is missing as a heading."""
    shots: list[Shot] = []
    problems: list[Problem] = []
    seen: dict[str, int] = {}
    for number, row in _records(data, name, needed=("filename", "code")):
        filename, code = row["filename"], row["code"]
        key = filename.casefold()
        if not filename or not code:
            problems.append(Problem(number, f"{'file name' if not filename else 'code'} is missing"))
        elif key in seen:
            problems.append(Problem(number, f"{filename} stands in row {seen[key]} already"))
        else:
            seen[key] = number
            shots.append(Shot(filename, code, row.get("view", "")))
    return ShotList(shots, problems)


def valid_gtin(digits: str) -> bool:
    """Whether a GTIN-8, -12, -13 or -14 has the right check digit (GS1 General Specifications, 7.9)."""
    if not re.fullmatch(r"[0-9]{8}|[0-9]{12,14}", digits):
        return False
    total = sum(int(d) * (3 if i % 2 else 1) for i, d in enumerate(reversed(digits)))
    return total % 10 == 0


def _product(row: dict[str, str]) -> Product:
    if not row["code"]:
        raise ValueError("the code is missing")
    ean = row.get("ean", "").replace(" ", "")
    if ean and not valid_gtin(ean):
        raise ValueError(f"EAN {ean} of {row['code']} has a wrong check digit or length")
    sizes = {key: _millimetres(row.get(key, ""), key) for key in ("width_mm", "height_mm", "depth_mm")}
    texts = {key: row.get(key, "") for key in ("code", "name", "category", "colour")}
    return Product(**texts, ean=ean, **sizes)  # type: ignore[arg-type]


def _millimetres(text: str, key: str) -> float | None:
    if not text:
        return None
    try:
        value = float(text.replace(",", ".").removesuffix("mm").strip())
    except ValueError:
        value = -1.0
    if not 0 < value < 1e6:
        raise ValueError(f"{key.removesuffix('_mm')} {text!r} is not a size in mm")
    return value


def _records(data: bytes, name: str, needed: tuple[str, ...]) -> Iterator[tuple[int, dict[str, str]]]:
    rows = _rows(data, name)
    headings = _mapped(next(rows, (1, []))[1])
    for field in needed:
        if field not in headings:
            raise TableError(f"{name} has no column for the {field}; its first row must hold the headings.")
    for number, cells in rows:
        padded = cells + [""] * (len(headings) - len(cells))
        if any(cell.strip() for cell in cells):
            yield number, {h: c.strip() for h, c in zip(headings, padded, strict=False) if h}


def _mapped(cells: list[str]) -> list[str]:
    """Known field for each heading cell, "" for a column that is not used."""
    usual = {word: field for field, words in _HEADINGS.items() for word in words}
    return [usual.get(cell.strip().casefold(), "") for cell in cells]


def _rows(data: bytes, name: str) -> Iterator[tuple[int, list[str]]]:
    """Rows with the line number where each ends, of a table in any usual encoding and delimiter."""
    text = _decoded(data, name)
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t|", key=first.count)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    try:
        for row in reader:
            yield reader.line_num, row
    except csv.Error as error:
        raise TableError(f"{name}, row {reader.line_num}: {error}.") from error


def _decoded(data: bytes, name: str) -> str:
    if b"\x00" in data[:4096] and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise TableError(f"{name} is not a text table; save it as CSV.")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace")
    for encoding in _ENCODINGS:
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    return data.decode("latin-1")
