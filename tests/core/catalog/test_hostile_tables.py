"""Tables made to fill a computer, and spreadsheets with any byte changed: a sentence, in a moment."""

import csv
import io
import re
import zipfile

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.catalog.products import read_catalog
from zero_easel.core.catalog.tables import CELL_LIMIT, COLUMN_LIMIT, TableError, read_table, write_table


def sheet(rows: list[list[object]]) -> bytes:
    book, kept = openpyxl.Workbook(), io.BytesIO()
    assert book.active is not None
    for row in rows:
        book.active.append(row)
    book.save(kept)
    return kept.getvalue()


def with_part(data: bytes, name: str, change: tuple[bytes, bytes]) -> bytes:
    """A spreadsheet with one of its parts changed by a replacement."""
    kept = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(kept, "w", zipfile.ZIP_DEFLATED) as new:
        for part in old.namelist():
            content = old.read(part)
            new.writestr(part, re.sub(*change, content) if part == name else content)
    return kept.getvalue()


SHEET = sheet([["code", "name"], ["A-1", "Cup"], ["B-2", 7.0]])
PART = "xl/worksheets/sheet1.xml"


def test_a_row_that_lies_far_out_takes_no_memory() -> None:
    far = with_part(SHEET, PART, (rb'r="B3"', b'r="XFD3"'))
    with pytest.raises(TableError, match=f"more than {COLUMN_LIMIT:,} columns"):
        read_table(far, "far.xlsx")
    low = with_part(SHEET, PART, (rb'<row r="3"', b'<row r="1048576"'))
    with pytest.raises(TableError, match="rows"):
        read_table(low, "low.xlsx")
    claims = with_part(SHEET, PART, (rb'<dimension ref="[^"]*"', b'<dimension ref="A1:XFD1048576"'))
    assert [line.cells for line in read_table(claims, "big.xlsx").lines] == [
        ["code", "name"],
        ["A-1", "Cup"],
        ["B-2", "7"],
    ]


def test_wide_and_long_tables_are_refused_while_they_are_read() -> None:
    with pytest.raises(TableError, match="columns"):
        read_table(b"code" + b",x" * 200_000 + b"\n", "wide.csv")
    many = CELL_LIMIT // 900 + 10
    with pytest.raises(TableError, match="cells"):
        read_table((b"x," * 899 + b"x\n") * many, "many.csv")


def test_a_spreadsheet_that_unpacks_to_much_is_refused() -> None:
    kept = io.BytesIO(SHEET)
    with zipfile.ZipFile(kept, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/media/x.bin", bytes(320_000_000))
    with pytest.raises(TableError, match="unpacks to more than 300 MB"):
        read_table(kept.getvalue(), "bomb.xlsx")


@given(st.lists(st.tuples(st.integers(0, 20_000), st.binary(min_size=1, max_size=20)), max_size=4), st.integers(0, 100))
def test_whatever_bytes_change_a_spreadsheet_is_a_table_or_a_sentence(
    changes: list[tuple[int, bytes]], kept: int
) -> None:
    data = bytearray(SHEET)
    for at, new in changes:
        at = 4 + at % (len(data) - 4)
        data[at : at + len(new)] = new
    refused_or_read(bytes(data[: max(4, len(data) * kept // 100)]), "x.xlsx")


@given(st.sampled_from(["xl/workbook.xml", PART, "xl/styles.xml", "[Content_Types].xml"]),
       st.integers(0, 2000), st.binary(min_size=1, max_size=30))  # fmt: skip
def test_whatever_stands_in_its_parts(part: str, at: int, new: bytes) -> None:
    with zipfile.ZipFile(io.BytesIO(SHEET)) as archive:
        content = archive.read(part)
    spoiled = content[: at % len(content)] + new + content[at % len(content) + len(new) :]
    refused_or_read(with_part(SHEET, part, (rb"(?s).+", spoiled.replace(b"\\", b"/"))), "x.xlsx")


@given(st.binary(max_size=400))
def test_any_bytes_are_a_table_or_a_sentence(data: bytes) -> None:
    refused_or_read(data, "x.csv")


def refused_or_read(data: bytes, name: str) -> None:
    try:
        read_catalog(data, name)
    except TableError as error:
        assert name in str(error) and "Error" not in str(error)


CELLS = st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=8)


@given(st.lists(st.lists(CELLS, min_size=2, max_size=4), min_size=1, max_size=6))
def test_what_is_written_comes_back(rows: list[list[str]]) -> None:
    rows = [["code", "name"], *([cell.replace("\r", " ").replace("\n", " ") for cell in row] for row in rows)]
    data = write_table(rows)
    read = [line.cells for line in read_table(data, "own.csv").lines]
    assert read == [row for row in rows if any(cell.strip() for cell in row)]
    cells = [cell for row in csv.reader(io.StringIO(data.decode(), newline="")) for cell in row]
    assert not any(re.match(r"[=+@\t-]", cell) for cell in cells)
