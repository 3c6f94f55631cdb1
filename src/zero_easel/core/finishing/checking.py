"""Measuring finished files against the checks of a standard. What is measured is the file itself, decoded anew."""

import io
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from PIL import Image, ImageCms

from zero_easel.core.finishing.jpeg2000 import facts_of
from zero_easel.core.light.colour import Encoded
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.photos.reading import edge_blur
from zero_easel.core.photos.vips import pyvips
from zero_easel.core.placing.placement import Seen
from zero_easel.core.standard.checks import KINDS, Check, read_pure, read_range, read_size
from zero_easel.core.standard.deliverable import FORMATS, Deliverable, FormatName
from zero_easel.core.standard.expression import Expression, ExpressionError
from zero_easel.core.tone.difference import delta_e

_CORNER = 0.02
"""Side of a corner that is looked at, of the shorter side."""
_SLACK = 0.05
"""Per cent by which whole pixels may miss a share or margin."""


@dataclass(frozen=True)
class Facts:
    """What is known of a finished picture besides its file. name: the file's, without folders. box: of the drawn item
    on the canvas, px, None without one. cut: where the item is cut off, by the canvas or by the photo's own frame, in
    words. scale: px of the canvas to a px of the photo. overlays: what was drawn over it. seen: how its colours come
    out."""

    name: str
    canvas: Size
    box: Box | None = None
    cut: tuple[str, ...] = ()
    scale: float = 1.0
    overlays: tuple[str, ...] = field(default=())
    seen: Seen = field(default=Seen())


class Checked(NamedTuple):
    """One rule, and how a file met it. rule, value: as the check has them. measured: in words. mend: what to do if it
    is not met, else ""."""

    rule: str
    value: str
    measured: str
    ok: bool
    mend: str = ""


class Opened(NamedTuple):
    """A file as any reader sees it. pixels: (H, W, bands). profile: "sRGB", another's name, or "none". density: px per
    inch, 0 if the file does not say."""

    pixels: Encoded
    format: FormatName
    profile: str
    density: float


_LOADERS: dict[str, FormatName] = {
    "jpegload": "jpeg",
    "pngload": "png",
    "webpload": "webp",
    "heifload": "avif",
    "tiffload": "tiff",
}


def opened(data: bytes) -> Opened:
    """Decode a finished picture. Raises ValueError if it is none of the formats that hold pixels."""
    if data[4:8] == b"jP  ":
        return _opened_jpeg2000(data)
    try:
        image = pyvips.Image.new_from_buffer(data, "")
        pixels = np.asarray(image.numpy())
    except pyvips.Error as error:
        raise ValueError("the file cannot be opened") from error
    icc = image.get("icc-profile-data") if image.get_typeof("icc-profile-data") else b""
    kind = _LOADERS[str(image.get("vips-loader")).removesuffix("_buffer")]
    density = image.xres * 25.4 if kind in ("jpeg", "png", "tiff") else _exif_density(image)
    pixels = pixels[..., None] if pixels.ndim == 2 else pixels
    return Opened(pixels, kind, _profile(icc), round(density, 1))


def _opened_jpeg2000(data: bytes) -> Opened:
    icc, density = facts_of(data)
    with Image.open(io.BytesIO(data)) as picture:
        pixels = np.asarray(picture)
    # A JP2 file names sRGB by number instead of embedding it.
    return Opened(np.atleast_3d(pixels), "jpeg2000", _profile(icc) if icc else "sRGB", round(density, 1))


def _exif_density(image: pyvips.Image) -> float:
    if not image.get_typeof("exif-data"):
        return 0.0
    exif = Image.Exif()
    exif.load(bytes(image.get("exif-data")))
    return float(exif.get(0x011A, 0))


def _profile(icc: bytes) -> str:
    if not icc:
        return "none"
    try:
        name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(bytes(icc)))).strip()
    except (OSError, ImageCms.PyCMSError):
        return "damaged"
    return "sRGB" if name.lower().startswith("srgb") else name or "unnamed"


def checked(data: bytes, wanted: Deliverable, facts: Facts, checks: Sequence[Check]) -> list[Checked]:
    """All checks that a deliverable's file has to meet, measured on its bytes; empty if there are none."""
    asked = [check for check in checks if check.is_for(wanted.name)]
    if not asked:
        return []
    seen = opened(data) if wanted.kind.pixels else None
    rows = []
    for check in asked:
        measured, ok = _measured(check, data, wanted, facts, seen)
        rows.append(Checked(check.rule, check.value, measured, ok, "" if ok else KINDS[check.rule].mend))
    return rows


def _measured(check: Check, data: bytes, wanted: Deliverable, facts: Facts, seen: Opened | None) -> tuple[str, bool]:
    """What was measured, in words, and whether it is as it should be."""
    by_facts = _by_facts(check, data, wanted, facts)
    if by_facts is not None:
        return by_facts
    if seen is None:
        return "does not apply: no pixels", True
    height, width = seen.pixels.shape[:2]
    if check.rule == "size":
        return f"{width} x {height}", (width, height) == read_size(check.value)
    if check.rule == "longest":
        return f"{max(width, height)} px", read_range(check.value).hold(max(width, height))
    if check.rule == "format":
        return FORMATS[seen.format].label, seen.format == check.value
    if check.rule == "profile":
        return seen.profile, seen.profile.casefold() == check.value.casefold()
    if check.rule == "density":
        return f"{seen.density:g} px/in", read_range(check.value).hold(seen.density, 0.5)
    if check.rule == "ground":
        return _ground(seen.pixels, check.value)
    return _sharpness(seen.pixels, check.value)


def _by_facts(check: Check, data: bytes, wanted: Deliverable, facts: Facts) -> tuple[str, bool] | None:
    """Rules that need no pixels; None for the others."""
    if check.rule == "bytes":
        return f"{len(data) / 1000:.0f} kB", read_range(check.value).hold(len(data) / 1000)
    if check.rule == "visible":
        return ("; ".join(facts.cut) or "all there"), not facts.cut
    if check.rule == "enlargement":
        return f"{facts.scale:.2f} times", read_range(check.value).hold(facts.scale, 0.0005)
    if check.rule == "plain":
        return (", ".join(facts.overlays) or "none"), not facts.overlays
    if check.rule == "name":
        return _named_as(facts.name.removesuffix(wanted.suffix), check.value)
    if check.rule in ("share", "margins"):
        return _placed(check, facts)
    if check.rule in ("neutral", "colour"):
        return _coloured(check, facts.seen)
    if check.rule == "format" and not wanted.kind.pixels:
        return wanted.kind.label, wanted.format == check.value
    return None


def _named_as(stem: str, expression: str) -> tuple[str, bool]:
    try:
        return stem, Expression(expression).holds(stem)
    except ExpressionError as error:
        # What cannot be told is not met: nothing goes out unseen.
        return str(error), False


def _placed(check: Check, facts: Facts) -> tuple[str, bool]:
    if facts.box is None:
        return "does not apply: no item", True
    (width, height), box = facts.canvas, facts.box
    if check.rule == "share":
        number = 100 * max(box.width / width, box.height / height)
    else:
        number = 100 * min(box.left, box.top, width - box.right, height - box.bottom) / min(width, height)
    # A drawn edge lies within half a px of where the rule wants it.
    slack = _SLACK + 50 / min(width, height)
    return f"{number:.1f} %", read_range(check.value).hold(number, slack)


def _coloured(check: Check, seen: Seen) -> tuple[str, bool]:
    """By what was measured of the photo, after its tone: on the finished picture there is no backdrop any more."""
    limits = read_range(check.value)
    if check.rule == "neutral":
        if seen.backdrop is None:
            # What cannot be told is not met: nothing goes out unseen.
            return "its backdrop is not known", False
        light = seen.backdrop[0]
        apart = float(delta_e(np.array(seen.backdrop, np.float32), np.array([light, 0, 0], np.float32)))
        return f"{apart:.1f} Delta E from grey", limits.hold(apart, 0.05)
    if seen.off is None:
        return "does not apply: no colour is listed that can be told", True
    return f"{seen.described}, listed {seen.listed}: {seen.off:.0f} Delta E", limits.hold(seen.off, 0.5)


def _ground(pixels: Encoded, value: str) -> tuple[str, bool]:
    """The colour that differs most from the wanted one, in corners and along the picture's rim."""
    colour, within = read_pure(value)
    height, width = pixels.shape[:2]
    side = max(2, round(_CORNER * min(height, width)))
    corners = [pixels[y, x] for y in (slice(0, side), slice(-side, None)) for x in (slice(0, side), slice(-side, None))]
    rim = [pixels[:2], pixels[-2:], pixels[:, :2], pixels[:, -2:]]
    outer = np.concatenate([part.reshape(-1, pixels.shape[2]) for part in (*corners, *rim)]).astype(np.int64)
    if pixels.dtype == np.uint16:
        outer = np.round(outer / 257).astype(np.int64)
    if colour is None:
        seen = int(outer[:, 3].max()) if outer.shape[1] == 4 else 255
        return f"{100 * (1 - seen / 255):.0f} % transparent", seen <= within
    if outer.shape[1] == 4 and outer[:, 3].min() < 255:
        return "transparent", False
    shown = np.repeat(outer[:, :1], 3, 1) if outer.shape[1] < 3 else outer[:, :3]
    off = np.abs(shown - np.array(colour)).max(1)
    worst = shown[int(off.argmax())]
    shown_hex = "#{:02X}{:02X}{:02X}".format(*(int(v) for v in worst))
    return (shown_hex if off.max() == 0 else f"{shown_hex}, {off.max()} away"), int(off.max()) <= within


def _sharpness(pixels: Encoded, value: str) -> tuple[str, bool]:
    eight = (pixels >> 8).astype(np.uint8) if pixels.dtype == np.uint16 else pixels
    three = np.ascontiguousarray(eight[..., :3] if eight.shape[2] >= 3 else np.repeat(eight[..., :1], 3, 2))
    blur = edge_blur(three)
    if blur is None:
        return "nothing with an edge", True
    return f"{blur:.1f} px", read_range(value).hold(blur)
