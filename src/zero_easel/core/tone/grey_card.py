"""Finding a grey card in a photo: an even sheet with four straight sides, as neutral as what lies around it, and
darker by so much.

That it is a card and no grey box is nothing that a picture tells; so it is only ever proposed.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Encoded, Float, Mask, to_linear
from zero_easel.core.photos.reducing import reduced
from zero_easel.core.tone.balance import Colour, chromaticity, is_lamp_or_daylight
from zero_easel.core.tone.difference import TO_XYZ

_SIDE = 700
"""Longer side in px of the picture in which it is looked for."""
_STEPS = (4.0, 8.0, 14.0)
"""Slopes, in levels of 255 to a px, up to which a sheet is even: noise differs from photo to photo."""
_LEAST, _MOST = 0.008, 0.6
"""Share of the picture."""
_FILLED = 0.94
"""Share of the rectangle around it, seen at an angle, that it fills at least: corners may be round."""
_SHAPES = (0.35, 2.9)
"""Width to height."""
_DARKER = (0.09, 0.5)
"""Light of the card to that around it: cards reflect 18 %, paper and painted tables 40 to 90 %."""
_COLOUR = 0.006
"""Distance of the two in CIE 1960 u, v: both are neutral, whatever the light is."""
_CLIPPED, _COLOUR_CLIPPED = 0.98, 0.03
"""Light from which paper is clipped, and how far apart the two may be then."""
_EVEN, _SLOPE = 0.06, 0.5
"""Most that the light of a card differs from end to end once its slope is taken away, and by that, as shares of it."""
_BESIDE = (5, 14)
"""px beside it between which what lies around is looked at."""
_ALIKE, _ALIKE_SHARE = 0.22, 0.45
"""Share of what lies around that is of one light, within so much of it: the rest may be goods, or the card's shadow."""


_LUMINANCE = TO_XYZ[1].astype(np.float32)


def find_grey_card(pixels: Encoded) -> Colour | None:
    """Linear sRGB of the grey card in a photo, (H, W, 3) uint8 or uint16 sRGB; None if it shows none."""
    small = reduced(pixels, _SIDE)
    linear = to_linear(small)
    eight = small if small.dtype == np.uint8 else (small >> 8).astype(np.uint8)
    slope = _slope(np.ascontiguousarray(eight))
    found: list[tuple[float, NDArray[np.float32]]] = []
    for step in _STEPS:
        _, labels, facts, _ = cv2.connectedComponentsWithStats((slope < step / 4).astype(np.uint8), connectivity=4)
        for label in np.flatnonzero((facts[:, 4] >= _LEAST * slope.size) & (facts[:, 4] <= _MOST * slope.size)):
            if label and (card := _card(np.asarray(labels == label), linear)) is not None:
                found.append((float(facts[label, 4]), card))
    if not found:
        return None
    red, green, blue = (round(float(v), 5) for v in max(found, key=lambda one: one[0])[1])
    return red, green, blue


def _slope(picture: Encoded) -> Float:
    light = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
    blurred = np.sqrt(cv2.GaussianBlur(light, (0, 0), 1.6).astype(np.float32) / 255) * 255
    across, down = (cv2.Sobel(blurred, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.25) for dx in (1, 0))
    return np.asarray(cv2.magnitude(across, down), np.float32)


def _card(mask: Mask, linear: Float) -> NDArray[np.float32] | None:
    """Light of an even piece if it is a card."""
    if mask[0].any() or mask[-1].any() or mask[:, 0].any() or mask[:, -1].any():
        return None
    solid = mask.astype(np.uint8)
    outline = max(cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=cv2.contourArea)
    corners = _corners(outline)
    if corners is None:
        return None
    whole = np.zeros_like(solid)
    cv2.drawContours(whole, [outline], -1, 1, -1)
    drawn = np.zeros_like(solid)
    cv2.fillConvexPoly(drawn, np.round(corners).astype(np.int32), 1)
    if int((whole & drawn).sum()) < _FILLED * int((whole | drawn).sum()) or whole.sum() > 1.1 * solid.sum():
        return None
    near, far = (cv2.dilate(whole, np.ones((2 * by + 1, 2 * by + 1), np.uint8)) for by in _BESIDE)
    ring, inner = (far > 0) & (near == 0), cv2.erode(whole, np.ones((5, 5), np.uint8)) > 0
    own = np.median(linear[inner], 0)
    return own if _is_grey(own, linear[ring]) and _is_even(inner, linear) else None


def _corners(outline: NDArray[np.int32]) -> NDArray[np.float64] | None:
    hull = cv2.convexHull(outline)
    length = cv2.arcLength(hull, True)
    for tolerance in (0.02, 0.03, 0.045, 0.06):
        found = cv2.approxPolyDP(hull, tolerance * length, True).reshape(-1, 2).astype(np.float64)
        if len(found) == 4:
            sides = np.hypot(*(np.roll(found, -1, 0) - found).T)
            shape = (sides[0] + sides[2]) / max(sides[1] + sides[3], 1e-9)
            return found if _SHAPES[0] < shape < _SHAPES[1] else None
    return None


def _is_grey(own: NDArray[np.float32], ring: Float) -> bool:
    """Whether it is as neutral as most of what lies around, and darker."""
    levels, light = ring @ _LUMINANCE, float(own @ _LUMINANCE)
    beside = float(np.percentile(levels, 70))
    alike = abs(levels - beside) < _ALIKE * beside
    if not _DARKER[0] * beside < light < _DARKER[1] * beside or alike.mean() < _ALIKE_SHARE:
        return False
    around = np.median(ring[alike], 0)
    apart = float(np.hypot(*(chromaticity(own) - chromaticity(around))))
    if around.max() < _CLIPPED:
        return apart < _COLOUR
    # White paper that is clipped has lost its cast: the card alone says what it was.
    red, green, blue = (float(v) for v in own)
    return apart < _COLOUR_CLIPPED and is_lamp_or_daylight((red, green, blue))


def _is_even(inner: Mask, linear: Float) -> bool:
    """Whether its light is a plane, but for noise."""
    rows, columns = np.nonzero(inner)
    light = linear[rows, columns] @ _LUMINANCE
    terms = np.stack([np.ones(len(rows)), rows, columns], 1)
    plane = terms @ np.linalg.lstsq(terms, light, rcond=None)[0]
    if np.ptp(plane) > _SLOPE * float(light.mean()):
        return False
    rest = light - plane
    low, high = np.percentile(cv2.blur(_spread(inner, rest), (9, 9))[inner], (2, 98))
    return bool(high - low < _EVEN * float(light.mean()))


def _spread(inner: Mask, values: NDArray[np.floating]) -> Float:
    plane = np.zeros(inner.shape, np.float32)
    plane[inner] = values
    return plane
