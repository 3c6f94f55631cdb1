"""Pixels -> file bytes. The same pixels and settings always give the same bytes."""

import io
import struct
import zlib
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from zero_easel.core.finishing.embed import Embedded, in_photoshop_block
from zero_easel.core.finishing.jpeg2000 import with_boxes
from zero_easel.core.light.colour import Encoded
from zero_easel.core.photos.profiles import srgb_profile
from zero_easel.core.photos.vips import pyvips
from zero_easel.core.standard.deliverable import Deliverable

CUTOUT_MARK = b"Zero Easel cutout"
"""Stands near the start of each cutout file, so that only such files are ever written over."""
_DENSITY = 72
"""px per inch where none is asked for."""
_HEADER = 33
"""Bytes of a PNG's signature and IHDR chunk."""
_FINE = 88
"""Quality above which colour keeps its full resolution: thin red or blue edges bleed otherwise."""


class EncodedFile(NamedTuple):
    """A file's bytes, and the quality that they were made with (0 if the format has none). fits: whether they keep the
    limit on bytes."""

    data: bytes
    quality: int
    fits: bool = True


def encode(
    pixels: Encoded, wanted: Deliverable, density: float = _DENSITY, more: Embedded | None = None
) -> EncodedFile:
    """A finished picture in the format of a deliverable, from (H, W, 3 or 4) uint8 or uint16 pixels.

    density: px per inch, as written into the file. more: profile and information; sRGB alone if None. With a limit on
    bytes, the best quality from `min_quality` up to `quality` that keeps it; if none does, the least, and fits is
    False."""
    more = more or Embedded(icc=srgb_profile())

    def at(quality: int) -> bytes:
        """The file's bytes at a quality."""
        return _SAVERS[wanted.format](pixels, wanted, quality, density, more)

    if not wanted.max_kb:
        return EncodedFile(at(wanted.quality), wanted.quality if wanted.kind.quality and not wanted.lossless else 0)
    return within(at, round(wanted.max_kb * 1000), min(wanted.min_quality, wanted.quality), wanted.quality)


def within(make: Callable[[int], bytes], limit: int, least: int, best: int) -> EncodedFile:
    """The best quality whose bytes keep a limit, by halving the range: at most eight files are made."""
    data = make(best)
    if len(data) <= limit:
        return EncodedFile(data, best)
    low, found, high = least, EncodedFile(data, best, False), best
    while low < high:
        middle = (low + high) // 2
        data = make(middle)
        if len(data) <= limit:
            found, low = EncodedFile(data, middle), middle + 1
        else:
            high = middle
    if found.fits:
        return found
    return EncodedFile(make(least), least, False)


def _jpeg(pixels: Encoded, wanted: Deliverable, quality: int, density: float, more: Embedded) -> bytes:
    image = _image(pixels, density, more._replace(iptc=in_photoshop_block(more.iptc) if more.iptc else b""))
    data = image.jpegsave_buffer(
        Q=quality, optimize_coding=True, subsample_mode=_subsampled(wanted, quality), interlace=wanted.progressive
    )
    return bytes(data)


def _subsampled(wanted: Deliverable, quality: int) -> str:
    if wanted.chroma == "auto":
        return "off" if quality > _FINE else "on"
    return "off" if wanted.chroma == "full" else "on"


def _png(pixels: Encoded, wanted: Deliverable, quality: int, density: float, more: Embedded) -> bytes:  # noqa: ARG001
    data = bytes(_image(pixels, density, more).pngsave_buffer(compression=6))
    if pixels.dtype == np.uint8 and (packed := _packed(pixels)) is not None:
        small = _png_of_few_colours(packed, pixels.shape[2] == 4, density, more)
        return min(data, small, key=len)
    return data


def _packed(pixels: Encoded) -> NDArray[np.uint32] | None:
    """Each pixel as one number, None if there are more colours than a palette holds; a sample tells for most."""
    packed = pixels[..., 0].astype(np.uint32)
    for at in range(1, pixels.shape[2]):
        packed |= pixels[..., at].astype(np.uint32) << (8 * at)
    few = len(np.unique(packed[:: max(1, len(packed) // 64)])) <= 256 and len(np.unique(packed)) <= 256
    return packed if few else None


def _png_of_few_colours(packed: NDArray[np.uint32], clear: bool, density: float, more: Embedded) -> bytes:
    """A PNG with a palette: the same pixels in a third of the bytes or less."""
    colours, index = np.unique(packed, return_inverse=True)
    parts = [(colours >> (8 * at) & 255).astype(np.uint8) for at in range(4)]
    image = Image.fromarray(index.reshape(packed.shape).astype(np.uint8), "L")
    image.putpalette(np.stack(parts[:3], 1).tobytes())
    text = PngInfo()
    if more.xmp:
        text.add_itxt("XML:com.adobe.xmp", more.xmp.decode())
    buffer = io.BytesIO()
    given = {"transparency": parts[3].tobytes()} if clear else {}
    image.save(
        buffer,
        "PNG",
        optimize=True,
        dpi=(density, density),
        pnginfo=text,
        exif=more.exif,
        icc_profile=more.icc or None,
        **given,
    )
    return buffer.getvalue()


def _webp(pixels: Encoded, wanted: Deliverable, quality: int, density: float, more: Embedded) -> bytes:
    image = _image(pixels, density, more)
    if wanted.lossless:
        return bytes(image.webpsave_buffer(lossless=True, effort=4, exact=False))
    return bytes(image.webpsave_buffer(Q=quality, alpha_q=100, effort=4, smart_subsample=True))


def _avif(pixels: Encoded, wanted: Deliverable, quality: int, density: float, more: Embedded) -> bytes:
    subsample = "off" if wanted.lossless else _subsampled(wanted, quality)
    image = _image(pixels, density, more)
    data = image.heifsave_buffer(
        compression="av1", Q=quality, lossless=wanted.lossless, effort=3, subsample_mode=subsample, bitdepth=8
    )
    return bytes(data)


def _tiff(pixels: Encoded, wanted: Deliverable, quality: int, density: float, more: Embedded) -> bytes:  # noqa: ARG001
    # libvips counts this field in fours of bytes and libtiff in bytes, so that only a quarter is written: zeros, which
    # readers pass over, make up for that.
    padded = more.iptc + b"\0" * (3 * len(more.iptc) + 12)
    image = _image(pixels, density, more._replace(exif=b"", iptc=padded))
    return bytes(image.tiffsave_buffer(compression="deflate", predictor="horizontal", level=6, resunit="inch"))


def _jpeg2000(pixels: Encoded, wanted: Deliverable, quality: int, density: float, more: Embedded) -> bytes:
    single: Encoded = np.squeeze(pixels)  # grey has no axis of channels there
    buffer = io.BytesIO()
    # Quality is the peak signal-to-noise ratio asked for: 42.5 dB at 50, 52.5 dB at 90. Much of a picture is plain
    # ground, so that the item itself has some 3 dB less.
    layers = {} if wanted.lossless else {"quality_mode": "dB", "quality_layers": [30 + 0.25 * quality]}
    Image.fromarray(np.ascontiguousarray(single)).save(
        buffer, "JPEG2000", irreversible=not wanted.lossless, mct=1, **layers
    )
    return with_boxes(buffer.getvalue(), density, more, is_srgb=more.icc == srgb_profile())


_SAVERS: dict[str, Callable[[Encoded, Deliverable, int, float, Embedded], bytes]] = {
    "jpeg": _jpeg,
    "png": _png,
    "webp": _webp,
    "avif": _avif,
    "tiff": _tiff,
    "jpeg2000": _jpeg2000,
}


def encode_jpeg(pixels: Encoded, quality: int = 85) -> bytes:
    """JPEG with the sRGB profile, for the screen; quality 1..100."""
    return encode(pixels, Deliverable(quality=quality)).data


def encode_webp(pixels: Encoded, quality: int = 80) -> bytes:
    """WebP with the sRGB profile, for the screen, as fast as it can be made; alpha, if any, without loss."""
    image = _image(pixels, _DENSITY, Embedded(icc=srgb_profile()))
    return bytes(image.webpsave_buffer(Q=quality, alpha_q=100, effort=2, smart_subsample=True))


def weight_of(pixels: Encoded) -> int:
    """Bytes of a small cutout, (h, w, 4) uint8, as JPEG on white: tells how much there is to see in it, and so how
    many bytes its pictures will have beside others'."""
    image = _image(pixels).flatten(background=255)
    return len(image.jpegsave_buffer(Q=90, keep="none"))


def encode_tile(pixels: Encoded) -> bytes:
    """PNG of (h, w, 4) uint8 for the screen, as fast as it can be made."""
    return bytes(_image(pixels).pngsave_buffer(compression=1, filter="sub", keep="none"))


def encode_png(pixels: Encoded) -> bytes:
    """PNG of (h, w, 3 or 4) uint8 with nothing beside its pixels."""
    return bytes(_image(pixels).pngsave_buffer(compression=6, keep="none"))


def encode_cutout(pixels: Encoded) -> bytes:
    """Lossless PNG of (H, W, 4) sRGB pixels with straight alpha, uint8 or uint16, marked as a cutout."""
    png = bytes(_image(pixels).pngsave_buffer(compression=2, keep="none"))
    # A plain tEXt chunk right after the header (PNG, 11.3.3.2); the library would compress it out of sight.
    text = b"tEXtSoftware\0" + CUTOUT_MARK
    chunk = struct.pack(">I", len(text) - 4) + text + struct.pack(">I", zlib.crc32(text))
    return png[:_HEADER] + chunk + png[_HEADER:]


_BLOBS = {"icc": "icc-profile-data", "exif": "exif-data", "xmp": "xmp-data", "iptc": "iptc-data"}


def _image(pixels: Encoded, density: float = _DENSITY, more: Embedded | None = None) -> pyvips.Image:
    deep, channels = pixels.dtype != np.uint8, pixels.shape[2]
    # Four channels are colour and alpha, unless a profile of ink says otherwise.
    ink = channels == 4 and more is not None and more.icc[16:20] == b"CMYK"
    known = {1: "grey16" if deep else "b-w", 2: "grey16" if deep else "b-w"}
    kind = "cmyk" if ink else known.get(channels, "rgb16" if deep else "srgb")
    image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels), interpretation=kind)
    image = image.copy(xres=density / 25.4, yres=density / 25.4)
    for key, field in _BLOBS.items():
        if more is not None and (data := getattr(more, key)):
            image.set_type(pyvips.GValue.blob_type, field, data)
    return image
