"""Measures of a cutout: where its item ends, where it stands, how it leans, and what it is symmetrical about.

Angles are in degrees from upright, or from level for what lies, and positive clockwise as one sees the picture.
"""

import json
from typing import NamedTuple, Self

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.items.symmetry import Axis, mirror_axis
from zero_easel.core.light.colour import Encoded, Float, to_linear
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.light.space import Space, light_in

LEVEL = 0.5
"""Matte level at which an item is taken to end."""
_LARGE = 1_000_000
"""Pixels above which specks are first looked for at a reduced size."""
_FOOT = 0.006
"""How far above the lowest point something still counts as standing, of the item's longer side."""
_FLAT = 0.3
"""Share of an item's width that must stand on one line for its foot to be called flat."""


class Foot(NamedTuple):
    """What an item stands on. left, right: the outermost points that touch the ground, (x, y). angle: of the line
    between them. flat: whether they belong to a flat foot, so that the angle means something."""

    left: tuple[float, float]
    right: tuple[float, float]
    angle: float
    flat: bool


class Measures(NamedTuple):
    """An item in the upright photo, in px.

    bounds: box of its outline, to a fraction of a pixel. hull: (n, 2) corners of its convex hull, from which its
    bounds follow however it is turned. area: sum of the matte, which is its visual weight. centroid: of the matte.
    principal: angle of its longest extent, in (-90, 90]. elongation: how many times longer it is along that than
    across, by standard deviations. upright, level: the best mirror axis within 45 degrees of either. edges: sides of
    the frame that it touches. backdrop: linear sRGB of the bare backdrop at its place, None if that is not known.
    light: its own mean. clipped, blocked: shares of it that are as light as the photo can say in some channel, and as
    dark in all. as_shot: of a raw file, the light that its camera balanced away. colours: its main ones, linear sRGB
    and share. noise: of the photo, on its bare backdrop (core.tone.noise.Noise), None if that cannot be told. vignette:
    log light that the photo's corner has less than its middle, 0 or below.
    """

    bounds: Box
    hull: NDArray[np.float64]
    area: float
    centroid: tuple[float, float]
    principal: float
    elongation: float
    upright: Axis
    level: Axis
    foot: Foot
    edges: tuple[str, ...]
    backdrop: tuple[float, float, float] | None = None
    light: tuple[float, float, float] | None = None
    clipped: float = 0.0
    blocked: float = 0.0
    as_shot: tuple[float, float, float] | None = None
    colours: tuple[tuple[float, float, float, float], ...] = ()
    noise: tuple[tuple[float, float, float], tuple[float, float, float]] | None = None
    vignette: float = 0.0

    def packed(self) -> str:
        """As JSON."""
        facts = self._asdict() | {"hull": [round(float(v), 2) for v in self.hull.ravel()]}
        return json.dumps(facts)

    @classmethod
    def unpacked(cls, text: str) -> Self:
        """The measures that packed() wrote."""
        facts = json.loads(text)
        facts["hull"] = np.array(facts["hull"]).reshape(-1, 2)
        left, right, angle, flat = facts["foot"]
        facts |= {
            "bounds": Box(*facts["bounds"]),
            "centroid": tuple(facts["centroid"]),
            "edges": tuple(facts["edges"]),
            "upright": Axis(*facts["upright"]),
            "level": Axis(*facts["level"]),
            "foot": Foot(tuple(left), tuple(right), angle, flat),
            "backdrop": tuple(facts["backdrop"]) if facts.get("backdrop") else None,
            "light": tuple(facts["light"]) if facts.get("light") else None,
            "colours": tuple(tuple(one) for one in facts.get("colours", ())),
            "noise": tuple(tuple(one) for one in facts["noise"]) if facts.get("noise") else None,
            "as_shot": tuple(facts["as_shot"]) if facts.get("as_shot") else None,
        }
        return cls(**facts)


_LIGHTEST, _DARKEST = 253 / 255, 3 / 255
"""Encoded values at which a JPEG's highlights and shadows hold nothing more."""
_HALF = 1.055 * 0.5 ** (1 / 2.4) - 0.055
"""Encoded white of the space of raw files."""


def lost_in(pixels: Encoded, space: Space = "srgb") -> tuple[float, float]:
    """Shares of a cutout, (h, w, 4) uint8 or uint16, that are clipped in some channel, and blocked in all."""
    most = np.iinfo(pixels.dtype).max
    solid = pixels[..., 3] > 0.98 * most
    top = most * (_HALF if space == "raw" else 1.0)
    count = max(int(solid.sum()), 1)
    light = np.maximum(np.maximum(pixels[..., 0], pixels[..., 1]), pixels[..., 2])
    clipped, blocked = (light >= _LIGHTEST * top) & solid, (light <= _DARKEST * top) & solid
    return round(int(clipped.sum()) / count, 4), round(int(blocked.sum()) / count, 4)


def mean_light(pixels: Encoded, space: Space = "srgb") -> tuple[float, float, float]:
    """Linear sRGB of a cutout, (h, w, 4) uint8 or uint16: the mean of its light, weighed by its matte."""
    weight = pixels[..., 3].astype(np.float32)
    total = max(float(weight.sum()), 1e-6)
    mean = [float((to_linear(pixels[..., c]) * weight).sum()) / total for c in range(3)]
    red, green, blue = (round(float(v), 5) for v in light_in(np.array(mean, np.float32), space, "srgb"))
    return red, green, blue


def measures_of(alpha: Float | Encoded, left: float, top: float, frame: Size) -> Measures | None:
    """Measure a matte, (h, w) float32 in [0, 1] or uint8 or uint16, whose first pixel lies at left, top of a photo of
    size `frame`; None if nothing reaches LEVEL."""
    solid = _solid(alpha)
    if not solid.any():
        return None
    highest = _highest(alpha)
    hull = _hull(alpha, solid, highest) + np.array([left, top])
    small, step = _reduced(alpha, solid, highest)
    area, centroid, principal, elongation = _moments(small)
    to_photo = np.array([left, top])
    axes = [mirror_axis(small, around) for around in (0.0, 90.0)]
    upright, level = (
        a._replace(x=a.x * step + left, y=a.y * step + top, plain_at=a.plain_at * step + start)
        for a, start in zip(axes, (left, top), strict=True)
    )
    x, y = np.asarray(centroid) * step + to_photo
    box = _box(hull)
    foot = _foot(hull, float(x))
    return Measures(
        box,
        hull,
        area * step * step,
        (float(x), float(y)),
        principal,
        elongation,
        upright,
        level,
        foot,
        _edges(box, frame),
    )


def bounds_of(alpha: Float | Encoded) -> Box | None:
    """Box around a matte at LEVEL, to a fraction of a pixel, ignoring stray specks; None if nothing reaches it.

    alpha: (h, w) float32 in [0, 1], uint8 or uint16. A speck is a separate piece below one part in five hundred of the
    largest. On large mattes pieces are told apart at a third of the size, where near ones are one.
    """
    solid = _solid(alpha)
    return _box(_hull(alpha, solid, _highest(alpha))) if solid.any() else None


def _box(hull: NDArray[np.float64]) -> Box:
    (left, top), (right, bottom) = hull.min(0), hull.max(0)
    return Box(float(left), float(top), float(right), float(bottom))


def _highest(alpha: Float | Encoded) -> float:
    """What full coverage is in a matte."""
    return {"u1": 255, "u2": 65535}.get(alpha.dtype.str[1:], 1)


def _solid(alpha: Float | Encoded) -> NDArray[np.uint8]:
    """(h, w) uint8, 255 where the matte reaches LEVEL, without stray specks."""
    solid = np.asarray(cv2.compare(alpha, LEVEL * _highest(alpha), cv2.CMP_GE), np.uint8)
    h, w = solid.shape
    if solid.size > _LARGE:
        # Nothing gets lost: averaged over whole blocks, a single pixel still leaves more than nothing.
        padded = cv2.copyMakeBorder(solid, 0, -h % 3, 0, -w % 3, cv2.BORDER_CONSTANT)
        specks = _specks(cv2.resize(padded, None, fx=1 / 3, fy=1 / 3, interpolation=cv2.INTER_AREA))
        if specks is not None:
            specks = cv2.resize(specks, padded.shape[::-1], interpolation=cv2.INTER_NEAREST)[:h, :w]
    else:
        specks = _specks(solid)
    if specks is not None:
        solid[specks > 0] = 0
    return solid


def _specks(solid: NDArray[np.uint8]) -> NDArray[np.uint8] | None:
    """(h, w) uint8, 1 where a piece is too small beside the largest; None if there is no such piece."""
    labels, stats = cv2.connectedComponentsWithStats(solid, connectivity=8)[1:3]
    areas = stats[:, cv2.CC_STAT_AREA]
    small = areas * 500 < areas[1:].max(initial=0)
    small[0] = False
    return small.astype(np.uint8)[labels] if small.any() else None


def _hull(alpha: Float | Encoded, solid: NDArray[np.uint8], highest: float) -> NDArray[np.float64]:
    """Convex hull of the outline along which the matte, interpolated between pixels' middles, crosses LEVEL; (n, 2)."""
    h, w = solid.shape
    rim = np.concatenate(cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0])[:, 0]
    inside = alpha[rim[:, 1], rim[:, 0]].astype(np.float64) / highest
    points = []
    for step in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        x, y = (rim + step).T
        there = (x >= 0) & (x < w) & (y >= 0) & (y < h)
        at = (np.clip(y, 0, h - 1), np.clip(x, 0, w - 1))
        outside = np.where(there, alpha[at].astype(np.float64) / highest, 0.0)
        # A neighbour that is dark is beyond the outline; a speck beside it is none of it either.
        beyond = ~there | (solid[at] == 0)
        reach = (inside - LEVEL) / np.maximum(inside - np.minimum(outside, LEVEL - 1e-6), 1e-6)
        points.append((rim + 0.5 + np.clip(reach, 0, 1)[:, None] * step)[beyond])
    return np.asarray(cv2.convexHull(np.concatenate(points).astype(np.float32))[:, 0], np.float64)


def _reduced(alpha: Float | Encoded, solid: NDArray[np.uint8], highest: float) -> tuple[Float, int]:
    """The matte without specks, no longer than 144 px, in [0, 1]; and px of the photo in one of its."""
    step = max(1, -(-max(solid.shape) // 144))
    small, near = _averaged(alpha, step), _averaged(solid, step)
    if not (near > 0).any():  # an item of a few px, lost where whole levels are averaged
        small, near = _averaged(alpha.astype(np.float32), step), _averaged(solid.astype(np.float32), step)
    # A soft rim counts, a speck does not: what lies apart from all that is solid is none of the item.
    around = cv2.dilate((near > 0).astype(np.uint8), np.ones((5, 5), np.uint8))
    return np.asarray(small * around / np.float32(highest)), step


def _averaged(plane: Float | Encoded, step: int) -> Float:
    """Means of squares of step by step px, rounded to whole levels where the plane holds such."""
    h, w = plane.shape
    whole = cv2.copyMakeBorder(plane, 0, -h % step, 0, -w % step, cv2.BORDER_CONSTANT, value=0)
    size = (-(-w // step), -(-h // step))
    return np.asarray(cv2.resize(whole, size, interpolation=cv2.INTER_AREA).astype(np.float32))


def _moments(matte: Float) -> tuple[float, tuple[float, float], float, float]:
    """Area, centroid, angle of the longest extent from upright, and elongation."""
    m = cv2.moments(matte)
    area = m["m00"]
    covariance = np.array([[m["mu20"], m["mu11"]], [m["mu11"], m["mu02"]]]) / area + np.eye(2) / 12
    spread, along = np.linalg.eigh(covariance)
    x, y = along[:, 1]
    angle = float(np.degrees(np.arctan2(x, -y)))
    angle = (angle + 90) % 180 - 90
    centroid = (m["m10"] / area + 0.5, m["m01"] / area + 0.5)
    return area, centroid, angle if angle > -90 else 90.0, float(np.sqrt(spread[1] / spread[0]))


def _foot(hull: NDArray[np.float64], centre: float) -> Foot:
    """Where the hull would touch level ground, and whether that is a flat foot whose tilt can be told.

    A flat foot is a tilt at which a wide stretch of the outline comes down at once, and only at that tilt: a round one
    touches equally little at all of them. What an item rests on lies below its centroid, at centre px from the left; a
    line from a pan's rim to the end of its handle does not.
    """
    size = float(np.ptp(hull, axis=0).max())
    width = float(np.ptp(hull[:, 0]))
    angles = np.arange(-20, 20.01, 0.25)
    standing = [_standing(hull, angle, _FOOT * size) for angle in angles]
    spans = np.array([np.ptp(points[:, 0]) for points in standing])
    best = int(np.argmax(spans - 0.002 * size * np.abs(angles)))
    away = [spans[at] for at in (best - 16, best + 16) if 0 <= at < len(spans)]
    # All tilts at which as much comes down are as good: the one in their middle is meant.
    as_good = np.flatnonzero(spans >= spans[best] - 1e-6)
    best = int(as_good[len(as_good) // 2]) if np.ptp(as_good) < 16 else best
    points = _contacts(standing[best], float(angles[best]))
    below = points[:, 0].min() <= centre <= points[:, 0].max()
    flat = bool(below and spans[best] >= _FLAT * width and max(away) < 0.6 * spans[best])
    if not flat:
        points = _contacts(standing[len(angles) // 2], 0.0)
    left, right = points
    angle = float(np.degrees(np.arctan2(right[1] - left[1], right[0] - left[0]))) if flat else 0.0
    return Foot((float(left[0]), float(left[1])), (float(right[0]), float(right[1])), angle, flat)


def _standing(hull: NDArray[np.float64], angle: float, tolerance: float) -> NDArray[np.float64]:
    """The hull's points that touch ground tilted by an angle."""
    radians = np.radians(angle)
    depth = hull[:, 1] * np.cos(radians) - hull[:, 0] * np.sin(radians)
    return np.asarray(hull[depth >= depth.max() - tolerance])


def _contacts(points: NDArray[np.float64], angle: float) -> NDArray[np.float64]:
    """The lowest point at either end of those that touch ground tilted by an angle, (2, 2): left and right."""
    low, high = points[:, 0].min(), points[:, 0].max()
    radians = np.radians(angle)
    depth = points[:, 1] * np.cos(radians) - points[:, 0] * np.sin(radians)
    ends = (points[:, 0] <= low + 0.2 * (high - low), points[:, 0] >= high - 0.2 * (high - low))
    # Of equally low ones the outermost.
    return np.array(
        [
            points[np.argmax(np.where(end, depth + 1e-6 * outward, -np.inf))]
            for end, outward in zip(ends, (-points[:, 0], points[:, 0]), strict=True)
        ]
    )


def _edges(box: Box, frame: Size) -> tuple[str, ...]:
    touching = {
        "left": box.left <= 0,
        "top": box.top <= 0,
        "right": box.right >= frame[0],
        "bottom": box.bottom >= frame[1],
    }
    return tuple(side for side, touches in touching.items() if touches)
