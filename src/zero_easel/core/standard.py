"""The standard: the rules that every finished picture follows, as a model, as YAML, and as plain sentences' values."""

from collections.abc import Mapping, Sequence
from typing import Any, Literal, NamedTuple, Self

from pydantic import Field, ValidationError, field_validator, model_validator

from zero_easel.core.lengths import Length, read_length
from zero_easel.core.naming import Replacement
from zero_easel.core.patterns import Pattern, PatternError
from zero_easel.core.rules import TRANSPARENT, Canvas, Item, Part, Special

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


class Deliverable(Part):
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


class Scope(NamedTuple):
    """What a rule is meant for: all items, or those of a category, a view, or both."""

    category: str = ""
    view: str = ""

    def __str__(self) -> str:
        return " ".join(part for part in (self.category, self.view) if part) or "all"


ALL = Scope()
AS_FITS = "as fits"
"""How a number of px per mm is written that follows from the largest item."""


def _front() -> dict[str, tuple[str, ...]]:
    return {"": ("front",)}


class Standard(Part):
    """A shop's rules for its pictures. exceptions: where items follow other rules; the later ones win. views: by
    category (lower case, "" for all others), what the first, second, ... photo of a product shows where nothing else
    says so."""

    name: str = Field(default="Shop pictures", min_length=1, max_length=120)
    canvas: Canvas = Canvas()
    item: Item = Item()
    exceptions: tuple[Special, ...] = ()
    deliverable: Deliverable = Deliverable()
    views: dict[str, tuple[str, ...]] = Field(default_factory=_front)

    @field_validator("views", mode="before")
    @classmethod
    def _views(cls, value: Any) -> Any:
        return read_views(value) if isinstance(value, str) else value

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.canvas.ground == TRANSPARENT and self.deliverable.format == "jpeg":
            raise ValueError("JPEG cannot hold a transparent ground; choose PNG or WebP, or a ground colour")
        _has_room(self.canvas, self.item)
        for special in self.exceptions:
            try:
                _has_room(self.canvas, self.rules_for(Scope(special.category, special.view)))
            except ValidationError as error:
                raise ValueError(f"for {Scope(special.category, special.view)}, {_plain(error)}") from error
            except ValueError as error:
                raise ValueError(f"for {Scope(special.category, special.view)}, {error}") from error
        return self

    def rules_for(self, scope: Scope) -> Item:
        """The rules for items of a category and view."""
        data = self.item.model_dump()
        for special in self.exceptions:
            if special.matches(*scope):
                data |= special.item
        return Item.model_validate(data)

    def own_rules(self, scope: Scope) -> dict[str, Any]:
        """The rules that are set for just this scope."""
        return next((dict(s.item) for s in self.exceptions if _is_for(s, scope)), {})


def _has_room(canvas: Canvas, item: Item) -> None:
    """Raises ValueError if margins and line leave no place for an item."""
    top, right, bottom, left = canvas.px(item.margins)
    line = item.base.px(canvas.height, canvas.density)
    if item.place == "line" and line < bottom - 1e-6:
        # The least that is enough, in the line's own unit.
        per_unit = Length(1, item.base.unit).px(canvas.height, canvas.density)
        enough = Length(bottom / per_unit, item.base.unit)
        raise ValueError(
            f"the line at {item.base} lies inside the margin; raise it to {enough} or make the margin smaller"
        )
    if item.place == "line" and line + top >= canvas.height:
        raise ValueError("the line leaves no room for an item below the upper margin")
    if top + bottom >= canvas.height or left + right >= canvas.width:
        raise ValueError("the margins leave no room for an item")
    if item.smallest > item.largest:
        raise ValueError(f"no item can fill at least {item.smallest:g} % and at most {item.largest:g} %")


def changed(standard: Standard, field: str, value: str, scope: Scope = ALL) -> Standard:
    """The standard with one value replaced; field is dotted ("canvas.width"), value as a person types it.

    scope: the items for which a rule of Item is meant. Raises StandardError with the reason if the field is unknown or
    the value is not possible.
    """
    data = standard.model_dump()
    *path, last = field.split(".")
    target = data
    for step in path:
        target = target.get(step, {}) if isinstance(target, dict) else {}
    if (
        not isinstance(target, dict)
        or last not in target
        or (isinstance(target[last], (dict, tuple)) and field != "views")
    ):
        raise StandardError(f"there is no rule named {field}")
    typed = _typed(field, value, target[last], standard.canvas.density)
    if scope == ALL:
        target[last] = typed
        return validated(data)
    if path != ["item"]:
        raise StandardError(f"{field} is the same for all items")
    return _with_own(standard, scope, standard.own_rules(scope) | {last: typed})


def dropped(standard: Standard, field: str, scope: Scope) -> Standard:
    """The standard without a scope's own rule for "item.x". Raises StandardError if what remains is not possible."""
    own = standard.own_rules(scope)
    own.pop(field.removeprefix("item."), None)
    return _with_own(standard, scope, own)


def _with_own(standard: Standard, scope: Scope, own: dict[str, Any]) -> Standard:
    try:
        # As the model keeps it: a number typed as text becomes a number.
        kept = Item.model_validate(standard.item.model_dump() | own)
    except ValidationError as error:
        raise StandardError(_plain(error)) from error
    special = Special(category=scope.category, view=scope.view, item={key: getattr(kept, key) for key in own})
    others = [s for s in standard.exceptions if not _is_for(s, scope)]
    # The closer a rule describes an item, the later it speaks: category, then view, then both.
    together = sorted([*others, *([special] if own else [])], key=lambda s: (bool(s.view), bool(s.category)))
    return validated(standard.model_dump() | {"exceptions": [s.model_dump() for s in together]})


def _is_for(special: Special, scope: Scope) -> bool:
    return (special.category.casefold(), special.view.casefold()) == (scope.category.casefold(), scope.view.casefold())


def _typed(field: str, value: str, before: object, density: float) -> object:
    text = value.strip()
    if field in ("canvas.width", "canvas.height"):
        try:
            return str(round(read_length(text, "px").px(0, density))) if "%" not in text else text
        except ValueError as error:
            reason = "must be a whole number of px, or a length in mm, cm or in"
            raise StandardError(f"{field} {reason} (given: {text})") from error
    if field == "item.px_per_mm" and text.casefold() in (AS_FITS, ""):
        return 0
    if isinstance(before, bool):
        return text.casefold() in ("true", "yes", "on")
    if isinstance(before, (int, float)):
        for unit in ("%", "px", "px/in", "px/mm", "°"):
            text = text.removesuffix(unit).strip()
        text = text.replace(",", ".")
    return text


def validated(data: dict[str, Any]) -> Standard:
    """The standard of such data. Raises StandardError, which says which value and why."""
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
    if first["type"] == "bool_parsing":
        message = "must be true or false"
    elif first["type"].endswith("_parsing") or first["type"] == "int_from_float":
        message = "must be a whole number" if "int" in first["type"] else "must be a number"
    given = first.get("input")
    shown = f" (given: {given})" if isinstance(given, (str, int, float)) and where else ""
    return f"{where} {message}{shown}" if where else message
