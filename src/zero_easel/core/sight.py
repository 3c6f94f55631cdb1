"""What is seen of a photo at the sizes at which it is decided: its backdrop, and the network's opinion from afar and
from close by."""

from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np
import pyvips

from zero_easel.core.backdrop import Backdrop, estimate_backdrop, match_empty
from zero_easel.core.barrier import barrier_of
from zero_easel.core.colour import Encoded, Float, to_linear
from zero_easel.core.features import SIDE, Window, features_of
from zero_easel.core.network import ask_network

MODERATE = 1600
"""Longer side in px of the reduced picture from which everything but the edge is made."""
_CLOSE = 0.8
"""A window narrower than this share of the frame is worth a closer look."""
_MARGIN = 0.12


@dataclass(frozen=True)
class Sight:
    """One photo, looked at.

    moderate: (h, w, 3) sRGB-encoded, the photo with no side over MODERATE. backdrop: at the network's size. whole:
    (h, w) float32 log odds of item over the frame, at the network's size. window: where the item seems to be.
    close: (h, w) log odds within the window, at its own size; None where the whole frame says as much.
    empty_fits: whether an empty frame was used; None if none was given.
    """

    moderate: Encoded
    backdrop: Backdrop
    whole: Float
    window: Window
    close: Float | None
    empty_fits: bool | None = field(default=None)

    @cached_property
    def linear(self) -> Float:
        """The moderate picture in linear light, (h, w, 3) float32."""
        return to_linear(self.moderate)


def look_at(pixels: Encoded, empties: list[Encoded]) -> Sight:
    """Look at a photo, (H, W, 3) uint8 or uint16 sRGB; empties: photos of the bare backdrop, any size."""
    moderate = reduced(pixels, MODERATE)
    linear = to_linear(reduced(moderate, SIDE))
    backdrop = _backdrop(linear, empties)
    barrier = barrier_of(linear, backdrop.field, backdrop.noise)
    whole = _log_odds(ask_network(features_of(linear, backdrop.field, barrier, backdrop.noise, backdrop.known)))
    window = _window(whole)
    close = _closer(moderate, backdrop, barrier, window)
    return Sight(moderate, backdrop, whole, window, close, backdrop.known if empties else None)


def reduced(pixels: Encoded, side: int) -> Encoded:
    """The picture with its longer side at most `side` px, averaged over areas; never enlarged."""
    height, width = pixels.shape[:2]
    scale = min(1.0, side / max(height, width))
    size = (max(8, round(width * scale)), max(8, round(height * scale)))
    if scale == 1:
        return pixels
    if scale > 0.5:
        return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), pixels.dtype)
    # Whole pixels are averaged first, the rest is a short linear filter: several times faster on a large photo.
    image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels))
    small = image.resize(size[0] / width, vscale=size[1] / height, kernel="linear").numpy()
    if small.shape[1::-1] != size:
        small = cv2.resize(small, size, interpolation=cv2.INTER_AREA)
    return np.asarray(small, pixels.dtype)


def part_of(picture: Float, window: Window, size: tuple[int, int]) -> Float:
    """The part of a picture of the whole frame that lies in a window, resampled to a size (width, height)."""
    h, w = picture.shape[:2]
    sx, sy = (window.right - window.left) * w / size[0], (window.bottom - window.top) * h / size[1]
    if max(sx, sy) > 1.5:
        rows = slice(round(window.top * h), max(round(window.top * h) + 1, round(window.bottom * h)))
        columns = slice(round(window.left * w), max(round(window.left * w) + 1, round(window.right * w)))
        return np.asarray(cv2.resize(picture[rows, columns], size, interpolation=cv2.INTER_AREA), np.float32)
    place = np.array([[sx, 0, window.left * w + sx / 2 - 0.5], [0, sy, window.top * h + sy / 2 - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(picture, place, size, flags=flags, borderMode=cv2.BORDER_REPLICATE), np.float32)


def size_within(window: Window, frame: tuple[int, int], side: int) -> tuple[int, int]:
    """Width and height of a window's picture, the longer of them `side`; frame: (height, width) in any unit."""
    w, h = (window.right - window.left) * frame[1], (window.bottom - window.top) * frame[0]
    scale = side / max(w, h)
    return max(8, round(w * scale)), max(8, round(h * scale))


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


def _closer(moderate: Encoded, backdrop: Backdrop, barrier: Float, window: Window) -> Float | None:
    h, w = moderate.shape[:2]
    size = size_within(window, (h, w), SIDE)
    span = max((window.right - window.left) * w, (window.bottom - window.top) * h) / max(h, w)
    if span > _CLOSE:
        return None
    linear = part_of(to_linear(moderate), window, size)
    field = part_of(backdrop.field, window, size)
    near = part_of(barrier, window, size)
    return _log_odds(ask_network(features_of(linear, field, near, backdrop.noise, backdrop.known, window)))


def _log_odds(probability: Float) -> Float:
    p = np.clip(probability, 0.001, 0.999)
    return np.asarray(np.log(p / (1 - p)), np.float32)
