"""What is seen of a photo at the sizes at which it is decided: its backdrop, and the network's opinion from afar and
from close by."""

from dataclasses import dataclass, replace
from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import Backdrop, estimate_backdrop, match_empty
from zero_easel.core.clearing.barrier import barrier_of
from zero_easel.core.clearing.features import SIDE, features_of
from zero_easel.core.clearing.marks import Mark, planes_of
from zero_easel.core.clearing.network import ask_network
from zero_easel.core.clearing.things import CLOSE, FAR, ask_things
from zero_easel.core.light.colour import Encoded, Float, Mask, to_linear
from zero_easel.core.light.geometry import Box, Size, Window
from zero_easel.core.light.windows import part_of, px_of, size_within
from zero_easel.core.photos.reducing import reduced

MODERATE = 1600
"""Longer side in px of the reduced picture from which everything but the edge is made."""
FINE = 2 * SIDE
"""Longer side in px of the closer look and of what is decided by it, if the photo has as many there."""
_CLOSER = 1.2
"""A closer look that is finer by less than this factor tells nothing new."""
_MARGIN = 0.12
MOST = 4.0
"""Log odds that how things look never exceeds: it is surer of itself than it should be."""
_SMALLER = 0.5
"""A window that shrinks below this share of the one that was looked at is worth a look of its own."""
_MISLED = 0.2
"""Weight of how things look in a window where this contradicts the evidence, though both agreed about the frame: seen
too close, a plain face is taken for a hole."""
_AGREED, _WEIGHTS = (0.5, 0.9), (0.9, 0.5)
"""Overlap of both opinions, and the weight of how things look."""


class Near(NamedTuple):
    """A window at the size at which it is decided: the photo and its empty backdrop, (h, w, 3) linear light both."""

    linear: Float
    field: Float


class Opinions(NamedTuple):
    """Log odds of item by physical evidence, and by how things look, (h, w) float32 both. marked: the latter with a
    person's marks in view, if there are any. misled: whether how things look is known to be wrong."""

    evidence: Float
    things: Float
    marked: Float | None = None
    misled: bool = False

    @property
    def agreed(self) -> float:
        """Overlap of both."""
        return overlap(self.evidence > 0, self.things > 0)

    def joined(self) -> Float:
        """Log odds of item, all in all. Marks count in full, but only where they change how things look."""
        weight, things = self._weight(), np.clip(self.things, -MOST, MOST)
        odds = (1 - weight) * self.evidence + weight * things
        if self.marked is not None:
            odds = odds + np.clip(self.marked, -MOST, MOST) - things
        return np.asarray(odds, np.float32)

    def _weight(self) -> float:
        """Of how things look. Where both see the same item, evidence knows its outline and holes as well; where they
        differ, as before a cluttered ground, it is misled. What nobody ever saw before still differs from paper."""
        if not (self.things > 0).any():
            return 0.0
        return _MISLED if self.misled else float(np.interp(self.agreed, _AGREED, _WEIGHTS))


def overlap(one: Mask, other: Mask) -> float:
    """Intersection over union of two (h, w) bool masks; 1 if there is nothing."""
    either = float((one | other).sum())
    return float((one & other).sum()) / either if either else 1.0


@dataclass(frozen=True)
class Sight:
    """One photo, looked at.

    picture: (h, w, 3) sRGB as the photo, no side over MODERATE. linear: the same in linear light. backdrop: at the
    network's size. far: opinions over the frame, at the network's size. window: where the item seems to be. close:
    opinions within the window, at its own size; None where the whole frame says as much. empty_fits: whether an empty
    frame was used; None if none was given. near: the window, if it was made already.
    """

    picture: Encoded
    linear: Float
    backdrop: Backdrop
    far: Opinions
    window: Window
    close: Opinions | None
    empty_fits: bool | None = None
    near: Near | None = None

    def seen(self, window: Window) -> Near:
        """The photo and its empty backdrop in a window."""
        if self.near is not None and window == self.window:
            return self.near
        return _near(self.linear, self.backdrop.field, window)


def look_at(pixels: Encoded, empties: list[Encoded]) -> Sight:
    """Look at a photo, (H, W, 3) uint8 or uint16 sRGB; empties: photos of the bare backdrop, any size."""
    moderate = reduced(pixels, MODERATE)
    small = to_linear(reduced(moderate, SIDE))
    backdrop = _backdrop(small, empties)
    barrier = barrier_of(small, backdrop.field, backdrop.noise)
    features = features_of(small, backdrop.field, barrier, backdrop.noise, backdrop.known)
    far = Opinions(_log_odds(ask_network(features)), ask_things(moderate, FAR, Size.of(small)))
    window, linear = _window(far.joined()), to_linear(moderate)
    near = _near(linear, backdrop.field, window)
    sight = Sight(moderate, linear, backdrop, far, window, None, backdrop.known if empties else None, near)
    return replace(sight, close=_closer(sight, barrier))


def look_again(sight: Sight, marks: list[Mark], frame: Size) -> Sight:
    """The same photo with a person's rough marks and fences in view; the exact brush is none of these. frame: size of
    the photo, px. The window stays, unless the item now reaches beyond it or is much smaller."""
    marks = [mark for mark in marks if not mark.kind.startswith("exact")]
    if not marks:
        return sight
    size = Size.of(sight.far.things)
    marked = ask_things(sight.picture, FAR, size, planes_of(marks, Box(0, 0, *frame), size))
    far = sight.far._replace(marked=marked)
    window = _around(_window(far.joined()), marks, frame)
    # A mark that the held window does not hold would not be seen, and not be certain.
    if _fits(window, sight.window) and _around(sight.window, marks, frame) == sight.window:
        window, near, close = sight.window, sight.seen(sight.window), sight.close
    else:
        near, close = _near(sight.linear, sight.backdrop.field, window), None
    size = Size.of(near.linear)
    seen = within(sight.picture, window)
    close = close or Opinions(part_of(sight.far.evidence, window, size), ask_things(seen, CLOSE, size))
    box = Box(*(edge * side for edge, side in zip(window, (*frame, *frame), strict=True)))
    close = close._replace(marked=ask_things(seen, CLOSE, size, planes_of(marks, box, size)))
    return replace(sight, far=far, window=window, close=close, near=near)


def _fits(window: Window, held: Window) -> bool:
    """Whether what lies in a window is seen as well in the one that was looked at already."""
    inside = min(window.left - held.left, window.top - held.top, held.right - window.right, held.bottom - window.bottom)
    width, height = held.right - held.left, held.bottom - held.top
    return inside > -0.03 * max(width, height) and _area(window) > _SMALLER * _area(held)


def _area(window: Window) -> float:
    return (window.right - window.left) * (window.bottom - window.top)


def _around(window: Window, marks: list[Mark], frame: Size) -> Window:
    """The window and all that was marked as item."""
    left, top, right, bottom = window
    for mark in marks:
        if mark.kind == "item":
            points, reach = np.array(mark.points) / frame, 2 * mark.radius / np.array(frame) + 0.02
            left, top = np.minimum((left, top), (points - reach).min(0))
            right, bottom = np.maximum((right, bottom), (points + reach).max(0))
    return Window(max(0.0, float(left)), max(0.0, float(top)), min(1.0, float(right)), min(1.0, float(bottom)))


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


def _closer(sight: Sight, barrier: Float) -> Opinions | None:
    """Opinions within the window, from close by; None if that is hardly closer."""
    linear, field = sight.seen(sight.window)
    size = Size.of(linear)
    frame = sight.far.evidence.shape[1] * (sight.window.right - sight.window.left)
    if size[0] < _CLOSER * frame:
        return None
    near, backdrop = part_of(barrier, sight.window, size), sight.backdrop
    evidence = ask_network(features_of(linear, field, near, backdrop.noise, backdrop.known, sight.window))
    close = Opinions(_log_odds(evidence), ask_things(within(sight.picture, sight.window), CLOSE, size))
    return close._replace(misled=sight.far.agreed > 0.85 and close.agreed < 0.7)


def within(picture: Encoded, window: Window) -> Encoded:
    """The whole px of a picture that a window holds."""
    h, w = picture.shape[:2]
    top, left = round(window.top * h), round(window.left * w)
    bottom, right = max(top + 1, round(window.bottom * h)), max(left + 1, round(window.right * w))
    return picture[top:bottom, left:right]


def _log_odds(probability: Float) -> Float:
    p = np.clip(probability, 0.001, 0.999)
    return np.asarray(np.log(p / (1 - p)), np.float32)
