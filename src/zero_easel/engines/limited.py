"""Reading what strangers made, in a process that may take so much memory and time and no more."""

from collections.abc import Callable
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

from zero_easel.core.catalog.tables import Table, TableError, is_spreadsheet, read_table
from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.core.standard.yaml.file import read_standard
from zero_easel.engines.processes import abandon, new_pool, within

T = TypeVar("T")
_MEGABYTES, _SECONDS = 1_500, 60.0


class LimitError(Exception):
    """What was asked needs more than it may have; the message says of what, to follow the name of a file."""


def limited(function: Callable[..., T], *arguments: Any, megabytes: int = _MEGABYTES, seconds: float = _SECONDS) -> T:
    """function(*arguments) in a process of its own; whatever it raises is raised here. Raises LimitError."""
    pool = new_pool(1)
    try:
        return pool.submit(_within, megabytes, function, arguments).result(seconds)
    except TimeoutError as error:
        raise LimitError(f"takes more than {seconds:.0f} seconds to read") from error
    except (MemoryError, BrokenProcessPool) as error:
        raise LimitError(f"needs more than {megabytes / 1000:g} GB of memory to be read") from error
    finally:
        abandon(pool)


def table_from(data: bytes, name: str) -> Table:
    """Rows of a table, see read_table; sheets are read within limits. Raises TableError."""
    if not is_spreadsheet(data):
        return read_table(data, name)
    try:
        return limited(read_table, data, name)
    except LimitError as error:
        raise TableError(f"{name} {error}; save it as CSV.") from error


def standard_from(text: str, name: str) -> tuple[Standard, list[str]]:
    """A standard from its YAML text, read within limits, and notes on rules with other names. Raises StandardError."""
    try:
        return limited(_noted, text, name, seconds=20)
    except LimitError as error:
        raise StandardError(f"{name} {error}") from error


def _noted(text: str, name: str) -> tuple[Standard, list[str]]:
    notes: list[str] = []
    return read_standard(text, name, notes.append), notes


def _within(megabytes: int, function: Callable[..., T], arguments: tuple[Any, ...]) -> T:
    within(megabytes)
    return function(*arguments)
