"""Which photo shows which product from which side, and why we think so."""

import re
import unicodedata
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from zero_easel.core.catalog import Product, Shot
from zero_easel.core.naming import stem

VIEWS = ("front", "back", "left", "right", "top", "bottom", "side", "detail")


class Match(NamedTuple):
    """code and view are "" where unknown. why: in plain words. listed: False if a shot list was given without it."""

    code: str
    view: str
    why: str
    listed: bool = True


class Matcher:
    """Finds product and view of photos from a shot list first, then from the file name.

    A code is found by whole runs of letters and of digits, whatever separates them: BY-2104 in by2104_front, but
    not in BY-21045. The longest code wins, so BY-2104-BL is never taken for BY-2104.
    """

    def __init__(self, products: Iterable[Product], shots: Sequence[Shot] = ()) -> None:
        self._codes: dict[str, list[str]] = {}
        for product in products:
            self._codes.setdefault("".join(_runs(product.code)), []).append(product.code)
        self._longest = max((len(_runs(c)) for codes in self._codes.values() for c in codes), default=0)
        self._shots = {_folded(s.filename): s for s in shots}

    def match(self, filename: str) -> Match:
        """Product and view of one photo by the name of its file."""
        shot = self._shots.get(_folded(filename))
        if shot is not None:
            known = self._codes.get("".join(_runs(shot.code)), [])
            code = known[0] if len(known) == 1 else shot.code
            missing = ", not in the catalog" if self._codes and not known else ""
            return Match(code, shot.view, f"shot list{missing}")
        found = self._in_name(filename)
        if found is not None:
            return found
        if self._shots:
            return Match("", "", "not on the shot list", listed=False)
        return Match("", "", "no product code in the file name")

    def _in_name(self, filename: str) -> Match | None:
        text = stem(filename)
        runs = _runs(text)
        for length in range(min(self._longest, len(runs)), 0, -1):
            for start in range(len(runs) - length + 1):
                codes = self._codes.get("".join(runs[start : start + length]))
                if codes:
                    return _named(codes, text, runs[start + length :])
        return None


def _named(codes: list[str], text: str, rest: list[str]) -> Match:
    literal = [code for code in codes if _folded(code) in _folded(text)]
    if len(codes) > 1 and len(literal) != 1:
        return Match("", "", f"the file name fits both {' and '.join(codes[:2])}")
    view = _view(rest)
    return Match((literal or codes)[0], view, "code and view in the file name" if view else "code in the file name")


def number_views(matches: Sequence[Match]) -> list[Match]:
    """In shooting order, give each matched photo without a view its number within the product: 1, 2, 3."""
    seen: dict[str, int] = {}
    result = []
    for match in matches:
        if match.code:
            seen[match.code] = seen.get(match.code, 0) + 1
            if not match.view:
                match = match._replace(view=str(seen[match.code]))
        result.append(match)
    return result


def _folded(text: str) -> str:
    return unicodedata.normalize("NFC", text).casefold()


def _runs(text: str) -> list[str]:
    """Runs of letters and of digits: "BY-2104 front" -> by, 2104, front."""
    return re.findall(r"[^\W\d_]+|\d+", _folded(text))


def _view(rest: list[str]) -> str:
    """View word or number among the runs that follow a code, as in _front, -02 or " (3)"."""
    for run in rest:
        if run in VIEWS:
            return run
    return next((str(int(run)) for run in rest if run.isdecimal() and len(run) <= 3), "")
