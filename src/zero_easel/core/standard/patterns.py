"""Name patterns: text with placeholders in braces, {field:change:change}, parsed once and filled for many photos."""

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import datetime
from difflib import get_close_matches
from functools import partial
from typing import NamedTuple

from anyascii import anyascii

Value = str | int | datetime | None

NUMBERS = frozenset({"n", "width", "height"})
MOMENTS = {"date": "%Y-%m-%d", "time": "%H-%M-%S"}
PRODUCT_FIELDS = frozenset({"code", "name", "category", "ean", "colour", "gtin"})
"""Fields that a photo without a product cannot fill; so are all free columns of the catalog."""
FIELDS = (
    *("code", "view", "n", "name", "category", "colour", "ean", "gtin", "facing", "date", "time", "width", "height"),
    *("deliverable", "original", "folder", "shoot"),
)
_CHANGES: dict[str, Callable[[str], str]] = {}
_DIRECTIVES = set("aAbBdeHIjmMpSUVWyYGu%")


class PatternError(ValueError):
    """A name pattern that cannot be used. at, length: the place in the pattern, in characters."""

    def __init__(self, message: str, at: int = 0, length: int = 0) -> None:
        super().__init__(message)
        self.at, self.length = at, length


class Filled(NamedTuple):
    """A filled pattern. empty: fields that had nothing to put in."""

    text: str
    empty: tuple[str, ...]


class _Slot(NamedTuple):
    field: str
    moment: str
    width: str
    changes: Sequence[Callable[[str], str]]


class Pattern:
    """A parsed pattern. known: the fields that there are, None if that is not known yet.

    Raises PatternError, which points at the place: a brace left open, an unknown field or change, a wrong format.
    """

    def __init__(self, text: str, known: Collection[str] | None = None) -> None:
        self.text = text
        self._parts = _parsed(text, known)

    @property
    def fields(self) -> frozenset[str]:
        """Fields that stand in the pattern."""
        return frozenset(part.field for part in self._parts if isinstance(part, _Slot))

    def needs_product(self) -> bool:
        """Whether a field stands in it that only a matched photo can fill."""
        return bool(self.fields & PRODUCT_FIELDS or self.fields - set(FIELDS))

    def fill(self, values: Mapping[str, Value]) -> Filled:
        """The text with its placeholders filled; a field without a value leaves nothing."""
        return _filled(self._parts, values)

    def fill_parts(self, values: Mapping[str, Value]) -> list[Filled]:
        """Like fill, divided at the slashes of the pattern itself; those in values divide nothing."""
        rows: list[list[str | _Slot]] = [[]]
        for part in self._parts:
            if isinstance(part, _Slot):
                rows[-1].append(part)
                continue
            first, *others = part.split("/")
            rows[-1].append(first)
            rows += [[other] for other in others]
        return [_filled(row, values) for row in rows]


class NamePattern(Pattern):
    """A pattern of a file name or of folders, which must leave something of a name."""

    def __init__(self, text: str, known: Collection[str] | None = None) -> None:
        super().__init__(text, known)
        if not re.sub(r"[\s.]", "", text):
            raise PatternError("the name is empty")


def folders_within(text: str) -> tuple[str, str]:
    """A pattern's folders and the name in them: what lies before and behind its last slash outside of braces.

    Raises PatternError for a brace left open.
    """
    at, last = 0, -1
    while at < len(text):
        if text[at] == "{" and text[at : at + 2] != "{{":
            at = _end_of(text, at)
        elif text[at] in "{}":
            at += 1
        elif text[at] == "/":
            last = at
        at += 1
    return text[: max(last, 0)], text[last + 1 :]


def slug(text: str) -> str:
    """Lower-case ASCII words joined by hyphens."""
    return re.sub(r"[^a-z0-9]+", "-", anyascii(text).lower()).strip("-")


_CHANGES.update(lower=str.lower, upper=str.upper, slug=slug, ascii=anyascii)


def _filled(parts: Sequence[str | _Slot], values: Mapping[str, Value]) -> Filled:
    done, empty = [], []
    for part in parts:
        if isinstance(part, str):
            done.append(part)
            continue
        field, moment, width, changes = part
        value = values.get(field)
        text = value if isinstance(value, str) else _shown(value, moment, width)
        for change in changes:
            text = change(text)
        if not text or text.isspace():
            empty.append(field)
        done.append(text)
    return Filled("".join(done), tuple(empty))


def _shown(value: Value, moment: str, width: str) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime):
        return value.strftime(moment)
    return format(value, f"{width}d") if isinstance(value, int) else value


def _parsed(text: str, known: Collection[str] | None) -> list[str | _Slot]:
    parts: list[str | _Slot] = []
    literal, at = "", 0
    while at < len(text):
        if text[at : at + 2] in ("{{", "}}"):
            literal, at = literal + text[at], at + 2
        elif text[at] == "}":
            raise PatternError("a closing brace stands alone", at, 1)
        elif text[at] == "{":
            end = _end_of(text, at)
            parts += [literal, _slot(text[at + 1 : end], at + 1, known)]
            literal, at = "", end + 1
        else:
            literal, at = literal + text[at], at + 1
    return [*parts, literal]


def _end_of(text: str, start: int) -> int:
    """Where the brace that opens at `start` is closed; braces in quotes do not count."""
    quote = ""
    for at in range(start + 1, len(text)):
        if quote:
            quote = "" if text[at] == quote else quote
        elif text[at] in "'\"" and "(" in text[start:at]:
            quote = text[at]
        elif text[at] == "}":
            return at
        elif text[at] == "{":
            break
    raise PatternError("this brace is not closed", start, len(text) - start)


def _slot(inner: str, at: int, known: Collection[str] | None) -> _Slot:
    field, *specs = _divided(inner)
    field = field.strip()
    if not re.fullmatch(r"\w+", field) or (known is not None and field not in known and field not in FIELDS):
        raise PatternError(_unknown(field, known or ()), at, max(1, len(inner.split(":", 1)[0])))
    moment, width, changes = MOMENTS.get(field, ""), "", []
    place = at + len(inner) - len(inner.lstrip()) + len(field) + 1
    for spec in specs:
        if spec.startswith("%") and field in MOMENTS:
            moment = _strftime(spec, place)
        elif spec[:1].isdigit():
            width = _width(field, spec, place)
        else:
            changes.append(_change(spec, place))
        place += len(spec) + 1
    return _Slot(field, moment, width, changes)


def _divided(inner: str) -> list[str]:
    """The inside of a brace at its colons; those in quotes and between strftime directives divide nothing."""
    parts = re.findall(r"(?:'[^']*'|\"[^\"]*\"|[^:'\"]|['\"])+", inner) or [""]
    joined = [parts[0]]
    for part in parts[1:]:
        if part.startswith("%") and joined[-1].startswith("%"):
            joined[-1] += f":{part}"
        else:
            joined.append(part)
    return joined


def _unknown(field: str, known: Collection[str]) -> str:
    if not field:
        return "this brace holds no field"
    fields = [*FIELDS, *(f for f in known if f not in FIELDS)]
    near = get_close_matches(field.lower(), fields, 1, 0.6)
    hint = f"did you mean '{near[0]}'?" if near else f"there are {', '.join(fields)}"
    return f"no column '{field}' - {hint}"


def _strftime(spec: str, at: int) -> str:
    asked = re.findall(r"%(.?)", spec)
    if any(letter not in _DIRECTIVES for letter in asked):
        raise PatternError(f"'{spec}' is no way to write a date; try %Y-%m-%d", at, len(spec))
    return spec


def _width(field: str, spec: str, at: int) -> str:
    if field not in NUMBERS:
        raise PatternError(f"{field} is no number and takes no width", at, len(spec))
    if not re.fullmatch(r"0?[1-9]", spec):
        raise PatternError(f"'{spec}' is no width; write it like {{n:03}}", at, len(spec))
    return spec


def _change(spec: str, at: int) -> Callable[[str], str]:
    if spec in _CHANGES:
        return _CHANGES[spec]
    found = re.fullmatch(r"replace\(\s*('[^']+'|\"[^\"]+\")\s*,\s*('[^']*'|\"[^\"]*\")\s*\)", spec)
    if found:
        return partial(_replaced, old=found.group(1)[1:-1], new=found.group(2)[1:-1])
    near = get_close_matches(spec, _CHANGES, 1, 0.5)
    hint = f"did you mean '{near[0]}'?" if near else "there are lower, upper, slug, ascii and replace('a', 'b')"
    raise PatternError(f"no change '{spec}' - {hint}", at, max(1, len(spec)))


def _replaced(text: str, old: str, new: str) -> str:
    return text.replace(old, new)
