"""Overlays: a text or a picture drawn over a finished picture, always or under a condition of the catalog."""

import re
from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal, NamedTuple, Self

from pydantic import Field, field_validator, model_validator

from zero_easel.core.light.hex_colour import write_hex
from zero_easel.core.standard.patterns import Pattern, Value
from zero_easel.core.standard.rule import Part, Rule, Sentence

PLACES = ("top left", "top", "top right", "left", "middle", "right", "bottom left", "bottom", "bottom right")
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
        float,
        Field(ge=0, le=50),
        Rule("distance from the edge", "% from the edge", unit="%", ask="Distance of {name} from the edge", width=2),
    ] = 4
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
            "{inset} from the edge."
        ),
        Sentence(
            "It is drawn when: {when} (a column of the catalog, or like `discount > 0`), with {opacity} opacity, "
            "turned by {turn}, {tiled}.[picture=: Its letters are {font} on {plate}[plate!=none: in "
            "{plate_colour}].] Only deliverables that name it show it.",
            "{name}: condition, plate, opacity, turn, font",
        ),
    )

    @field_validator("colour", "plate_colour")
    @classmethod
    def _colour(cls, value: str) -> str:
        return write_hex(value)

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
        return self


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
