"""By how much an item is turned so that it stands, or lies, straight."""

from typing import Literal

from zero_easel.core.items.measure import Measures

_SLIGHT = 0.25
"""Degrees below which nobody sees a lean, and turning would only cost."""
_LONG = 4.0
"""Elongation from which an item's length alone tells how it lies."""
_MIRRORED = 0.98
"""Share of a silhouette on its own mirror image from which it is called symmetrical."""
_GAIN, _SHARE = 0.006, 0.5
"""How much of it must come from leaning, at least, and of what is missing without: round things are symmetrical about
everything."""
_STANDS_WELL = 0.95
"""Mirror score from which an item that stands upright is not turned by its foot: a box seen over its edge."""


def lean_of(measures: Measures, rule: Literal["off", "base", "axis"]) -> float:
    """Degrees, clockwise, by which an item leans as far as a rule can tell; 0 where nothing certain can be said.

    base: the angle of a flat foot. axis: of the axis of what is mirror-symmetrical about it, or long and thin; not
    where the item has a foot that stands level already, for then it is meant to lean.
    """
    lean = {"off": lambda _: 0.0, "base": _of_foot, "axis": _of_axis}[rule](measures)
    return lean if abs(lean) >= _SLIGHT else 0.0


def _of_foot(measures: Measures) -> float:
    foot, upright = measures.foot, measures.upright
    if not foot.flat:
        return 0.0
    apart = abs(upright.angle - foot.angle)
    stands = upright.plain >= _STANDS_WELL and apart > 2
    return 0.0 if stands else foot.angle


def _of_axis(measures: Measures) -> float:
    foot = measures.foot
    lies = abs(measures.principal) > 45
    axis = measures.level if lies else measures.upright
    if measures.elongation < 1.3:
        axis = max(measures.upright, measures.level, key=lambda a: a.score)
    if measures.elongation >= _LONG:
        # A knife is not its own mirror image, but nobody doubts how it lies.
        off = measures.principal - (90 if measures.principal > 45 else -90 if measures.principal < -45 else 0)
        return axis.angle if axis.score >= _MIRRORED and abs(axis.angle - off) < 3 else off
    if axis.score < _MIRRORED or axis.score - axis.plain < max(_GAIN, _SHARE * (1 - axis.plain)):
        return 0.0
    if foot.flat and abs(foot.angle) < 0.75 and abs(axis.angle - foot.angle) > 1:
        return 0.0
    return axis.angle
