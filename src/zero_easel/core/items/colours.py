"""The main colours of an item."""

import cv2
import numpy as np

from zero_easel.core.light.colour import Encoded, Float, to_linear
from zero_easel.core.light.space import Space, light_in

_SIDE = 72
"""px to which an item is reduced; what is smaller is no main colour."""
_MOST, _LEAST_SHARE = 4, 0.08


def main_colours(pixels: Encoded, space: Space = "srgb") -> tuple[tuple[float, float, float, float], ...]:
    """Up to four colours of a cutout, (h, w, 4) uint8 or uint16, as linear sRGB with the share of the item that is
    nearest to each; the largest first. Clusters in the cube root of light, which is near to how colours are seen."""
    scale = min(1.0, _SIDE / max(pixels.shape[:2]))
    size = (max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale)))
    top = np.iinfo(pixels.dtype).max
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    solid = small[..., 3] > 0.9 * top
    if solid.sum() < _MOST:
        return ()
    # Straight colours were averaged with the clear rim around them; only what is solid all over counts.
    light: Float = light_in(to_linear(small[solid][:, :3]), space, "srgb")
    seen = np.cbrt(np.maximum(light, 0)).astype(np.float32)
    cv2.setRNGSeed(17)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 1e-3)
    _, labels, _ = cv2.kmeans(seen, _MOST, None, stop, 2, cv2.KMEANS_PP_CENTERS)
    found = []
    for label in range(_MOST):
        part = light[labels[:, 0] == label]
        if len(part) >= _LEAST_SHARE * len(light):
            red, green, blue = (round(float(v), 5) for v in np.median(part, 0))
            found.append((red, green, blue, round(len(part) / len(light), 3)))
    return tuple(sorted(found, key=lambda one: -one[3]))
