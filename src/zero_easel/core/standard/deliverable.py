"""Deliverables: the outputs that a standard asks for, each with its size, format and place."""

import re
from typing import Annotated, Any, ClassVar, Literal, NamedTuple, Self, get_args

from pydantic import Field, field_validator, model_validator

from zero_easel.core.light.geometry import Size
from zero_easel.core.standard.grounds import TRANSPARENT, WHITE, read_ground
from zero_easel.core.standard.lengths import PER_INCH, read_length
from zero_easel.core.standard.naming import portable
from zero_easel.core.standard.patterns import NamePattern, Pattern, folders_within
from zero_easel.core.standard.rule import Part, Rule, Sentence

FormatName = Literal["jpeg", "png", "webp", "avif", "tiff", "jpeg2000", "openraster", "svg"]


class Format(NamedTuple):
    """What a format can do. suffix: file name ending. label: as people write it. mime: media type. words: of a page,
    if not the label. alpha: can be transparent. quality: has a number for it. lossless: can also do without loss.
    chroma: can halve the resolution of colour. passes: can come in passes. deep: can hold 16 bits per channel. ink: can
    hold CMYK. pixels: is a picture of pixels that any reader shows. shown: browsers show it by themselves."""

    suffix: str
    label: str
    mime: str
    words: str = ""
    alpha: bool = True
    quality: bool = False
    lossless: bool = False
    chroma: bool = False
    passes: bool = False
    deep: bool = False
    ink: bool = False
    pixels: bool = True
    shown: bool = False


FORMATS: dict[FormatName, Format] = {
    "jpeg": Format(
        ".jpg", "JPEG", "image/jpeg", alpha=False, quality=True, chroma=True, passes=True, ink=True, shown=True
    ),
    "png": Format(".png", "PNG", "image/png", deep=True, shown=True),
    "webp": Format(".webp", "WebP", "image/webp", quality=True, lossless=True, shown=True),
    "avif": Format(".avif", "AVIF", "image/avif", quality=True, lossless=True, chroma=True, shown=True),
    "tiff": Format(".tif", "TIFF", "image/tiff", deep=True, ink=True),
    "jpeg2000": Format(".jp2", "JPEG 2000", "image/jp2", quality=True, lossless=True),
    "openraster": Format(
        ".ora", "OpenRaster", "image/openraster", "OpenRaster, item, shadow and ground apart", pixels=False
    ),
    "svg": Format(".svg", "SVG outline", "image/svg+xml", "SVG, the outline as a path", pixels=False, shown=True),
}
ABLE: dict[str, tuple[str, ...]] = {
    ability: tuple(name for name, kind in FORMATS.items() if getattr(kind, ability))
    for ability in ("quality", "lossless", "chroma", "passes", "deep")
}
"""The formats that can do something, by ability."""


def format_of(suffix: str) -> Format:
    """The format of a file name ending. Raises KeyError."""
    for kind in FORMATS.values():
        if kind.suffix == suffix:
            return kind
    raise KeyError(suffix)


def _labels(ability: str) -> str:
    """The formats that can do something, as people write them."""
    return ", ".join(FORMATS[name].label for name in get_args(FormatName) if name in ABLE[ability])


SIDES = ("longest", "shorter", "width", "height")
"""Sizes of which the number is the length of a side."""
SRGB, KEPT = "sRGB", "kept"
_NAME = re.compile(r"\w[\w +-]{0,39}")


class Deliverable(Part):
    """One output of a standard: its size, its format, what it is for and where it goes."""

    name: Annotated[str, Rule("name", "{deliverable} in names", ask="Name of the deliverable")] = "shop"
    size: Annotated[
        Literal["canvas", "exact", "longest", "shorter", "width", "height", "percent", "megapixels", "multiple"],
        Rule(
            "size",
            "canvas, exact, longest, shorter, width, height, percent, megapixels, multiple",
            "The standard's canvas; a canvas of exactly `width` x `height`, on which items are placed anew by the "
            "same rules; or the standard's scaled to its longest or shorter side, its width or height, by per cent, "
            "to so many megapixels, or to a multiple of `base`. Lengths that are not in per cent are scaled with the "
            "shorter side. An uncut picture "
            "that has a size of its own takes its own longest side, width and so on, its own share or multiple; what "
            "becomes of it in an exact size is said by `by`",
            ask="Size of {name}",
            choices={
                "canvas": "the canvas's size",
                "exact": "its own size",
                "longest": "its longest side",
                "shorter": "its shorter side",
                "width": "its width",
                "height": "its height",
                "percent": "a share of the canvas",
                "megapixels": "so many megapixels",
                "multiple": "a multiple of another",
            },
        ),
    ] = "canvas"
    width: Annotated[
        int,
        Field(ge=8, le=20_000),
        Rule("width", "px, for exact", unit="px", as_length=True, ask="Width of {name}, px"),
    ] = 1200
    height: Annotated[
        int,
        Field(ge=8, le=20_000),
        Rule("height", "px, for exact", unit="px", as_length=True, ask="Height of {name}, px"),
    ] = 1200
    by: Annotated[
        Literal["contain", "cover", "stretch"],
        Rule(
            "fit",
            "contain, cover or stretch: how an uncut picture that has a size of its own is fitted into an exact one",
            ask="How {name} holds whole pictures",
        ),
    ] = "contain"
    number: Annotated[
        float,
        Field(gt=0, le=20_000),
        Rule("size", "px, %, megapixels, or times, for the others", as_length=True, ask="Size of {name}"),
    ] = 100
    base: Annotated[
        str,
        Rule(
            "multiple of",
            "the deliverable that it is a multiple of",
            ask="The deliverable that {name} is a multiple of",
            width=6,
        ),
    ] = ""
    format: Annotated[
        FormatName,
        Rule(
            "format",
            ", ".join(get_args(FormatName)),
            "OpenRaster holds item, shadow and ground as layers (without overlays), SVG the item's outline at matte "
            "level one half as one path",
            ask="Format of {name}",
            choices={name: kind.words or kind.label for name, kind in FORMATS.items()},
        ),
    ] = "jpeg"
    quality: Annotated[
        int,
        Field(ge=1, le=100),
        Rule(
            "quality",
            f"1 to 100, for {_labels('quality')}",
            "JPEG 2000 takes it as a peak signal-to-noise ratio of 30 dB + a quarter of it",
            ask="Quality of {name}, 1 to 100",
            width=2,
        ),
    ] = 90
    lossless: Annotated[
        bool,
        Rule(
            "without loss",
            f"true: {_labels('lossless')} without loss",
            ask="Whether {name} is without loss",
            choices={"false": "with the loss that its quality allows", "true": "without loss"},
        ),
    ] = False
    chroma: Annotated[
        Literal["auto", "full", "half"],
        Rule(
            "colour resolution",
            f"colour of {_labels('chroma')} at full or half resolution; auto",
            "`auto` is half up to quality 88",
            ask="Colour resolution of {name}",
            choices={"auto": "full resolution above quality 88", "full": "full resolution", "half": "half resolution"},
        ),
    ] = "auto"
    progressive: Annotated[
        bool,
        Rule(
            "comes in passes",
            "true: a JPEG that comes in passes",
            ask="Whether {name} comes in passes",
            choices={"false": "from top to bottom", "true": "in passes"},
        ),
    ] = False
    depth: Annotated[
        Literal["8", "16"],
        Rule(
            "bits per channel",
            f"8 or 16 bits per channel; 16 for {_labels('deep')}",
            "TIFF is deflated with horizontal prediction. A PNG of up to 256 colours gets a palette where that is "
            "smaller; no pixel changes",
            ask="Bits per channel of {name}",
        ),
    ] = "8"
    max_kb: Annotated[
        float,
        Field(ge=0, le=1_000_000),
        Rule(
            "limit",
            "at most so many kB (1000 bytes); 0 for no limit",
            "The best quality that keeps it, not below `min_quality`; if none does, that is noted",
            unit="kB",
            empty="any number of",
            ask="Limit of {name} in kB, or none",
            width=3,
            before="limit",
        ),
    ] = 0
    min_quality: Annotated[
        int,
        Field(ge=1, le=100),
        Rule(
            "lowest quality",
            "the lowest quality that the limit may lead to",
            ask="Lowest quality of {name}",
            width=2,
            before="least",
        ),
    ] = 50
    ground: Annotated[
        str,
        Rule(
            "ground",
            "instead of the canvas's",
            empty="the standard's",
            ask="Ground of {name}; or the standard's",
            width=6,
        ),
    ] = ""
    density: Annotated[
        float,
        Field(ge=0, le=10_000),
        Rule(
            "density",
            "px per inch as written; 0 for the canvas's",
            unit="px/in",
            empty="the canvas's",
            ask="Density of {name} in px/in; or the canvas's",
            width=2,
        ),
    ] = 0
    printed: Annotated[
        str,
        Field(max_length=20),
        Rule(
            "printed",
            "length of the longer side on paper, in mm, cm or in: the density as written follows from it",
            "Instead of `density`; by itself it changes no pixel. Lengths in other rules stay at `density`",
            empty="any length",
            ask="Length of {name}'s longer side on paper, like 10 in; or any",
            width=4,
        ),
    ] = ""
    profile: Annotated[
        str,
        Field(min_length=1, max_length=120),
        Rule(
            "colour profile",
            "sRGB, kept for the photo's own, or an ICC file's name",
            "Always embedded (JPEG 2000 names sRGB by its number). Photos with another profile and raw files are "
            "worked on in a space that holds all of their colours",
            ask="Colour profile of {name}: sRGB, kept, or an ICC file's name",
        ),
    ] = SRGB
    intent: Annotated[
        Literal["relative", "perceptual"],
        Rule(
            "colours outside the profile",
            "relative: they come to its edge, all others stay; perceptual: all are drawn together, as the profile says",
            "Rendering intents of ICC.1; a profile that has no table for perceptual is converted to relatively",
            ask="Colours outside the profile of {name}",
            choices={"relative": "come to its edge", "perceptual": "draw all others together"},
        ),
    ] = "relative"
    overlays: Annotated[
        tuple[str, ...],
        Rule(
            "overlays",
            "names of overlays",
            empty="none",
            lines=True,
            width=6,
            ask="Overlays on {name}, by name, separated by commas",
        ),
    ] = ()
    views: Annotated[
        str,
        Field(max_length=300),
        Rule(
            "views",
            "the views it is for, like: front, back; empty for all",
            empty="all",
            ask="Views that {name} is for, or all",
            width=5,
        ),
    ] = ""
    file: Annotated[
        str,
        Field(max_length=200),
        Rule(
            "file names",
            "its own name pattern; empty for that of names",
            empty="the standard's",
            ask="Name pattern of {name}; or the standard's",
            width=6,
        ),
    ] = ""
    folder: Annotated[
        str,
        Field(max_length=200),
        Rule("folder", "its folder, before that of names", empty="none", ask="Folder of {name}; or none", width=6),
    ] = ""

    sentences: ClassVar[tuple[Sentence, ...]] = (
        Sentence(
            "{name} has {size}[size=exact: {width} by {height} px][size=longest|shorter|width|height: of "
            "{number:in px} px][size=percent:, {number:in per cent} %][size=megapixels:, {number:in megapixels} Mpx]"
            "[size=multiple:, {number:as a multiple} times {base}]{@pixels}, "
            "as {format}[format~quality: of quality {quality}, at most {max_kb} kB]."
        ),
        Sentence(
            "Its ground is {ground}; it is for {views} views, lies in folder {folder}, and is called {file}[file=the "
            "standard's: name].[size=exact: Whole pictures of a size of their own are fitted by {by}.] Overlays on it: "
            "{overlays}. Density {density}[density!=the canvas's: px/in], or such that the longer side "
            "is {printed} on paper; colours in {profile}[profile!=sRGB:, where those outside "
            "{intent}].[format~chroma: Colour is kept at {chroma}.]"
            "[format~passes: It comes {progressive}.][format~lossless: It is kept {lossless}.][format~deep: It has "
            "{depth} bits per channel.][format~quality: A limit on bytes may lower its quality to {min_quality}.]",
            "{name}: ground, views, folder, colour and how it is encoded",
        ),
    )

    @field_validator("name")
    @classmethod
    def _good_name(cls, value: str) -> str:
        value = " ".join(value.split())
        if not _NAME.fullmatch(value) or portable(value) != value:
            raise ValueError("must be a short word or two of letters, digits, space, + or -")
        return value

    @field_validator("overlays", mode="before")
    @classmethod
    def _listed(cls, value: Any) -> Any:
        return words_of(value) if isinstance(value, str) else value

    @field_validator("views")
    @classmethod
    def _tidied(cls, value: str) -> str:
        return ", ".join(words_of(value))

    @field_validator("ground")
    @classmethod
    def _known_ground(cls, value: str) -> str:
        return str(read_ground(value)) if value.strip() else ""

    @field_validator("depth", mode="before")
    @classmethod
    def _in_digits(cls, value: Any) -> Any:
        return str(value) if isinstance(value, int) else value

    @field_validator("profile")
    @classmethod
    def _known_profile(cls, value: str) -> str:
        known = {word.casefold(): word for word in (SRGB, KEPT)}
        value = known.get(value.strip().casefold(), value.strip())
        if value not in known.values() and not value.lower().endswith((".icc", ".icm")):
            raise ValueError(f"must be sRGB, kept, or an ICC file's name ending in .icc (given: {value})")
        return value

    @field_validator("printed")
    @classmethod
    def _on_paper(cls, value: str) -> str:
        if not value.strip():
            return ""
        length = read_length(value)
        if length.unit not in PER_INCH or length.number <= 0:
            raise ValueError(f"must be a length in mm, cm or in, like 10 in (given: {value})")
        return str(length)

    @field_validator("file", "folder")
    @classmethod
    def _good_pattern(cls, value: str) -> str:
        if value.strip():
            NamePattern(value)
        return value.strip()

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.depth == "16" and not self.kind.deep:
            raise ValueError(f"{self.kind.label} holds 8 bits per channel; choose {_labels('deep')} for 16")
        if self.max_kb and not self.kind.quality:
            raise ValueError(f"{self.kind.label} loses nothing, so a limit on bytes cannot be kept")
        if self.max_kb and self.lossless:
            raise ValueError("a limit on bytes cannot be kept without loss; give up one of the two")
        if "n" in Pattern(f"{self.folder}/{folders_within(self.file)[0]}").fields:
            raise ValueError("{n} counts pictures and cannot stand in a folder's name")
        return self

    @property
    def kind(self) -> Format:
        """Facts of its format."""
        return FORMATS[self.format]

    @property
    def suffix(self) -> str:
        """File name ending, with its dot."""
        return self.kind.suffix

    def is_for(self, view: str) -> bool:
        """Whether pictures of a view are wanted; letter case does not matter."""
        wanted = [word.casefold() for word in words_of(self.views)]
        return not wanted or view.casefold() in wanted

    def density_on(self, canvas: Size, usual: float) -> float:
        """px per inch of a picture of a size in px. usual: where the deliverable says nothing of it."""
        if not self.printed:
            return self.density or usual
        return max(canvas) / read_length(self.printed).px(0, 1)

    def ground_on(self, canvas_ground: str) -> str:
        """Its ground. What would be transparent in a format without alpha takes the standard's ground, or white: never
        black by accident."""
        ground = self.ground or canvas_ground
        if ground != TRANSPARENT or self.kind.alpha:
            return ground
        return canvas_ground if canvas_ground != TRANSPARENT else WHITE


def words_of(text: str) -> list[str]:
    """ "front,  back " -> ["front", "back"]."""
    return [" ".join(word.split()) for word in text.split(",") if word.strip()]
