"""How many px an item's millimetre has in its photo, from its listed size and its outline.

From a camera that looks down at an angle e, a standing item of width W, height H and depth D is W wide in the picture
and H cos e + D sin e high (parallel projection): its width is honest, its height is not, and all three together give
e. Where they cannot, the item is turned, lies, or is not what the catalog says.
"""

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

_FROM_THE_FRONT = ("front", "back")
_FROM_THE_SIDE = ("side", "left", "right")
_FROM_ABOVE = ("top", "bottom")
_CLOSE_UP = ("detail",)
_TOLERANCE = 1.06
"""How far measured proportions may be from all that the listed sizes allow: the lens shows the near parts larger."""
_ASIDE = 50.0
"""Degrees up to which a side that is turned away is still called the one that a photo shows."""
_RECTANGLE = 0.975
"""Share of its own bounds from which an outline is a rectangle."""
_SQUARE = 4.0
"""Degrees of turn below which something that lies shows one of its sides alone."""
_HIGH = 45.0
"""Degrees up to which a camera may look down at something that it shows from the front, although it covers less of the
picture for it."""
_STEEP = 62.0
"""Degrees; a camera that looks down more steeply photographs from above."""
_LIKE = 0.02
"""Mean distance from an outline to a projected box's, as a share of its size, up to which the item is taken for such
a box: cloth is not exactly one."""
_NEAR = 0.12
"""An item's longest side as a share of its distance from the lens, as it usually is."""


class Dimensions(NamedTuple):
    """A product's listed size in mm; None where the catalog has none."""

    width: float | None = None
    height: float | None = None
    depth: float | None = None


class Pose(NamedTuple):
    """px_per_mm: at the item's middle. elevation: degrees by which the camera looks down, None if that cannot be told.
    source: where the number comes from. doubt: why the listed size should be looked at, "" if nothing speaks against
    it."""

    px_per_mm: float
    elevation: float | None
    source: str
    doubt: str = ""


def pose_of(hull: NDArray[np.float64], size: Dimensions, view: str) -> Pose | None:
    """The pose of an item whose straightened outline has the convex hull (n, 2) px; None if nothing can be told.

    size: as listed. view: which side the photo shows. Answers are kept: a row is laid out again at each change.
    """
    return _pose(np.ascontiguousarray(hull).tobytes(), size, view)


def is_close_up(view: str) -> bool:
    """Whether a view shows only a part of its product, so that the listed size says nothing about it."""
    return view.casefold() in _CLOSE_UP


@lru_cache(20_000)
def _pose(packed: bytes, size: Dimensions, view: str) -> Pose | None:
    hull = np.frombuffer(packed).reshape(-1, 2)
    if is_close_up(view):
        return None
    wide, high = (float(v) for v in np.ptp(hull, axis=0))
    across, up, deep = _seen(size, view)[0][0]
    if across is None:
        # The height alone says nothing: it grows with the depth and the camera's angle.
        return None
    if up is None or deep is None:
        return Pose(wide / across, None, "its width")
    for sides, above in _seen(size, view):
        scale = wide / (sides[0] or across)
        elevation = _elevation(high / scale, sides[1] or up, sides[2] or deep, above)
        if elevation is not None:
            nearer = 1.0 if above else _nearer(hull, (across, up, deep), elevation)
            return Pose(scale / nearer, elevation, "its width")
    boxed = _as_box(hull, (across, up, deep))
    return boxed or Pose(wide / across, None, "its width", _doubt(wide, high, size, view))


def _seen(size: Dimensions, view: str) -> list[tuple[Dimensions, bool]]:
    """The listed sizes that may go across the picture, up, and into its depth, and whether it is seen from above."""
    from_the_side = Dimensions(size.depth, size.height, size.width)
    if view.casefold() in _FROM_ABOVE:
        return [(size, True)]
    if view.casefold() in _FROM_THE_FRONT:
        return [(size, False)]
    if view.casefold() in _FROM_THE_SIDE:
        # What is long and thin shows its length from the side as well, and may lie on its back.
        return [(from_the_side, False), (size, False), (Dimensions(size.width, size.depth, size.height), False)]
    # A view that is only counted may be any.
    return [(size, False), (from_the_side, False), (size, True)]


def _elevation(seen: float, up: float, deep: float, above: bool) -> float | None:
    """The camera's angle in degrees if an item of such a height and depth may look so high, in mm; else None."""
    most, upright = math.hypot(up, deep), math.degrees(math.atan2(deep, up))
    if seen > most * _TOLERANCE:
        return None
    apart = math.degrees(math.acos(min(1.0, seen / most)))
    if above:
        return upright + apart if upright + apart < 90 * _TOLERANCE else None
    if upright - apart >= 0:
        return upright - apart if upright - apart <= _STEEP else None
    # A tall thing looks lower again from higher up.
    if upright + apart <= _HIGH:
        return upright + apart
    # A little less high than seen straight on: perspective and rounding.
    if seen * _TOLERANCE >= up:
        return 0.0
    # Flat on the table, its face up, it may be photographed from above all the same.
    return upright + apart if upright + apart <= 90 and deep > up else None


def _nearer(hull: NDArray[np.float64], sides: tuple[float, float, float], elevation: float) -> float:
    """How many times larger an item's widest part appears than its middle: seen from above, a rim is nearer to the lens
    than what lies below it. The distance is taken to be a usual one."""
    left, right = hull[np.argmin(hull[:, 0]), 1], hull[np.argmax(hull[:, 0]), 1]
    low, high = hull[:, 1].max(), hull[:, 1].min()
    above = ((low + high) - (left + right)) / 2 / max(low - high, 1e-6) * sides[1]
    return 1 + _NEAR * float(above) * math.sin(math.radians(elevation)) / max(sides)


def _doubt(wide: float, high: float, size: Dimensions, view: str) -> str:
    across, up, deep = _seen(size, view)[0][0]
    assert across is not None and up is not None and deep is not None
    if _elevation(high / (wide / up), across, deep, False) is not None:
        return (
            f"looks as if it lay on its side, or as if width and height were swapped in the catalog ({_listed(size)})"
        )
    seen, most = high / wide * across, math.hypot(up, deep)
    if seen > most:
        return f"{seen / up - 1:.0%} taller than its listed {up:g} mm, for a width of {across:g} mm"
    return f"{1 - seen / up:.0%} lower than its listed {up:g} mm, for a width of {across:g} mm"


def _listed(size: Dimensions) -> str:
    return " x ".join(f"{side:g}" for side in size if side is not None) + " mm"


def _as_box(hull: NDArray[np.float64], sides: tuple[float, float, float]) -> Pose | None:
    """The pose of a box of three sides, its edges rounded, whose outline is the hull, if there is one.

    Standing, lying on its back or on its side; turned on the ground by any angle; from any height. The best of a coarse
    grid is refined by a pattern search (Hooke and Jeeves, J. ACM 1961).
    """
    x, y = hull.T
    area = abs(float(x @ np.roll(y, 1) - y @ np.roll(x, 1))) / 2
    if area > _RECTANGLE * np.ptp(x) * np.ptp(y):
        return None  # a rectangle shows one side alone, and says nothing of any other
    outline = _centred((hull @ _WAYS).max(0)[None])[0]
    losses = _unlike(outline, sides, _GRID)
    best, loss = _GRID[np.argmin(losses)], float(losses.min())
    step = np.array([0.0, 4.0, 4.0, 0.06, 0.06])
    while step[1] > 0.1:
        tries = best + np.vstack([np.diag(step)[1:], -np.diag(step)[1:]])
        losses = _unlike(outline, sides, tries)
        if losses.min() < loss:
            best, loss = tries[np.argmin(losses)], float(losses.min())
        else:
            step = step / 2
    if loss > _LIKE:
        return None
    box = _projected(sides, best[None])[0]
    # The scale at which the two outlines agree best all around.
    scale = float((outline @ box) / (box @ box))
    up, turn, elevation = (float(v) for v in best[:3])
    lies = "" if up == 1 else "lies, "
    turned = min(abs(turn) % 90, 90 - abs(turn) % 90)
    if lies and turned < _SQUARE:
        return None  # a catalog with two columns swapped would look the same
    return Pose(scale, elevation, f"its outline as a box ({lies}turned by {turned:.0f} degrees)")


# A guess is five numbers: which of the box's sides points up; by how many degrees it is turned; by how many the camera
# looks down; its longest side as a share of its distance, which makes its perspective; and the radius of its edges, of
# half its shortest side.
_GRID = np.array(
    [
        (up, turn, elevation, _NEAR, 0.12)
        for up in (0, 1, 2)
        for turn in range(-48, 49, 8)
        for elevation in range(2, 84, 8)
    ],
    float,
)
_CORNERS = np.array([(x, y, z) for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)])
_AROUND = np.radians(np.arange(0, 360, 5))
_WAYS = np.stack([np.cos(_AROUND), np.sin(_AROUND)])
_RIGHT, _DOWN, _LEFT, _UP = 0, 18, 36, 54


def _projected(sides: tuple[float, float, float], guesses: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far a box reaches in each direction of the picture by each of (n, 5) guesses, (n, 72) mm at its middle."""
    whole = np.array(sides)
    up = guesses[:, 0].astype(int)
    order = np.array([(1, 0, 2), (0, 1, 2), (0, 2, 1)])[up]  # along, up, into, as places in sides
    radius = guesses[:, 4] * whole.min() / 2
    x, y, z = np.moveaxis(_CORNERS[None] * (whole[order] - 2 * radius[:, None])[:, None], 2, 0)
    turn, down = np.radians(guesses[:, 1])[:, None], np.radians(guesses[:, 2])[:, None]
    x, z = x * np.cos(turn) + z * np.sin(turn), z * np.cos(turn) - x * np.sin(turn)
    # The camera looks down: what is near lies lower in the picture. A ball keeps its size however it is seen, so that
    # a box with rounded edges reaches as far as the smaller box of the balls' middles, and their radius farther.
    above, away = y * np.cos(down) + z * np.sin(down), z * np.cos(down) - y * np.sin(down)
    closer = 1 / (1 + guesses[:, 3:4] * away / whole.max())
    return _centred((np.stack([x * closer, -above * closer], 2) @ _WAYS).max(1) + radius[:, None])


def _centred(reach: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n, 72) reaches from the middle of each box."""
    middle = np.stack([reach[:, _RIGHT] - reach[:, _LEFT], reach[:, _DOWN] - reach[:, _UP]], 1) / 2
    return np.asarray(reach - middle @ _WAYS)


def _unlike(
    outline: NDArray[np.float64], sides: tuple[float, float, float], guesses: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Mean distance of an outline (72,) from each projected box's, as a share of its size, (n,)."""
    box = _projected(sides, guesses)
    fitted = outline * ((box * box).sum(1) / (box @ outline))[:, None]
    apart = np.abs(fitted - box).mean(1) / box.mean(1)
    _, turn, elevation, near, rounding = guesses.T
    possible = (
        (np.abs(turn) <= _ASIDE)
        & (elevation >= 0)
        & (elevation <= 90)
        & (near >= 0)
        & (near <= 0.4)
        & (rounding >= 0)
        & (rounding <= 0.9)
    )
    # What hardly shows is taken to be as usual unless there is a reason.
    return np.asarray(np.where(possible, apart + 0.01 * np.abs(near - _NEAR) + 0.002 * rounding, 1.0))
