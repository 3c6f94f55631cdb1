"""What is named on the command line: standards, tables and columns, read or refused in a sentence."""

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TypeVar

from rich.console import Console

from zero_easel.core.catalog.headings import folded_heading
from zero_easel.core.catalog.products import (
    FIELDS,
    UNUSED,
    Catalog,
    Product,
    Shot,
    ShotList,
    Texts,
    columns_of,
    read_catalog,
    read_shotlist,
)
from zero_easel.core.catalog.tables import BYTE_LIMIT as TABLE_LIMIT
from zero_easel.core.catalog.tables import Problem, TableError, too_large
from zero_easel.core.catalog.tables import Table as Rows
from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.engines.limited import standard_from, table_from
from zero_easel.folder.batch import list_photos
from zero_easel.folder.matching import texts_on

console = Console(stderr=True, soft_wrap=True, highlight=False, markup=False)
Found = TypeVar("Found", Catalog, ShotList)


class UsageError(Exception):
    """Wrong usage, or nothing that could be done, told in a sentence. status: with which the command ends."""

    def __init__(self, said: str, status: int = 2) -> None:
        super().__init__(said)
        self.status = status


def read_rules(path: Path | None) -> Standard:
    if path is None:
        return Standard()
    try:
        rules, notes = standard_from(_bytes(path).decode("utf-8-sig", errors="replace"), path.name)
    except StandardError as error:
        raise UsageError(f"{error}.") from error
    for note in notes:
        console.print(note)
    return rules


def products_in(path: Path | None, column: list[str] | None, texts: Texts) -> list[Product]:
    """The products of a table. column: what columns hold, FIELD=HEADING each. texts: see read_catalog."""
    if path is None:
        return []
    mapping = dict(_column(pair) for pair in column or ())
    if mapping:
        _check_headings(path, mapping)
    return _table(path, lambda data: read_catalog(data, path.name, mapping, texts)).products


def _check_headings(path: Path, mapping: dict[str, str]) -> None:
    try:
        columns = columns_of(table_from(_bytes(path, TABLE_LIMIT), path.name), mapping)
    except TableError as error:
        raise UsageError(str(error)) from error
    for key in mapping.keys() - {column.key for column in columns}:
        headings = ", ".join(f'"{column.heading}"' for column in columns[:6])
        raise UsageError(f'{path.name} has no heading "{key}"; its headings are {headings}.')


def _column(pair: str) -> tuple[str, str]:
    field, _, heading = pair.partition("=")
    if field.strip() not in (*FIELDS, UNUSED) or not heading.strip():
        raise UsageError(f"--column {pair} should read FIELD=HEADING, with one of {', '.join((*FIELDS, UNUSED))}.")
    return folded_heading(heading), field.strip()


def texts_in(photos: Path, out: Path, recursive: bool, jobs: int) -> list[str]:
    return texts_on(list_photos(photos, out, recursive), jobs) if photos.is_dir() else []


def shots_in(path: Path | None) -> list[Shot]:
    if path is None:
        return []
    return _table(path, lambda data: read_shotlist(data, path.name)).shots


def _table(path: Path, read: Callable[[Rows], Found]) -> Found:
    try:
        table = read(table_from(_bytes(path, TABLE_LIMIT), path.name))
    except TableError as error:
        hand = " On this line: --column code=HEADING." if error.missing_code else ""
        raise UsageError(f"{error}{hand}") from error
    for note in table.notes:
        console.print(f"{path.name}: {note}")
    _report(path, table.problems)
    return table


def _report(path: Path, problems: list[Problem]) -> None:
    for problem in problems:
        console.print(f"{path.name}, row {problem.row}: {problem.reason}; the row was left out.")


def _bytes(path: Path, limit: int = 0) -> bytes:
    """A file's bytes, unless it is over the limit for tables."""
    try:
        if limit and path.stat().st_size > limit:
            raise UsageError(too_large(path.name, path.stat().st_size))
        return path.read_bytes()
    except OSError as error:
        raise UsageError(f"{path} cannot be read: {error.strerror or error}.") from error


def tell(told: Mapping[str, object], words: str, *, as_json: bool) -> None:
    """One line: the object, or words of it."""
    print(json.dumps(told, ensure_ascii=False) if as_json else words, flush=True)


def some(names: list[str]) -> str:
    """The first few of many names."""
    shown = ", ".join(names[:3])
    return f"{shown} and {len(names) - 3} more" if len(names) > 3 else shown
