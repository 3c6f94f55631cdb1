"""Which column of a table holds the product codes, where no heading says so: told by the values."""

import re
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from zero_easel.core.catalog.codes import Coded, Codes

_CODE_LIKE = re.compile(r"(?=.*\d)[^\W_](?:[\w./-]| (?! )){1,39}")
_NUMBER = re.compile(r"\d+[.,]\d+|\d{4}-\d\d-\d\d")
_FILLED, _LIKE, _MET = 0.9, 0.95, 2


class Evidence(NamedTuple):
    """A column by its index, and how many of the file names and code cards looked at hold one of its values."""

    column: int
    met: int


def code_by_values(rows: Sequence[Sequence[str]], candidates: Iterable[int], texts: Sequence[str]) -> Evidence | None:
    """The one column whose values are unique, look like codes, and stand in file names or on code cards.

    rows: cells below the headings. candidates: indices of columns. texts: names of photos and what cards say. None
    unless two texts, or the only one there is, hold a value, and more of them than of any other column.
    """
    found = sorted(
        (
            Evidence(index, _met(values, texts))
            for index in candidates
            if _are_codes(values := [row[index].strip() if index < len(row) else "" for row in rows])
        ),
        key=lambda one: -one.met,
    )
    if not found or found[0].met < min(_MET, len(texts) or _MET):
        return None
    return found[0] if len(found) == 1 or found[0].met > found[1].met else None


def _are_codes(values: Sequence[str]) -> bool:
    filled = [value for value in values if value]
    unique = len({value.casefold() for value in filled}) == len(filled)
    like = sum(bool(_CODE_LIKE.fullmatch(value)) and not _NUMBER.fullmatch(value) for value in filled)
    return bool(filled) and unique and len(filled) >= _FILLED * len(values) and like >= _LIKE * len(filled)


def _met(values: Sequence[str], texts: Sequence[str]) -> int:
    codes = Codes(Coded(value, "") for value in values if value)
    return sum(codes.within(text) is not None for text in texts)
