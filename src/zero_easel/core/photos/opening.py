"""A camera file's bytes -> a picture of libvips that is not decoded yet, in ways from strict to lenient.

What decoders only warn of is damage more often than not; what is merely odd, a second decoder reads without a word.
"""

import io
from collections.abc import Callable, Iterator

import numpy as np
import pi_heif
from numpy.typing import NDArray
from PIL import Image, ImageCms, UnidentifiedImageError

from zero_easel.core.photos.vips import pyvips

PIXEL_LIMIT = 150_000_000
"""Pixels in the largest photo that is decoded; the largest studio cameras give 150 megapixels."""
_CHANNELS = 64
"""Values for each pixel, spot colours and masks included; printers' files have some twenty at most."""
MAY_BE_DAMAGED = "the file may be damaged: look at it"
TAKEN = "exif-ifd2-DateTimeOriginal"
"""libvips' name of the capture time."""
_JPEG2000 = (b"\x00\x00\x00\x0cjP  \r\n\x87\n", b"\xff\x4f\xff\x51")
_CALLED = {"HEIF": "HEIC", "JPEG2000": "JPEG 2000", "TIFF": "TIFF", "AVIF": "AVIF"}
_TIFF = (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")
_MAGIC = (*_TIFF, b"\xff\xd8\xff", b"\x89PNG\r\n", b"GIF8")
"""How files begin that are pictures, whatever is wrong with them."""
_NO_MEMORY = ("allocate", "out of memory", "insufficient memory", "not enough memory", "unable to mmap")
_UNKNOWN_KINDS = ("not configured", "whole number of bytes", "samples out of range", "bad labq", "upported", "Sorry, ")

pi_heif.register_heif_opener()
Image.MAX_IMAGE_PIXELS = None  # dimensions are checked here, with a sentence of our own


class PhotoError(Exception):
    """A file that gives no picture. The message names the file and says why, in one plain sentence."""


class NoPictureError(PhotoError):
    """A file that is no picture at all, or of a kind that is not read here."""


Way = Callable[[], tuple[pyvips.Image, str]]


def ways_to_open(data: bytes, name: str, shrink: int = 1) -> Iterator[Way]:
    """Ways to read a file, to be tried in turn until the pixels of one can be had; each gives a picture and what is
    doubtful of it, or raises pyvips.Error. shrink: of a JPEG, by how much its sides are divided while it is decoded.
    Dimensions are checked. Raises PhotoError where trying on is useless."""
    if _is_pillows(data):
        yield lambda: (_by_pillow(data, name, ("HEIF", "JPEG2000")), "")
        return
    if data[4:12] == b"ftypavis":
        yield lambda: (_by_pillow(data, name, ("AVIF",)), "")
        return
    yield lambda: (_by_vips(data, name, "warning", shrink), "")
    if data.startswith(_TIFF):
        yield from _lenient_tiff(data, name)
        return
    yield lambda: (_by_vips(data, name, "truncated", shrink), "" if _only_odd(data) else MAY_BE_DAMAGED)


def _lenient_tiff(data: bytes, name: str) -> Iterator[Way]:
    """libvips decodes some damaged TIFFs as black without an error: nothing is taken that Pillow finds damaged."""
    packing = _pillow_reads(data)
    if packing == "":
        raise PhotoError(damage(name, ""))
    # JPEG within TIFF is warned of without a word; elsewhere what is said of pixels names the decoder.
    odd = packing != "jpeg" and "tiff2vips:" not in _complaint(data)
    yield lambda: (_by_vips(data, name, "error"), "" if odd else MAY_BE_DAMAGED)
    if packing is not None:
        yield lambda: (_by_pillow(data, name, ("TIFF",)), "")


def _only_odd(data: bytes) -> bool:
    """Whether already the header is warned of, as odd cameras' are, and not the pixels behind it."""
    try:
        pyvips.Image.new_from_buffer(data, "", fail_on="warning")
    except pyvips.Error as error:
        return "orrupt" not in str(error)
    return False


def _complaint(data: bytes) -> str:
    """All that libvips says of a file."""
    try:
        pyvips.Image.new_from_buffer(data, "", fail_on="warning").avg()
    except pyvips.Error as error:
        return str(error)
    return ""


def _pillow_reads(data: bytes) -> str | None:
    """How a TIFF is packed of which Pillow decodes all, "" if it cannot, None if it is of a kind that Pillow does not
    know."""
    try:
        with Image.open(io.BytesIO(data), formats=("TIFF",)) as picture:
            if picture.width * picture.height > PIXEL_LIMIT:
                return None
            packing = str(picture.info.get("compression") or "raw")
            picture.load()
    except UnidentifiedImageError:
        return None
    except Exception:
        # Decoders of strangers' data raise whatever they like; here only counts that it is not read.
        return ""
    return packing


def _by_vips(data: bytes, name: str, fail_on: str, shrink: int = 1) -> pyvips.Image:
    smaller = {"shrink": shrink} if shrink > 1 else {}
    try:
        image = pyvips.Image.new_from_buffer(data, "", fail_on=fail_on, **smaller)
    except pyvips.Error as error:
        reason = str(error)
        known = data.startswith(_MAGIC)
        if not known and ("not in a known format" in reason or "not a known file format" in reason):
            raise NoPictureError(f"{name} is not a picture in a format that can be read here.") from error
        raise
    check_dimensions(image.width * shrink, image.height * shrink, name)
    if image.bands > _CHANNELS:
        # A few thousand of them fit into no memory, however small the picture is.
        raise PhotoError(f"{name} claims to hold {image.bands:,} values for each pixel: the file is damaged.")
    return image


def _is_pillows(data: bytes) -> bool:
    """Whether a file is JPEG 2000 (ISO/IEC 15444-1) or an ISO base media file with HEVC pictures (ISO/IEC 23008-12)."""
    return data.startswith(_JPEG2000) or (data[4:8] == b"ftyp" and not _is_av1(data))


def _is_av1(data: bytes) -> bool:
    return b"avif" in data[8:32] or b"avis" in data[8:32]


def _by_pillow(data: bytes, name: str, formats: tuple[str, ...]) -> pyvips.Image:
    """The picture as one of libvips, with its profile, capture time and density; HEIC comes upright already."""
    try:
        with Image.open(io.BytesIO(data), formats=formats) as picture:
            check_dimensions(*picture.size, name)
            pixels, kind = _pixels_of(picture), picture.format
            profile, exif = picture.info.get("icc_profile"), picture.getexif()
            dpi = picture.info.get("dpi")
            cmyk = picture.mode == "CMYK"
            taken, turn = exif.get_ifd(0x8769).get(0x9003), exif.get(0x0112, 1) if kind == "TIFF" else 1
    except PhotoError:
        raise
    except Exception as error:
        # Each codec has errors of its own; whichever it is, the file gives no picture.
        raise PhotoError(damage(name, str(error))) from error
    image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels))
    deep = pixels.dtype == np.uint16
    known = {1: "grey16" if deep else "b-w", 3: "srgb", 4: "cmyk" if cmyk else "srgb"}
    image = image.copy(interpretation=known[pixels.shape[2]])
    if turn in range(2, 9):
        image.set_type(pyvips.GValue.gint_type, "orientation", int(turn))
    if dpi and dpi[0]:
        image = image.copy(xres=float(dpi[0]) / 25.4, yres=float(dpi[0]) / 25.4)
        image.set_type(pyvips.GValue.gstr_type, "resolution-unit", "in")
    image.set_type(pyvips.GValue.gstr_type, "vips-loader", _CALLED[str(kind)])
    if profile:
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile)
    if taken:
        image.set_type(pyvips.GValue.gstr_type, TAKEN, str(taken))
    return image


def _pixels_of(picture: Image.Image) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """(h, w, 1, 3 or 4): Pillow may also hold grey with alpha, palettes or CIE L*a*b*; 16-bit grey stays deep."""
    if picture.mode.startswith("I"):
        pixels = np.array(picture).astype(np.uint16)
        bits = getattr(picture, "tag_v2", {}).get(258, (16,))
        # Twelve bits are unpacked, and not stretched to the sixteen that they lie in.
        return (pixels << (16 - bits[0]) if bits[0] < 16 else pixels)[..., None]
    if picture.mode == "LAB":
        lab, srgb = ImageCms.createProfile("LAB"), ImageCms.createProfile("sRGB")
        picture = ImageCms.profileToProfile(picture, lab, srgb, outputMode="RGB") or picture
    mode = picture.mode if picture.mode in ("L", "RGB", "RGBA", "CMYK") else "RGBA"
    pixels = np.array(picture.convert(mode))
    return pixels[..., None] if pixels.ndim == 2 else pixels


def check_dimensions(width: int, height: int, name: str) -> None:
    """Raises PhotoError if a picture is too large, or too small to find anything in."""
    if width * height > PIXEL_LIMIT:
        raise PhotoError(
            f"{name} is {width} x {height} pixels ({width * height / 1e6:.0f} megapixels); "
            f"photos up to {PIXEL_LIMIT / 1e6:.0f} megapixels are read."
        )
    if min(width, height) < 16:
        raise PhotoError(f"{name} is only {width} x {height} pixels, too small to find an item in.")


def lacks_memory(reason: str) -> bool:
    """Whether a library's complaint is that there is too little memory."""
    return any(words in reason.lower() for words in _NO_MEMORY)


def damage(name: str, reason: str) -> str:
    """What a decoder's complaint means, in a sentence."""
    if lacks_memory(reason):
        return f"{name} needs more memory than this computer has free."
    if any(word in reason for word in _UNKNOWN_KINDS):
        return f"{name} stores its pixels in a way that cannot be read here; save it as usual TIFF, JPEG or PNG."
    if any(word in reason for word in ("premature", "truncated", "end of", "EOF", "ran out")):
        return f"{name} ends too early: the file is damaged or was not copied completely."
    return f"{name} is damaged and cannot be decoded."
