"""How many px an item's millimetre has in its photo, from its listed size and its outline.

From a camera that looks down at an angle e, a standing item of width W, height H and depth D is W wide in the picture and
H cos e + D sin e high (parallel projection): its width is honest, its height is not, and all three together give e.
Where they cannot, the item is turned, lies, or is not what the catalog says.
"""

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

_FROM_THE_SIDE = ("side", "left", "right")
_FROM_ABOVE = ("top", "bottom")
_CLOSE_UP = ("detail",)
_TOLERANCE = 1.06
"""How far measured proportions may be from all that the listed sizes allow: the lens shows the near parts larger."""
_STEEP = 62.0
"""Degrees; a camera that looks down more steeply photographs from above."""
_LIKE = 0.02
"""Mean distance from an outline to a projected box's, as a share of its size, up to which the item is taken for such
a box: cloth is not exactly one."""
_NEAR = 0.12
"""An item's longest side as a share of its distance from the lens, as it usually is."""


class Size(NamedTuple):
    """A product's listed size in mm; None where the catalog has none."""

    width: float | None = None
    height: float | None = None
    depth: float | None = None


class Pose(NamedTuple):
    """px_per_mm: at the item's middle. elevation: degrees by which the camera looks down, None if that cannot be told.
    how: where the number comes from. doubt: why the listed size should be looked at, "" if nothing speaks against it."""

    px_per_mm: float
    elevation: float | None
    how: str
    doubt: str = ""


def pose_of(hull: NDArray[np.float64], size: Size, view: str) -> Pose | None:
    """The pose of an item whose straightened outline has the convex hull (n, 2) px; None if nothing can be told.

    size: as listed. view: which side the photo shows.
    """
    if view.casefold() in _CLOSE_UP:
        return None
    wide, high = np.ptp(hull, axis=0)
    above = view.casefold() in _FROM_ABOVE
    across, up, deep = _seen(size, view)[0]
    if across is None:
        # The height alone says nothing: it grows with the depth and the camera's angle.
        return None
    if up is None or deep is None:
        return Pose(wide / across, None, "its width")
    for sides in _seen(size, view):
        scale = wide / (sides[0] or across)
        elevation = _elevation(high / scale, sides[1] or up, sides[2] or deep, above)
        if elevation is not None:
            nearer = 1.0 if above else _nearer(hull, (across, up, deep), elevation)
            return Pose(scale / nearer, elevation, "its width")
    boxed = _as_box(hull, (across, up, deep))
    return boxed or Pose(wide / across, None, "its width", _doubt(wide, high, size, view))


def _seen(size: Size, view: str) -> list[Size]:
    """The listed sizes that may go across the picture, up, and into its depth."""
    if view.casefold() in _FROM_THE_SIDE:
        # What is long and thin shows its length from the side as well.
        return [Size(size.depth, size.height, size.width), size]
    return [size]


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
    return 1 + _NEAR * above * math.sin(math.radians(elevation)) / max(sides)


def _doubt(wide: float, high: float, size: Size, view: str) -> str:
    across, up, deep = _seen(size, view)[0]
    assert across is not None and up is not None and deep is not None
    if _elevation(high / (wide / up), across, deep, False) is not None:
        return (
            f"looks as if it lay on its side, or as if width and height were swapped in the catalog ({_listed(size)})"
        )
    seen, most = high / wide * across, math.hypot(up, deep)
    if seen > most:
        return f"{seen / up - 1:.0%} taller than its listed {up:g} mm, for a width of {across:g} mm"
    return f"{1 - seen / up:.0%} lower than its listed {up:g} mm, for a width of {across:g} mm"


def _listed(size: Size) -> str:
    return " x ".join(f"{side:g}" for side in size if side is not None) + " mm"


def _as_box(hull: NDArray[np.float64], sides: tuple[float, float, float]) -> Pose | None:
    """The pose of a box of three sides, its edges rounded, whose outline is the hull, if there is one.

    Standing, lying on its back or on its side; turned on the ground by any angle; from any height.
    """
    outline = _outline(hull)
    best = min(_candidates(), key=lambda c: _unlike(outline, sides, c))
    step = np.array([4.0, 4.0, 0.06, 0.06])
    loss = _unlike(outline, sides, best)
    while step[0] > 0.1:
        # A pattern search (Hooke and Jeeves, J. ACM 1961) over turn, elevation, perspective and rounding.
        tries = [_Guess(best.up, *(np.array(best[1:]) + d * step)) for d in np.vstack([np.eye(4), -np.eye(4)])]
        losses = [_unlike(outline, sides, guess) for guess in tries]
        if min(losses) < loss:
            loss, best = min(losses), tries[int(np.argmin(losses))]
        else:
            step = step / 2
    if loss > _LIKE:
        return None
    box = _projected(sides, best)
    # The scale at which the two outlines agree best all around.
    scale = float((outline @ box) / (box @ box))
    lies = "" if best.up == 1 else "lies, "
    turn = min(abs(best.turn) % 90, 90 - abs(best.turn) % 90)
    return Pose(scale, best.elevation, f"its outline as a box ({lies}turned by {turn:.0f} degrees)")


class _Guess(NamedTuple):
    """up: which of a box's sides points up. turn, elevation: degrees. near: the box's longest side as a share of its
    distance, which makes its perspective. rounding: radius of its edges, of half its shortest side."""

    up: int
    turn: float
    elevation: float
    near: float = _NEAR
    rounding: float = 0.12


def _candidates() -> Iterator[_Guess]:
    for up in (0, 1, 2):
        for turn in range(-88, 90, 8):
            for elevation in range(2, 84, 8):
                yield _Guess(up, turn, elevation)


_CORNERS = np.array([(x, y, z) for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)])
_AROUND = np.radians(np.arange(0, 360, 5))
_WAYS = np.stack([np.cos(_AROUND), np.sin(_AROUND)])
_RIGHT, _DOWN, _LEFT, _UP = 0, 18, 36, 54


def _projected(sides: tuple[float, float, float], guess: _Guess) -> NDArray[np.float64]:
    """How far a box reaches in each direction of the picture, (72,) mm at its middle."""
    radius = guess.rounding * min(sides) / 2
    tall, (along, into) = sides[guess.up], (side for at, side in enumerate(sides) if at != guess.up)
    x, y, z = (_CORNERS * (np.array([along, tall, into]) - 2 * radius)).T
    turn, down = math.radians(guess.turn), math.radians(guess.elevation)
    x, z = x * math.cos(turn) + z * math.sin(turn), z * math.cos(turn) - x * math.sin(turn)
    # The camera looks down: what is near lies lower in the picture. A ball keeps its size however it is seen, so that
    # a box with rounded edges reaches as far as the smaller box of the balls' middles, and their radius farther.
    up, away = y * math.cos(down) + z * math.sin(down), z * math.cos(down) - y * math.sin(down)
    closer = 1 / (1 + guess.near * away / max(sides))
    return _centred((np.column_stack([x * closer, -up * closer]) @ _WAYS).max(0) + radius)


def _outline(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far points (n, 2) reach in each direction, (72,) px from the middle of their box."""
    return _centred((points @ _WAYS).max(0))


def _centred(reach: NDArray[np.float64]) -> NDArray[np.float64]:
    middle = np.array([reach[_RIGHT] - reach[_LEFT], reach[_DOWN] - reach[_UP]]) / 2
    return np.asarray(reach - middle @ _WAYS)


def _unlike(outline: NDArray[np.float64], sides: tuple[float, float, float], guess: _Guess) -> float:
    """Mean distance of an outline from a projected box's, as a share of its size."""
    if not (0 <= guess.elevation <= 90 and 0 <= guess.near <= 0.4 and 0 <= guess.rounding <= 0.9):
        return 1.0
    box = _projected(sides, guess)
    apart = np.abs(outline * (box @ box) / (outline @ box) - box).mean() / box.mean()
    # What hardly shows is taken to be as usual unless there is a reason.
    return float(apart + 0.01 * abs(guess.near - _NEAR) + 0.002 * guess.rounding)
