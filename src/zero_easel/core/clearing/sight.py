"""What is seen of a photo at the sizes at which it is decided: its backdrop, and the network's opinion from afar and
from close by."""

from dataclasses import dataclass, field, replace
from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import Backdrop, estimate_backdrop, match_empty
from zero_easel.core.clearing.barrier import barrier_of
from zero_easel.core.clearing.features import SIDE, features_of
from zero_easel.core.clearing.network import ask_network
from zero_easel.core.clearing.paper import fills_frame, find_papers
from zero_easel.core.light.colour import Encoded, Float, Mask, to_linear
from zero_easel.core.light.geometry import Size, Window
from zero_easel.core.light.windows import part_of, px_of, size_within
from zero_easel.core.photos.reducing import reduced

MODERATE = 1600
"""Longer side in px of the reduced picture from which everything but the edge is made."""
FINE = 2 * SIDE
"""Longer side in px of the closer look and of what is decided by it, if the photo has as many there."""
_CLOSER = 1.2
"""A closer look that is finer by less than this factor tells nothing new."""
_MARGIN = 0.12
BEYOND = 6.0
"""Log odds against anything beyond the paper, where it does not fill the frame."""


class Near(NamedTuple):
    """A window at the size at which it is decided: the photo and its empty backdrop, (h, w, 3) linear light both."""

    linear: Float
    field: Float


@dataclass(frozen=True)
class Sight:
    """One photo, looked at.

    linear: (h, w, 3) linear light, the photo with no side over MODERATE. backdrop: at the network's size. whole:
    (h, w) float32 log odds of item over the frame, at the network's size. window: where the item seems to be.
    close: (h, w) log odds within the window, at its own size; None where the whole frame says as much.
    sheet: (h, w) bool, at the network's size, the paper where it does not fill the frame; None where it does.
    empty_fits: whether an empty frame was used; None if none was given. near: the window, if it was made already.
    settled: what was decided of a window before anybody drew marks, kept for the next mark (region.decide).
    """

    linear: Float
    backdrop: Backdrop
    whole: Float
    window: Window
    close: Float | None
    sheet: Mask | None = None
    empty_fits: bool | None = None
    near: Near | None = None
    settled: dict[Window, Float] = field(default_factory=dict)

    def seen(self, window: Window) -> Near:
        """The photo and its empty backdrop in a window."""
        if self.near is not None and window == self.window:
            return self.near
        return _near(self.linear, self.backdrop.field, window)

    def within_sheet(self, window: Window, size: Size) -> Mask | None:
        """(h, w) bool, where a window seen at a size is paper; None where all of the frame is."""
        return None if self.sheet is None else part_of(self.sheet.astype(np.float32), window, size) > 0.5


class _Look(NamedTuple):
    """A look from afar, all at the network's size: see Sight; barrier as barrier_of makes it."""

    backdrop: Backdrop
    barrier: Float
    odds: Float
    sheet: Mask | None = None


def look_at(pixels: Encoded, empties: list[Encoded]) -> Sight:
    """Look at a photo, (H, W, 3) uint8 or uint16 sRGB; empties: photos of the bare backdrop, any size."""
    moderate = reduced(pixels, MODERATE)
    small = to_linear(reduced(moderate, SIDE))
    backdrop = _backdrop(small, empties)
    look = None if backdrop.known or fills_frame(backdrop) else _look_at_paper(small)
    look = look or _from_afar(small, backdrop)
    window, linear = _window(look.odds), to_linear(moderate)
    near = _near(linear, look.backdrop.field, window)
    sight = Sight(linear, look.backdrop, look.odds, window, None, look.sheet, backdrop.known if empties else None, near)
    return replace(sight, close=_closer(sight, look.barrier))


def _from_afar(linear: Float, backdrop: Backdrop) -> _Look:
    barrier = barrier_of(linear, backdrop.field, backdrop.noise)
    features = features_of(linear, backdrop.field, barrier, backdrop.noise, backdrop.known)
    return _Look(backdrop, barrier, _log_odds(ask_network(features)))


def _look_at_paper(linear: Float) -> _Look | None:
    """What stands on paper that does not fill the frame; None if there is no such paper with something on it."""
    for found in find_papers(linear):
        look = _from_afar(found.alone(linear), found.backdrop)
        paper = found.trimmed(look.odds)
        if (paper.sheet != found.sheet).any():
            look = _from_afar(paper.alone(linear), paper.backdrop)
        if paper.carries(look.odds):
            odds = np.where(paper.sheet, look.odds, -BEYOND).astype(np.float32)
            return look._replace(odds=odds, sheet=paper.sheet)
    return None


def _backdrop(linear: Float, empties: list[Encoded]) -> Backdrop:
    """The backdrop by the empty frame that explains most, or as estimated from the photo if none fits."""
    estimate = estimate_backdrop(linear)
    h, w = linear.shape[:2]
    best: Backdrop | None = None
    for empty in empties:
        if abs(empty.shape[1] * h - empty.shape[0] * w) > 0.02 * empty.shape[1] * h:
            continue
        small = to_linear(np.asarray(cv2.resize(empty, (w, h), interpolation=cv2.INTER_AREA), empty.dtype))
        found = match_empty(linear, small, estimate)
        if found and (best is None or found.explained.mean() > best.explained.mean()):
            best = found
    return best or estimate


def _window(odds: Float) -> Window:
    """The box of all that may be item, with a margin."""
    h, w = odds.shape
    likely = odds > -1
    rows, columns = np.flatnonzero(likely.any(1)), np.flatnonzero(likely.any(0))
    if not rows.size:
        return Window()
    margin = _MARGIN * max(rows[-1] - rows[0], columns[-1] - columns[0]) + 4
    return Window(
        max(0.0, float(columns[0] - margin) / w),
        max(0.0, float(rows[0] - margin) / h),
        min(1.0, float(columns[-1] + 1 + margin) / w),
        min(1.0, float(rows[-1] + 1 + margin) / h),
    )


def _near(linear: Float, field: Float, window: Window) -> Near:
    """A window with as many px as the photo has there, within reason."""
    frame = Size.of(linear)
    side = int(np.clip(max(px_of(window, frame)), SIDE, FINE))
    size = size_within(window, frame, side)
    return Near(part_of(linear, window, size), part_of(field, window, size))


def _closer(sight: Sight, barrier: Float) -> Float | None:
    """Log odds within the window, as the network sees it from close by; None if that is hardly closer."""
    linear, field = sight.seen(sight.window)
    size = Size.of(linear)
    frame = sight.whole.shape[1] * (sight.window.right - sight.window.left)
    if size[0] < _CLOSER * frame:
        return None
    paper = sight.within_sheet(sight.window, size)
    if paper is not None:
        linear = np.where(paper[..., None], linear, field)
    near, backdrop = part_of(barrier, sight.window, size), sight.backdrop
    return _log_odds(ask_network(features_of(linear, field, near, backdrop.noise, backdrop.known, sight.window)))


def _log_odds(probability: Float) -> Float:
    p = np.clip(probability, 0.001, 0.999)
    return np.asarray(np.log(p / (1 - p)), np.float32)
