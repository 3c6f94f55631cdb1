"""Telling drawn graphics from photographs."""

import numpy as np

from zero_easel.core.light.colour import Encoded

_COLOURS = 64
"""Colours up to which a picture may be drawn; a photo has thousands, for no two pixels of it have the same noise."""
_EVEN = 0.35
"""Share of neighbours of one colour from which it is."""
_STEP = 12
"""Levels of 255 between neighbours of other colours, in the middle: the colours of a photo that was reduced to few lie
next to each other and differ by one to five."""
_SPRITE, _PER_COLOUR = 128, 8
"""Longest side in px of pictures in which edges may be everywhere, and px that they have at least for each colour."""
_FEW, _BETWEEN = 16, (0.4, 0.2)
"""Share of its edges that pass through a mixed colour from which a drawing is smoothed: one of up to so many colours,
where some are mixed by hand, and one of more."""


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
    if same.size == 0:
        return False
    h, w = seen.shape[:2]
    colours = _colours(seen)
    flat = same.mean() >= _EVEN or (max(h, w) <= _SPRITE and colours * _PER_COLOUR <= h * w)
    if not flat or colours > _COLOURS or _step(seen) < _STEP:
        return False
    return _smoothed(seen) < _BETWEEN[colours > _FEW]


def _step(pixels: Encoded) -> float:
    """By how much neighbours of other colours differ, in levels of 255: the middle one of all; 255 without any."""
    steps = np.abs(np.diff(pixels.astype(np.int32), axis=1)).max(-1)
    steps = steps[steps > 0]
    return float(np.median(steps)) * (255 / np.iinfo(pixels.dtype).max) if steps.size else 255.0


def _smoothed(pixels: Encoded) -> float:
    """Share of the edges along rows and columns that pass through a colour between those on both sides."""
    between = edges = 0
    for seen in (pixels, pixels.swapaxes(0, 1)):
        before, here, after = (seen[:, at : seen.shape[1] - 2 + at].astype(np.int32) for at in range(3))
        low, high = np.minimum(before, after), np.maximum(before, after)
        differs = (here != before).any(-1) & (here != after).any(-1)
        between += int((differs & (here >= low).all(-1) & (here <= high).all(-1)).sum())
        edges += int((here != before).any(-1).sum())
    return between / max(edges, 1)


def _colours(pixels: Encoded) -> int:
    """How many different ones there are."""
    red, green, blue = (pixels[..., channel].astype(np.int64) for channel in range(3))
    return len(np.unique((red << 32) | (green << 16) | blue))
