"""Uncertain pixels follow certain ones of the same surface: edge-aware averaging of an opinion.

A recursive filter runs along rows and columns and stops at changes of colour (domain transform: Gastal & Oliveira,
ACM Trans. Graph. 30(4), 2011). What it averages is weighted by how certain it is (normalised convolution: Knutsson &
Westin, CVPR 1993), so that doubt is filled from conviction, never the other way round.
"""

import cv2
import numpy as np

from zero_easel.core.light.colour import Float

_REACH = 60.0
"""Spatial standard deviation of the filter in px, on a surface without any change of colour."""
_CHANGE = 0.2
"""Change of log light, summed over the channels, that counts as much as the whole reach."""


def settle(odds: Float, linear: Float) -> Float:
    """(h, w) float32 log odds and the picture they are of, (h, w, 3) linear light -> (h, w) float32 log odds."""
    light = cv2.GaussianBlur(np.log(linear + np.float32(0.02)), (0, 0), 0.6)
    certain = np.square(np.tanh(odds / 2)) + np.float32(0.02)
    values = np.stack([certain * np.clip(odds, -6, 6), certain], 2).astype(np.float32)
    settled = cv2.ximgproc.dtFilter(light, values, _REACH, _CHANGE, mode=cv2.ximgproc.DTF_RF, numIters=3)
    return np.asarray(settled[..., 0] / settled[..., 1], np.float32)
