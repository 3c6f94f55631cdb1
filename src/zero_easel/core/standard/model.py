"""The standard: the rules that every finished picture follows, as a model whose values are changed one by one."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, ClassVar, Literal, NamedTuple, Self

from pydantic import Field, ValidationError, WithJsonSchema, field_validator, model_validator

from zero_easel.core.standard.checks import Check
from zero_easel.core.standard.deliverable import Deliverable, words_of
from zero_easel.core.standard.information import Information
from zero_easel.core.standard.lengths import Length
from zero_easel.core.standard.naming import Replacement
from zero_easel.core.standard.overlays import Overlay
from zero_easel.core.standard.patterns import NamePattern, Pattern, folders_within
from zero_easel.core.standard.rule import Part, Rule, Sentence, explained, fault_of, rules_in
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
    return "; ".join(
        f"{category}: {', '.join(words)}" if category else ", ".join(words) for category, words in sorted(views.items())
    )


_SELDOM = "Rarely changed: folders, replacing, names wanted twice"


class Names(Part):
    """How files are called: patterns, what {n} counts, and what is replaced in finished names."""

    name: Annotated[
        str,
        Field(min_length=1, max_length=200),
        Rule("file names", "fields, as {code} {view}; {n:03} pads with zeros", ask="File name pattern", width=14),
    ] = "{code}_{view}"
    folder: Annotated[
        str,
        Field(max_length=200),
        Rule(
            "folders",
            'subfolders, like "{category}/{code}"; empty for none',
            width=8,
            ask="Pattern of subfolders; empty for none",
        ),
    ] = ""
    keep_folders: Annotated[
        bool,
        Rule(
            "folders of the photos",
            "true: pictures lie in the folders that their photos lie in, within those above",
            ask="Whether the folders of the photos are kept",
            choices={"false": "are given up", "true": "are kept"},
        ),
    ] = False
    count: Annotated[
        Literal["product", "folder", "run"],
        Rule(
            "counted within",
            "{n} counts within a product, a folder, or the run",
            ask="Within what {n} counts",
            choices={"product": "within each product", "folder": "within each folder", "run": "through the whole run"},
        ),
    ] = "product"
    start: Annotated[
        int, Field(ge=0, le=999_999), Rule("first number", "the first {n}", ask="First number", width=3)
    ] = 1
    find: Annotated[
        str, Field(max_length=200), Rule("found in names", "replaced in finished names", ask="Find", width=5)
    ] = ""
    replace_with: Annotated[
        str, Field(max_length=200), Rule("replaced by", "by this", ask="Replace by", width=5, before="put")
    ] = ""
    find_as: Annotated[
        Literal["text", "regex"],
        Rule(
            "found as",
            "text or regex",
            ask="What is searched for",
            choices={"text": "the text", "regex": "the regular expression"},
        ),
    ] = "text"
    on_duplicate: Annotated[
        Literal["refuse", "count"],
        Rule(
            "names wanted twice",
            "a name wanted twice: refuse stops the run, count adds a counter to the later ones",
            ask="A name wanted twice",
            before="twice",
            choices={"refuse": "stops the run until it is settled", "count": "gets a counter on the later ones"},
        ),
    ] = "refuse"

    sentences: ClassVar[tuple[Sentence, ...]] = (
        Sentence("Files are called {name}{@example}, `{n}` counting {count} from {start}."),
        Sentence(
            "They lie in {folder}[folder=: like `{category}/{code}`; empty for no subfolders]; folders of the photos "
            "{keep_folders}.",
            _SELDOM,
        ),
        Sentence("In finished names {find_as} {find} becomes {replace_with}.", _SELDOM),
        Sentence("A name wanted twice {on_duplicate}.", _SELDOM),
    )

    @field_validator("name", "folder")
    @classmethod
    def _good_pattern(cls, value: str) -> str:
        if value:
            NamePattern(folders_within(value)[1] or value)
        return value

    @model_validator(mode="after")
    def _good_names(self) -> Self:
        Replacement(self.find, self.replace_with, self.find_as == "regex")
        if "n" in Pattern(f"{self.folder}/{folders_within(self.name)[0]}").fields:
            raise ValueError("{n} counts pictures and cannot stand in a folder's name")
        return self


class Scope(NamedTuple):
    """What a rule is meant for: all items, or those of a category, a view, or both."""

    category: str = ""
    view: str = ""

    def __str__(self) -> str:
        return " ".join(part for part in (self.category, self.view) if part) or "all"


ALL = Scope()
_VIEWS = {"anyOf": [{"type": "string"}, {"type": "object", "additionalProperties": {"type": "array"}}]}
"""Schema of views, which a file writes as one line of text."""


def _front() -> dict[str, tuple[str, ...]]:
    return {"": ("front",)}


class Standard(Part):
    """A shop's rules for its pictures. exceptions: where items follow other rules; the later ones win. views: by
    category (lower case, "" for all others)."""

    name: Annotated[
        str, Field(min_length=1, max_length=120), Rule("name of the standard", ask="Name of the standard", width=24)
    ] = "Shop pictures"
    canvas: Canvas = Canvas()
    item: Item = Item()
    exceptions: tuple[Special, ...] = ()
    deliverables: tuple[Deliverable, ...] = Field(default=(Deliverable(),), min_length=1, max_length=60)
    names: Names = Names()
    information: Information = Information()
    overlays: tuple[Overlay, ...] = Field(default=(), max_length=60)
    checks: tuple[Check, ...] = Field(default=(), max_length=100)
    hand_over: Annotated[
        Literal["all", "passed"],
        Rule(
            "what is handed over",
            "all, or passed: a run holds back what fails a check",
            "What is held back stays out of folder and archive, and is named",
            ask="What becomes of pictures that fail a check",
            choices={"all": "is shown, and handed over all the same", "passed": "is held back"},
        ),
    ] = "all"
    views: Annotated[
        dict[str, tuple[str, ...]],
        WithJsonSchema(_VIEWS),
        Rule(
            "views in turn",
            "what the first, second, ... photo of a product shows",
            "Like `front, back; kitchen: front, top`, which rules a category by itself",
            lines=True,
            width=12,
            ask="Views in turn, like: front, back; kitchen: front, top",
        ),
    ] = Field(default_factory=_front)

    sentences: ClassVar[tuple[Sentence, ...]] = (
        Sentence(
            "The photos of a product show, in turn, {views} unless their names say otherwise; a category by itself "
            "after a semicolon, like `front; kitchen: front, top`."
        ),
        Sentence("What fails {hand_over}."),
    )

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


PARTS: dict[str, type[Part]] = {
    "canvas": Canvas,
    "item": Item,
    "deliverables": Deliverable,
    "names": Names,
    "information": Information,
    "overlays": Overlay,
    "checks": Check,
}
"""The parts of a standard that hold rules, in the order of its file; those of LISTS any number of times."""


def rule_at(field: str) -> Rule:
    """The rule of a dotted field, like canvas.width or deliverables.zoom.quality. Raises StandardError."""
    part, dot, rest = field.partition(".")
    holder, name = (PARTS.get(part), rest.rpartition(".")[2]) if dot else (Standard, part)
    deeper = rest.count(".") == 1 if part in LISTS else "." not in rest
    rule = rules_in(holder).get(name) if holder is not None and deeper else None
    if rule is None:
        raise StandardError(f"there is no rule named {field}")
    return rule


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
