"""Reasons to look at a cutout, where to look, and how sure one must be of it to need none."""

from collections.abc import Sequence
from typing import Any, NamedTuple, Self

DOUBTFUL = 0.5
"""Below this confidence a person looks first."""

Outline = tuple[tuple[float, float], ...]
"""Corners of a place on the photo: x, y in thousandths of the upright frame's width and height."""


class Flag(NamedTuple):
    """A reason to look: a stable code and a sentence without capital and full stop. figure: what was measured. places:
    outlines of where it is. open: whether what they hold could be either item or backdrop."""

    code: str
    text: str
    figure: str = ""
    places: tuple[Outline, ...] = ()
    open: bool = False

    @classmethod
    def unpacked(cls, values: Sequence[Any]) -> Self:
        """A flag from what JSON keeps of it; one that was kept before there were figures and places has none."""
        flag = cls(*values)
        return flag._replace(places=tuple(tuple((x, y) for x, y in outline) for outline in flag.places))
