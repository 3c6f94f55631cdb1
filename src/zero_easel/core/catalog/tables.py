"""Tables as people send them, CSV (RFC 4180) in any usual encoding and delimiter, and XLSX -> rows of text."""

import csv
import io
import re
import zipfile
from collections.abc import Iterable
from datetime import date, datetime
from typing import NamedTuple

from zero_easel.core.standard.naming import printable

SUFFIXES = (".csv", ".tsv", ".txt", ".xlsx")
BYTE_LIMIT = 50_000_000
"""Bytes in the largest table that is read; 50,000 products take about 5 MB."""
ROW_LIMIT, COLUMN_LIMIT, CELL_LIMIT = 200_000, 1_000, 5_000_000
"""Most rows, cells of one row, and cells of the whole table that are read."""
_UNPACKED_LIMIT = 300_000_000
_DELIMITERS = ",;\t|"
_LOOKED_AT = 20
_FORMULA = re.compile(r"'*[=+\-@\t\r]")
"""How a cell begins that a spreadsheet runs, or that was kept from that."""


class TableError(ValueError):
    """A table that cannot be used at all; the message names it and says why. missing_code: for want of a column of
    codes, which a person can name."""

    def __init__(self, message: str, missing_code: bool = False) -> None:
        super().__init__(message)
        self.missing_code = missing_code


class Problem(NamedTuple):
    """A row that was left out: its number as a spreadsheet counts (the heading is row 1), and why."""

    row: int
    reason: str


class TableRow(NamedTuple):
    """One row of a table: its number as a spreadsheet counts, and its cells as text."""

    number: int
    cells: list[str]


class Table(NamedTuple):
    """All rows that hold anything, and what a person should know about how they were read."""

    lines: list[TableRow]
    notes: list[str]


def is_spreadsheet(data: bytes) -> bool:
    """Whether a table is an archive of sheets and not plain text."""
    return data.startswith(b"PK\x03\x04")


def read_table(data: bytes | Table, name: str) -> Table:
    """Rows of a CSV or XLSX table; name is used in messages. What was read already is given back.

    Raises TableError if it is empty, too large, or no table.
    """
    if isinstance(data, Table):
        return data
    if len(data) > BYTE_LIMIT:
        raise TableError(too_large(name, len(data)))
    if not data.strip(b"\x00 \t\r\n\xef\xbb\xbf"):
        raise TableError(f"{name} is empty.")
    table = _read_xlsx(data, name) if is_spreadsheet(data) else _read_csv(data, name)
    lines = [line for line in table.lines if any(cell.strip() for cell in line.cells)]
    if not lines:
        raise TableError(f"{name} is empty.")
    return Table(lines, table.notes)


def write_table(rows: Iterable[Iterable[object]]) -> bytes:
    """Rows as CSV (RFC 4180) in UTF-8, which read_table gives back.

    A cell that a spreadsheet would run as a formula begins with an apostrophe; reading takes that one away again.
    """
    text = io.StringIO(newline="")
    csv.writer(text).writerows([_harmless(str(cell)) for cell in row] for row in rows)
    return printable(text.getvalue()).encode()


def _harmless(cell: str) -> str:
    return f"'{cell}" if _FORMULA.match(cell) else cell


def _as_it_was(cell: str) -> str:
    return cell[1:] if cell.startswith("'") and _FORMULA.match(cell[1:]) else cell


def too_large(name: str, size: int) -> str:
    """The sentence about a table over the limit."""
    return (
        f"{name} is {size / 1e6:.0f} MB; tables up to {BYTE_LIMIT / 1e6:.0f} MB are read. "
        "A list of 50,000 products takes about 5 MB: is this the right file?"
    )


def _read_xlsx(data: bytes, name: str) -> Table:
    try:
        return _sheet_of(data, name)
    except TableError:
        raise
    except MemoryError as error:
        raise TableError(f"{name} needs too much memory; save it as CSV.") from error
    except Exception as error:
        # Archives, XML, numbers and dates of strangers: whatever is wrong with them, it is this file that is.
        raise TableError(f"{name} is a damaged spreadsheet, or none; save it again as XLSX, or as CSV.") from error


def _sheet_of(data: bytes, name: str) -> Table:
    # Slow to load, and most tables are not of this kind: no process should wait for it at its start.
    import openpyxl

    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        if sum(part.file_size for part in archive.infolist()) > _UNPACKED_LIMIT:
            raise TableError(f"{name} unpacks to more than {_UNPACKED_LIMIT / 1e6:.0f} MB and is not read.")
    book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    sheets = [sheet for sheet in book.worksheets if sheet.sheet_state == "visible"] or book.worksheets
    if not sheets:
        raise TableError(f"{name} has no sheet with rows.")
    # What a sheet says of its own size need not be true, and each row would be filled up to it.
    sheets[0].reset_dimensions()
    size, lines = _Size(name), []
    for number, row in enumerate(sheets[0].iter_rows(values_only=True), 1):
        cells = [_cell(value) for value in row]
        while cells and not cells[-1]:
            cells.pop()
        size.grow(len(cells))
        lines.append(TableRow(number, cells))
    ignored = ", ".join(sheet.title for sheet in sheets[1:])
    notes = [f"Only the first sheet, {sheets[0].title}, was read; not {ignored}."] if ignored else []
    return Table(lines, notes)


def _cell(value: object) -> str:
    """A spreadsheet's value as a person reads it: whole numbers without a point, days without a time."""
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    if isinstance(value, datetime) and value.time() == datetime.min.time():
        return value.date().isoformat()
    return value.isoformat() if isinstance(value, (date, datetime)) else str(value)


def _read_csv(data: bytes, name: str) -> Table:
    text, notes = _decoded(data, name)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=_delimiter(text))
    lines: list[TableRow] = []
    size, end = _Size(name), 0
    try:
        for row in reader:
            size.grow(len(row))
            lines.append(TableRow(end + 1, [_as_it_was(cell) for cell in row]))
            end = reader.line_num
    except csv.Error as error:
        raise TableError(f"{name}, row {reader.line_num}: {error}.") from error
    return Table(lines, notes)


class _Size:
    """How large a table has become while it is read: what is too large is refused before it takes the memory."""

    def __init__(self, name: str) -> None:
        self._name, self._rows, self._cells = name, 0, 0

    def grow(self, cells: int) -> None:
        """One more row. Raises TableError."""
        self._rows += 1
        self._cells += cells
        for count, most, what in (
            (self._rows, ROW_LIMIT, "rows"),
            (cells, COLUMN_LIMIT, "columns"),
            (self._cells, CELL_LIMIT, "cells"),
        ):
            if count > most:
                raise TableError(f"{self._name} has more than {most:,} {what}; divide it.")


def _delimiter(text: str) -> str:
    """The character that divides most of the first rows into equally many cells, more than one."""
    start = text[: 1 << 16].splitlines(keepends=True)[:_LOOKED_AT]

    def evenness(delimiter: str) -> tuple[int, int]:
        """How many rows have as many cells as the first one, and how many these are."""
        try:
            counts = [len(row) for row in csv.reader(start, delimiter=delimiter) if row]
        except csv.Error:
            return 0, 0
        first = counts[0] if counts else 0
        return (sum(n == first for n in counts) if first > 1 else 0), first

    return max(_DELIMITERS, key=evenness)


def _decoded(data: bytes, name: str) -> tuple[str, list[str]]:
    """The text of a table, and what a person should know about its encoding."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace"), []
    head = data[:4096]
    if b"\x00" in head:
        odd, even = head[1::2].count(0), head[::2].count(0)
        if min(odd, even) > 0.05 * max(odd, even) or max(odd, even) < 0.3 * len(head) / 2:
            raise TableError(f"{name} is not a table of text; save it as CSV or XLSX.")
        return data.decode("utf-16-le" if odd > even else "utf-16-be", errors="replace"), []
    try:
        return data.decode("utf-8-sig"), []
    except UnicodeDecodeError:
        return _of_old_encoding(data.removeprefix(b"\xef\xbb\xbf"))


def _of_old_encoding(data: bytes) -> tuple[str, list[str]]:
    """Text that is not UTF-8 throughout: Windows-1252, or, if some rows are UTF-8 after all, each row as it is."""
    lines = data.splitlines(keepends=True)
    own = [_utf8(line) for line in lines]
    mixed = any(text is not None and not text.isascii() for text in own)
    if not mixed:
        return _windows(data), []
    text = "".join(_windows(line) if good is None else good for line, good in zip(lines, own, strict=True))
    odd = [number for number, good in enumerate(own, 1) if good is None]
    return text, [
        f"{'Row' if len(odd) == 1 else 'Rows'} {listed(odd)} {'is' if len(odd) == 1 else 'are'} in another encoding "
        "than the rest (Windows-1252 among UTF-8); look at their accents."
    ]


def listed(numbers: Iterable[object], most: int = 5) -> str:
    """1, 2, 3 and 4 more."""
    every = list(numbers)
    shown = ", ".join(map(str, every[:most]))
    return f"{shown} and {len(every) - most} more" if len(every) > most else shown


def _utf8(line: bytes) -> str | None:
    try:
        return line.decode("utf-8")
    except UnicodeDecodeError:
        return None


def _windows(data: bytes) -> str:
    # Five bytes mean nothing in Windows-1252; they are kept as the control characters of Latin-1.
    try:
        return data.decode("cp1252")
    except UnicodeDecodeError:
        return re.sub(rb"[\x81\x8d\x8f\x90\x9d]", b"?", data).decode("cp1252")
