"""Any supported camera file -> upright sRGB pixels and the facts about the file.

Decoding is libvips' and LibRaw's, and Pillow's for what this build of libvips lacks (HEIC, JPEG 2000).
"""

import hashlib
import io
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path, PurePath
from typing import NamedTuple

import numpy as np
import rawpy
from numpy.typing import NDArray
from PIL import ImageCms

from zero_easel.core.light.colour import Encoded
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.damage import has_slab
from zero_easel.core.photos.opening import (
    MAY_BE_DAMAGED,
    TAKEN,
    NoPictureError,
    PhotoError,
    check_dimensions,
    damage,
    ways_to_open,
)
from zero_easel.core.photos.vips import pyvips

BYTE_LIMIT = 500_000_000
"""Bytes in the largest file that is read."""

RAW_SUFFIXES = frozenset({".dng", ".cr2", ".cr3", ".nef", ".nrw", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw"})
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
_BRIGHTEST = 16.0
"""Most that a number of linear light may say, where 1 is white."""


@dataclass(frozen=True)
class PhotoFacts:
    """What is known of a camera file beside its pixels.

    width, height: of the upright picture, px. bits: per channel. orientation: EXIF value 1..8 as stored.
    profile: name of the colour profile that was converted from, or "" for sRGB or none.
    density: pixels per inch as written in the file, 0 if absent. taken: capture time without time zone.
    """

    digest: str
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

    pixels: (H, W, 3) uint8 or uint16, sRGB-encoded. alpha: (H, W) uint8, only where the file brought a
    transparency of its own that hides something. doubt: why a person should look at the file, "" if it is sound.
    shrink: by how much the sides of pixels are smaller than those that the facts tell.
    """

    name: str
    pixels: Encoded
    alpha: NDArray[np.uint8] | None
    facts: PhotoFacts
    doubt: str = ""
    shrink: int = 1


def digest_of(data: bytes) -> str:
    """SHA-256 of a file's bytes, in hexadecimal: the name under which the vault keeps it."""
    return hashlib.sha256(data).hexdigest()


def read_photo(path: Path, name: str = "", scale: float = 1.0) -> Photo:
    """Read one camera file from disk; name is what messages call it, the file's own if empty. scale: see decode_photo.

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
    return decode_photo(data, name, scale)


def decode_photo(data: bytes, name: str, scale: float = 1.0) -> Photo:
    """Decode one camera file held in memory; name is used in messages and to recognise raw files by suffix.
    scale: at which it will be drawn. A JPEG is decoded smaller where at least twice as many px remain as are drawn.

    Orientation (EXIF 1..8) is applied; embedded profiles and CMYK are converted to sRGB with relative
    colorimetric intent (ICC.1:2010) at the file's own depth. Dimensions are checked before any pixel is decoded.
    Raises PhotoError.
    """
    if not data:
        raise NoPictureError(f"{name} is empty (0 bytes).")
    if PurePath(name).suffix.lower() in RAW_SUFFIXES:
        return _decode_raw(data, name)
    failure: Exception | None = None
    shrink = _shrink(data, scale)
    for way in ways_to_open(data, name, shrink):
        try:
            image, doubt = way()
            pixels, alpha = _to_srgb(_understood(image.autorot(), name))
        except pyvips.Error as error:
            failure = failure or error
            continue
        facts = _facts(image, data, pixels, shrink)
        if facts.format not in _CHECKED and has_slab(pixels):
            if doubt:
                break
            doubt = MAY_BE_DAMAGED
        return Photo(name, pixels, alpha, facts, doubt, shrink)
    raise PhotoError(damage(name, str(failure))) from failure


def _shrink(data: bytes, scale: float) -> int:
    """By how much the sides of a JPEG may be divided while it is decoded (ITU-T T.81's transform at a part of its
    size). At least twice as many px remain as are drawn, and the more it takes away, the more: the transform averages
    what is encoded and not light, which must not be seen. Only where that leaves whole px."""
    if not data.startswith(b"\xff\xd8\xff") or scale > 0.25:
        return 1
    try:
        image = pyvips.Image.new_from_buffer(data, "")
    except pyvips.Error:
        return 1
    for shrink in (8, 4, 2):
        if shrink * scale <= 1 / shrink and image.width % shrink == 0 and image.height % shrink == 0:
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


def _to_srgb(image: pyvips.Image) -> tuple[Encoded, NDArray[np.uint8] | None]:
    """sRGB pixels and, if it hides anything, the alpha of an image that may be CMYK, grey, 16-bit or tagged."""
    alpha = None
    if image.hasalpha():
        alpha = image[image.bands - 1]
        image = image[: image.bands - 1]
    deep = image.format in ("ushort", "short", "uint", "int", "float", "double")
    if image.get_typeof("icc-profile-data") or image.interpretation == "cmyk":
        image = _through_profile(image, 16 if deep else 8)
    else:
        image = image.colourspace("rgb16" if deep else "srgb")
    pixels = image.cast("ushort" if deep else "uchar").numpy()
    return np.ascontiguousarray(pixels[..., :3]), _visible_alpha(alpha)


def _through_profile(image: pyvips.Image, depth: int) -> pyvips.Image:
    try:
        return image.icc_transform("srgb", embedded=True, intent="relative", depth=depth)
    except pyvips.Error as error:
        if "premature" in str(error):
            raise
        # A broken or mismatched profile: better the untagged reading than no picture.
        image = image.copy()
        image.remove("icc-profile-data")
        return image.colourspace("srgb" if depth == 8 else "rgb16")


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


def _decode_raw(data: bytes, name: str) -> Photo:
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            check_dimensions(raw.sizes.width, raw.sizes.height, name)
            pixels = raw.postprocess(use_camera_wb=True, output_bps=16, no_auto_bright=True)
            turn = {3: 3, 5: 8, 6: 6}.get(int(raw.sizes.flip), 1)
    except rawpy.LibRawFileUnsupportedError as error:
        raise PhotoError(f"{name} is a raw file of a kind that cannot be read here, or is damaged.") from error
    except PhotoError:
        raise
    except Exception as error:
        # Whatever a decoder stumbles over in a raw file: there is no picture to be had from it.
        raise PhotoError(f"{name} is a damaged raw file.") from error
    height, width = pixels.shape[:2]
    facts = PhotoFacts(digest_of(data), len(data), "raw", width, height, 16, turn, "", 0.0, None)
    return Photo(name, np.ascontiguousarray(pixels), None, facts)


def _facts(image: pyvips.Image, data: bytes, pixels: Encoded, shrink: int) -> PhotoFacts:
    height, width = (side * shrink for side in pixels.shape[:2])
    loader = str(image.get("vips-loader")).removesuffix("_buffer")
    return PhotoFacts(
        digest=digest_of(data),
        bytes=len(data),
        format=_FORMATS.get(loader, loader),
        width=width,
        height=height,
        bits=16 if pixels.dtype == np.uint16 else 8,
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
