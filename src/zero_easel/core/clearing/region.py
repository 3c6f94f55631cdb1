"""The decision which part of a photo is item, from all opinions and a person's marks."""

from dataclasses import dataclass

import cv2
import numpy as np

from zero_easel.core.clearing.marks import Mark, corrected, planes_of
from zero_easel.core.clearing.sight import Opinions, Sight, within
from zero_easel.core.clearing.things import CLOSE, ask_things
from zero_easel.core.light.colour import Float, Mask
from zero_easel.core.light.geometry import Box, Size, Window
from zero_easel.core.light.windows import part_of

_NEAR = 0.65
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
    """Join the looks from afar and from close by; a person's rough marks and fences are certain. frame: size of the
    photo, px. The exact brush decides nothing but its own pixels, and those at full size (cutout.exactly)."""
    marks = [mark for mark in marks if not mark.kind.startswith("exact")]
    window = _around(sight.window, marks, frame)
    linear, _ = sight.seen(window)
    opinions = _opinions(sight, window, Size.of(linear))
    odds = opinions.joined()
    if marks:
        box = Region(window, odds, odds > 0, frame).box
        seen = within(sight.picture, window)
        things = ask_things(seen, CLOSE, Size.of(linear), planes_of(marks, box, Size.of(linear)))
        odds = corrected(opinions._replace(things=things).joined(), linear, marks, box)
    return Region(window, odds, _without_specks(odds), frame)


def _around(window: Window, marks: list[Mark], frame: Size) -> Window:
    """The window and all that was marked as item."""
    left, top, right, bottom = window
    for mark in marks:
        if mark.kind == "item":
            points, reach = np.array(mark.points) / frame, 2 * mark.radius / np.array(frame) + 0.02
            left, top = np.minimum((left, top), (points - reach).min(0))
            right, bottom = np.maximum((right, bottom), (points + reach).max(0))
    return Window(max(0.0, float(left)), max(0.0, float(top)), min(1.0, float(right)), min(1.0, float(bottom)))


def _opinions(sight: Sight, window: Window, size: Size) -> Opinions:
    """Mean log odds of both looks where both saw; from afar alone elsewhere."""
    far = [part_of(opinion, window, size) for opinion in sight.far]
    if sight.close is None:
        return Opinions(*far)
    # Where the closer look lies on this grid.
    scale = np.array([size[0] / (window.right - window.left), size[1] / (window.bottom - window.top)])
    left, top = np.round((np.array(sight.window[:2]) - window[:2]) * scale).astype(int)
    right, bottom = np.round((np.array(sight.window[2:]) - window[:2]) * scale).astype(int)
    right, bottom = min(int(right), size[0]), min(int(bottom), size[1])
    for odds, close in zip(far, sight.close, strict=True):
        near = cv2.resize(close, (right - left, bottom - top), interpolation=cv2.INTER_LINEAR)
        odds[top:bottom, left:right] = (1 - _NEAR) * odds[top:bottom, left:right] + _NEAR * near
    return Opinions(*far)


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
