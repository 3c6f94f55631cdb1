"""The light of the bare backdrop at an item's place: what fell on the item, as white paper shows it."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.clearing.backdrop import FLOOR
from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.shadow import in_frame
from zero_easel.core.clearing.sight import Sight
from zero_easel.core.light.colour import Float, Mask
from zero_easel.core.light.geometry import Size, Window
from zero_easel.core.light.windows import part_of
from zero_easel.core.tone.balance import lamp_with

_BOUNCE = 0.025
"""Of the frame's longer side: as far from an item its colour may be seen on the paper."""
_SHADED = 5
"""Share of light, in 255ths, that a shadow takes away where the backdrop no longer counts."""
_ENOUGH = 0.004
"""Of the frame, that must be seen."""
_CLIPPED = 0.985
"""Light from which a channel may hold less than there was."""
_DARK = 0.01
"""Light below which a channel is mostly noise."""


def light_beside(sight: Sight, region: Region, shadow: NDArray[np.uint8]) -> tuple[float, float, float] | None:
    """Linear sRGB of the bare backdrop at the item, None where too little of it is seen.

    The smooth backdrop that was fitted gives its course over the frame, and what lies bare beside the item, outside its
    shadow and the bounce of its own colour, how light and of what colour it is there. Where a channel of lit paper is
    clipped, as under a warm lamp, colour is taken from paper that is in shadow, or else from the two channels that are
    whole and the colours that lamps and daylight have; where green is clipped, nothing is known.
    """
    h, w = shadow.shape
    picture = part_of(sight.linear, Window(), Size(w, h))
    item = in_frame(region, (h, w)).astype(np.uint8)
    reach = 2 * max(2, round(_BOUNCE * max(h, w))) + 1
    near = cv2.dilate(item, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (reach, reach))).astype(np.bool_)
    bare = ~near & (shadow <= _SHADED)
    sound = picture.max(2) < _CLIPPED
    if not _enough(bare):
        return None
    light: Float | None
    if (bare & sound).sum() >= 0.5 * bare.sum():
        light = _at_item(picture, sight.backdrop.field, bare & sound, item > 0)
    else:
        light = _in_part(picture, bare, ~near & sound & (picture.min(2) > _DARK))
    if light is None:
        return None
    red, green, blue = (round(max(float(v), 0.0), 5) for v in light)
    return red, green, blue


def _at_item(picture: Float, field: Float, bare: Mask, item: Mask) -> Float:
    off = np.log(picture[bare] + FLOOR) - np.log(field[bare] + FLOOR)
    course = np.log(field[item] + FLOOR) if item.any() else np.zeros((1, 3))
    return np.asarray(np.exp(np.median(off, 0) + np.median(course, 0)) - FLOOR)


def _in_part(picture: Float, bare: Mask, shaded: Mask) -> Float | None:
    """Lightness from the lit paper's green, colour from the lightest half of what is not clipped, or by what is whole
    of the lit paper."""
    lit = np.median(picture[bare], 0)
    green = float(lit[1])
    if green >= _CLIPPED:
        return None
    if not _enough(shaded):
        whole = [channel for channel in (0, 2) if lit[channel] < _CLIPPED]
        return np.asarray(lamp_with(lit, 1, whole[0])) if whole else None
    level = picture[..., 1]
    lightest = shaded & (level >= np.median(level[shaded]))
    ratios = np.log(picture[lightest]) - np.log(picture[lightest][:, 1:2])
    return np.asarray(green * np.exp(np.median(ratios, 0)))


def _enough(mask: Mask) -> bool:
    return bool(mask.mean() >= _ENOUGH)
