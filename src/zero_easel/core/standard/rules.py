"""The rules for canvas and item, each with its limits."""

from typing import Annotated, Any, Literal

from pydantic import Field, WithJsonSchema, field_validator

from zero_easel.core.standard.grounds import read_ground
from zero_easel.core.standard.lengths import Length, Sides, read_length, read_sides, write_sides
from zero_easel.core.standard.rule import Part

BOXES = ("contain", "cover", "stretch")
"""Ways of fitting an uncut picture that give exactly the canvas; the other ways give a size of their own."""


class Canvas(Part):
    """width, height: px of every finished picture. ground: as core.grounds writes it: a CSS hex colour, "transparent",
    a gradient, or a picture.

    density: px per inch that is written into files and by which lengths in mm, cm and in are converted; by itself it
    changes no pixel. unit: the unit besides px in which sizes are shown. around: lengths by which the canvas grows
    around the placed picture on each side, or clips it if negative. overflow: what becomes of an item that does not
    fit: "cut" it off, which is said before a run, or "grow" that photo's canvas until all is visible.
    """

    width: int = Field(default=1200, ge=16, le=20_000)
    height: int = Field(default=1200, ge=16, le=20_000)
    ground: str = "#FFFFFF"
    density: float = Field(default=72, ge=1, le=10_000)
    unit: Literal["mm", "cm", "in"] = "cm"
    around: str = "0px"
    overflow: Literal["cut", "grow"] = "cut"

    @field_validator("ground")
    @classmethod
    def _known_ground(cls, value: str) -> str:
        return str(read_ground(value))

    @field_validator("around", mode="before")
    @classmethod
    def _lengths(cls, value: Any) -> str:
        return write_sides(str(value), "px")

    @property
    def around_sides(self) -> Sides:
        """By how much it grows, side by side."""
        return read_sides(self.around, "px")

    @property
    def shorter(self) -> int:
        """px of the shorter side."""
        return min(self.width, self.height)

    def px(self, sides: Sides) -> tuple[float, float, float, float]:
        """Top, right, bottom, left in px; per cents are of the shorter side."""
        top, right, bottom, left = (side.px(self.shorter, self.density) for side in sides)
        return top, right, bottom, left


class Item(Part):
    """How an item sits on the canvas. Numbers without a unit of their own are in per cent.

    backdrop: "cleared", or "kept" for pictures that are not cut out (mood shots, banners).

    straighten: "off"; "base" levels a flat foot; "axis" turns what is nearly symmetrical, or long and thin, about its
    own axis. straighten_limit: degrees; what leans more is meant to. scale: the scale rule. "share": each item takes
    `share` of the canvas's height, width, of whichever of the two it fills first ("frame"), or its visible area takes
    that share of the canvas's ("area"). "true-size": one number of px per mm, "as-shot": one factor on the camera's own
    pixels, "even-weight": one visible area; each for all of the shoot or of a category (one_scale). px_per_mm: that
    number, 0: such that the largest takes `share` of the frame. smallest, largest: share of the frame that no item
    falls below or exceeds. enlarge: whether an item may be drawn with more pixels than it was photographed with.

    margin: one to four lengths that stay free, of the canvas's shorter side. place: "line" stands items on a line at
    height `line` above the lower edge, instead of the lower margin; "centre" centres them in height. across: what lies
    in the middle of the width: the "bounds", the "centroid", or the mirror "axis" where there is one. shadow: "drop"
    leaves the ground bare, "natural" takes the item's own along, "drawn" paints a soft one under it.

    fit: for uncut pictures, into the canvas by CSS's "contain", "cover" or "stretch"; or to a size of their own: the
    "longest" or "shorter" side, "width" or "height" in px, "percent" of the photo, or "megapixels". size: that number.
    reduce_only: never more pixels than the photo has. kernel: the resampling filter, see core.resample.
    """

    backdrop: Literal["cleared", "kept"] = "cleared"
    straighten: Literal["off", "base", "axis"] = "axis"
    straighten_limit: float = Field(default=12, ge=0, le=45)
    scale: Literal["share", "true-size", "as-shot", "even-weight"] = "share"
    share: float = Field(default=84, gt=0, le=100)
    share_of: Literal["frame", "height", "width", "area"] = "frame"
    px_per_mm: float = Field(default=0, ge=0, le=1000)
    one_scale: Literal["shoot", "category"] = "shoot"
    smallest: float = Field(default=0, ge=0, le=100)
    largest: float = Field(default=100, gt=0, le=100)
    enlarge: Literal["allow", "forbid"] = "allow"
    margin: str = "6%"
    place: Literal["line", "centre"] = "line"
    line: str = "8%"
    across: Literal["bounds", "centroid", "axis"] = "bounds"
    shadow: Literal["drop", "natural", "drawn"] = "drop"
    fit: Literal["contain", "cover", "stretch", "longest", "shorter", "width", "height", "percent", "megapixels"] = (
        "contain"
    )
    size: float = Field(default=1200, gt=0, le=100_000)
    reduce_only: bool = False
    kernel: Literal["auto", "lanczos", "cubic", "box"] = "auto"

    @field_validator("margin", mode="before")
    @classmethod
    def _margins(cls, value: Any) -> str:
        sides = read_sides(str(value))
        for side in sides:
            _bounded(side, 0, 45)
        return write_sides(str(value))

    @field_validator("line", mode="before")
    @classmethod
    def _line(cls, value: Any) -> str:
        line = read_length(str(value))
        _bounded(line, 0, 90)
        return str(line).replace(" ", "")

    @property
    def margins(self) -> Sides:
        """The margins, side by side."""
        return read_sides(self.margin)

    @property
    def base(self) -> Length:
        """The height of the line."""
        return read_length(self.line)


def _bounded(length: Length, least: float, most: float) -> None:
    if length.number < least or (length.unit == "%" and length.number > most):
        raise ValueError(f"must be at least {least:g} and at most {most:g} % (given: {length})")


_SOME_RULES = {"type": "object", "propertyNames": {"enum": list(Item.model_fields)}}


class Special(Part):
    """Rules that differ for a category, a view, or both; empty means every one. item: the rules of Item that differ."""

    category: str = ""
    view: str = ""
    item: Annotated[dict[str, Any], WithJsonSchema(_SOME_RULES)] = Field(default_factory=dict)

    def matches(self, category: str, view: str) -> bool:
        """Whether these are meant for a photo; letter case does not matter."""
        return (not self.category or self.category.casefold() == category.casefold()) and (
            not self.view or self.view.casefold() == view.casefold()
        )
