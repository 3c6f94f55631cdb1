"""How an item's light is spread, before and after its tone, and what of it is lost."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Float, to_linear, to_srgb8
from zero_easel.core.tone.difference import lab_of
from zero_easel.core.tone.toning import Tone

BINS = 50
"""Steps of L* from 0 to 100 in which px are counted."""
_LIGHTEST, _DARKEST = 253, 3
"""sRGB levels at which a channel holds nothing more, and all hold nothing yet."""


class Spread(NamedTuple):
    """Shares of an item's px in BINS steps of L*, as shot and as it becomes; clipped, blocked: after the tone."""

    before: tuple[float, ...]
    after: tuple[float, ...]
    clipped: float
    blocked: float


class PlaceReading(NamedTuple):
    """One place: sRGB, 0 to 255, and CIE L*a*b*."""

    rgb: tuple[int, int, int]
    lab: tuple[float, float, float]


def toned_pixels(pixels: NDArray[np.uint8], tone: Tone) -> NDArray[np.uint8]:
    """(h, w, 3 or 4) sRGB after a tone; alpha stays."""
    light = to_linear(np.ascontiguousarray(pixels[..., :3]))
    planes = tone.curved(tone.on([np.ascontiguousarray(light[..., c]) for c in range(3)]))
    return np.concatenate([to_srgb8(np.stack(planes, -1)), pixels[..., 3:]], -1)


def spread_of(pixels: NDArray[np.uint8], tone: Tone) -> Spread:
    """Of a cutout, (h, w, 4) sRGB; all 0 if nothing of it is solid."""
    solid = pixels[..., 3] > 250
    after = toned_pixels(pixels, tone)
    count = max(int(solid.sum()), 1)
    clipped, blocked = lost(after)
    return Spread(
        _counted(pixels[solid][:, :3], count),
        _counted(after[solid][:, :3], count),
        float((clipped & solid).sum()) / count,
        float((blocked & solid).sum()) / count,
    )


def lost(pixels: NDArray[np.uint8]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """(h, w) both: where a channel is clipped, and where all are blocked."""
    colours = np.ascontiguousarray(pixels[..., :3])
    return colours.max(-1) >= _LIGHTEST, colours.max(-1) <= _DARKEST


def lost_drawn(pixels: NDArray[np.uint8], tone: Tone) -> NDArray[np.uint8]:
    """(h, w, 4) to lay over a cutout, (h, w, 4) sRGB: clipped parts hatched light on brick, blocked ones on ink; clear
    elsewhere."""
    clipped, blocked = lost(toned_pixels(pixels, tone))
    solid = pixels[..., 3] > 250
    drawn = np.zeros(pixels.shape, np.uint8)
    y, x = np.indices(solid.shape)
    lines = (x + y) // 3 % 2 == 0
    for part, colour in ((clipped & solid, (168, 50, 30)), (blocked & solid, (25, 25, 24))):
        near = cv2.dilate(part.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        drawn[near & lines] = (*colour, 255)
        drawn[near & ~lines] = (244, 244, 243, 255)
    return drawn


def reading_at(pixels: NDArray[np.uint8], x: float, y: float, tone: Tone) -> tuple[PlaceReading, PlaceReading]:
    """Around a place of a photo, (h, w, 3) sRGB, at shares of its width and height: as shot and after the tone. Raises
    ValueError beside it."""
    h, w = pixels.shape[:2]
    if not (0 <= x < 1 and 0 <= y < 1):
        raise ValueError("that is not on the photo")
    row, column = int(y * h), int(x * w)
    part = pixels[max(0, row - 1) : row + 2, max(0, column - 1) : column + 2].reshape(-1, 1, 3)
    before = np.median(part, 0).round().astype(np.uint8)[None]
    return _read(before), _read(toned_pixels(before, tone))


def _read(pixel: NDArray[np.uint8]) -> PlaceReading:
    red, green, blue = (int(v) for v in pixel[0, 0])
    light, a, b = (round(float(v), 1) for v in lab_of(to_linear(pixel))[0, 0])
    return PlaceReading((red, green, blue), (light, a, b))


def _counted(colours: NDArray[np.uint8], count: int) -> tuple[float, ...]:
    lightness: Float = lab_of(to_linear(colours))[:, 0] if len(colours) else np.zeros(0, np.float32)
    found = np.histogram(np.clip(lightness, 0, 99.99), BINS, (0, 100))[0]
    return tuple(round(float(v) / count, 4) for v in found)
