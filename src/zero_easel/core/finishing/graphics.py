"""Telling drawn graphics from photographs."""

import numpy as np

from zero_easel.core.light.colour import Encoded

_COLOURS = 64
"""Colours up to which a picture may be drawn; a photo has thousands, for no two pixels of it have the same noise."""
_EVEN = 0.9
"""Share of neighbours of one colour from which it is."""


def is_hard_edged(pixels: Encoded) -> bool:
    """Whether (h, w, 3 or 4) pixels are a graphic of few flat colours with hard edges: a logo, a barcode, pixel art.

    Anti-aliased drawings count as photographs: their edges are soft already.
    """
    seen = pixels[..., :3]
    if _colours(seen[seen.shape[0] // 2]) > _COLOURS:  # one row tells nearly every photo
        return False
    if pixels.shape[-1] == 4:
        alpha = pixels[..., 3]
        if ((alpha > 0) & (alpha < np.iinfo(pixels.dtype).max)).any():
            return False
    same = (seen[:, 1:] == seen[:, :-1]).all(-1)
    if same.size == 0 or same.mean() < _EVEN:
        return False
    return _colours(seen) <= _COLOURS


def _colours(pixels: Encoded) -> int:
    """How many different ones there are."""
    red, green, blue = (pixels[..., channel].astype(np.int64) for channel in range(3))
    return len(np.unique((red << 32) | (green << 16) | blue))
