"""The spaces that pixels are in: sRGB, a wide one for photos that hold more, and that of raw files.

Wide is ROMM RGB's primaries (ISO 22028-2:2013) with the curve of sRGB, at 16 bits: one table decodes both, what lies
between is one matrix on linear light, and nothing that a camera or a wide-gamut file says is cut off.
"""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Encoded, Float, to_linear, to_srgb16

Space = Literal["srgb", "wide", "raw"]

_TO_WIDE = np.array(
    [[0.5293459, 0.3300728, 0.1405813], [0.0983743, 0.8734610, 0.0281647], [0.0168832, 0.1176725, 0.8654443]],
    np.float64,
)
"""Linear sRGB to linear ROMM RGB, white to white by Bradford's adaptation, as the profiles of both say it."""
_FROM_SRGB: dict[Space, NDArray[np.float64]] = {"srgb": np.eye(3), "wide": _TO_WIDE, "raw": _TO_WIDE / 2}


def between(source: Space, target: Space) -> NDArray[np.float64]:
    """(3, 3) on linear light."""
    return np.asarray(_FROM_SRGB[target] @ np.linalg.inv(_FROM_SRGB[source]))


def light_in(light: Float, source: Space, target: Space) -> Float:
    """(..., 3) linear light of one space in the other; what lies outside it is below 0 or above 1."""
    if source == target:
        return light
    flat = light.reshape(-1, 3) @ between(source, target).T.astype(np.float32)
    return np.asarray(flat, np.float32).reshape(light.shape)


def planes_in(planes: list[Float], source: Space, target: Space) -> list[Float]:
    """The same for three planes."""
    if source == target:
        return planes
    return [
        np.asarray(sum(np.float32(k) * plane for k, plane in zip(row, planes, strict=True)), np.float32)
        for row in between(source, target)
    ]


def as_srgb(pixels: Encoded, space: Space) -> Encoded:
    """Pixels, (..., 3), or (..., 4) with alpha last, for looking at: what sRGB cannot show is cut off."""
    if space == "srgb":
        return pixels
    shown = to_srgb16(light_in(to_linear(pixels[..., :3]), space, "srgb"))
    return np.concatenate([shown, pixels[..., 3:]], -1)
