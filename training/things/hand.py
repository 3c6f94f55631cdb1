"""A simulated hand: marks as a person would draw them on a photo, as planes that the network sees.

Training draws them as Sofiiuk et al. (RITM, ICIP 2022) do: first marks anywhere within the item or the backdrop, later
ones in the middle of the largest error.
"""

from typing import NamedTuple

import cv2
import numpy as np

KINDS = ("item", "backdrop", "fence")


class Stroke(NamedTuple):
    """points: (n, 2) px. radius: px."""

    kind: str
    points: np.ndarray
    radius: float


def planes_of(strokes: list[Stroke], size: tuple[int, int]) -> np.ndarray:
    """(3, h, w) float32, 1 where there is a mark: item, backdrop, and all beyond the fences."""
    w, h = size
    planes = np.zeros((3, h, w), np.uint8)
    inside = np.zeros((h, w), np.uint8)
    for stroke in strokes:
        fixed = np.round(stroke.points * 16).astype(np.int32)
        if stroke.kind == "fence":
            cv2.fillPoly(inside, [fixed], 1, shift=4)
            planes[2] = 1 - inside
            continue
        plane = planes[KINDS.index(stroke.kind)]
        thick = max(1, round(2 * stroke.radius))
        if len(fixed) > 1:
            cv2.polylines(plane, [fixed], False, 1, thick, shift=4)
        for x, y in stroke.points[[0, -1]]:
            cv2.circle(plane, (round(float(x)), round(float(y))), max(0, round(stroke.radius)), 1, -1)
    return planes.astype(np.float32)


def first_marks(rng: np.random.Generator, truth: np.ndarray) -> list[Stroke]:
    """One to four marks within (h, w) bool truth or beside it, or a fence."""
    marks: list[Stroke] = []
    if truth.any() and rng.uniform() < 0.15:
        marks.append(_fence(rng, truth))
    for _ in range(int(rng.integers(1, 5)) if not marks else int(rng.integers(0, 2))):
        own = rng.uniform() < 0.55
        mark = _within(rng, truth if own else ~truth, "item" if own else "backdrop", near=truth)
        if mark is not None:
            marks.append(mark)
    return marks


def worst_error(found: np.ndarray, truth: np.ndarray) -> np.ndarray | None:
    """The largest connected difference of two (h, w) bool masks, (h, w) bool; None if there is none worth a mark."""
    wrong = found != truth
    count, labels, facts, _ = cv2.connectedComponentsWithStats(wrong.astype(np.uint8), connectivity=4)
    if count < 2:
        return None
    part = labels == 1 + int(np.argmax(facts[1:, cv2.CC_STAT_AREA]))
    return part if part.sum() >= 6 else None


def mark_in(rng: np.random.Generator, error: np.ndarray, truth: np.ndarray) -> Stroke:
    """A mark in the middle of an error, (h, w) bool, as what it is."""
    depth = cv2.distanceTransform(error.astype(np.uint8), cv2.DIST_L2, 3)
    y, x = np.unravel_index(int(np.argmax(depth)), depth.shape)
    made = _within(rng, error, "item" if truth[y, x] else "backdrop", at=(int(x), int(y)))
    assert made is not None
    return made


def _within(
    rng: np.random.Generator,
    region: np.ndarray,
    kind: str,
    near: np.ndarray | None = None,
    at: tuple[int, int] | None = None,
) -> Stroke | None:
    """A dot or a short stroke that stays within a region."""
    h, w = region.shape
    depth = cv2.distanceTransform(np.pad(region, 1).astype(np.uint8), cv2.DIST_L2, 3)[1:-1, 1:-1]
    if at is None:
        allowed = depth > min(2.0, 0.5 * float(depth.max()))
        if near is not None and kind == "backdrop" and rng.uniform() < 0.7:
            allowed &= cv2.dilate(near.astype(np.uint8), np.ones((31, 31))) > 0
        ys, xs = np.nonzero(allowed)
        if not ys.size:
            return None
        k = rng.integers(ys.size)
        at = int(xs[k]), int(ys[k])
    radius = float(np.clip(rng.uniform(0.006, 0.025) * max(h, w), 1, max(1.0, depth[at[1], at[0]])))
    points = [np.array(at, float)]
    if rng.uniform() < 0.6:
        heading = rng.uniform(0, 2 * np.pi)
        for _ in range(int(rng.integers(2, 25))):
            heading += rng.normal(0, 0.4)
            following = points[-1] + 3 * np.array([np.cos(heading), np.sin(heading)])
            x, y = np.round(following).astype(int)
            if not (0 <= x < w and 0 <= y < h and depth[y, x] > min(radius, 0.7 * depth.max())):
                break
            points.append(following)
    return Stroke(kind, np.array(points), radius)


def _fence(rng: np.random.Generator, truth: np.ndarray) -> Stroke:
    """A loose closed line around the item."""
    h, w = truth.shape
    reach = int(rng.uniform(0.02, 0.1) * max(h, w)) + 1
    grown = cv2.dilate(truth.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1,) * 2))
    ys, xs = np.nonzero(grown)
    hull = cv2.convexHull(np.column_stack([xs, ys]).astype(np.int32))[:, 0]
    return Stroke("fence", hull.astype(float), 1.0)
