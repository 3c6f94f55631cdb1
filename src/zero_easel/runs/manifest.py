"""manifest.csv: what became of each photo (RFC 4180, UTF-8)."""

import csv
import io
from collections.abc import Iterable
from typing import NamedTuple

NAME = "manifest.csv"


class Row(NamedTuple):
    """One photo of a run. status: done, failed, left out, or waiting. Numbers are 0 where there is no picture."""

    original: str
    code: str
    view: str
    output: str
    width: int
    height: int
    bytes: int
    sha256: str
    status: str
    message: str


def write_manifest(rows: Iterable[Row]) -> bytes:
    """The table with its headings."""
    text = io.StringIO(newline="")
    writer = csv.writer(text)
    writer.writerow(Row._fields)
    for row in rows:
        writer.writerow(["" if value == 0 else value for value in row])
    return text.getvalue().encode("utf-8")
