"""Deliverables: the outputs that a standard asks for, each with its size, format and place."""

import re
from typing import Any, Literal, NamedTuple, Self

from pydantic import Field, field_validator, model_validator

from zero_easel.core.standard.grounds import TRANSPARENT, WHITE, read_ground
from zero_easel.core.standard.naming import portable
from zero_easel.core.standard.patterns import Pattern
from zero_easel.core.standard.rule import Part


class Format(NamedTuple):
    """suffix: file name ending. label: as people write it. alpha: can be transparent. mime: media type.
    quality: has a number for it. pixels: is a picture of pixels that any reader shows."""

    suffix: str
    label: str
    mime: str
    alpha: bool = True
    quality: bool = False
    pixels: bool = True


FORMATS = {
    "jpeg": Format(".jpg", "JPEG", "image/jpeg", alpha=False, quality=True),
    "png": Format(".png", "PNG", "image/png"),
    "webp": Format(".webp", "WebP", "image/webp", quality=True),
    "avif": Format(".avif", "AVIF", "image/avif", quality=True),
    "tiff": Format(".tif", "TIFF", "image/tiff"),
    "jpeg2000": Format(".jp2", "JPEG 2000", "image/jp2", quality=True),
    "openraster": Format(".ora", "OpenRaster", "image/openraster", pixels=False),
    "svg": Format(".svg", "SVG outline", "image/svg+xml", pixels=False),
}
SRGB, KEPT = "sRGB", "kept"
_NAME = re.compile(r"\w[\w +-]{0,39}")


class Deliverable(Part):
    """One output of a standard.

    name: what it is called, also in names ({deliverable}). size: the standard's "canvas"; an "exact" canvas of width x
    height px, on which items are placed anew by the same rules; or the standard's canvas scaled to its "longest" side,
    its "width" or "height" (number in px), by "percent", or to a "multiple" of the deliverable named base.
    format, quality (1..100), lossless (WebP, AVIF, JPEG 2000), chroma: JPEG's and AVIF's colour at "full" or "half"
    resolution, "auto" halves it where it is not seen. progressive: JPEG comes in passes. depth: bits per channel, TIFF
    and PNG. limit: at most so many kB, 0 for no limit; the quality then is the best that fits, not below least.
    ground: instead of the standard's, "" for that. density: px per inch as written, 0 for the canvas's. profile:
    "sRGB", "kept" for the photo's own, or the name of an ICC file among the assets. overlays: those drawn on it.
    views: the views that it is for, separated by commas, "" for all. file, folder: name patterns; an empty file takes
    the standard's, an empty folder means none before the standard's own.
    """

    name: str = "shop"
    size: Literal["canvas", "exact", "longest", "width", "height", "percent", "multiple"] = "canvas"
    width: int = Field(default=1200, ge=8, le=20_000)
    height: int = Field(default=1200, ge=8, le=20_000)
    number: float = Field(default=100, gt=0, le=20_000)
    base: str = ""
    format: Literal["jpeg", "png", "webp", "avif", "tiff", "jpeg2000", "openraster", "svg"] = "jpeg"
    quality: int = Field(default=90, ge=1, le=100)
    lossless: bool = False
    chroma: Literal["auto", "full", "half"] = "auto"
    progressive: bool = False
    depth: Literal["8", "16"] = "8"
    limit: float = Field(default=0, ge=0, le=1_000_000)
    least: int = Field(default=50, ge=1, le=100)
    ground: str = ""
    density: float = Field(default=0, ge=0, le=10_000)
    profile: str = Field(default=SRGB, min_length=1, max_length=120)
    overlays: tuple[str, ...] = ()
    views: str = Field(default="", max_length=300)
    file: str = Field(default="", max_length=200)
    folder: str = Field(default="", max_length=200)

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

    @field_validator("profile")
    @classmethod
    def _known_profile(cls, value: str) -> str:
        known = {word.casefold(): word for word in (SRGB, KEPT)}
        value = known.get(value.strip().casefold(), value.strip())
        if value not in known.values() and not value.lower().endswith((".icc", ".icm")):
            raise ValueError(f"must be sRGB, kept, or an ICC file's name ending in .icc (given: {value})")
        return value

    @field_validator("file", "folder")
    @classmethod
    def _good_pattern(cls, value: str) -> str:
        if value.strip():
            Pattern(value)
        return value.strip()

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.depth == "16" and self.format not in ("tiff", "png"):
            raise ValueError(f"{FORMATS[self.format].label} holds 8 bits per channel; choose TIFF or PNG for 16")
        if self.limit and self.format == "jpeg2000" and self.lossless:
            raise ValueError("a limit on bytes cannot be kept without loss; give up one of the two")
        if self.limit and not FORMATS[self.format].quality:
            raise ValueError(f"{FORMATS[self.format].label} loses nothing, so a limit on bytes cannot be kept")
        if self.limit and self.lossless:
            raise ValueError("a limit on bytes cannot be kept without loss; give up one of the two")
        if self.folder and "n" in Pattern(self.folder).fields:
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


def _made(name: str, **values: Any) -> Deliverable:
    return Deliverable(name=name, folder="{deliverable}", **values)


SETS: dict[str, tuple[str, tuple[Deliverable, ...]]] = {
    "shop": ("Shop main picture, 2000 px", (_made("main", size="exact", width=2000, height=2000),)),
    "zoom": ("Zoom picture, 3000 px", (_made("zoom", size="longest", number=3000, quality=85, progressive=True),)),
    "thumbnail": (
        "Thumbnail of 240 px, once, twice and three times",
        (
            _made("thumbnail", size="longest", number=240, format="webp", quality=82),
            _made("thumbnail 2x", size="multiple", base="thumbnail", number=2, format="webp", quality=76),
            _made("thumbnail 3x", size="multiple", base="thumbnail", number=3, format="webp", quality=70),
        ),
    ),
    "icons": (
        "Square icons of 24, 48, 96 and 192 px",
        tuple(
            _made(f"icon {px}", size="exact", width=px, height=px, format="png", ground=TRANSPARENT, views="front")
            for px in (24, 48, 96, 192)
        ),
    ),
    "banner": ("Wide banner, 1600 x 500 px", (_made("banner", size="exact", width=1600, height=500, views="front"),)),
    "print": (
        "Print, 12 x 12 cm at 300 px/in",
        (_made("print", size="exact", width=1417, height=1417, density=300, format="tiff"),),
    ),
    "handover": (
        "For retouching: item, shadow and ground apart; and the outline",
        (_made("parts", format="openraster"), _made("outline", format="svg")),
    ),
}
"""Ready-made deliverables to start from: key -> (what they are, the deliverables)."""
