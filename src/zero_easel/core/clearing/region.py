"""The decision which part of a photo is item, from all opinions and a person's marks."""

from dataclasses import dataclass

import cv2
import numpy as np

from zero_easel.core.clearing.marks import Mark, corrected
from zero_easel.core.clearing.sight import Sight
from zero_easel.core.light.colour import Float, Mask
from zero_easel.core.light.geometry import Box, Size, Window
from zero_easel.core.light.windows import part_of

_NEAR = 0.5
"""Weight of the look from close by against that from afar."""
_SPECK = 0.004
"""Parts smaller than this share of the largest one are dirt, not item."""


@dataclass(frozen=True)
class Region:
    """The item within a window of the frame.

    window: the part of the frame. odds: (h, w) float32, log odds of item there. item: (h, w) bool, the decision.
    frame: size of the whole photo, px.
    """

    window: Window
    odds: Float
    item: Mask
    frame: Size

    @property
    def box(self) -> Box:
        """The window in px of the photo."""
        (width, height), w = self.frame, self.window
        return Box(w.left * width, w.top * height, w.right * width, w.bottom * height)


def decide(sight: Sight, frame: Size, marks: list[Mark]) -> Region:
    """Join the looks from afar and from close by; a person's rough marks and fences are certain. sight: looked at with
    these marks (sight.look_again). frame: size of the photo, px. The exact brush decides nothing but its own pixels,
    and those at full size (cutout.exactly)."""
    linear, _ = sight.seen(sight.window)
    odds = _joined(sight, Size.of(linear))
    marks = [mark for mark in marks if not mark.kind.startswith("exact")]
    if marks:
        odds = corrected(odds, linear, marks, Region(sight.window, odds, odds > 0, frame).box)
    return Region(sight.window, odds, _without_specks(odds), frame)


def _joined(sight: Sight, size: Size) -> Float:
    """Mean log odds of both looks in the window; from afar alone if there was no closer one."""
    far = part_of(sight.far.joined(), sight.window, size)
    if sight.close is None:
        return far
    return np.asarray((1 - _NEAR) * far + _NEAR * sight.close.joined(), np.float32)


def _without_specks(odds: Float) -> Mask:
    """Where item is likelier than not, less the parts that are too small to be any."""
    count, labels, facts, _ = cv2.connectedComponentsWithStats((odds > 0).astype(np.uint8), connectivity=8)
    if count < 2:
        return np.asarray(odds > 0)
    areas = facts[:, cv2.CC_STAT_AREA].astype(np.float64)
    areas[0] = 0
    large = areas >= max(12, _SPECK * areas.max())
    sure = np.bincount(labels[odds > 1], minlength=count) > 0
    keep = large & sure
    keep[0] = False
    return np.asarray(keep[labels])
