"""Colours as people write them: CSS hex."""

import re


def parse_hex(colour: str) -> tuple[int, int, int]:
    """CSS hex colour #rgb or #rrggbb -> (r, g, b) in 0..255. Raises ValueError."""
    text = colour.strip().lstrip("#")
    if re.fullmatch(r"[0-9a-fA-F]{3}", text):
        text = "".join(2 * c for c in text)
    if not re.fullmatch(r"[0-9a-fA-F]{6}", text):
        raise ValueError(f"{colour!r} is not a colour like #FFFFFF")
    r, g, b = (int(text[i : i + 2], 16) for i in (0, 2, 4))
    return r, g, b


def write_hex(colour: str) -> str:
    """A CSS hex colour in one way of writing, #RRGGBB. Raises ValueError."""
    return "#{:02X}{:02X}{:02X}".format(*parse_hex(colour))
