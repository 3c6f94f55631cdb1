"""Doubtful places as they are drawn on a photo or a cutout."""

from typing import NamedTuple

from zero_easel.core.items.flag import Outline
from zero_easel.library.store.models import PhotoRow


class DoubtfulPlace(NamedTuple):
    """path: SVG path data in px of the upright photo. open: whether what it holds could be either."""

    path: str
    open: bool


def places_on(photo: PhotoRow) -> list[DoubtfulPlace]:
    """All doubtful places of a photo's cutout, the most serious first."""
    if photo.cutout is None:
        return []
    width, height = photo.original.width, photo.original.height
    return [
        DoubtfulPlace(_path(outline, width, height), flag.open)
        for flag in photo.cutout.flags
        for outline in flag.places
    ]


def _path(outline: Outline, width: int, height: int) -> str:
    points = (f"{x * width / 1000:.1f} {y * height / 1000:.1f}" for x, y in outline)
    return f"M{'L'.join(points)}Z"
