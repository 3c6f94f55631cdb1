"""Colour profiles of finished pictures: sRGB, the photo's own, or a chosen ICC file."""

import tempfile
from functools import cache
from pathlib import Path
from typing import Literal, NamedTuple

import numpy as np

from zero_easel.core.light.colour import Encoded
from zero_easel.core.light.space import Space
from zero_easel.core.photos.vips import pyvips

WIDE_PROFILE = Path(__file__).with_name("wide.icc")
"""Of the wide space; written by scripts/wide_profile.py."""


class ProfileError(ValueError):
    """A colour profile that cannot be used for a picture, with the reason in plain words."""


Intent = Literal["relative", "perceptual"]


class Tagged(NamedTuple):
    """Pixels in the colours of a profile, and that profile."""

    pixels: Encoded
    icc: bytes


@cache
def srgb_profile() -> bytes:
    """libvips' own sRGB profile (IEC 61966-2-1)."""
    return bytes(pyvips.Operation.call("profile_load", "srgb"))


def in_srgb(pixels: Encoded) -> Tagged:
    """Pixels as they are, tagged with sRGB."""
    return Tagged(pixels, srgb_profile())


def converted(
    pixels: Encoded, icc: bytes, name: str, space: Space = "srgb", bits: int = 8, intent: Intent = "relative"
) -> Tagged:
    """Pixels of a space, (H, W, 3 or 4) uint8 or uint16, alpha last, in the colours of a profile with as many bits, by
    a rendering intent (ICC.1:2010); the colorimetric one with black point compensation.

    The result has three channels, or four of ink, besides alpha. Raises ProfileError; name is used in the message.
    """
    colours = np.ascontiguousarray(pixels[..., :3])
    deep = pixels.dtype == np.uint16
    image = pyvips.Image.new_from_array(colours, interpretation="rgb16" if deep else "srgb")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "profile.icc"
        path.write_bytes(icc)
        try:
            made = image.icc_transform(
                str(path),
                input_profile="srgb" if space == "srgb" else str(WIDE_PROFILE),
                intent=intent,
                black_point_compensation=intent == "relative",
                depth=bits,
            )
            out = np.asarray(made.numpy())
        except pyvips.Error as error:
            raise ProfileError(f"the profile {name} cannot be converted to") from error
    if out.ndim == 2:
        out = out[..., None]
    if pixels.shape[2] == 4:
        if out.shape[2] == 4:
            raise ProfileError(f"the profile {name} is one of ink, which no transparent picture can have")
        alpha = pixels[..., 3]
        out = np.dstack([out, (alpha >> 8).astype(np.uint8) if deep and bits == 8 else alpha])
    return Tagged(out, icc)
