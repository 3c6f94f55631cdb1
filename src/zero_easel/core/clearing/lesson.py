"""What a corrected photo teaches about the others of its shoot: they share backdrop, light and often the item.

Every part of the corrected photo is now known to be item or backdrop. A part of another photo that looks like some of
them, to the network that knows things and in colour, should be what they are (nearest neighbours: Cover & Hart, IEEE
Trans. Information Theory 1967). Where that contradicts what was decided there, marks say so, as a person would draw
them; so all that is done with a person's marks can be done with these.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.clearing.marks import Mark
from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.sight import Sight
from zero_easel.core.clearing.things import features_of_things
from zero_easel.core.light.colour import Float, Mask
from zero_easel.core.light.geometry import Size

_COLOUR = 0.3
"""Weight of colour beside features of length 1; lightness counts in units of 100, both hues of 60 (of 255)."""
_NEIGHBOURS = 9
_BEYOND = 2.0
"""How much farther than what was taught from itself another photo's parts may be, and still be spoken for."""
_SURE = 0.95
"""Share of the neighbours that must agree before a mark is proposed."""
_MOST = 4
"""Marks for one photo: what would need more is another problem."""
_SMALLEST = 0.004
"""Least area of what a mark is drawn for, as a share of the item's."""
_RADIUS = 0.015
"""Largest radius of a mark, as a share of the photo's longer side."""
_GRID = 640
"""Longer side in px of the picture on which contradictions are sought."""


class Lesson(NamedTuple):
    """looks: (n, c) float32, how parts of a corrected photo look. item: (n,) float32, 1 where they are item, 0 where
    they are backdrop. reach: squared distance within which nearly all of them have neighbours: what is farther from all
    of them looks like nothing that was taught."""

    looks: Float
    item: Float
    reach: float


def lesson_of(sight: Sight, region: Region) -> Lesson:
    """What a photo teaches whose region is right: all of its parts that are wholly item or wholly backdrop."""
    looks = _looks(sight)
    h, w = looks.shape[:2]
    share = _over_frame(region, Size(w, h), region.item.astype(np.float32), 0.0).ravel()
    known = (share < 0.1) | (share > 0.9)
    kept = looks.reshape(h * w, -1)[known]
    if len(kept) <= _NEIGHBOURS:
        return Lesson(kept, np.zeros(len(kept), np.float32), 0.0)
    apart = _nearest(kept, kept)[1]  # each is its own nearest: the mean is a little low
    return Lesson(kept, (share[known] > 0.5).astype(np.float32), float(np.percentile(apart.mean(1), 95)))


def marks_by(lesson: Lesson, sight: Sight, region: Region) -> list[Mark]:
    """Marks for another photo, the largest contradiction first; none where the lesson agrees with what was decided."""
    if len(lesson.item) <= _NEIGHBOURS:
        return []
    looks = _looks(sight)
    h, w = looks.shape[:2]
    taught = _share_of_item(lesson, looks.reshape(h * w, -1)).reshape(h, w)
    scale = _GRID / max(region.frame)
    size = Size(max(1, round(region.frame.width * scale)), max(1, round(region.frame.height * scale)))
    taught = np.asarray(cv2.resize(taught, size, interpolation=cv2.INTER_LINEAR), np.float32)
    item = _over_frame(region, size, region.odds, -1.0) > 0
    wrong = ((taught > _SURE) & ~item) | ((taught < 1 - _SURE) & item)
    return _middles(wrong, taught > 0.5, max(1, int(item.sum())), 1 / scale)


def _looks(sight: Sight) -> Float:
    """(h, w, c) float32: the network's features and colour, of each eighth px of what it sees."""
    features = features_of_things(sight.picture)
    picture = sight.picture if sight.picture.dtype == np.uint8 else (sight.picture >> 8).astype(np.uint8)
    small = cv2.resize(picture, (features.shape[1], features.shape[0]), interpolation=cv2.INTER_AREA)
    lab = cv2.cvtColor(small, cv2.COLOR_RGB2LAB).astype(np.float32) / np.array([100, 60, 60], np.float32)
    return np.concatenate([features, _COLOUR * lab], 2)


def _over_frame(region: Region, size: Size, values: Float, beside: float) -> Float:
    """(h, w) values of a region's grid laid into the whole frame seen at a size; `beside` everywhere else."""
    h, w = values.shape
    window = region.window
    sx, sy = (window.right - window.left) * size.width / w, (window.bottom - window.top) * size.height / h
    if max(sx, sy) < 1:  # averaged first where it gets smaller
        small = (max(1, round(w * min(1, sx))), max(1, round(h * min(1, sy))))
        values = np.asarray(cv2.resize(values, small, interpolation=cv2.INTER_AREA), np.float32)
        sx, sy = sx * w / small[0], sy * h / small[1]
    place = np.array([
        [sx, 0, window.left * size.width + sx / 2 - 0.5], [0, sy, window.top * size.height + sy / 2 - 0.5],
    ])  # fmt: skip
    laid = cv2.warpAffine(
        values, place, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=beside
    )
    return np.asarray(laid, np.float32)


def _nearest(looks: Float, taught: Float) -> tuple[NDArray[np.intp], Float]:
    """Numbers of the nearest of what was taught, (n, k), and squared distances to them."""
    squares = np.square(looks).sum(1)[:, None] + np.square(taught).sum(1)[None] - 2 * looks @ taught.T
    nearest = np.argpartition(squares, _NEIGHBOURS, axis=1)[:, :_NEIGHBOURS]
    return nearest, np.maximum(np.take_along_axis(squares, nearest, 1), 0)


def _share_of_item(lesson: Lesson, looks: Float) -> Float:
    """(n,) float32 in [0, 1]: how much of what looks most alike is item, the nearer the weightier; one half for what
    looks like nothing that was taught."""
    nearest, distance = _nearest(looks, lesson.looks)
    weight = np.exp(-distance / max(float(np.median(distance)), 1e-6))
    share = (weight * lesson.item[nearest]).sum(1) / np.maximum(weight.sum(1), 1e-12)
    return np.where(distance.mean(1) <= _BEYOND * lesson.reach, share, 0.5).astype(np.float32)


def _middles(wrong: Mask, item: Mask, area: int, scale: float) -> list[Mark]:
    """A dot in the middle of each of the largest parts of a mask; scale: px of the photo for one of the mask's."""
    labels, facts = cv2.connectedComponentsWithStats(wrong.astype(np.uint8), connectivity=4)[1:3]
    marks = []
    for number in 1 + np.argsort(-facts[1:, cv2.CC_STAT_AREA])[:_MOST]:
        part = np.pad(labels == number, 1).astype(np.uint8)
        depth = cv2.distanceTransform(part, cv2.DIST_L2, 5)[1:-1, 1:-1]
        y, x = np.unravel_index(int(depth.argmax()), depth.shape)
        if facts[number, cv2.CC_STAT_AREA] < _SMALLEST * area or depth[y, x] < 4:
            continue
        radius = float(np.clip(depth[y, x] / 2, 1, _RADIUS * max(wrong.shape)))
        points = (((float(x) + 0.5) * scale, (float(y) + 0.5) * scale),)
        marks.append(Mark(kind="item" if item[y, x] else "backdrop", points=points, radius=radius * scale))
    return marks
