"""The standard: the rules that every finished picture follows, as a model whose values are changed one by one."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, NamedTuple, Self

from pydantic import Field, ValidationError, WithJsonSchema, field_validator, model_validator

from zero_easel.core.checks import Check
from zero_easel.core.deliverable import Deliverable, words_of
from zero_easel.core.information import TEXTS, Information
from zero_easel.core.lengths import Length, read_length
from zero_easel.core.naming import Replacement
from zero_easel.core.overlays import Overlay
from zero_easel.core.patterns import Pattern
from zero_easel.core.rules import Canvas, Item, Part, Special

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
                raise ValueError(f"for {Scope(special.category, special.view)}, {_plain(error)}") from error
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
        return next((dict(s.item) for s in self.exceptions if _is_for(s, scope)), {})

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


def changed(standard: Standard, field: str, value: str, scope: Scope = ALL) -> Standard:
    """The standard with one value replaced; field is dotted ("canvas.width", "deliverables.zoom.quality",
    "checks.0.value"), value as a person types it.

    scope: the items for which a rule of Item is meant. Raises StandardError with the reason if the field is unknown or
    the value is not possible.
    """
    data = standard.model_dump()
    *path, last = field.split(".")
    target: Any = data
    for step in path:
        target = _within(target, step)
    # Views and a deliverable's overlays are typed as one line of text; other groups of rules are no value.
    is_line = field == "views" or (path[:1] == ["deliverables"] and last == "overlays")
    if not isinstance(target, dict) or last not in target or (isinstance(target[last], (dict, tuple)) and not is_line):
        raise StandardError(f"there is no rule named {field}")
    typed = _typed(field, value, target[last], standard.canvas.density)
    if scope == ALL:
        before, target[last] = target[last], typed
        if path and path[0] in LISTS and last == "name":
            _renamed(data, path[0], str(before), " ".join(value.split()))
        return validated(data)
    if path != ["item"]:
        raise StandardError(f"{field} is the same for all items")
    return _with_own(standard, scope, standard.own_rules(scope) | {last: typed})


def added(standard: Standard, part: str, *given: Part) -> Standard:
    """The standard with more deliverables, overlays or checks; a name that is taken gets a number.

    Raises StandardError if they cannot be.
    """
    data = standard.model_dump()
    if part not in LISTS:
        raise StandardError(f"there are no {part} to add to")
    rows = list(data[part])
    taken = {str(row.get("name", "")).casefold() for row in rows}
    renamed = {}
    for one in given:
        row = one.model_dump()
        name = row.get("name", "")
        number = 1
        while name and row["name"].casefold() in taken:
            number += 1
            row["name"] = f"{name} {number}"
        renamed[name] = row.get("name", "")
        if row.get("base") in renamed:
            row["base"] = renamed[row["base"]]
        taken.add(row.get("name", "").casefold())
        rows.append(row)
    return validated(data | {part: rows})


def removed(standard: Standard, part: str, key: str) -> Standard:
    """The standard without one deliverable, overlay or check; what named it lets go of it. Raises StandardError."""
    data = standard.model_dump()
    gone = _within(data.get(part) if part in LISTS else None, key)
    if gone is None:
        raise StandardError(f"there is no {part} {key}")
    data[part] = [row for row in data[part] if row is not gone]
    if part == "overlays":
        for row in data["deliverables"]:
            row["overlays"] = [name for name in row["overlays"] if name != key]
    if part == "deliverables":
        orphans = [row["name"] for row in data[part] if row["size"] == "multiple" and row["base"] == key]
        if orphans:
            raise StandardError(f"{orphans[0]} is a multiple of {key}; give it a size of its own first")
        kept = []
        for row in data["checks"]:
            only = words_of(row["only"])
            if only != [key]:
                kept.append(row | {"only": ", ".join(name for name in only if name != key)})
        data["checks"] = kept
    return validated(data)


def _within(target: Any, step: str) -> Any:
    """The part of a part: by name, or by place where parts have no names."""
    if isinstance(target, dict):
        return target.get(step)
    if isinstance(target, (tuple, list)):
        for at, row in enumerate(target):
            if isinstance(row, dict) and row.get("name", str(at)) == step:
                return row
    return None


def _renamed(data: dict[str, Any], part: str, old: str, new: str) -> None:
    """Whatever names a deliverable or overlay goes on naming it."""
    for row in data["deliverables"]:
        if part == "overlays":
            row["overlays"] = [new if name == old else name for name in row["overlays"]]
        elif row["base"] == old:
            row["base"] = new
    if part == "deliverables":
        for row in data["checks"]:
            row["only"] = ", ".join(new if name == old else name for name in words_of(row["only"]))


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
    text, last = value.strip(), field.rsplit(".", 1)[-1]
    if last in ("width", "height") and field.split(".")[0] in ("canvas", "deliverables"):
        try:
            return str(round(read_length(text, "px").px(0, density))) if "%" not in text else text
        except ValueError as error:
            reason = "must be a whole number of px, or a length in mm, cm or in"
            raise StandardError(f"{field} {reason} (given: {text})") from error
    if field == "item.px_per_mm" and text.casefold() in (AS_FITS, ""):
        return 0
    if text.casefold() == UNSAID.get(f"{field.split('.')[0]}.{last}", "").casefold():
        return type(before)() if before is not None else ""
    if isinstance(before, bool):
        return text.casefold() in ("true", "yes", "on")
    if isinstance(before, (int, float)):
        for unit in ("%", "px", "px/in", "px/mm", "°", "kB", "times"):
            text = text.removesuffix(unit).strip()
        text = text.replace(",", ".")
    return text


def validated(data: dict[str, Any]) -> Standard:
    """The standard of such data. Raises StandardError, which says which value and why."""
    try:
        return Standard.model_validate(data)
    except ValidationError as error:
        raise StandardError(_plain(error, data)) from error


def faults_of(data: dict[str, Any]) -> list[tuple[tuple[str | int, ...], str]]:
    """All that is wrong with such data: the path to each value, and why it is refused."""
    try:
        Standard.model_validate(data)
    except ValidationError as error:
        return [(tuple(one["loc"]), _worded(one, data)) for one in error.errors()]
    return []


def _plain(error: ValidationError, data: object = None) -> str:
    return _worded(error.errors()[0], data)


def _worded(first: Any, data: object = None) -> str:
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
    if first["type"] == "bool_parsing":
        message = "must be true or false"
    elif first["type"].endswith("_parsing") or first["type"] == "int_from_float":
        message = "must be a whole number" if "int" in first["type"] else "must be a number"
    given = first.get("input")
    shown = f" (given: {given})" if isinstance(given, (str, int, float)) and where and "given:" not in message else ""
    return f"{where} {message}{shown}" if where else message


def _called(path: Sequence[str | int], data: object) -> list[str]:
    """The path with names in the place of numbers, where there are some."""
    said: list[str] = []
    for step in path:
        if isinstance(step, int) and isinstance(data, (list, tuple)) and step < len(data):
            data = data[step]
            named = data.get("name") if isinstance(data, dict) else None
            said.append(str(named or step))
        else:
            data = data.get(step) if isinstance(data, dict) else None
            said.append(str(step))
    return said
