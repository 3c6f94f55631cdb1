"""The decision which part of a photo is item, from the network's opinions and a person's marks."""

from dataclasses import dataclass

import cv2
import numpy as np

from zero_easel.core.clearing.evidence import strangeness
from zero_easel.core.clearing.jointly import jointly
from zero_easel.core.clearing.marks import Mark, corrected
from zero_easel.core.clearing.settle import settle
from zero_easel.core.clearing.sight import BEYOND, Sight
from zero_easel.core.light.colour import Float, Mask
from zero_easel.core.light.geometry import Box, Size, Window
from zero_easel.core.light.windows import part_of

_STRANGE = 1.5
"""Log odds against a hole for each unit of strangeness in it; with the limit of 1 fitted on 1200 holes of rendered
scenes that the network had not seen."""
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
    odds = sight.settled.get(window)
    if odds is None:
        odds = _settled(sight, window)
        sight.settled.clear()  # marks beyond the window have made it larger
        sight.settled[window] = odds
    if marks:
        odds = corrected(odds, linear, marks, Region(window, odds, odds > 0, frame).box)
    return Region(window, odds, _without_specks(odds), frame)


def _settled(sight: Sight, window: Window) -> Float:
    """(h, w) log odds of item in a window, all evidence weighed."""
    linear, field = sight.seen(window)
    size = Size.of(linear)
    odds = settle(jointly(_joined(sight, window, size), linear), linear)
    odds = _without_false_holes(odds, strangeness(linear, field))
    paper = sight.within_sheet(window, size)
    return odds if paper is None else np.where(paper, odds, -BEYOND).astype(np.float32)


def _around(window: Window, marks: list[Mark], frame: Size) -> Window:
    """The window and all that was marked as item."""
    left, top, right, bottom = window
    for mark in marks:
        if mark.kind == "item":
            points, reach = np.array(mark.points) / frame, 2 * mark.radius / np.array(frame) + 0.02
            left, top = np.minimum((left, top), (points - reach).min(0))
            right, bottom = np.maximum((right, bottom), (points + reach).max(0))
    return Window(max(0.0, float(left)), max(0.0, float(top)), min(1.0, float(right)), min(1.0, float(bottom)))


def _joined(sight: Sight, window: Window, size: Size) -> Float:
    """Mean log odds of both looks where both saw; from afar alone elsewhere."""
    odds = part_of(sight.whole, window, size)
    if sight.close is None:
        return odds
    # Where the closer look lies on this grid.
    scale = np.array([size[0] / (window.right - window.left), size[1] / (window.bottom - window.top)])
    left, top = np.round((np.array(sight.window[:2]) - window[:2]) * scale).astype(int)
    right, bottom = np.round((np.array(sight.window[2:]) - window[:2]) * scale).astype(int)
    right, bottom = min(int(right), size[0]), min(int(bottom), size[1])
    near = cv2.resize(sight.close, (right - left, bottom - top), interpolation=cv2.INTER_LINEAR)
    odds[top:bottom, left:right] = 0.35 * odds[top:bottom, left:right] + 0.65 * near
    return odds


def _without_false_holes(odds: Float, strange: Float) -> Float:
    """Close holes through which another thing than the backdrop shows, lit or shadowed, unless the network is certain:
    dark lines, labels and glints on the item. strange: (h, w), see strangeness()."""
    count, labels, facts, _ = cv2.connectedComponentsWithStats((odds <= 0).astype(np.uint8), connectivity=4)
    outside = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
    closed = odds.copy()
    for k in np.setdiff1d(np.arange(1, count), outside):
        x, y, w, h = facts[k, :4]
        box = np.s_[y : y + h, x : x + w]
        hole = labels[box] == k
        if np.median(odds[box][hole]) > -min(1.0, _STRANGE * float(np.median(strange[box][hole]))):
            closed[box][hole] = 1
    return closed


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
