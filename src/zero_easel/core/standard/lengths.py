"""Lengths as people write them: per cent, pixels, or millimetres, centimetres and inches at a density."""

import re
from functools import lru_cache
from typing import NamedTuple

UNITS = ("%", "px", "mm", "cm", "in")
PER_INCH = {"mm": 25.4, "cm": 2.54, "in": 1.0}
"""Of the units that need a density."""
_WRITTEN = re.compile(r"([+-]?\d+(?:[.,]\d*)?|[+-]?[.,]\d+)\s*(%|px|mm|cm|inches|inch|in|″|\")?")


class Length(NamedTuple):
    """A number and its unit, one of UNITS."""

    number: float
    unit: str

    def px(self, whole: float, density: float) -> float:
        """In px. whole: px that are 100 %. density: px per inch."""
        if self.unit == "%":
            return self.number / 100 * whole
        return self.number if self.unit == "px" else self.number / PER_INCH[self.unit] * density

    def __str__(self) -> str:
        space = "" if self.unit == "%" else " "
        return f"{self.number:.10g}{space}{self.unit}"


class Sides(NamedTuple):
    """A length for each side, in CSS's order."""

    top: Length
    right: Length
    bottom: Length
    left: Length


@lru_cache(500)
def read_length(text: str, unit: str = "%") -> Length:
    """ "6 %", "80px", "1.5 cm"; a bare number has the given unit. Raises ValueError."""
    lengths = _read(text, unit)
    if len(lengths) != 1:
        raise ValueError(f"must be one length, like 6 % or 80 px (given: {text})")
    return lengths[0]


@lru_cache(500)
def read_sides(text: str, unit: str = "%") -> Sides:
    """One to four lengths, shared out as CSS does: all; upright and level; top, level, bottom; all four in turn.

    Raises ValueError.
    """
    given = _read(text, unit)
    if not 1 <= len(given) <= 4:
        raise ValueError(f"must be one to four lengths, like 6 % or 80 px 5 % (given: {text})")
    top, right = given[0], given[1] if len(given) > 1 else given[0]
    bottom = given[2] if len(given) > 2 else top
    return Sides(top, right, bottom, given[3] if len(given) > 3 else right)


def write_sides(text: str, unit: str = "%") -> str:
    """The same lengths in one way of writing, no more of them than needed. Raises ValueError."""
    top, right, bottom, left = read_sides(text, unit)
    shown = [top, right, bottom, left]
    if left == right:
        shown.pop()
        if bottom == top:
            shown.pop()
            if right == top:
                shown.pop()
    return " ".join(str(length).replace(" ", "") for length in shown)


def in_unit(px: float, unit: str, density: float) -> str:
    """So many px at a density, in mm, cm or in, as people read it: "16.9 cm"."""
    number = px / density * PER_INCH[unit]
    return f"{number:.{0 if unit == 'mm' and number >= 100 else 1}f} {unit}"


def _read(text: str, unit: str) -> list[Length]:
    rest, found = text.strip().rstrip(","), []
    while rest:
        match = _WRITTEN.match(rest)
        if match is None:
            raise ValueError(f"must be lengths in %, px, mm, cm or in (given: {text.strip()})")
        number, written = float(match[1].replace(",", ".")), match[2] or unit
        found.append(Length(number, written if written in UNITS else "in"))
        rest = rest[match.end() :].lstrip(" ;")
    if any(abs(length.number) > 100_000 for length in found):
        raise ValueError(f"is far too long (given: {text.strip()})")
    return found
