"""The soft edge: matte and clean foreground at full size, in a narrow band around the outline.

With the shadowed backdrop B known on both sides of the band and the item's own colour F continued from inside, each
pixel is I = a F + (1 - a) B in linear light and `a` follows by projection (known-backdrop matting: Smith & Blinn,
SIGGRAPH 1996). Where F and B are alike the projection says little, and the outline's geometry takes over by the
ratio of contrast to noise. Colour fields are smooth and are made at a moderate size; the band alone is solved at
full size.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.colour import Encoded, Float, Mask, to_linear, to_srgb8
from zero_easel.core.fill import fill_from

BAND = 1.75
"""Half width of the undecided band, in px of the working size."""
_FIELD_SIDE = 1600


@dataclass(frozen=True)
class _Fields:
    """Colours of backdrop and item continued over each other, (h, w, 3) linear light at a moderate size."""

    backdrop: Float
    item: Float


def solve_matte(pixels: Encoded, item: Mask, noise: float) -> tuple[Float, Encoded]:
    """Matte and foreground of a photo at its full size.

    pixels: (H, W, 3) uint8 or uint16, sRGB-encoded. item: (h, w) bool, the item's shape at the working size.
    noise: standard deviation of log light on the bare backdrop.
    Returns matte (H, W) float32 in [0, 1] and foreground (H, W, 3), sRGB-encoded with the dtype of pixels: inside
    the band the item's own colour without the backdrop's share.
    """
    height, width = pixels.shape[:2]
    signed = _signed_distance(item)
    fields = _colour_fields(pixels, signed)
    at_full = cv2.resize(signed, (width, height), interpolation=cv2.INTER_LINEAR)
    matte = (at_full > 0).astype(np.float32)
    foreground = pixels.copy()
    rows, columns = np.nonzero(np.abs(at_full) < BAND)
    if not rows.size:
        return matte, foreground
    colour = to_linear(pixels[rows, columns][None])[0]
    behind, own = (_sample(f, rows, columns, (height, width)) for f in (fields.backdrop, fields.item))
    geometry = np.clip(0.5 + at_full[rows, columns] / 1.5, 0, 1)
    alpha = _project(colour, behind, own, geometry, noise)
    matte[rows, columns] = alpha
    foreground[rows, columns] = _encode(_unmix(colour, behind, own, alpha), pixels.dtype == np.uint16)
    return matte, foreground


def _signed_distance(item: Mask) -> Float:
    """Distance to the outline in working px, positive inside."""
    inside = cv2.distanceTransform(item.astype(np.uint8), cv2.DIST_L2, 5)
    outside = cv2.distanceTransform((~item).astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray(np.where(item, inside - 0.5, 0.5 - outside), np.float32)


def _colour_fields(pixels: Encoded, signed: Float) -> _Fields:
    height, width = pixels.shape[:2]
    scale = min(1.0, _FIELD_SIDE / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    moderate = pixels if scale == 1 else cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    linear = to_linear(np.asarray(moderate, pixels.dtype))
    distance = cv2.resize(signed, size, interpolation=cv2.INTER_LINEAR)
    backdrop = fill_from(linear, distance < -BAND)
    # Wires are thinner than the band and have no sure interior: there the pixels farthest from the backdrop speak,
    # with so little weight that any sure pixel nearby outvotes them.
    apart = np.square((linear - backdrop) / (backdrop + 0.02)).sum(2)
    weight = np.where(distance > BAND, 1.0, np.where(distance > -0.5, 1e-3 * np.minimum(apart, 1.0) ** 2, 0.0))
    return _Fields(backdrop, fill_from(linear, weight.astype(np.float32)))


def _sample(field: Float, rows: NDArray[np.intp], columns: NDArray[np.intp], shape: tuple[int, int]) -> Float:
    """Bilinear values of a reduced field at full-size pixel positions, (n, 3)."""
    h, w = field.shape[:2]
    y = ((rows + 0.5) * (h / shape[0]) - 0.5).astype(np.float32)
    x = ((columns + 0.5) * (w / shape[1]) - 0.5).astype(np.float32)
    # The remapper takes pictures with sides below 2**15: the positions are laid out as one.
    side = 16384
    count = rows.size
    padded = -(-count // side) * side
    maps = [np.pad(v, (0, padded - count)).reshape(-1, side) for v in (x, y)]
    sampled = [
        cv2.remap(
            field, maps[0][i : i + side], maps[1][i : i + side], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        for i in range(0, padded // side, side)
    ]
    return np.asarray(np.concatenate(sampled).reshape(-1, 3)[:count], np.float32)


def _project(colour: Float, behind: Float, own: Float, geometry: Float, noise: float) -> Float:
    """Alpha of band pixels, (n,), from colour where item and backdrop differ and from geometry where not."""
    across = own - behind
    contrast = np.square(across).sum(1)
    projected = np.clip(((colour - behind) * across).sum(1) / np.maximum(contrast, 1e-8), 0, 1)
    doubt = np.square(3 * noise * (behind + 0.02)).sum(1)
    trust = contrast / (contrast + doubt)
    alpha = trust * projected + (1 - trust) * geometry
    # Camera noise and compression leave a few per cent on either side of a clean edge.
    return np.asarray(np.clip((alpha - 0.04) / 0.92, 0, 1), np.float32)


def _unmix(colour: Float, behind: Float, own: Float, alpha: Float) -> Float:
    """The item's colour in mixed pixels; where its share is small, the colour continued from inside."""
    share = alpha[:, None]
    pure = np.clip((colour - (1 - share) * behind) / np.maximum(share, 0.05), 0, 1)
    return np.asarray(share * pure + (1 - share) * own, np.float32)


def _encode(linear: Float, deep: bool) -> Encoded:
    if not deep:
        return to_srgb8(linear)
    v = np.clip(linear, 0, 1)
    encoded = np.where(v <= 0.0031308, v * 12.92, 1.055 * np.power(v, 1 / 2.4) - 0.055)
    return np.round(encoded * 65535).astype(np.uint16)
