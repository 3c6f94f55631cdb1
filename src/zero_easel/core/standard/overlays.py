"""Overlays: a text or a picture drawn over a finished picture, always or under a condition of the catalog."""

import re
from collections.abc import Mapping
from typing import Literal, NamedTuple, Self

from pydantic import Field, field_validator, model_validator

from zero_easel.core.light.hex_colour import write_hex
from zero_easel.core.standard.patterns import Pattern, Value
from zero_easel.core.standard.rule import Part

PLACES = ("top left", "top", "top right", "left", "middle", "right", "bottom left", "bottom", "bottom right")
_CONDITION = re.compile(r"(\w+)\s*(?:(<=|>=|!=|=|<|>)\s*(.*))?")
_NUMBER = re.compile(r"[+-]?\d+(?:[.,]\d+)?")


class Overlay(Part):
    """text: a pattern with fields of the catalog, or picture: the name of an asset; one of them. font: the shipped
    "text" or "mono", or a TrueType or OpenType file among the assets. size: height of a line, or of the picture, in %
    of the canvas's shorter side. colour: CSS hex. opacity: %. at: where. inset: from the canvas's edge, %. turn:
    degrees, clockwise. tiled: repeated over the whole canvas. plate: behind it, nothing, a "bar" or a "disc" in
    plate_colour. when: a condition on a column of the catalog: "discount", "discount > 0", "category = kitchen"; ""
    always.
    """

    name: str = Field(default="mark", min_length=1, max_length=40)
    text: str = Field(default="", max_length=300)
    picture: str = Field(default="", max_length=120)
    font: str = Field(default="text", min_length=1, max_length=120)
    size: float = Field(default=6, gt=0, le=100)
    colour: str = "#191918"
    opacity: float = Field(default=100, ge=0, le=100)
    at: Literal["top left", "top", "top right", "left", "middle", "right", "bottom left", "bottom", "bottom right"] = (
        "top right"
    )
    inset: float = Field(default=4, ge=0, le=50)
    turn: float = Field(default=0, ge=-180, le=180)
    tiled: bool = False
    plate: Literal["none", "bar", "disc"] = "none"
    plate_colour: str = "#FFFFFF"
    when: str = Field(default="", max_length=200)

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
