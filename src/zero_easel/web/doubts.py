"""Doubtful places as they are drawn on a photo or a cutout."""

from typing import NamedTuple

import numpy as np

from zero_easel.core.items.flag import Outline
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification, to_rectified
from zero_easel.library.store.models import PhotoRow


class DoubtfulPlace(NamedTuple):
    """path: SVG path data in px of the upright photo. open: whether what it holds could be either."""

    path: str
    open: bool


def places_on(photo: PhotoRow, *, rectified: bool = False) -> list[DoubtfulPlace]:
    """All doubtful places of a photo's cutout, the most serious first. rectified: where they lie after what is
    undone of the photo's geometry, as its cutout is drawn."""
    if photo.cutout is None:
        return []
    frame = Size(photo.original.width, photo.original.height)
    undone = photo.adjustment.rectified if rectified else AS_PHOTOGRAPHED
    return [
        DoubtfulPlace(_path(outline, frame, undone), flag.open)
        for flag in photo.cutout.flags
        for outline in flag.places
    ]


def _path(outline: Outline, frame: Size, undone: Rectification) -> str:
    places = to_rectified(np.array(outline) * np.array(frame) / 1000, undone, frame)
    points = (f"{x:.1f} {y:.1f}" for x, y in places)
    return f"M{'L'.join(points)}Z"
