"""The standard: the rules that every finished picture follows, as a model whose values are changed one by one."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, NamedTuple, Self

from pydantic import Field, ValidationError, WithJsonSchema, field_validator, model_validator

from zero_easel.core.standard.checks import Check
from zero_easel.core.standard.deliverable import Deliverable, words_of
from zero_easel.core.standard.information import TEXTS, Information
from zero_easel.core.standard.lengths import Length
from zero_easel.core.standard.naming import Replacement
from zero_easel.core.standard.overlays import Overlay
from zero_easel.core.standard.patterns import Pattern
from zero_easel.core.standard.rule import Part, explained, fault_of
from zero_easel.core.standard.rules import Canvas, Item, Special

LISTS = ("deliverables", "overlays", "checks")
"""Parts of a standard of which there may be any number. A deliverable or overlay is found by its name, a check by its
place, from 0."""


class StandardError(ValueError):
    """A standard that cannot be used. The message says which value and why, in plain words."""


def read_views(text: str) -> dict[str, list[str]]:
    """View words as a person writes them: "front, back; kitchen: front, top" -> {"": [...], "kitchen": [...]}."""
    rows: dict[str, list[str]] = {}
    for part in text.split(";"):
        category, colon, words = part.rpartition(":")
        names = words_of(words)
        if names or colon:
            rows[" ".join(category.split()).casefold()] = names
    return rows


def write_views(views: Mapping[str, Sequence[str]]) -> str:
    """View words as read_views reads them."""
    return "; ".join(f"{category}: {', '.join(words)}" if category else ", ".join(words) for category, words in
                     sorted(views.items()))  # fmt: skip


class Names(Part):
    """How files are called.

    name: the file name pattern, without suffix. folder: pattern of subfolders, "" for none. count: within what {n}
    counts, from `start` on. find, put: replaced on finished names, as plain text or as a regular expression (find_as).
    twice: what becomes of a name that is wanted twice: "refuse" stops the run, "count" adds a counter to later ones.
    """

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
            Pattern(value)
        return value

    @model_validator(mode="after")
    def _good_names(self) -> Self:
        Replacement(self.find, self.put, self.find_as == "regex")
        if self.folder and "n" in Pattern(self.folder).fields:
            raise ValueError("{n} counts pictures and cannot stand in a folder's name")
        return self


class Scope(NamedTuple):
    """What a rule is meant for: all items, or those of a category, a view, or both."""

    category: str = ""
    view: str = ""

    def __str__(self) -> str:
        return " ".join(part for part in (self.category, self.view) if part) or "all"


ALL = Scope()
AS_FITS = "as fits"
"""How a number of px per mm is written that follows from the largest item."""
_NOT_SAID = "not said"
UNSAID = {
    "deliverables.ground": "the standard's", "deliverables.views": "all", "deliverables.file": "the standard's",
    "deliverables.folder": "none", "deliverables.overlays": "none", "deliverables.density": "the canvas's",
    "deliverables.limit": "any number of", "overlays.when": "always", "checks.only": "all",
    **{f"information.{key}": _NOT_SAID for key in TEXTS},
}  # fmt: skip
"""How a value is written and read that says nothing of its own: by part and field."""


_VIEWS = {"anyOf": [{"type": "string"}, {"type": "object", "additionalProperties": {"type": "array"}}]}
"""Schema of views, which a file writes as one line of text."""


def _front() -> dict[str, tuple[str, ...]]:
    return {"": ("front",)}


class Standard(Part):
    """A shop's rules for its pictures. exceptions: where items follow other rules; the later ones win. hand_over:
    whether "all" pictures of a run are handed over, or only those that "passed" all checks. views: by category (lower
    case, "" for all others), what the first, second, ... photo of a product shows where nothing else says so."""

    name: str = Field(default="Shop pictures", min_length=1, max_length=120)
    canvas: Canvas = Canvas()
    item: Item = Item()
    exceptions: tuple[Special, ...] = ()
    deliverables: tuple[Deliverable, ...] = Field(default=(Deliverable(),), min_length=1, max_length=60)
    names: Names = Names()
    information: Information = Information()
    overlays: tuple[Overlay, ...] = Field(default=(), max_length=60)
    checks: tuple[Check, ...] = Field(default=(), max_length=100)
    hand_over: Literal["all", "passed"] = "all"
    views: Annotated[dict[str, tuple[str, ...]], WithJsonSchema(_VIEWS)] = Field(default_factory=_front)

    @field_validator("views", mode="before")
    @classmethod
    def _views(cls, value: Any) -> Any:
        return read_views(value) if isinstance(value, str) else value

    @model_validator(mode="after")
    def _possible(self) -> Self:
        _has_room(self.canvas, self.item)
        for special in self.exceptions:
            try:
                _has_room(self.canvas, self.rules_for(Scope(special.category, special.view)))
            except ValidationError as error:
                raise ValueError(f"for {Scope(special.category, special.view)}, {explained(error)}") from error
            except ValueError as error:
                raise ValueError(f"for {Scope(special.category, special.view)}, {error}") from error
        _hang_together(self)
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
        return next((dict(s.item) for s in self.exceptions if is_for(s, scope)), {})

    def deliverable(self, name: str) -> Deliverable:
        """The deliverable of a name. Raises KeyError."""
        for one in self.deliverables:
            if one.name == name:
                return one
        raise KeyError(name)


def _hang_together(standard: Standard) -> None:
    """Raises ValueError where one part names another that is not there."""
    _apart("deliverables", [d.name for d in standard.deliverables])
    _apart("overlays", [o.name for o in standard.overlays])
    sizes = {d.name: d for d in standard.deliverables}
    marks = {o.name for o in standard.overlays}
    for d in standard.deliverables:
        if d.size == "multiple" and (d.base not in sizes or d.base == d.name or sizes[d.base].size == "multiple"):
            raise ValueError(f"the deliverable {d.name} needs another one to be a multiple of, that is none itself")
        for name in d.overlays:
            if name not in marks:
                raise ValueError(f"the deliverable {d.name} asks for an overlay {name}, and there is none")
    for check in standard.checks:
        for name in words_of(check.only):
            if name not in sizes:
                raise ValueError(f"the check of {check} is for {name}, and there is no such deliverable")


def _apart(what: str, names: list[str]) -> None:
    seen: set[str] = set()
    for name in names:
        if name.casefold() in seen:
            raise ValueError(f"two {what} are called {name}")
        seen.add(name.casefold())


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


def is_for(special: Special, scope: Scope) -> bool:
    """Whether special rules are those of just this scope."""
    return (special.category.casefold(), special.view.casefold()) == (scope.category.casefold(), scope.view.casefold())


def validated(data: dict[str, Any]) -> Standard:
    """The standard of such data. Raises StandardError, which says which value and why."""
    try:
        return Standard.model_validate(data)
    except ValidationError as error:
        raise StandardError(explained(error, data)) from error


def faults_of(data: dict[str, Any]) -> list[tuple[tuple[str | int, ...], str]]:
    """All that is wrong with such data: the path to each value, and why it is refused."""
    try:
        Standard.model_validate(data)
    except ValidationError as error:
        return [(tuple(one["loc"]), fault_of(one, data)) for one in error.errors()]
    return []
