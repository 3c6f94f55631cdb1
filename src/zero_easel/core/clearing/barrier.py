"""How hard it is to come to a pixel from the frame's rim: the evidence of whole outlines, as a number at each pixel.

Backdrop, gradients and soft shadows are reached without crossing an edge; the inside of an item is not, even where it
looks just like the paper. The measure is a geodesic distance (Toivanen, Pattern Recognition Letters 17, 1996) in which
only steps that stand out from the noise cost anything.
"""

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR
from zero_easel.core.light.colour import Float, channel_sum

_ROUNDS = 5


def barrier_of(linear: Float, field: Float, noise: float) -> Float:
    """(h, w) float32 >= 0: 0 where the rim's backdrop goes on, 1 beyond a faint edge, 3 and more beyond clear ones.

    linear, field: (h, w, 3) float32, the picture and its empty backdrop. noise: standard deviation of log light.
    """
    difference = np.log((linear + FLOOR) / (field + FLOOR))
    unlike = channel_sum(np.abs(difference)) / (30 * max(noise, 0.004))
    across, down = step_costs(cv2.GaussianBlur(difference, (0, 0), 0.8))
    distance = np.full(unlike.shape, 1e6, np.float32)
    for rim in (np.s_[0], np.s_[-1], np.s_[:, 0], np.s_[:, -1]):
        # An item may reach the rim: only what looks like the backdrop there is a way in.
        distance[rim] = np.maximum(unlike[rim] - 0.2, 0)
    return np.log1p(spread(distance, across, down, _ROUNDS))


def spread(distance: Float, across: Float, down: Float, rounds: int) -> Float:
    """Geodesic distances from given ones, (h, w); across (h, w - 1) and down (h - 1, w): what a step costs.

    Exact along rows and columns by running minima; a few rounds carry it around corners.
    """
    along = ((np.cumsum(np.pad(across, ((0, 0), (1, 0))), 1), 1), (np.cumsum(np.pad(down, ((1, 0), (0, 0))), 0), 0))
    for _ in range(rounds):
        for cost, axis in along:
            distance = cost + np.minimum.accumulate(distance - cost, axis)
            distance = np.flip(np.minimum.accumulate(np.flip(distance + cost, axis), axis), axis) - cost
    return np.maximum(distance, 0).astype(np.float32)


def step_costs(difference: Float) -> tuple[Float, Float]:
    """(h, w - 1) and (h - 1, w), what a step to the right and a step down cost: by how much it exceeds the usual one.

    difference: (h, w, 3) float32, the picture's log light less the backdrop's.
    """
    across, down = (channel_sum(np.abs(np.diff(difference, axis=axis))) for axis in (1, 0))
    usual = max(float(np.median(across)), float(np.median(down)), 0.004)
    return np.maximum(across / usual - 3, 0) / 10, np.maximum(down / usual - 3, 0) / 10
