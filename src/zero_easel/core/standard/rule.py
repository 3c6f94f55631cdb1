"""What a rule is: declared once, on its field, with its words, its unit and its limits.

The comment in a file, the words by which two versions are compared, the unit that may be typed behind a number, what
becomes of it on a smaller canvas, the field on the page and the row in docs/formats.md all follow from the declaration.
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal, NamedTuple, get_args, get_origin

from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic.fields import FieldInfo


@dataclass(frozen=True)
class Rule:
    """One rule, as metadata of its field.

    label: what it is called where two versions are compared. about: its comment in a file; `more`: what the docs say
    beyond that. unit: of its number; it may be typed behind it. bare: the unit of lengths that are written without one.
    scales: what becomes of it on another canvas: a "length" or a "number" is scaled with the shorter side.
    squared_by: (field, value): where that field has that value, the number is scaled twice, as areas are.
    as_length: whether px may be typed as a length, like 16.9 cm. empty: how it is written when it says nothing of its
    own. ask: what its field on the page is called; {name} is the part's own. width: of that field, in characters.
    choices: words of the page for each value. lines: whether a group of values is typed as one line of text. before:
    what it was called once; files with that name are still read.
    """

    label: str
    about: str = ""
    more: str = ""
    unit: str = ""
    bare: str = "%"
    scales: Literal["", "length", "number"] = ""
    squared_by: tuple[str, str] = ("", "")
    as_length: bool = False
    empty: str = ""
    ask: str = ""
    width: int = 4
    choices: Mapping[str, str] = field(default_factory=dict, hash=False)
    lines: bool = False
    before: str = ""

    def __get_pydantic_json_schema__(self, schema: Any, handler: Any) -> dict[str, Any]:
        """The comment is the description in the schema of files."""
        found: dict[str, Any] = handler(schema)
        return found | {"description": self.about} if self.about else found

    @property
    def unit_in_words(self) -> str:
        """The unit as it is written in a phrase."""
        return "degrees" if self.unit == "°" else self.unit


class Sentence(NamedTuple):
    """Rules as a page writes them. text: words with {field} for each value, or {field:in px} where its name on the page
    depends on where it stands, [field=a|b: ...] or [field!=a: ...] for
    what is only said where a value is one of some, [format~ability: ...] where the format can do something, `words` for
    what is typed as it stands, and {@name} for what the page puts in. folded: the line under which rarely changed ones
    are folded, "" for those that are always there."""

    text: str
    folded: str = ""


class Part(BaseModel):
    """Rules that belong together; never changed in place, unknown ones refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    sentences: ClassVar[tuple[Sentence, ...]] = ()


def rule_of(info: FieldInfo) -> Rule | None:
    """The rule that is declared on a field."""
    return next((one for one in info.metadata if isinstance(one, Rule)), None)


def rules_in(part: type[BaseModel]) -> dict[str, Rule]:
    """The rules of a part by their fields, in order."""
    return {name: rule for name, info in part.model_fields.items() if (rule := rule_of(info)) is not None}


def values_of(info: FieldInfo) -> tuple[str, ...]:
    """The values that a field may have, if they are a few; a yes or no is "false" and "true"."""
    if info.annotation is bool:
        return ("false", "true")
    return get_args(info.annotation) if get_origin(info.annotation) is Literal else ()


def limits_of(info: FieldInfo) -> str:
    """The limits of a number, in words: "0 to 100", "more than 0, up to 100", or ""."""
    found = {key: getattr(one, key) for one in info.metadata for key in ("ge", "gt", "le") if hasattr(one, key)}
    if "le" not in found:
        return ""
    if "gt" in found:
        return f"more than {found['gt']:g}, up to {found['le']:g}"
    return f"{found.get('ge', 0):g} to {found['le']:g}"


class Words(NamedTuple):
    """A piece of a sentence that is only read. literal: whether it is to be typed as it stands."""

    text: str
    literal: bool = False


class Blank(NamedTuple):
    """A value in a sentence. more: words that its name on the page has there beside those of its rule."""

    field: str
    more: str = ""


class Slot(NamedTuple):
    """What the page puts into a sentence."""

    name: str


class Only(NamedTuple):
    """Pieces that are said where a field has one of some values, or, with `other`, none of them."""

    field: str
    values: tuple[str, ...]
    other: bool
    pieces: tuple["Piece", ...]

    def holds(self, values: Mapping[str, str], prefix: str = "") -> bool:
        """Whether they are said, given all values by dotted field."""
        return (values.get(prefix + self.field) in self.values) != self.other

    def condition(self, prefix: str) -> str:
        """The same condition for the page's script."""
        return f"{prefix}{self.field}{'!' if self.other else ''}={'|'.join(self.values)}"


Piece = Words | Blank | Slot | Only
_PIECES = re.compile(r"\{@(\w+)\}|\{(\w+)(?::([^{}]+))?\}|`([^`]+)`|\[(\w+)(!?=|~)([^:\[\]]*):|(\])")


def pieces_of(text: str, able: Mapping[str, Sequence[str]]) -> tuple[Piece, ...]:
    """A sentence taken apart. able: the values of a field that can do something, by ability, for [field~ability:
    ...]."""
    pieces, rest = _pieces(text, 0, able)
    assert rest == len(text), text
    return pieces


def _pieces(text: str, at: int, able: Mapping[str, Sequence[str]]) -> tuple[tuple[Piece, ...], int]:
    found: list[Piece] = []
    while match := _PIECES.search(text, at):
        if match.start() > at:
            found.append(Words(text[at : match.start()]))
        slot, blank, more, literal, asked, how, values, end = match.groups()
        at = match.end()
        if end:
            return tuple(found), at
        if asked:
            inner, at = _pieces(text, at, able)
            wanted = tuple(able[values]) if how == "~" else tuple(values.split("|"))
            found.append(Only(asked, wanted, how == "!=", inner))
        else:
            found.append(Slot(slot) if slot else Blank(blank, more or "") if blank else Words(literal, True))
    if at < len(text):
        found.append(Words(text[at:]))
    return tuple(found), len(text)


def blanks_in(pieces: Sequence[Piece]) -> Iterator[Blank]:
    """The values that stand in a sentence."""
    for piece in pieces:
        if isinstance(piece, Blank):
            yield piece
        elif isinstance(piece, Only):
            yield from blanks_in(piece.pieces)


def explained(error: ValidationError, data: object = None) -> str:
    """The first thing that is wrong, in words. data: what was to be validated, for the names of its parts."""
    return fault_of(error.errors()[0], data)


def fault_of(first: Any, data: object = None) -> str:
    """One of a ValidationError's errors in words: which value, and why it is refused."""
    where = ".".join(_called(first["loc"], data))
    message = str(first["msg"]).removeprefix("Value error, ")
    if first["type"] == "extra_forbidden":
        return f"there is no rule named {where}"
    limits = first.get("ctx", {})
    for key, words in (("ge", "at least"), ("le", "at most"), ("gt", "more than")):
        if key in limits:
            message = f"must be {words} {limits[key]:g}"
    if first["type"] == "literal_error":
        message = f"must be {limits['expected']}"
    if first["type"] == "string_type":
        message = (
            "must be a text; in quotes it is one" if isinstance(first.get("input"), (int, float)) else "must be a text"
        )
    if first["type"] == "bool_parsing":
        message = "must be true or false"
    elif first["type"].endswith("_parsing") or first["type"] == "int_from_float":
        message = "must be a whole number" if "int" in first["type"] else "must be a number"
    given = first.get("input")
    shown = f" (given: {given})" if isinstance(given, (str, int, float)) and where and "given:" not in message else ""
    return f"{where} {message}{shown}" if where else message


def _called(path: Sequence[str | int], data: object) -> list[str]:
    """The path with names in the place of numbers, where there are some."""
    names: list[str] = []
    for step in path:
        if isinstance(step, int) and isinstance(data, (list, tuple)) and step < len(data):
            data = data[step]
            named = data.get("name") if isinstance(data, dict) else None
            names.append(str(named or step))
        else:
            data = data.get(step) if isinstance(data, dict) else None
            names.append(str(step))
    return names
