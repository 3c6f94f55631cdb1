"""The rules for canvas and item."""

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, WithJsonSchema, field_validator

from zero_easel.core.standard.grounds import read_ground
from zero_easel.core.standard.lengths import Length, Sides, read_length, read_sides, write_sides
from zero_easel.core.standard.rule import Part, Rule, Sentence
from zero_easel.core.standard.tone import Light

BOXES = ("contain", "cover", "stretch")
"""Ways of fitting an uncut picture that give exactly the canvas; the other ways give a size of their own."""


class Canvas(Part):
    """The area of every finished picture, and what lies behind the item."""

    width: Annotated[
        int,
        Field(ge=16, le=20_000),
        Rule(
            "canvas width",
            "px of every finished picture",
            "Typed in the application also as `16.9 cm`",
            unit="px",
            as_length=True,
            ask="Canvas width in pixels",
        ),
    ] = 1200
    height: Annotated[
        int,
        Field(ge=16, le=20_000),
        Rule("canvas height", "px", unit="px", as_length=True, ask="Canvas height in pixels"),
    ] = 1200
    ground: Annotated[
        str,
        Rule(
            "ground",
            "#RRGGBB, transparent, vertical #FFFFFF #E8E8E8, radial #FFFFFF #DDDDDD, or picture NAME",
            "A gradient runs from top to bottom or from the middle to the corners, even in encoded values; a picture "
            "covers the canvas. What is transparent in a format without alpha takes the standard's ground, or white",
            ask="Ground: a colour like #FFFFFF, or transparent",
            width=9,
        ),
    ] = "#FFFFFF"
    density: Annotated[
        float,
        Field(ge=1, le=10_000),
        Rule(
            "density",
            "px per inch, for print and for lengths in mm, cm or in",
            "Written into the files; by itself it changes no pixel",
            unit="px/in",
            ask="Density in pixels per inch",
            width=3,
        ),
    ] = 72
    unit: Annotated[
        Literal["mm", "cm", "in"],
        Rule(
            "unit besides px",
            "mm, cm or in: the unit besides px in which sizes are shown",
            ask="Unit besides pixels",
            choices={"in": "inches"},
        ),
    ] = "cm"
    padding: Annotated[
        str,
        Rule(
            "padding",
            "how much the canvas grows around the placed picture on each side; negative clips it",
            "One to four lengths. Per cents are of the shorter side; around an uncut picture, of its own width at its "
            "sides and of its own height above and below it",
            bare="px",
            scales="length",
            before="around",
            width=3,
            ask="How much the canvas grows around: all, or top, right, bottom and left; negative clips",
        ),
    ] = "0px"
    overflow: Annotated[
        Literal["cut", "grow"],
        Rule(
            "an item that does not fit",
            "an item that does not fit: cut, or grow that photo's canvas",
            "What is cut off is named before a run",
            ask="What becomes of an item that does not fit",
            choices={
                "cut": "is cut off, and named before the run",
                "grow": "makes its canvas grow until all is visible",
            },
        ),
    ] = "cut"

    sentences: ClassVar[tuple[Sentence, ...]] = (
        Sentence("Every picture is {width} by {height} px on {ground}{@printed}."),
        Sentence(
            "A ground is a colour, `transparent`, a gradient like `vertical #FFFFFF #E8E8E8` or `radial #FFFFFF "
            "#DDDDDD`, or `picture` and the name of one of the files below. Density is {density} px/in, and sizes "
            "are also shown in {unit}. The canvas grows by {padding} around. What does not fit {overflow}.",
            "Rarely changed: kinds of ground, density, growing and clipping",
        ),
    )

    @field_validator("ground")
    @classmethod
    def _known_ground(cls, value: str) -> str:
        return str(read_ground(value))

    @field_validator("padding", mode="before")
    @classmethod
    def _lengths(cls, value: Any) -> str:
        return write_sides(str(value), "px")

    @property
    def padding_sides(self) -> Sides:
        """By how much it grows, side by side."""
        return read_sides(self.padding, "px")

    @property
    def shorter(self) -> int:
        """px of the shorter side."""
        return min(self.width, self.height)

    def px(self, sides: Sides) -> tuple[float, float, float, float]:
        """Top, right, bottom, left in px; per cents are of the shorter side."""
        top, right, bottom, left = (side.px(self.shorter, self.density) for side in sides)
        return top, right, bottom, left


class Item(Light):
    """How an item sits on the canvas. Numbers without a unit of their own are in per cent."""

    backdrop: Annotated[
        Literal["cleared", "kept", "in-place"],
        Rule(
            "backdrop",
            "cleared; kept for pictures that are not cut out; in-place: cleared, and the photo's own framing kept",
            "Kept for mood shots and banners. What is cleared in place is sized and fitted as uncut pictures are",
            ask="Whether photos are cut out",
            choices={"cleared": "cleared", "kept": "kept", "in-place": "cleared, the framing kept"},
        ),
    ] = "cleared"
    straighten: Annotated[
        Literal["off", "base", "axis"],
        Rule(
            "straightening",
            "off; base: a flat foot becomes level; axis: what is symmetrical or long and thin becomes upright",
            "Upright or level, whichever is nearer",
            ask="How items are straightened",
            choices={
                "axis": "Their axis is put upright",
                "base": "Their foot is levelled",
                "off": "Nothing is straightened",
            },
        ),
    ] = "axis"
    straighten_limit: Annotated[
        float,
        Field(ge=0, le=45),
        Rule(
            "straightened up to",
            "degrees; what leans more is meant to",
            "It is left, and named",
            unit="°",
            width=2,
            ask="Degrees up to which items are straightened",
        ),
    ] = 12
    scale: Annotated[
        Literal["share", "true-size", "as-shot", "even-weight"],
        Rule(
            "scale rule",
            "share of the canvas, true-size, as-shot, or even-weight",
            "One number of px per mm, one factor on the camera's own pixels, or one visible area",
            ask="Scale rule",
            choices={
                "share": "fill",
                "true-size": "keep their true size, the largest filling",
                "as-shot": "keep their sizes as shot, the largest filling",
                "even-weight": "show the same area, most filling",
            },
        ),
    ] = "share"
    share: Annotated[
        float,
        Field(gt=0, le=100),
        Rule(
            "share",
            "% of the canvas that the item fills, or the largest item; less where a margin stops it",
            "For the other scale rules of the frame, what the largest item takes (for even weight, the middle one)",
            unit="%",
            ask="Share of the canvas in per cent",
            width=3,
        ),
    ] = 84
    share_of: Annotated[
        Literal["frame", "height", "width", "area"],
        Rule(
            "share of",
            "of the height, the width, the area, or the frame: whichever side it fills first",
            ask="What the share is of",
            choices={"frame": "the frame", "height": "its height", "width": "its width", "area": "its area"},
        ),
    ] = "frame"
    px_per_mm: Annotated[
        float,
        Field(ge=0, le=1000),
        Rule(
            "px per mm",
            "for true-size; 0: such that the largest item fits",
            unit="px/mm",
            scales="number",
            empty="as fits",
            ask="Pixels of the canvas per millimetre, or: as fits",
            width=7,
        ),
    ] = 0
    one_scale: Annotated[
        Literal["shoot", "category"],
        Rule(
            "one scale for",
            "for true-size, as-shot and even-weight: one number for the shoot or for each category",
            ask="Items that share one scale",
            choices={"shoot": "the whole shoot", "category": "each category by itself"},
        ),
    ] = "shoot"
    smallest: Annotated[
        float,
        Field(ge=0, le=100),
        Rule(
            "smallest item",
            "% of the frame that no item falls below",
            unit="%",
            ask="Smallest share of the frame in per cent",
            width=2,
        ),
    ] = 0
    largest: Annotated[
        float,
        Field(gt=0, le=100),
        Rule(
            "largest item",
            "% of the frame that no item exceeds",
            unit="%",
            ask="Largest share of the frame in per cent",
            width=3,
        ),
    ] = 100
    enlarge: Annotated[
        Literal["allow", "forbid"],
        Rule(
            "enlarging",
            "allow or forbid more pixels than the item was photographed with",
            "Where it is allowed, each photo is named with its factor",
            ask="Whether photos may be enlarged",
            choices={"allow": "allowed, and named", "forbid": "forbidden"},
        ),
    ] = "allow"
    margin: Annotated[
        str,
        Rule(
            "margin",
            "what stays free all round, % of the canvas's shorter side",
            "One to four lengths",
            scales="length",
            ask="Margins: all, or top, right, bottom and left",
            width=3,
        ),
    ] = "6%"
    place: Annotated[
        Literal["line", "centre"],
        Rule(
            "place",
            "line: stands on a line; centre: in the middle of the canvas",
            ask="Where items sit",
            choices={"line": "They stand on a line", "centre": "They sit in the middle"},
        ),
    ] = "line"
    line: Annotated[
        str,
        Rule(
            "height of the line",
            "between the line and the lower edge, % of the height",
            "Instead of the lower margin",
            scales="length",
            ask="Height of the line above the lower edge",
            width=3,
        ),
    ] = "8%"
    across: Annotated[
        Literal["bounds", "centroid", "axis"],
        Rule(
            "in the middle of the width",
            "in the middle of the width: the item's bounds, its centroid, or its mirror axis",
            "The mirror axis of its body, where it has one",
            ask="What lies in the middle of the width",
            choices={"bounds": "their bounds", "centroid": "their centroid", "axis": "their axis"},
        ),
    ] = "bounds"
    shadow: Annotated[
        Literal["drop", "natural", "drawn"],
        Rule(
            "shadow",
            "drop: none; natural: the item's own; drawn: a soft one under its foot",
            "Its own as in the photo, on the new ground",
            ask="What becomes of the item's shadow",
            choices={"drop": "is dropped", "natural": "is kept as it fell", "drawn": "is drawn softly under the foot"},
        ),
    ] = "drop"
    fit: Annotated[
        Literal["contain", "cover", "stretch", "longest", "shorter", "width", "height", "percent", "megapixels"],
        Rule(
            "fit of uncut pictures",
            "an uncut picture: contain, cover or stretch; longest, shorter, width, height, percent, megapixels",
            "The first three into the canvas as CSS says, `cover` around its item or around what was dragged there; "
            "the others give a size of its own",
            ask="How uncut pictures are fitted",
            choices={
                "longest": "its longest side",
                "shorter": "its shorter side",
                "width": "its width",
                "height": "its height",
                "percent": "per cent",
            },
        ),
    ] = "contain"
    size: Annotated[
        float,
        Field(gt=0, le=100_000),
        Rule(
            "size of uncut pictures",
            "the number for the last six of these",
            scales="number",
            squared_by=("fit", "megapixels"),
            ask="Size: px, per cent or megapixels",
            width=5,
        ),
    ] = 1200
    cover_around: Annotated[
        Literal["item", "middle"],
        Rule(
            "kept by cover",
            "what cover keeps of an uncut picture: its item, or its own middle",
            "Where a person has dragged it, that counts",
            ask="What cover keeps",
            choices={"item": "its item", "middle": "its own middle"},
        ),
    ] = "item"
    reduce_only: Annotated[
        bool,
        Rule(
            "uncut pictures only reduced",
            "true: uncut pictures never get more pixels than the photo has",
            ask="Whether uncut pictures are only reduced",
            choices={"false": "enlarged if need be", "true": "only ever reduced"},
        ),
    ] = False
    kernel: Annotated[
        Literal["auto", "lanczos", "cubic", "box", "drawn"],
        Rule(
            "filter",
            "the resampling filter: auto, lanczos, cubic, box, or drawn, which draws the edges of graphics anew",
            "`auto` is Lanczos with three lobes when reducing and cubic when enlarging. Hard-edged graphics of few "
            "colours, whole and of any size, it reduces and enlarges by whole factors with box, and by others with "
            "drawn, which makes their edges smooth; `drawn` does so by whole factors, too, and is `auto` elsewhere",
            ask="Resampling filter",
            choices={
                "auto": "the filter that suits",
                "lanczos": "Lanczos",
                "box": "box, px by px",
                "drawn": "edges drawn anew",
            },
        ),
    ] = "auto"

    sentences: ClassVar[tuple[Sentence, ...]] = (
        Sentence(
            "Items in {@scope} {scale} {share} of[scale=share: {share_of}][scale!=share: the frame"
            "[scale=true-size:, at {px_per_mm} px per mm], over {one_scale}]. {place}[place!=centre: {line} above the "
            "lower edge], with {across} in the middle of the width, and {margin} stays free all round. {straighten}"
            "[straighten!=off: if it leans less than {straighten_limit}]."
        ),
        Sentence(
            "Their shadow {shadow}. No item falls below {smallest} or exceeds {largest} of the frame; enlarging a "
            "photo is {enlarge}. Pixels are resampled by {kernel}. Their backdrop is {backdrop}. What stays uncut is "
            "fitted by {fit}[fit!=contain|cover|stretch: of {size}] and {reduce_only}; cover keeps {cover_around}.",
            "Rarely changed: shadow, smallest and largest, enlarging, pictures that stay uncut",
        ),
    )

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
