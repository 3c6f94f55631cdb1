"""Pixels -> file bytes. The same pixels and settings always give the same bytes."""

import numpy as np
import pyvips

from zero_easel.core.colour import Encoded
from zero_easel.core.standard import Deliverable

CUTOUT_MARK = b"Zero Easel cutout"
"""Stands near the start of each cutout file, so that only such files are ever written over."""


def encode(pixels: Encoded, deliverable: Deliverable) -> bytes:
    """A finished picture as JPEG, PNG or WebP, from (H, W, 3 or 4) uint8 sRGB pixels."""
    if deliverable.format == "jpeg":
        return encode_jpeg(pixels, deliverable.quality)
    if deliverable.format == "webp":
        return encode_webp(pixels, deliverable.quality)
    return bytes(_image(pixels).pngsave_buffer(compression=6, profile="srgb"))


def encode_jpeg(pixels: Encoded, quality: int = 85) -> bytes:
    """Progressive JPEG with the sRGB profile; quality 1..100.

    Above quality 88 colour keeps its full resolution: thin red or blue edges bleed otherwise.
    """
    subsample = "off" if quality > 88 else "on"
    data = _image(pixels).jpegsave_buffer(
        Q=quality, optimize_coding=True, interlace=True, subsample_mode=subsample, profile="srgb"
    )
    return bytes(data)


def encode_webp(pixels: Encoded, quality: int = 80) -> bytes:
    """WebP with the sRGB profile; quality 1..100; alpha, if any, without loss."""
    data = _image(pixels).webpsave_buffer(Q=quality, alpha_q=100, effort=2, smart_subsample=True, profile="srgb")
    return bytes(data)


def encode_cutout(pixels: Encoded) -> bytes:
    """Lossless PNG of (H, W, 4) sRGB pixels with straight alpha, uint8 or uint16, marked as a cutout."""
    image = _image(pixels).copy()
    image.set_type(pyvips.GValue.gstr_type, "png-comment-0-Software", CUTOUT_MARK.decode())
    return bytes(image.pngsave_buffer(compression=2))


def _image(pixels: Encoded) -> pyvips.Image:
    interpretation = "srgb" if pixels.dtype == np.uint8 else "rgb16"
    return pyvips.Image.new_from_array(np.ascontiguousarray(pixels), interpretation=interpretation)
