"""Photos without what the lens bent, and with a plane that was seen at an angle brought upright.

One step from the photo's own px, in linear light, at the photo's own scale: whatever is cut out or drawn afterwards
takes the rectified photo for the photo.
"""

from functools import lru_cache
from typing import Any, NamedTuple, Self

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Encoded, Float, to_linear, to_srgb
from zero_easel.core.light.geometry import Box, Size

Points = NDArray[np.float64]
"""(n, 2): px across and down."""
MOST_BEND = 12.0
"""Bend in the third order alone that can be undone, in % either way: beyond, corners would lie behind each other."""
_FARTHEST = 1.6
"""Half diagonals from the middle at which a photo's corner may have been without the bend."""
_LEAST_AREA = 0.005
"""Of the frame, that four corners enclose at least."""
_STRIP = 256
_COARSE = 1.15
"""px of the photo to one px of the result from which four places are averaged for each px."""


class Rectification(NamedTuple):
    """What is undone of a photo's geometry.

    radial: how much farther out, per unit of distance, a point lies than a straight-lined lens would have put it:
    r (1 + k1 r + k2 r^2 + k3 r^3), with r in half diagonals of the frame from its middle; all is then enlarged as far
    as the frame has to be filled. corners: of a rectangle as
    the photo shows it, px of the upright photo, from its upper left corner clockwise; empty for none. aspect: width to
    height of that rectangle, 0 for what the picture tells of it.
    """

    radial: tuple[float, float, float] = (0.0, 0.0, 0.0)
    corners: tuple[tuple[float, float], ...] = ()
    aspect: float = 0.0

    @classmethod
    def of(cls, values: Any) -> Self:
        """From what JSON keeps of it."""
        radial, corners, aspect = values
        k1, k2, k3 = radial
        return cls((k1, k2, k3), tuple((x, y) for x, y in corners), aspect)

    @property
    def bend(self) -> float:
        """% by which the frame's corner was moved: below 0 inwards (barrel), above 0 outwards (pincushion)."""
        return 100 * sum(self.radial)

    def reduced(self, times: float) -> "Rectification":
        """For the same photo with sides so many times shorter."""
        return self._replace(corners=tuple((x / times, y / times) for x, y in self.corners))


AS_PHOTOGRAPHED = Rectification()
"""Nothing is undone."""


def bent(percent: float) -> tuple[float, float, float]:
    """The radial terms of a lens that moved the frame's corners by so much, in the third order alone."""
    return 0.0, percent / 100, 0.0


def in_order(corners: Points) -> Points:
    """Four points from the upper left one clockwise, as one sees the picture."""
    middle = corners.mean(0)
    around = corners[np.argsort(np.arctan2(*(corners - middle).T[::-1]))]
    return np.roll(around, -int(np.argmin((around - middle).sum(1))), 0)


def problem_of(rectification: Rectification, frame: Size) -> str:
    """Why a photo cannot be rectified so, as a sentence without its stop; "" if it can."""
    if not np.isfinite(rectification.radial).all():
        return "What a lens bends is told by finite numbers"
    r = np.linspace(0, _FARTHEST, 161)
    within = r[: int(np.argmax(r * _factor(r, rectification.radial) >= 1)) + 1]
    if len(within) == 1 or _slope(within, rectification.radial).min() < 0.1:
        return f"A lens that bends by {rectification.bend:.0f} % is not believed"
    if not rectification.corners:
        return ""
    corners = np.array(rectification.corners)
    if corners.shape != (4, 2) or not np.isfinite(corners).all():
        return "A rectangle has four corners"
    sides = np.roll(corners, -1, 0) - corners
    turns = sides[:, 0] * np.roll(sides, -1, 0)[:, 1] - sides[:, 1] * np.roll(sides, -1, 0)[:, 0]
    if turns.min() <= 0:
        return "The four corners enclose no rectangle: their sides cross, or bend inwards"
    if _area(corners) < _LEAST_AREA * frame.width * frame.height:
        return "The rectangle is too small"
    if rectification.aspect and not 0.05 <= rectification.aspect <= 20:
        return "A rectangle is between 20 times as high as wide and 20 times as wide as high"
    horizon = _upright(_unbent(corners, rectification.radial, frame), frame, rectification.aspect)
    ends = np.array([[0, 0], [frame.width, 0], [frame.width, frame.height], [0, frame.height]], float)
    depth = np.c_[ends, np.ones(4)] @ horizon[2]
    if not ((depth > 0.1).all() or (depth < -0.1).all()):
        return "The rectangle is seen so much from the side that the photo's rim would lie behind the camera"
    return ""


def rectified(
    pixels: Encoded, rectification: Rectification, frame: Size, part: Box | None = None, out: Box | None = None
) -> Encoded:
    """A photo, or a part of it, without the bend and with its rectangle upright.

    pixels: (h, w, 3) or (h, w, 4) with straight alpha, uint8 or uint16. frame: of the whole photo, px. part: which of
    it pixels are; out: which of the rectified photo is wanted; all of it by default, in whole px. What lies beyond the
    photo goes on as its rim, with an alpha it is clear. In linear light, premultiplied: Lanczos' filter with four
    lobes, or the mean of 2 x 2 places by cubic convolution where the photo is made smaller.
    """
    part, out = part or Box(0, 0, *frame), out or Box(0, 0, *frame)
    finer = 2 if _step(rectification, frame, out) > _COARSE else 1
    strips = []
    for top in range(int(out.top), int(out.bottom), _STRIP):
        strip = Box(out.left, top, out.right, min(top + _STRIP, out.bottom))
        across, down = _sources(rectification, frame, strip, finer)
        drawn = _sampled(pixels, across - part.left - 0.5, down - part.top - 0.5, lobes=finer == 1)
        if finer > 1:
            size = (int(strip.width), int(strip.height))
            drawn = np.asarray(cv2.resize(drawn, size, interpolation=cv2.INTER_AREA), np.float32)
        strips.append(_encoded(drawn, pixels.dtype))
    return np.concatenate(strips)


def _sampled(pixels: Encoded, across: Points, down: Points, *, lobes: bool) -> Float:
    """Light at places of pixels, of which only the rows that are needed are decoded. lobes: by Lanczos' filter."""
    first = int(np.clip(np.floor(down.min()) - 4, 0, len(pixels) - 1))
    last = int(np.clip(np.ceil(down.max()) + 5, first + 1, len(pixels)))
    light = _premultiplied(pixels[first:last])
    # Rows that are left out must not seem to be the photo's rim: what lies beyond that is far from them.
    border = cv2.BORDER_CONSTANT if pixels.shape[2] == 4 else cv2.BORDER_REPLICATE
    x, y = across.astype(np.float32), (down - first).astype(np.float32)
    kernel = cv2.INTER_LANCZOS4 if lobes else cv2.INTER_CUBIC
    found = cv2.remap(light, x, y, kernel, borderMode=border, borderValue=(0, 0, 0, 0))
    return np.asarray(found, np.float32)


def rectified_map(values: NDArray[np.uint8], rectification: Rectification, frame: Size) -> NDArray[np.uint8]:
    """A coarse map of numbers over the whole photo, (h, w), with the photo; 0 beyond it."""
    h, w = values.shape
    grid = Box(0, 0, *frame)
    across, down = _sources(rectification, frame, grid, 1, Size(w, h))
    x, y = np.float32(across * w / frame.width - 0.5), np.float32(down * h / frame.height - 0.5)
    return np.asarray(cv2.remap(values, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT), np.uint8)


def to_rectified(points: Points, rectification: Rectification, frame: Size) -> Points:
    """Where points of the photo come to lie, px."""
    straight = _unbent(points, rectification.radial, frame)
    if not rectification.corners:
        return straight
    there = np.c_[straight, np.ones(len(straight))] @ _homography(rectification, frame).T
    return np.asarray(there[:, :2] / there[:, 2:])


def reach_of(rectification: Rectification, frame: Size, part: Box) -> Box:
    """Where a part of the photo may come to lie, whole px of the rectified frame and up to half of it beyond: what was
    cut out loses nothing."""
    along = np.linspace(0, 1, 33)
    x, y = part.left + along * part.width, part.top + along * part.height
    rim = np.concatenate([np.c_[x, np.full(33, at)] for at in (part.top, part.bottom)])
    rim = np.concatenate([rim, *(np.c_[np.full(33, at), y] for at in (part.left, part.right))])
    there = to_rectified(rim, rectification, frame)
    (left, top), (right, bottom) = (np.floor(there.min(0)) - 4).tolist(), (np.ceil(there.max(0)) + 4).tolist()
    w, h = frame
    left, right = (min(max(at, -(w // 2)), w + w // 2) for at in (left, right))
    top, bottom = (min(max(at, -(h // 2)), h + h // 2) for at in (top, bottom))
    return Box(left, top, max(left + 1, right), max(top + 1, bottom))


def _premultiplied(pixels: Encoded) -> Float:
    planes = [to_linear(np.ascontiguousarray(pixels[..., channel])) for channel in range(3)]
    if pixels.shape[2] == 4:
        alpha = pixels[..., 3].astype(np.float32) * np.float32(1 / np.iinfo(pixels.dtype).max)
        planes = [*(plane * alpha for plane in planes), alpha]
    return np.asarray(cv2.merge(planes), np.float32)


def _encoded(light: Float, kind: np.dtype[Any]) -> Encoded:
    bits = 8 if kind == np.uint8 else 16
    if light.shape[2] == 3:
        return to_srgb(np.clip(light, 0, 1), bits)
    alpha = np.clip(light[..., 3], 0, 1)
    colour = np.clip(light[..., :3] / np.maximum(alpha, 1e-6)[..., None], 0, 1)
    cover = np.round(alpha * np.iinfo(kind).max).astype(kind)
    pixels = np.dstack([to_srgb(np.asarray(colour, np.float32), bits), cover])
    pixels[cover == 0] = 0
    return pixels


def _sources(
    rectification: Rectification, frame: Size, box: Box, finer: int, size: Size | None = None
) -> tuple[Points, Points]:
    """From where in the photo the px of a box of the rectified frame come, px; size: how many across and down."""
    width, height = size or Size(int(box.width) * finer, int(box.height) * finer)
    x = box.left + (np.arange(width) + 0.5) * (box.width / width)
    y = (box.top + (np.arange(height) + 0.5) * (box.height / height))[:, None]
    if rectification.corners:
        back = np.linalg.inv(_homography(rectification, frame))
        across, down, depth = (row[0] * x + row[1] * y + row[2] for row in back)
        across, down = across / depth, down / depth
    else:
        across, down = (np.asarray(plane) for plane in np.broadcast_arrays(x, y))
    if not any(rectification.radial):
        return across, down
    (cx, cy), unit = _middle(frame)
    zoom = _fill(rectification.radial, frame)
    dx, dy = (across - cx) / zoom, (down - cy) / zoom
    factor = _factor(np.hypot(dx, dy) / unit, rectification.radial)
    return cx + dx * factor, cy + dy * factor


def _step(rectification: Rectification, frame: Size, box: Box) -> float:
    """The most px of the photo to one of the rectified frame, within a box of that."""
    across, down = _sources(rectification, frame, box, 1, Size(9, 9))
    wide, tall = box.width / 9, box.height / 9
    return float(
        max(
            np.hypot(np.diff(across, axis=1), np.diff(down, axis=1)).max() / wide,
            np.hypot(np.diff(across, axis=0), np.diff(down, axis=0)).max() / tall,
        )
    )


def _middle(frame: Size) -> tuple[tuple[float, float], float]:
    return (frame.width / 2, frame.height / 2), float(np.hypot(*frame)) / 2


def _factor(r: Points, radial: tuple[float, float, float]) -> Points:
    k1, k2, k3 = radial
    return np.asarray(1 + r * (k1 + r * (k2 + r * k3)))


def _slope(r: Points, radial: tuple[float, float, float]) -> Points:
    """Of r times its factor."""
    k1, k2, k3 = radial
    return np.asarray(1 + r * (2 * k1 + r * (3 * k2 + r * 4 * k3)))


def _unbent(points: Points, radial: tuple[float, float, float], frame: Size) -> Points:
    """Where points of the photo lie without the bend: the inverse by Newton's steps."""
    if not any(radial):
        return points
    (cx, cy), unit = _middle(frame)
    away = (points - (cx, cy)) / unit
    wanted = np.hypot(*away.T)
    out = _fill(radial, frame) * unit * _straight(wanted, radial) / np.maximum(wanted, 1e-12)
    return np.asarray((cx, cy) + away * out[:, None])


def _straight(wanted: Points, radial: tuple[float, float, float]) -> Points:
    """The distances that a lens moved to those that are wanted."""
    r = wanted.astype(np.float64)
    for _ in range(20):
        r = r - (r * _factor(r, radial) - wanted) / np.maximum(_slope(r, radial), 0.05)
    return r


@lru_cache(64)
def _fill(radial: tuple[float, float, float], frame: Size) -> float:
    """By how much all is enlarged, so that no place of the rectified frame lies beyond the photo."""
    rim = np.linspace(min(frame) / float(np.hypot(*frame)), 1, 33)
    return float((rim / _straight(rim, radial)).max())


@lru_cache(64)
def _homography(rectification: Rectification, frame: Size) -> NDArray[np.float64]:
    corners = _unbent(np.array(rectification.corners), rectification.radial, frame)
    return _upright(corners, frame, rectification.aspect)


def _upright(corners: Points, frame: Size, aspect: float) -> NDArray[np.float64]:
    """The map (3, 3) by which corners become an upright rectangle, with depths above 0 there.

    It keeps its middle and its area, so that it is as large in its row as it was, unless the frame is too small.
    """
    aspect, area = aspect or aspect_of(corners, frame), _area(corners)
    width, height = np.sqrt(area * aspect), np.sqrt(area / aspect)
    fit = min(1.0, frame.width / width, frame.height / height)
    half = np.array([width, height]) * fit / 2
    middle = np.clip(corners.mean(0), half, np.maximum(np.array(frame) - half, half))
    there = middle + half * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    found = cv2.getPerspectiveTransform(np.float32(corners), np.float32(there)).astype(np.float64)
    return np.asarray(found if (np.append(corners.mean(0), 1) @ found[2]) > 0 else -found)


def aspect_of(corners: Points, frame: Size) -> float:
    """Width to height of the rectangle of which corners are the picture, from the upper left one clockwise.

    After Zhang and He, Whiteboard scanning and image enhancement (Digital Signal Processing 17, 2007), with the
    optical axis in the frame's middle. Where two sides are parallel in the picture the focal length cannot be told from
    it, and matters little: a usual one is taken.
    """
    scale = frame.longest
    top_left, top_right, bottom_right, bottom_left = (
        np.append((corner - np.array(frame) / 2) / scale, 1.0) for corner in corners
    )
    diagonal = np.cross(top_left, bottom_right)
    k2 = (diagonal @ bottom_left) / (np.cross(top_right, bottom_right) @ bottom_left)
    k3 = (diagonal @ top_right) / (np.cross(bottom_left, bottom_right) @ top_right)
    across, down = k2 * top_right - top_left, k3 * bottom_left - top_left
    focal = _focal(across, down)
    lengths = [float(np.sqrt((v[0] ** 2 + v[1] ** 2) / focal**2 + v[2] ** 2)) for v in (across, down)]
    return float(np.clip(lengths[0] / max(lengths[1], 1e-9), 0.05, 20))


_USUAL_FOCAL, _FOCALS = 1.4, (0.6, 6.0)
"""In longer sides of the frame: a 50 mm lens on 36 mm, and what lenses for goods lie between."""


def _focal(across: Points, down: Points) -> float:
    depths = across[2] * down[2]
    if abs(depths) < 1e-4:
        return _USUAL_FOCAL
    squared = -(across[0] * down[0] + across[1] * down[1]) / depths
    if squared <= 0:
        return _USUAL_FOCAL
    focal = float(np.sqrt(squared))
    return focal if _FOCALS[0] <= focal <= _FOCALS[1] else float(np.clip(focal, *_FOCALS))


def _area(corners: Points) -> float:
    x, y = corners.T
    return float(abs(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2)
