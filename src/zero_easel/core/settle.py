"""Uncertain pixels follow certain ones of the same surface: edge-aware averaging of an opinion.

A recursive filter runs along rows and columns and stops at changes of colour (domain transform: Gastal & Oliveira,
ACM Trans. Graph. 30(4), 2011). What it averages is weighted by how certain it is (normalised convolution: Knutsson &
Westin, CVPR 1993), so that doubt is filled from conviction, never the other way round.
"""

import cv2
import numpy as np

from zero_easel.core.colour import Float

_REACH = 60.0
"""Spatial standard deviation of the filter in px, on a surface without any change of colour."""
_CHANGE = 0.2
"""Change of log light, summed over the channels, that counts as much as the whole reach."""
_ROUNDS = 3


def settle(odds: Float, linear: Float) -> Float:
    """(h, w) float32 log odds and the picture they are of, (h, w, 3) linear light -> (h, w) float32 log odds."""
    light = cv2.GaussianBlur(np.log(linear + 0.02), (0, 0), 0.6)
    across, down = (1 + _REACH / _CHANGE * np.abs(np.diff(light, axis=axis)).sum(2) for axis in (1, 0))
    certain = np.square(np.tanh(odds / 2)) + np.float32(0.02)
    values = np.stack([certain * np.clip(odds, -6, 6), certain], 2).astype(np.float32)
    for turn in range(_ROUNDS):
        sigma = _REACH * np.sqrt(3) * 2 ** (_ROUNDS - turn - 1) / np.sqrt(4**_ROUNDS - 1)
        keep = np.exp(-np.sqrt(2) / sigma)
        _run(values.transpose(1, 0, 2), np.power(keep, across.T, dtype=np.float32))
        _run(values, np.power(keep, down, dtype=np.float32))
    return np.asarray(values[..., 0] / values[..., 1], np.float32)


def _run(values: Float, keep: Float) -> None:
    """Filter the columns of (h, w, c) in place, forth and back; keep: (h - 1, w), what passes from row to row."""
    for row in range(1, len(values)):
        values[row] += keep[row - 1, :, None] * (values[row - 1] - values[row])
    for row in range(len(values) - 2, -1, -1):
        values[row] += keep[row, :, None] * (values[row + 1] - values[row])
