"""The axis about which a silhouette is most nearly its own mirror image."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Float

_REACH = 45.0
"""Degrees to either side within which an axis is looked for."""


class Axis(NamedTuple):
    """A mirror axis through x, y. angle: in degrees from upright or from level, clockwise. score: share of the
    silhouette that lies on its own mirror image. plain: the same for the best axis that does not lean, plain_at: where
    that lies, across itself."""

    x: float
    y: float
    angle: float
    score: float
    plain: float
    plain_at: float


def mirror_axis(matte: Float, around: float) -> Axis:
    """The best mirror axis of (h, w) float32 in [0, 1], at most 45 degrees from upright (around 0) or level (90).

    A part that has no counterpart, like a mug's handle, only lowers the score: overlap is lost on both sides of the
    body's own axis, wherever the handle is. Overlaps of a row with its mirror image about all axes at once are its
    convolution with itself (Sun, Pattern Recognition Letters 1995, uses orientation histograms to the same end).
    """
    if around == 90:
        # Turned by a quarter, what was level is upright.
        turned = mirror_axis(np.ascontiguousarray(np.rot90(matte)), 0.0)
        return turned._replace(x=matte.shape[1] - turned.y, y=turned.x)  # its plain_at is a height already
    coarse = _at_most(matte, 56)
    angles = np.arange(-_REACH, _REACH + 0.1, 4.5)
    scores = np.array([_best(coarse, angle)[0] for angle in angles])
    best, step = float(angles[int(np.argmax(scores))]), 2.25
    while step > 0.1:
        near = [best - step, best, best + step]
        found = [_best(matte if step < 1 else coarse, angle)[0] for angle in near]
        best, step = near[int(np.argmax(found))], step / 2
    around_it = np.array([_best(matte, best + d)[0] for d in (-0.75, 0.0, 0.75)])
    best = float(np.clip(best + 0.75 * _vertex(around_it), -_REACH, _REACH))
    score, x, y = _best(matte, best)
    plain, at, _ = _best(matte, 0.0)
    return Axis(x, y, best, score, plain, at)


def _at_most(matte: Float, longest: int) -> Float:
    scale = min(1.0, longest / max(matte.shape))
    size = (max(1, round(matte.shape[1] * scale)), max(1, round(matte.shape[0] * scale)))
    return np.asarray(cv2.resize(matte, size, interpolation=cv2.INTER_AREA), np.float32)


def _best(matte: Float, angle: float) -> tuple[float, float, float]:
    """Score of the best axis that leans by an angle, and a point on it."""
    h, w = matte.shape
    side = int(np.ceil(np.hypot(h, w))) + 2
    # Pixel centres are at whole numbers here: turning about the middle keeps it in the middle.
    turn = cv2.getRotationMatrix2D(((w - 1) / 2, (h - 1) / 2), angle, 1.0)
    turn[:, 2] += ((side - w) / 2, (side - h) / 2)
    upright = cv2.warpAffine(matte, turn, (side, side), flags=cv2.INTER_LINEAR)
    upright = upright[upright.any(1)]
    length = cv2.getOptimalDFTSize(2 * side)
    spectra = np.fft.rfft(upright, length, axis=1)
    overlap = np.fft.irfft((spectra * spectra).sum(0), length)
    at = int(np.argmax(overlap))
    near = overlap[[at - 1, at, (at + 1) % len(overlap)]]
    sum_of_places = at + _vertex(near)
    score = float(overlap[at] / max(float((upright * upright).sum()), 1e-9))
    middle = np.array([sum_of_places / 2, (side - 1) / 2, 1.0])
    back = cv2.invertAffineTransform(turn)
    x, y = back @ middle
    return min(score, 1.0), float(x) + 0.5, float(y) + 0.5


def _vertex(three: NDArray[np.float64]) -> float:
    """Where the parabola through three values a step apart has its top, from the middle one, in steps."""
    before, here, after = (float(v) for v in three)
    bend = before - 2 * here + after
    return float(np.clip(0.5 * (before - after) / bend, -1, 1)) if bend < 0 else 0.0
