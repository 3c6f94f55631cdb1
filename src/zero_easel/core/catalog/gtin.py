"""GTINs, of which EANs are one kind: check digits, and what spreadsheets make of them."""

import re
from decimal import Decimal, InvalidOperation


def valid_gtin(digits: str) -> bool:
    """Whether a GTIN-8, -12, -13 or -14 has the right check digit (GS1 General Specifications, 7.9)."""
    if not re.fullmatch(r"[0-9]{8}|[0-9]{12,14}", digits):
        return False
    total = sum(int(d) * (3 if i % 2 else 1) for i, d in enumerate(reversed(digits)))
    return total % 10 == 0


def read_gtin(text: str) -> str:
    """A GTIN's digits. A number that a spreadsheet wrote with an exponent is taken if all its digits are still there.
    Raises ValueError with the reason."""
    digits = re.sub(r"[\s-]", "", text)
    if re.fullmatch(r"\d+[.,]0+", digits):
        digits = re.split(r"[.,]", digits)[0]
    if re.fullmatch(r"\d([.,]\d+)?[eE]\+?\d+", digits):
        try:
            whole = f"{Decimal(digits.replace(',', '.')):f}"
        except InvalidOperation:
            whole = ""
        if not (valid_gtin(whole) and len(re.sub(r"[.,]", "", re.split("[eE]", digits)[0])) >= len(whole) - 1):
            raise ValueError(
                f"EAN {text} was shortened by a spreadsheet and its digits are lost; make that column text, "
                "and save the list again from where it came"
            )
        digits = whole
    if digits and not valid_gtin(digits):
        raise ValueError(f"EAN {text} has {_what_is_wrong(digits)}")
    return digits


def _what_is_wrong(digits: str) -> str:
    if not digits.isdecimal():
        return "characters that are no digits"
    if len(digits) not in (8, 12, 13, 14):
        hint = "; a leading zero may be lost" if len(digits) in (7, 11) else ""
        return f"{len(digits)} digits instead of 8, 12, 13 or 14{hint}"
    return "a wrong check digit"
