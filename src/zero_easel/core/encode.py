"""Finished pixels -> file bytes. The same pixels and settings always give the same bytes."""

import numpy as np
import pyvips

from zero_easel.core.colour import Encoded
from zero_easel.core.standard import Deliverable


def encode(pixels: Encoded, deliverable: Deliverable) -> bytes:
    """JPEG, PNG or WebP of (H, W, 3 or 4) uint8 sRGB pixels, with the sRGB profile embedded.

    JPEG above quality 88 keeps full colour resolution: thin red or blue edges bleed otherwise.
    """
    image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels), interpretation="srgb")
    quality = deliverable.quality
    if deliverable.format == "jpeg":
        subsample = "off" if quality > 88 else "on"
        data = image.jpegsave_buffer(
            Q=quality, optimize_coding=True, interlace=True, subsample_mode=subsample, profile="srgb"
        )
    elif deliverable.format == "png":
        data = image.pngsave_buffer(compression=6, profile="srgb")
    else:
        data = image.webpsave_buffer(Q=quality, alpha_q=100, effort=4, smart_subsample=True, profile="srgb")
    return bytes(data)


CUTOUT_MARK = b"Zero Easel cutout"
"""Stands near the start of each cutout file, so that only such files are ever written over."""


def encode_cutout(pixels: Encoded) -> bytes:
    """Lossless PNG of (H, W, 4) sRGB pixels with straight alpha, uint8 or uint16, marked as a cutout."""
    image = pyvips.Image.new_from_array(
        np.ascontiguousarray(pixels), interpretation="srgb" if pixels.dtype == np.uint8 else "rgb16"
    ).copy()
    image.set_type(pyvips.GValue.gstr_type, "png-comment-0-Software", CUTOUT_MARK.decode())
    return bytes(image.pngsave_buffer(compression=2))
