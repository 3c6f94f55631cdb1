"""Any supported camera file -> upright pixels in sRGB, or in a space that holds more, and the facts about the file.

Decoding is libvips' and LibRaw's, and Pillow's for what this build of libvips lacks (HEIC, JPEG 2000).
"""

import hashlib
import io
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path, PurePath
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import ImageCms

from zero_easel.core.light.colour import Encoded, to_srgb16
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.space import Space, light_in
from zero_easel.core.photos.damage import has_slab
from zero_easel.core.photos.opening import MAY_BE_DAMAGED, TAKEN, NoPictureError, PhotoError, damage, ways_to_open
from zero_easel.core.photos.profiles import WIDE_PROFILE
from zero_easel.core.photos.raw import RAW_SUFFIXES, develop, raw_header
from zero_easel.core.photos.vips import pyvips

BYTE_LIMIT = 500_000_000
"""Bytes in the largest file that is read."""

PHOTO_SUFFIXES = RAW_SUFFIXES | {
    *(".jpg", ".jpeg", ".jpe", ".png", ".tif", ".tiff", ".webp"),
    *(".avif", ".heic", ".heif", ".hif", ".jp2", ".j2k", ".jpx", ".gif"),
}
PICTURE_SUFFIXES = PHOTO_SUFFIXES | {".bmp", ".eps", ".jxl", ".psd", ".svg", ".tga"}
"""Files that a person takes for pictures: what cannot be read among them is named, never passed over in silence."""
_FORMATS = {
    "jpegload": "JPEG",
    "pngload": "PNG",
    "tiffload": "TIFF",
    "webpload": "WebP",
    "heifload": "AVIF",
    "gifload": "GIF",
}
_CHECKED = ("JPEG", "PNG", "AVIF")
"""Formats whose decoders notice damage themselves."""
_DEEP = ("ushort", "short", "uint", "int", "float", "double")
"""What libvips calls more than 8 bits."""
_BRIGHTEST = 16.0
"""Most that a number of linear light may say, where 1 is white."""


@dataclass(frozen=True)
class PhotoFacts:
    """What is known of a camera file beside its pixels.

    width, height: of the upright picture, px. bits: per channel. orientation: EXIF value 1..8 as stored.
    profile: name of the colour profile that was converted from, or "" for sRGB or none.
    density: pixels per inch as written in the file, 0 if absent. taken: capture time without time zone.
    """

    bytes: int
    format: str
    width: int
    height: int
    bits: int
    orientation: int
    profile: str
    density: float
    taken: datetime | None


@dataclass(frozen=True)
class Photo:
    """An upright photo.

    pixels: (H, W, 3) uint8 or uint16, encoded in its space. alpha: (H, W) uint8, only where the file brought a
    transparency of its own that hides something. doubt: why a person should look at the file, "" if it is sound.
    shrink: by how much the sides of pixels are smaller than those that the facts tell. as_shot: of a raw file, linear
    sRGB of the light that the camera balanced away. by_camera: these are not its pixels, but the small picture that its
    camera stored beside.
    """

    name: str
    pixels: Encoded
    alpha: NDArray[np.uint8] | None
    facts: PhotoFacts
    doubt: str = ""
    shrink: int = 1
    space: Space = "srgb"
    as_shot: tuple[float, float, float] | None = None
    by_camera: bool = False


def digest_of(data: bytes) -> str:
    """SHA-256 of a file's bytes, in hexadecimal: the name under which the vault keeps it."""
    return hashlib.sha256(data).hexdigest()


def read_photo(path: Path, name: str = "", scale: float = 1.0, *, wide: bool = False) -> Photo:
    """Read one camera file from disk; name is what messages call it, the file's own if empty. scale, wide: see
    decode_photo.

    Raises PhotoError if it cannot be read, is no picture, is damaged, or is larger than the limits.
    """
    name = name or path.name
    try:
        size = path.stat().st_size
        if size > BYTE_LIMIT:
            raise PhotoError(f"{name} is {size / 1e6:.0f} MB; files up to {BYTE_LIMIT / 1e6:.0f} MB are read.")
        data = path.read_bytes()
    except OSError as error:
        raise PhotoError(f"{name} cannot be read: {error.strerror or error}.") from error
    return decode_photo(data, name, scale, wide=wide)


def decode_photo(data: bytes, name: str, scale: float = 1.0, *, preview: int = 0, wide: bool = False) -> Photo:
    """Decode one camera file held in memory; name is used in messages and to recognise raw files by suffix.
    scale: at which it will be drawn. A JPEG is decoded smaller where at least twice as many px remain as are drawn.
    preview: px of the longer side that are enough for looking at; a JPEG is decoded as small as that allows.

    wide: let what may hold colours outside sRGB (another profile, raw, numbers of scRGB) come in the wide space.

    Orientation (EXIF 1..8) is applied; embedded profiles and CMYK are converted with relative colorimetric intent
    (ICC.1:2010), to sRGB at the file's own depth, or to the wide space at 16 bits. Dimensions are checked before any
    pixel is decoded.
    Raises PhotoError.
    """
    if not data:
        raise NoPictureError(f"{name} is empty (0 bytes).")
    if PurePath(name).suffix.lower() in RAW_SUFFIXES:
        return _decode_raw(data, name, "raw" if wide else "srgb", preview)
    failure: Exception | None = None
    shrink = _shrink(data, scale, preview)
    for way in ways_to_open(data, name, shrink):
        try:
            image, doubt = way()
            space: Space = "wide" if wide and _holds_more(image) else "srgb"
            pixels, alpha = _in_space(_understood(image.autorot(), name), space)
        except pyvips.Error as error:
            failure = failure or error
            continue
        facts = _facts(image, data, pixels, shrink)
        if facts.format not in _CHECKED and has_slab(pixels):
            if doubt:
                break
            doubt = MAY_BE_DAMAGED
        return Photo(name, pixels, alpha, facts, doubt, shrink, space)
    raise PhotoError(damage(name, str(failure))) from failure


def _shrink(data: bytes, scale: float, preview: int) -> int:
    """By how much the sides of a JPEG may be divided while it is decoded (ITU-T T.81's transform at a part of its
    size). At least twice as many px remain as are drawn, and the more it takes away, the more: the transform averages
    what is encoded and not light, which must not be seen. Only where that leaves whole px."""
    if not data.startswith(b"\xff\xd8\xff") or (scale > 0.25 and not preview):
        return 1
    try:
        image = pyvips.Image.new_from_buffer(data, "")
    except pyvips.Error:
        return 1
    for shrink in (8, 4, 2):
        enough = max(image.width, image.height) >= shrink * preview if preview else shrink * scale <= 1 / shrink
        if enough and image.width % shrink == 0 and image.height % shrink == 0:
            return shrink
    return 1


def _understood(image: pyvips.Image, name: str) -> pyvips.Image:
    """The picture with pixels as they are understood here: TIFF can also hold negative numbers, and any range.

    Raises PhotoError.
    """
    if image.format in ("char", "short", "int") and image.interpretation != "labs":
        raise PhotoError(f"{name} holds negative numbers instead of brightness; save it with 8 or 16 bits.")
    if image.format in ("float", "double") and image.interpretation in ("scrgb", "b-w", "multiband"):
        most = image.max()
        if most > _BRIGHTEST:
            raise PhotoError(f"{name} holds numbers up to {most:.6g} instead of 0 to 1; save it with 8 or 16 bits.")
        if image.bands < 3:
            grey = image[0]
            image = grey.bandjoin([grey, grey]).copy(interpretation="scrgb")
    return image


def _holds_more(image: pyvips.Image) -> bool:
    """Whether a picture may hold colours outside sRGB."""
    return image.bands >= 3 and (image.interpretation in ("scrgb", "cmyk") or bool(_profile_name(image)))


def _in_space(image: pyvips.Image, space: Space) -> tuple[Encoded, NDArray[np.uint8] | None]:
    """Pixels and, if it hides anything, the alpha of an image that may be CMYK, grey, 16-bit or tagged."""
    alpha = None
    if image.hasalpha():
        alpha = image[image.bands - 1]
        image = image[: image.bands - 1]
    deep = image.format in _DEEP or space == "wide"
    if image.get_typeof("icc-profile-data") or image.interpretation == "cmyk":
        image = _through_profile(image, 16 if deep else 8, space)
    elif space == "wide" and image.interpretation == "scrgb":
        return to_srgb16(light_in(np.asarray(image.numpy()[..., :3]), "srgb", "wide")), _visible_alpha(alpha)
    else:
        image = image.colourspace("rgb16" if deep else "srgb")
    pixels = image.cast("ushort" if deep else "uchar").numpy()
    return np.ascontiguousarray(pixels[..., :3]), _visible_alpha(alpha)


def _through_profile(image: pyvips.Image, depth: int, space: Space) -> pyvips.Image:
    target = "srgb" if space == "srgb" else str(WIDE_PROFILE)
    try:
        return image.icc_transform(target, embedded=True, intent="relative", depth=depth)
    except pyvips.Error as error:
        if "premature" in str(error):
            raise
        # A broken or mismatched profile: better the untagged reading than no picture.
        image = image.copy()
        image.remove("icc-profile-data")
        image = image.colourspace("srgb" if depth == 8 else "rgb16")
        return image if space == "srgb" else image.icc_transform(target, input_profile="srgb", depth=depth)


def _visible_alpha(alpha: pyvips.Image | None) -> NDArray[np.uint8] | None:
    if alpha is None:
        return None
    levels = alpha.numpy()
    top = 65535 if levels.dtype == np.uint16 else 255
    eight = np.round(levels.reshape(levels.shape[:2]).astype(np.float32) * (255 / top)).astype(np.uint8)
    return eight if eight.min() < 250 else None


_HEADER = 1 << 18
"""Bytes in which nearly all files have said what they are."""


class Header(NamedTuple):
    """What a photo's file says before it is decoded. size: upright, px."""

    size: Size
    taken: datetime | None


def header_of(path: Path) -> Header | None:
    """The header of a photo's file, without decoding it; None where it cannot be read so."""
    if path.suffix.lower() in RAW_SUFFIXES:
        try:
            return Header(*raw_header(path.read_bytes(), path.name))
        except (OSError, PhotoError):
            return None
    for most in (_HEADER, -1):  # few files say it only further on
        try:
            with path.open("rb") as file:
                image = next(ways_to_open(file.read(most), path.name))()[0]
            upright = image.autorot()
        except (OSError, PhotoError, pyvips.Error):
            continue
        return Header(Size(upright.width, upright.height), _taken(image))
    return None


def _decode_raw(data: bytes, name: str, space: Space, preview: int) -> Photo:
    made = develop(data, name, space, preview)
    width, height = made.size
    facts = PhotoFacts(len(data), "raw", width, height, 16, made.turn, "", 0.0, made.taken)
    shrink = max(1, round(max(made.size) / max(made.pixels.shape)))
    return Photo(name, made.pixels, None, facts, "", shrink, space, made.as_shot, made.by_camera)


def _facts(image: pyvips.Image, data: bytes, pixels: Encoded, shrink: int) -> PhotoFacts:
    height, width = (side * shrink for side in pixels.shape[:2])
    loader = str(image.get("vips-loader")).removesuffix("_buffer")
    return PhotoFacts(
        bytes=len(data),
        format=_FORMATS.get(loader, loader),
        width=width,
        height=height,
        bits=16 if image.format in _DEEP else 8,
        orientation=int(image.get("orientation")) if image.get_typeof("orientation") else 1,
        profile=_profile_name(image),
        density=round(image.xres * 25.4, 2) if image.get_typeof("resolution-unit") else 0.0,
        taken=_taken(image),
    )


def _profile_name(image: pyvips.Image) -> str:
    """What the embedded profile calls itself, "CMYK" for ink without any, or "" for sRGB or none."""
    if not image.get_typeof("icc-profile-data"):
        return "CMYK" if image.interpretation == "cmyk" else ""
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(image.get("icc-profile-data")))
        name = " ".join(ImageCms.getProfileDescription(profile).split())[:60]
    except (OSError, ImageCms.PyCMSError):
        name = ""
    return "" if name.lower().startswith("srgb") else name or "embedded"


def _taken(image: pyvips.Image) -> datetime | None:
    if not image.get_typeof(TAKEN):
        return None
    try:
        return datetime.strptime(str(image.get(TAKEN))[:19], "%Y:%m:%d %H:%M:%S")
    except ValueError:
        return None
