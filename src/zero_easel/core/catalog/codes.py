"""Product codes within any text: file names, and what barcodes say."""

import re
import unicodedata
from collections.abc import Iterable
from typing import NamedTuple, Protocol


class HasCode(Protocol):
    """A product as far as photos are matched with it."""

    @property
    def code(self) -> str:
        """Its code, as the catalog spells it."""
        ...

    @property
    def ean(self) -> str:
        """Its EAN or GTIN in digits, "" if it has none."""
        ...


class Coded(NamedTuple):
    """The least that photos are matched with."""

    code: str
    ean: str


class Found(NamedTuple):
    """Codes of the catalog that a piece of text may be, one if all is well, and the runs of letters and digits behind
    it."""

    codes: list[str]
    rest: list[str]


class Codes:
    """The catalog's codes. A code is found by whole runs of letters and of digits, whatever separates them and in any
    letter case: BY-2104 in by2104_front, but not in BY-21045. The longest code wins, so BY-2104-BL is never taken for
    BY-2104."""

    def __init__(self, products: Iterable[HasCode]) -> None:
        self._codes: dict[str, list[str]] = {}
        self._eans: dict[str, str] = {}
        self._longest = 0
        for product in products:
            runs = _runs(product.code)
            self._codes.setdefault("".join(runs), []).append(product.code)
            self._longest = max(self._longest, len(runs))
            if product.ean:
                self._eans[product.ean.lstrip("0")] = product.code

    def __bool__(self) -> bool:
        return bool(self._codes)

    def exactly(self, text: str) -> str | None:
        """The catalog's spelling of a code; None if there is none, or two that read alike and neither is meant."""
        known = self._codes.get("".join(_runs(text)), [])
        literal = [code for code in known if folded(code) == folded(text)]
        return known[0] if len(known) == 1 else literal[0] if len(literal) == 1 else None

    def by_ean(self, text: str) -> str | None:
        """The code of the product with this EAN or GTIN, whatever zeros lead it."""
        return self._eans.get(text.lstrip("0"))

    def within(self, text: str) -> Found | None:
        """The longest code in a text. Of two that read alike the one that stands there letter by letter is meant."""
        runs = _runs(text)
        for length in range(min(self._longest, len(runs)), 0, -1):
            for start in range(len(runs) - length + 1):
                codes = self._codes.get("".join(runs[start : start + length]))
                if codes:
                    literal = [code for code in codes if folded(code) in folded(text)]
                    return Found(literal if len(literal) == 1 else codes, runs[start + length :])
        return None


def folded(text: str) -> str:
    """A text without regard to letter case and Unicode form."""
    return unicodedata.normalize("NFC", text).casefold()


def _runs(text: str) -> list[str]:
    """Runs of letters and of digits: "BY-2104 front" -> by, 2104, front."""
    return re.findall(r"[^\W\d_]+|\d+", folded(text))
