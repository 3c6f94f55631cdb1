"""The standard: the rules that every finished picture follows, as a model, as YAML, and as plain sentences' values."""

from collections.abc import Mapping, Sequence
from typing import Any, Literal, Self

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from zero_easel.core.colour import parse_hex
from zero_easel.core.naming import Replacement
from zero_easel.core.patterns import Pattern, PatternError

TRANSPARENT = "transparent"
SUFFIXES = {"jpeg": ".jpg", "png": ".png", "webp": ".webp"}


class StandardError(ValueError):
    """A standard that cannot be used. The message says which value and why, in plain words."""


def read_views(text: str) -> dict[str, list[str]]:
    """View words as a person writes them: "front, back; kitchen: front, top" -> {"": [...], "kitchen": [...]}."""
    rows: dict[str, list[str]] = {}
    for part in text.split(";"):
        category, colon, words = part.rpartition(":")
        names = [" ".join(word.split()) for word in words.split(",") if word.strip()]
        if names or colon:
            rows[" ".join(category.split()).casefold()] = names
    return rows


def write_views(views: Mapping[str, Sequence[str]]) -> str:
    """View words as read_views reads them."""
    return "; ".join(f"{category}: {', '.join(words)}" if category else ", ".join(words) for category, words in
                     sorted(views.items()))  # fmt: skip


def _told(check: Any) -> None:
    """Run a check of names; what it complains of becomes a complaint about the standard."""
    try:
        check()
    except PatternError as error:
        raise ValueError(str(error)) from error


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Canvas(_Part):
    """width, height: px of every finished picture. ground: CSS hex colour or "transparent"."""

    width: int = Field(default=1200, ge=16, le=20_000)
    height: int = Field(default=1200, ge=16, le=20_000)
    ground: str = "#FFFFFF"

    @field_validator("ground")
    @classmethod
    def _known_ground(cls, value: str) -> str:
        if value.strip().lower() == TRANSPARENT:
            return TRANSPARENT
        return "#{:02X}{:02X}{:02X}".format(*parse_hex(value))


class Item(_Part):
    """How an item sits on the canvas; all numbers in per cent.

    margin: border that stays free of the item, of the canvas's shorter side. share: how much of the canvas's
    height, width, or whichever of the two it fills first ("frame"), the item takes; less where a margin stops it.
    place: "line" stands it on a line `line` per cent of the height above the lower edge; "centre" centres it.
    shadow: "drop" leaves the ground bare, "natural" takes the item's own along, "drawn" paints a soft one under it.
    """

    margin: float = Field(default=6, ge=0, le=45)
    share: float = Field(default=84, gt=0, le=100)
    share_of: Literal["frame", "height", "width"] = "frame"
    place: Literal["line", "centre"] = "line"
    line: float = Field(default=8, ge=0, le=90)
    shadow: Literal["drop", "natural", "drawn"] = "drop"


class Deliverable(_Part):
    """format and quality (1..100, for JPEG and WebP) of the files, and their names.

    name: the file name pattern, without suffix. folder: pattern of subfolders, "" for none. count: within what {n}
    counts, from `start` on. find, put: replaced on finished names, as plain text or as a regular expression (find_as).
    twice: what becomes of a name that is wanted twice: "refuse" stops the run, "count" adds a counter to later ones.
    """

    format: Literal["jpeg", "png", "webp"] = "jpeg"
    quality: int = Field(default=90, ge=1, le=100)
    name: str = Field(default="{code}_{view}", min_length=1, max_length=200)
    folder: str = Field(default="", max_length=200)
    count: Literal["product", "folder", "run"] = "product"
    start: int = Field(default=1, ge=0, le=999_999)
    find: str = Field(default="", max_length=200)
    put: str = Field(default="", max_length=200)
    find_as: Literal["text", "regex"] = "text"
    twice: Literal["refuse", "count"] = "refuse"

    @field_validator("name", "folder")
    @classmethod
    def _good_pattern(cls, value: str) -> str:
        if value:
            _told(lambda: Pattern(value))
        return value

    @model_validator(mode="after")
    def _good_names(self) -> Self:
        _told(lambda: Replacement(self.find, self.put, self.find_as == "regex"))
        if self.folder and "n" in Pattern(self.folder).fields:
            raise ValueError("{n} counts pictures and cannot stand in a folder's name")
        return self

    @property
    def suffix(self) -> str:
        """File name ending, with its dot."""
        return SUFFIXES[self.format]


class Standard(_Part):
    """A shop's rules for its pictures. views: by category (lower case, "" for all others), what the first, second, ...
    photo of a product shows where nothing else says so."""

    name: str = Field(default="Shop pictures", min_length=1, max_length=120)
    canvas: Canvas = Canvas()
    item: Item = Item()
    deliverable: Deliverable = Deliverable()
    views: dict[str, tuple[str, ...]] = {"": ("front",)}

    @field_validator("views", mode="before")
    @classmethod
    def _views(cls, value: Any) -> Any:
        return read_views(value) if isinstance(value, str) else value

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.canvas.ground == TRANSPARENT and self.deliverable.format == "jpeg":
            raise ValueError("JPEG cannot hold a transparent ground; choose PNG or WebP, or a ground colour")
        lowest = self.item.margin * min(self.canvas.width, self.canvas.height) / self.canvas.height
        if self.item.place == "line" and self.item.line < lowest - 1e-9:
            raise ValueError(
                f"the line at {self.item.line:g} % lies inside the margin; "
                f"raise it to {lowest:g} % or make the margin smaller"
            )
        if self.item.place == "line" and self.item.line + lowest >= 100:
            raise ValueError("the line leaves no room for an item below the upper margin")
        return self


def changed(standard: Standard, field: str, value: str) -> Standard:
    """The standard with one value replaced; field is dotted ("canvas.width"), value as a person types it.

    Raises StandardError with the reason if the field is unknown or the value is not possible.
    """
    data = standard.model_dump()
    *path, last = field.split(".")
    target = data
    for step in path:
        target = target.get(step, {}) if isinstance(target, dict) else {}
    if not isinstance(target, dict) or last not in target or (isinstance(target[last], dict) and field != "views"):
        raise StandardError(f"there is no rule named {field}")
    target[last] = _typed(value, target[last])
    return _validated(data)


def read_standard(text: str, name: str = "the standard") -> Standard:
    """A standard from its YAML text; whatever it leaves out keeps the built-in value. Raises StandardError."""
    try:
        data = yaml.safe_load(text)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f", line {mark.line + 1}" if mark else ""
        raise StandardError(f"{name}{where}: this is not valid YAML") from error
    if not isinstance(data, dict):
        raise StandardError(f"{name} holds no rules")
    try:
        return _validated(data)
    except StandardError as error:
        raise StandardError(f"{name}: {error}") from error


def write_standard(standard: Standard) -> str:
    """The standard as commented YAML; read_standard gives the same standard back."""
    c, i, d = standard.canvas, standard.item, standard.deliverable

    def q(text: str) -> str:
        return yaml.safe_dump(text, allow_unicode=True, default_style='"', width=1000).strip()

    return f"""\
# A standard of Zero Easel: the rules that every finished picture follows.
# Whatever is left out keeps the built-in value shown here.
name: {q(standard.name)}

canvas:
  width: {c.width}            # px of every finished picture
  height: {c.height}           # px
  ground: {q(c.ground)}     # a colour as #RRGGBB, or transparent (PNG and WebP only)

item:
  margin: {i.margin:g}              # % of the canvas's shorter side that stays free all round
  share: {i.share:g}              # % of the canvas that the item fills; less where a margin stops it
  share_of: {i.share_of}        # of the height, of the width, or of the frame: whichever side it fills first
  place: {i.place}            # line: stands on a line; centre: in the middle of the canvas
  line: {i.line:g}                # % of the height between the line and the lower edge
  shadow: {i.shadow}           # drop: none; natural: the item's own; drawn: a soft one under its foot

deliverable:
  format: {d.format}           # jpeg, png or webp
  quality: {d.quality}            # 1 to 100, for jpeg and webp
  name: {q(d.name)}  # docs/formats.md lists the fields, as {{code}} {{view}}; {{n:03}} pads with zeros
  folder: {q(d.folder)}           # subfolders, like "{{category}}/{{code}}"; empty for none
  count: {d.count}         # {{n}} counts within a product, a folder, or the run
  start: {d.start}               # the first {{n}}
  find: {q(d.find)}             # replaced in finished names
  put: {q(d.put)}              # by this
  find_as: {d.find_as}          # text or regex
  twice: {d.twice}          # a name wanted twice: refuse stops the run, count adds a counter to the later ones

# What the first, second, ... photo of a product shows; "front; kitchen: front, top" rules a category by itself.
views: {q(write_views(standard.views))}
"""


def _typed(value: str, before: object) -> object:
    text = value.strip()
    if isinstance(before, (int, float)):
        text = text.removesuffix("%").removesuffix("px").strip().replace(",", ".")
    return text


def _validated(data: dict[str, object]) -> Standard:
    try:
        return Standard.model_validate(data)
    except ValidationError as error:
        raise StandardError(_plain(error)) from error


def _plain(error: ValidationError) -> str:
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    message = str(first["msg"]).removeprefix("Value error, ")
    if first["type"] == "extra_forbidden":
        return f"there is no rule named {where}"
    limits = first.get("ctx", {})
    for key, words in (("ge", "at least"), ("le", "at most"), ("gt", "more than")):
        if key in limits:
            message = f"must be {words} {limits[key]:g}"
    if first["type"] == "literal_error":
        message = f"must be {limits['expected']}"
    if first["type"].endswith("_parsing") or first["type"] == "int_from_float":
        message = "must be a whole number" if "int" in first["type"] else "must be a number"
    given = first.get("input")
    shown = f" (given: {given})" if isinstance(given, (str, int, float)) and where else ""
    return f"{where} {message}{shown}" if where else message
