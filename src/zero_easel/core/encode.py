"""Pixels -> file bytes. The same pixels and settings always give the same bytes."""

import struct
import zlib

import numpy as np
import pyvips

from zero_easel.core.colour import Encoded
from zero_easel.core.standard import Deliverable

CUTOUT_MARK = b"Zero Easel cutout"
"""Stands near the start of each cutout file, so that only such files are ever written over."""
_DENSITY = 72
"""px per inch where none is asked for."""
_HEADER = 33
"""Bytes of a PNG's signature and IHDR chunk."""


def encode(pixels: Encoded, deliverable: Deliverable, density: float = _DENSITY) -> bytes:
    """A finished picture as JPEG, PNG or WebP, from (H, W, 3 or 4) uint8 sRGB pixels. density: px per inch, as written
    into the file; WebP has no place for it."""
    if deliverable.format == "jpeg":
        return encode_jpeg(pixels, deliverable.quality, density)
    if deliverable.format == "webp":
        return encode_webp(pixels, deliverable.quality)
    return bytes(_image(pixels, density).pngsave_buffer(compression=6, profile="srgb"))


def encode_jpeg(pixels: Encoded, quality: int = 85, density: float = _DENSITY) -> bytes:
    """JPEG with the sRGB profile; quality 1..100; density in px per inch.

    Above quality 88 colour keeps its full resolution: thin red or blue edges bleed otherwise.
    """
    subsample = "off" if quality > 88 else "on"
    image = _image(pixels, density)
    return bytes(image.jpegsave_buffer(Q=quality, optimize_coding=True, subsample_mode=subsample, profile="srgb"))


def encode_webp(pixels: Encoded, quality: int = 80) -> bytes:
    """WebP with the sRGB profile; quality 1..100; alpha, if any, without loss."""
    data = _image(pixels).webpsave_buffer(Q=quality, alpha_q=100, effort=2, smart_subsample=True, profile="srgb")
    return bytes(data)


def encode_tile(pixels: Encoded) -> bytes:
    """PNG of (h, w, 4) uint8 for the screen, as fast as it can be made."""
    return bytes(_image(pixels).pngsave_buffer(compression=1, filter="sub", keep="none"))


def encode_cutout(pixels: Encoded) -> bytes:
    """Lossless PNG of (H, W, 4) sRGB pixels with straight alpha, uint8 or uint16, marked as a cutout."""
    png = bytes(_image(pixels).pngsave_buffer(compression=2, keep="none"))
    # A plain tEXt chunk right after the header (PNG, 11.3.3.2); the library would compress it out of sight.
    text = b"tEXtSoftware\0" + CUTOUT_MARK
    chunk = struct.pack(">I", len(text) - 4) + text + struct.pack(">I", zlib.crc32(text))
    return png[:_HEADER] + chunk + png[_HEADER:]


def _image(pixels: Encoded, density: float = _DENSITY) -> pyvips.Image:
    interpretation = "srgb" if pixels.dtype == np.uint8 else "rgb16"
    image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels), interpretation=interpretation)
    return image.copy(xres=density / 25.4, yres=density / 25.4)
