"""Name patterns with braces, portable file names, and collisions between outputs."""

import re
import unicodedata
from collections.abc import Iterable, Mapping
from difflib import get_close_matches
from pathlib import PurePath
from string import Formatter

FIELDS = ("code", "view", "n", "original", "name", "category", "ean")
PRODUCT_FIELDS = frozenset({"code", "name", "category", "ean"})
"""Fields that a photo without a product cannot fill."""

_FORBIDDEN = re.compile(r'[<>:"/\\|?*\x00-\x1f\x7f]+')
# Device names that Windows reserves in every folder, with any suffix.
_RESERVED = re.compile(r"(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?", re.IGNORECASE)
_LONGEST = 180


class PatternError(ValueError):
    """A name pattern that cannot be used; the message points at the place."""


def check_pattern(pattern: str) -> None:
    """Raise PatternError unless every placeholder of the pattern is known and well formed."""
    for _, field, spec, conversion in _parse(pattern):
        if field is None:
            continue
        if field not in FIELDS:
            near = get_close_matches(field, FIELDS, 1)
            hint = f"; did you mean {{{near[0]}}}" if near else f"; known are {', '.join(FIELDS)}"
            raise PatternError(f"there is no {{{field}}}{hint}")
        if conversion or (spec and field != "n"):
            raise PatternError(f"{{{field}}} takes no format; only {{n}} does, as in {{n:03}}")
        if spec and not re.fullmatch(r"0?[1-9]", spec):
            raise PatternError(f"{{n:{spec}}} is not a width; write it like {{n:03}}")
    if not re.sub(r"[\s.]", "", pattern):
        raise PatternError("the name is empty")


def needs_product(pattern: str) -> bool:
    """Whether the pattern holds a placeholder that only a matched photo can fill."""
    return any(field in PRODUCT_FIELDS for _, field, _, _ in _parse(pattern))


def render_name(pattern: str, fields: Mapping[str, str | int]) -> str:
    """Fill a checked pattern; the result is one portable file name without suffix, never a path."""
    parts = []
    for literal, field, spec, _ in _parse(pattern):
        parts.append(literal)
        if field is not None:
            value = fields.get(field, "")
            parts.append(format(value, f"{spec}d") if isinstance(value, int) and spec else str(value))
    return portable(re.sub(r"([ _-])\1+", r"\1", "".join(parts)).strip(" _-"))


def portable(name: str) -> str:
    """A file name that every usual file system takes: no separators, reserved names, or trailing dots; NFC."""
    text = _FORBIDDEN.sub("-", unicodedata.normalize("NFC", name))
    text = "".join(c for c in text if unicodedata.category(c) not in ("Cc", "Cf", "Cs"))
    text = text.strip().lstrip(".").rstrip(". ")
    while len(text.encode()) > _LONGEST:
        text = text[:-1].rstrip(". ")
    if not text or _RESERVED.fullmatch(text):
        text = f"_{text}"
    return text


def base_name(filename: str) -> str:
    """Last part of a name from an upload, whatever separators the sender used; never a path, never empty."""
    last = re.split(r"[/\\]", filename)[-1]
    text = "".join(c for c in last if unicodedata.category(c) not in ("Cc", "Cs"))
    return text.strip() if text.strip(" .") else "unnamed"


def stem(filename: str) -> str:
    """Name without its last suffix."""
    return PurePath(filename).stem or filename


def collisions(outputs: Iterable[tuple[str, str]]) -> list[tuple[str, list[str]]]:
    """Outputs that would share a name, from (source, output) pairs -> (output, sources), two or more sources each.

    Names that differ only in letter case or Unicode composition are one file on many disks, and count as equal.
    """
    groups: dict[str, list[tuple[str, str]]] = {}
    for source, output in outputs:
        groups.setdefault(unicodedata.normalize("NFC", output).casefold(), []).append((output, source))
    return [(found[0][0], [s for _, s in found]) for found in groups.values() if len(found) > 1]


def natural_key(name: str) -> list[tuple[int, int, str]]:
    """Sort key that puts 2 before 10, without regard to letter case."""
    parts = re.findall(r"[0-9]+|[^0-9]+", name.casefold())
    return [(0, int(p), "") if p.isascii() and p.isdigit() else (1, 0, p) for p in parts]


def _parse(pattern: str) -> list[tuple[str, str | None, str | None, str | None]]:
    try:
        return list(Formatter().parse(pattern))
    except ValueError as error:
        raise PatternError(f"{pattern!r}: a brace is not closed, or stands alone") from error


def shows_backdrop(name: str) -> bool:
    """Whether a file name says that the photo shows the empty backdrop: it holds the word "empty"."""
    return bool(re.search(r"(?<![a-z])empty(?![a-z])", name.lower()))
