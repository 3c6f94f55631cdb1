"""Overlays: a text or a picture drawn over a finished picture, always or under a condition of the catalog."""

import re
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal, NamedTuple, Self

from pydantic import Field, field_validator, model_validator

from zero_easel.core.light.hex_colour import write_hex
from zero_easel.core.standard.patterns import Pattern, Value
from zero_easel.core.standard.rule import Part, Rule, Sentence

FONTS = ("text", "mono")
"""Families of letters that ship with the application."""
PLACES = ("top left", "top", "top right", "left", "middle", "right", "bottom left", "bottom", "bottom right")
_NEAR = ({"left", "right"}, {"top", "bottom"})
"""Words of a position by which it is at an edge, across and down."""
_FARTHEST = 1000
_DISTANCES = re.compile(r"\s*([+-]?\d+(?:[.,]\d+)?)\s*%?(?:\s+([+-]?\d+(?:[.,]\d+)?)\s*%?)?\s*")
_CONDITION = re.compile(r"(\w+)\s*(?:(<=|>=|!=|=|<|>)\s*(.*))?")
_NUMBER = re.compile(r"[+-]?\d+(?:[.,]\d+)?")


class Overlay(Part):
    """A text, which is a pattern with fields of the catalog, or a picture among the assets, drawn over a picture.

    It is blended in linear light; only deliverables that name it show it.
    """

    name: Annotated[str, Field(min_length=1, max_length=40), Rule("name", ask="Name of the overlay")] = "mark"
    text: Annotated[
        str,
        Field(max_length=300),
        Rule("text", "a pattern, like -{discount} %", ask="Text of {name}, a pattern", width=8),
    ] = ""
    picture: Annotated[
        str,
        Field(max_length=120),
        Rule("picture", "or the name of a picture among the assets", ask="Picture of {name}", width=8),
    ] = ""
    font: Annotated[
        str,
        Field(min_length=1, max_length=120),
        Rule(
            "font",
            "text, mono, or a font file among the assets",
            ask="Font of {name}: text, mono, or a font file's name",
        ),
    ] = "text"
    face: Annotated[
        Literal["regular", "bold", "italic", "bold-italic"],
        Rule(
            "face",
            "regular, bold, italic or bold-italic, of text and mono",
            "A font file has its one face",
            ask="Face of the letters of {name}",
            choices={
                "regular": "regular letters",
                "bold": "bold letters",
                "italic": "italic letters",
                "bold-italic": "bold italic letters",
            },
        ),
    ] = "regular"
    size: Annotated[
        float,
        Field(gt=0, le=100),
        Rule(
            "height",
            "% of the canvas's shorter side",
            "Of a line of text, or of the picture",
            unit="%",
            width=2,
            ask="Height of {name} in per cent of the canvas",
        ),
    ] = 6
    colour: Annotated[str, Rule("colour", ask="Colour of {name}", width=7)] = "#191918"
    opacity: Annotated[float, Field(ge=0, le=100), Rule("opacity", "%", unit="%", ask="Opacity of {name}", width=3)] = (
        100
    )
    at: Annotated[
        Literal["top left", "top", "top right", "left", "middle", "right", "bottom left", "bottom", "bottom right"],
        Rule(
            "position",
            "top left, top, top right, left, middle, right, bottom left, bottom, bottom right",
            ask="Position of {name}",
            choices={place: f"the {place}" for place in PLACES},
        ),
    ] = "top right"
    inset: Annotated[
        str,
        Field(max_length=20),
        Rule(
            "distance from the edge",
            "% of the canvas's shorter side from the edges; two: across and down",
            "Across from the left or right edge, down from the upper or lower one. Where it lies in the middle the one "
            "is by how much it is moved to the right, the other by how much downwards, and nothing if there is but one",
            ask="Distance of {name} from the edges: one, or across and down",
            width=3,
        ),
    ] = "4%"
    turn: Annotated[
        float, Field(ge=-180, le=180), Rule("turn", "degrees, clockwise", unit="°", ask="Turn of {name}", width=2)
    ] = 0
    tiled: Annotated[
        bool,
        Rule(
            "repeated",
            "true: over the whole canvas",
            ask="Whether {name} is repeated",
            choices={"false": "once", "true": "over and over"},
        ),
    ] = False
    plate: Annotated[
        Literal["none", "bar", "disc"],
        Rule(
            "plate",
            "behind it: none, bar, disc",
            ask="Plate of {name}",
            choices={"none": "nothing", "bar": "a bar", "disc": "a disc"},
        ),
    ] = "none"
    plate_colour: Annotated[str, Rule("colour of the plate", ask="Colour of the plate of {name}", width=7)] = "#FFFFFF"
    when: Annotated[
        str,
        Field(max_length=200),
        Rule(
            "condition",
            "a condition on a column, like: discount > 0",
            "Of the catalog: `discount`, `discount > 0`, `category = kitchen`",
            empty="always",
            ask="Condition of {name}, like: discount > 0; or always",
            width=8,
        ),
    ] = ""

    sentences: ClassVar[tuple[Sentence, ...]] = (
        Sentence(
            "{name} [picture=:says {text} in {colour}][picture!=:shows the picture {picture}], {size} high, at {at}, "
            "{inset} from the edge{@eye}."
        ),
        Sentence(
            "It is drawn when: {when} (a column of the catalog, or like `discount > 0`), with {opacity} opacity, "
            "turned by {turn}, {tiled}.[picture=: It is set in {face} of {font} on {plate}[plate!=none: in "
            "{plate_colour}].] Only deliverables that name it show it.",
            "{name}: condition, plate, opacity, turn, font",
        ),
    )

    @field_validator("colour", "plate_colour")
    @classmethod
    def _colour(cls, value: str) -> str:
        return write_hex(value)

    @field_validator("inset", mode="before")
    @classmethod
    def _inset(cls, value: Any) -> str:
        numbers = _distances(str(value))
        if any(abs(number) > _FARTHEST for number in numbers):
            raise ValueError(f"must be -{_FARTHEST} to {_FARTHEST} % (given: {value})")
        return " ".join(f"{number:g}%" for number in numbers)

    @field_validator("text")
    @classmethod
    def _text(cls, value: str) -> str:
        if value.strip():
            Pattern(value)
        return value.strip()

    @field_validator("when")
    @classmethod
    def _when(cls, value: str) -> str:
        value = value.strip()
        if value:
            read_condition(value)
        return value

    @model_validator(mode="after")
    def _one_of(self) -> Self:
        if bool(self.text) == bool(self.picture):
            raise ValueError(f"the overlay {self.name} needs a text or a picture, and not both")
        if self.face != "regular" and self.font not in FONTS:
            raise ValueError(f"{self.font} has one face; choose text or mono, or the file of another face")
        words = self.at.split()
        if any(number < 0 for number, near in zip(self.distances, _NEAR, strict=True) if near & {*words}):
            raise ValueError(f"the overlay {self.name} would lie beyond the edge: {self.inset} from the {self.at}")
        return self

    @property
    def distances(self) -> tuple[float, float]:
        """Across and down, in per cent of the canvas's shorter side: from an edge, or from the middle."""
        numbers = _distances(self.inset)
        if len(numbers) == 2:
            return numbers[0], numbers[1]
        words = {*self.at.split()}
        across, down = (numbers[0] if near & words else 0.0 for near in _NEAR)
        return across, down


def _distances(text: str) -> list[float]:
    """One or two numbers in per cent. Raises ValueError."""
    found = _DISTANCES.fullmatch(text)
    if not found:
        raise ValueError(f"must be one or two distances in per cent, like 4% 10% (given: {text})")
    return [float(number.replace(",", ".")) for number in found.groups() if number]


class Condition(NamedTuple):
    """column of the catalog, how to compare ("" asks whether it holds anything), and with what."""

    column: str
    compare: str
    wanted: str

    def holds(self, values: Mapping[str, Value]) -> bool:
        """Whether it is met. Numbers are compared as numbers ("-15 %" is -15), all else as text in any case."""
        given = str(values.get(self.column) or "").strip()
        if not self.compare:
            return bool(given) and given.casefold() not in ("0", "no", "false")
        ours, theirs = _number(given), _number(self.wanted)
        if self.compare in ("<", ">", "<=", ">="):
            if ours is None or theirs is None:
                return False
            return {"<": ours < theirs, ">": ours > theirs, "<=": ours <= theirs, ">=": ours >= theirs}[self.compare]
        numbers = ours is not None and theirs is not None
        same = ours == theirs if numbers else given.casefold() == self.wanted.casefold()
        return same == (self.compare == "=")


def read_condition(text: str) -> Condition:
    """ "discount > 0" -> Condition. Raises ValueError."""
    found = _CONDITION.fullmatch(text.strip())
    if not found:
        raise ValueError(f"must be a column, or like: discount > 0 (given: {text})")
    return Condition(found[1], found[2] or "", (found[3] or "").strip().strip("'\""))


def _number(text: str) -> float | None:
    found = _NUMBER.match(text.strip().replace("−", "-"))
    return float(found[0].replace(",", ".")) if found else None
