"""Any supported camera file -> upright sRGB pixels and the facts about the file.

Decoding is libvips' and LibRaw's, and Pillow's for what this build of libvips lacks (HEIC, JPEG 2000).
"""

import hashlib
import io
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path, PurePath

import numpy as np
import pi_heif
import rawpy
from numpy.typing import NDArray
from PIL import Image, ImageCms

from zero_easel.core.light.colour import Encoded
from zero_easel.core.photos.vips import pyvips

PIXEL_LIMIT = 150_000_000
"""Pixels in the largest photo that is decoded; the largest studio cameras give 150 megapixels."""
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
_JPEG2000 = (b"\x00\x00\x00\x0cjP  \r\n\x87\n", b"\xff\x4f\xff\x51")

pi_heif.register_heif_opener()
Image.MAX_IMAGE_PIXELS = None  # dimensions are checked here, with a sentence of our own


class PhotoError(Exception):
    """A file that gives no picture. The message names the file and says why, in one plain sentence."""


class NoPictureError(PhotoError):
    """A file that is no picture at all, or of a kind that is not read here."""


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
    transparency of its own that hides something.
    """

    name: str
    pixels: Encoded
    alpha: NDArray[np.uint8] | None
    facts: PhotoFacts


def digest_of(data: bytes) -> str:
    """SHA-256 of a file's bytes, in hexadecimal: the name under which the vault keeps it."""
    return hashlib.sha256(data).hexdigest()


def read_photo(path: Path, name: str = "") -> Photo:
    """Read one camera file from disk; name is what messages call it, the file's own if empty.

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
    return decode_photo(data, name)


def decode_photo(data: bytes, name: str) -> Photo:
    """Decode one camera file held in memory; name is used in messages and to recognise raw files by suffix.

    Orientation (EXIF 1..8) is applied; embedded profiles and CMYK are converted to sRGB with relative
    colorimetric intent (ICC.1:2010) at the file's own depth. Dimensions are checked before any pixel is decoded.
    Raises PhotoError.
    """
    if not data:
        raise NoPictureError(f"{name} is empty (0 bytes).")
    if PurePath(name).suffix.lower() in RAW_SUFFIXES:
        return _decode_raw(data, name)
    image = _open_by_pillow(data, name) if _is_pillows(data) else _open(data, name)
    _check_dimensions(image.width, image.height, name)
    try:
        pixels, alpha = _to_srgb(image.autorot())
    except pyvips.Error as error:
        raise PhotoError(_damage(name, str(error))) from error
    return Photo(name, pixels, alpha, _facts(image, data, pixels))


def _open(data: bytes, name: str) -> pyvips.Image:
    try:
        image = pyvips.Image.new_from_buffer(data, "", fail_on="truncated")
    except pyvips.Error as error:
        reason = str(error)
        if "not in a known format" in reason or "not a known file format" in reason:
            raise NoPictureError(f"{name} is not a picture in a format that can be read here.") from error
        raise PhotoError(_damage(name, reason)) from error
    return image


def _is_pillows(data: bytes) -> bool:
    """Whether a file is JPEG 2000 (ISO/IEC 15444-1) or an ISO base media file with HEVC pictures (ISO/IEC 23008-12)."""
    return data.startswith(_JPEG2000) or (data[4:8] == b"ftyp" and b"avif" not in data[8:32])


def _open_by_pillow(data: bytes, name: str) -> pyvips.Image:
    """The picture as one of libvips, with its profile, capture time and density; HEIC comes upright already."""
    try:
        with Image.open(io.BytesIO(data), formats=("HEIF", "JPEG2000")) as picture:
            _check_dimensions(*picture.size, name)
            # Pillow may also hold grey, grey with alpha, or palettes; 16-bit grey stays deep.
            deep = picture.mode.startswith("I")
            mode = picture.mode if deep or picture.mode in ("L", "RGB", "RGBA", "CMYK") else "RGBA"
            pixels = np.array(picture.convert(mode))
            profile, taken = picture.info.get("icc_profile"), picture.getexif().get_ifd(0x8769).get(0x9003)
            dpi, kind = picture.info.get("dpi"), picture.format
    except (OSError, ValueError, SyntaxError, EOFError, RuntimeError) as error:
        if isinstance(error, PhotoError):
            raise
        raise PhotoError(_damage(name, str(error))) from error
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels.astype(np.uint16) if deep else pixels))
    known = {1: "grey16" if deep else "b-w", 3: "srgb", 4: "cmyk" if mode == "CMYK" else "srgb"}
    image = image.copy(interpretation=known[pixels.shape[2]])
    if dpi and dpi[0]:
        image = image.copy(xres=float(dpi[0]) / 25.4, yres=float(dpi[0]) / 25.4)
        image.set_type(pyvips.GValue.gstr_type, "resolution-unit", "in")
    image.set_type(pyvips.GValue.gstr_type, "vips-loader", "HEIC" if kind == "HEIF" else "JPEG 2000")
    if profile:
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile)
    if taken:
        image.set_type(pyvips.GValue.gstr_type, _TAKEN, str(taken))
    return image


def _check_dimensions(width: int, height: int, name: str) -> None:
    if width * height > PIXEL_LIMIT:
        raise PhotoError(
            f"{name} is {width} x {height} pixels ({width * height / 1e6:.0f} megapixels); "
            f"photos up to {PIXEL_LIMIT / 1e6:.0f} megapixels are read."
        )
    if min(width, height) < 16:
        raise PhotoError(f"{name} is only {width} x {height} pixels, too small to find an item in.")


def _damage(name: str, reason: str) -> str:
    if any(word in reason for word in ("premature", "truncated", "end of", "EOF", "ran out")):
        return f"{name} ends too early: the file is damaged or was not copied completely."
    return f"{name} is damaged and cannot be decoded."


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


def _decode_raw(data: bytes, name: str) -> Photo:
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            _check_dimensions(raw.sizes.width, raw.sizes.height, name)
            pixels = raw.postprocess(use_camera_wb=True, output_bps=16, no_auto_bright=True)
            turn = {3: 3, 5: 8, 6: 6}.get(int(raw.sizes.flip), 1)
    except rawpy.LibRawError as error:
        raise PhotoError(f"{name} is a raw file that cannot be decoded ({error}).") from error
    height, width = pixels.shape[:2]
    facts = PhotoFacts(digest_of(data), len(data), "raw", width, height, 16, turn, "", 0.0, None)
    return Photo(name, np.ascontiguousarray(pixels), None, facts)


def _facts(image: pyvips.Image, data: bytes, pixels: Encoded) -> PhotoFacts:
    height, width = pixels.shape[:2]
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


_TAKEN = "exif-ifd2-DateTimeOriginal"


def _taken(image: pyvips.Image) -> datetime | None:
    if not image.get_typeof(_TAKEN):
        return None
    try:
        return datetime.strptime(str(image.get(_TAKEN))[:19], "%Y:%m:%d %H:%M:%S")
    except ValueError:
        return None
