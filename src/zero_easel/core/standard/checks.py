"""Checks: rules that a finished picture must meet, as a standard holds them."""

import re
from typing import Annotated, Any, Literal, NamedTuple, Self

from pydantic import Field, field_validator, model_validator

from zero_easel.core.light.geometry import Size
from zero_easel.core.light.hex_colour import parse_hex
from zero_easel.core.standard.deliverable import FORMATS, words_of
from zero_easel.core.standard.expression import Expression
from zero_easel.core.standard.rule import Part, Rule


class Kind(NamedTuple):
    """What a check asks. label: what is measured. unit: of its numbers, "" if its value is no number. example: a value.
    mend: what to do about a picture that does not meet it."""

    label: str
    unit: str
    example: str
    mend: str


KINDS: dict[str, Kind] = {
    "size": Kind("exact size", "", "1200 x 1200", "Give the deliverable this exact size."),
    "longest": Kind("longest side", "px", "at least 1000", "Change the size of the deliverable or of the canvas."),
    "format": Kind("format", "", "jpeg", "Change the deliverable's format."),
    "bytes": Kind("bytes", "kB", "at most 500", "Set a limit on bytes, a lower quality, or a smaller size."),
    "profile": Kind("colour profile", "", "sRGB", "Have the deliverable converted to sRGB."),
    "density": Kind("density", "px/in", "72", "Set the density of the deliverable or of the canvas."),
    "ground": Kind(
        "ground at corners and rim",
        "",
        "#FFFFFF within 1",
        "Choose this ground; drop the shadow; a higher quality keeps it pure.",
    ),
    "share": Kind(
        "share of the frame", "%", "at least 80", "Change the share that items fill, or scale this one at Place."
    ),
    "margins": Kind("smallest margin", "%", "at least 5", "Widen the margins, or move this item at Place."),
    "visible": Kind("nothing cut off", "", "", "Move or scale the item at Place, or let the canvas grow."),
    "enlargement": Kind(
        "enlargement", "times", "at most 1", "Forbid enlarging, ask for a smaller size, or photograph it larger."
    ),
    "plain": Kind("no overlay", "", "", "Take the overlays off this deliverable."),
    "sharpness": Kind(
        "width of the sharpest edges", "px", "at most 3", "Photograph it anew: it is not in focus, or was enlarged."
    ),
    "neutral": Kind(
        "white light on the backdrop",
        "Delta E",
        "at most 3",
        "Let white follow the backdrop, or say at Light what is neutral.",
    ),
    "colour": Kind(
        "colour that is listed",
        "Delta E",
        "at most 19",
        "Look whether it is the right product, and whether its white is right.",
    ),
    "name": Kind("file name", "", "[A-Z]+-[0-9]+.*", "Change the name pattern, or match the photo to its product."),
}
_UNIT = r"\s*(?:%|kB|px/in|px|times|Delta E)?"
_RANGE = re.compile(
    rf"(?:(at least|at most)\s*)?([+-]?\d+(?:[.,]\d+)?){_UNIT}(?:\s*(?:to|-|–)\s*(\d+(?:[.,]\d+)?){_UNIT})?",
    re.IGNORECASE,
)
_SIZE = re.compile(r"(\d+)\s*(?:x|×|by)\s*(\d+)(?:\s*px)?", re.I)
_GROUND = re.compile(r"(#[0-9a-f]{3,6}|transparent)(?:\s+within\s+(\d+))?", re.I)


class Check(Part):
    """Something that finished pictures must meet. value: what it must be: numbers as "at least 80", "at most 500", "80
    to 90" or "72"; a size as "1200 x 1200"; a ground as "#FFFFFF within 1" (code values of 255); a name as a regular
    expression."""

    rule: Annotated[
        Literal[
            "size",
            "longest",
            "format",
            "bytes",
            "profile",
            "density",
            "ground",
            "share",
            "margins",
            "visible",
            "enlargement",
            "plain",
            "sharpness",
            "neutral",
            "colour",
            "name",
        ],
        Rule("rule", "what is asked"),
    ]
    value: Annotated[str, Field(max_length=200), Rule("value", "what it must be", ask="{name}, value", width=6)] = ""
    only: Annotated[
        str,
        Field(max_length=300),
        Rule(
            "only",
            "the deliverables that it is for, separated by commas; empty for all",
            empty="all",
            width=3,
            ask="Deliverables that this check is for, or all",
        ),
    ] = ""

    @field_validator("value", mode="before")
    @classmethod
    def _as_text(cls, value: Any) -> Any:
        return f"{value:g}" if isinstance(value, (int, float)) and not isinstance(value, bool) else value

    @field_validator("only", mode="before")
    @classmethod
    def _tidied(cls, value: Any) -> str:
        return ", ".join(words_of(str(value)))

    @model_validator(mode="after")
    def _good_value(self) -> Self:
        kind, value = KINDS[self.rule], self.value.strip()
        if kind.unit:
            read_range(value)
        elif self.rule == "size":
            read_size(value)
        elif self.rule == "ground":
            read_pure(value)
        elif self.rule == "format" and value not in FORMATS:
            raise ValueError(f"must be one of {', '.join(FORMATS)} (given: {value})")
        elif self.rule == "profile" and not value:
            raise ValueError("must name a profile, like sRGB")
        elif self.rule == "name":
            Expression(value)
        return self

    def is_for(self, deliverable: str) -> bool:
        """Whether it is asked of a deliverable's files."""
        return not self.only or deliverable in words_of(self.only)

    def __str__(self) -> str:
        return f"{KINDS[self.rule].label} {self.value}".strip()


class Limits(NamedTuple):
    """Both inclusive."""

    least: float
    most: float

    def hold(self, number: float, slack: float = 1e-9) -> bool:
        """Whether a number lies within."""
        return self.least - slack <= number <= self.most + slack


def read_range(text: str) -> Limits:
    """ "at least 80", "at most 500 kB", "80 to 90 %", "72". Raises ValueError."""
    found = _RANGE.fullmatch(text.strip())
    if not found or (found[1] and found[3]):
        raise ValueError(f'must be like "at least 80", "at most 500" or "80 to 90" (given: {text})')
    number = float(found[2].replace(",", "."))
    if found[3]:
        last = float(found[3].replace(",", "."))
        if last < number:
            raise ValueError(f"the second number is the smaller one (given: {text})")
        return Limits(number, last)
    word = (found[1] or "").lower()
    return Limits(number if word != "at most" else float("-inf"), number if word != "at least" else float("inf"))


def read_size(text: str) -> Size:
    """ "1200 x 800" -> (1200, 800). Raises ValueError."""
    found = _SIZE.fullmatch(text.strip())
    if not found:
        raise ValueError(f"must be a size like 1200 x 1200 (given: {text})")
    return Size(int(found[1]), int(found[2]))


def read_pure(text: str) -> tuple[tuple[int, int, int] | None, int]:
    """ "#FFFFFF within 1" -> ((255, 255, 255), 1); the colour is None for transparent. Raises ValueError."""
    found = _GROUND.fullmatch(text.strip())
    if not found:
        raise ValueError(f"must be like: #FFFFFF within 1 (given: {text})")
    colour = None if found[1].lower() == "transparent" else parse_hex(found[1])
    return colour, int(found[2] or 0)


SETS: dict[str, tuple[str, tuple[Check, ...]]] = {
    "marketplace": (
        "Marketplace main picture",
        (
            Check(rule="format", value="jpeg"),
            Check(rule="longest", value="at least 1000"),
            Check(rule="bytes", value="at most 5000"),
            Check(rule="profile", value="sRGB"),
            Check(rule="ground", value="#FFFFFF within 1"),
            Check(rule="share", value="at least 80"),
            Check(rule="visible"),
            Check(rule="plain"),
            Check(rule="enlargement", value="at most 1.1"),
        ),
    ),
    "print": (
        "Printed catalog",
        (
            Check(rule="density", value="at least 300"),
            Check(rule="longest", value="at least 1200"),
            Check(rule="visible"),
            Check(rule="enlargement", value="at most 1"),
            Check(rule="sharpness", value="at most 3"),
        ),
    ),
}
"""Ready-made rule sets to start from: key -> (what they are for, the checks)."""
