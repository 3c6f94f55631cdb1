"""The finished picture: one resampling of the original pixels, blended with the ground in linear light."""

from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.colour import Encoded, Float, parse_hex, to_linear, to_srgb8
from zero_easel.core.item import CutItem
from zero_easel.core.measure import Bounds, bounds_of
from zero_easel.core.placement import Placement, place
from zero_easel.core.resample import resample
from zero_easel.core.shadow import drawn_shadow
from zero_easel.core.standard import TRANSPARENT, Standard


class Rendered(NamedTuple):
    """pixels: (H, W, 3) or, on a transparent ground, (H, W, 4) uint8 sRGB, straight alpha. bounds: of the item on
    the canvas, px. placement: the map that was applied."""

    pixels: Encoded
    bounds: Bounds
    placement: Placement


class _Span(NamedTuple):
    """The part of the canvas, in whole px, that an item covers, and the same in px of the item's crop."""

    left: int
    top: int
    right: int
    bottom: int
    source: tuple[float, float, float, float]


def render(item: CutItem, standard: Standard) -> Rendered:
    """Draw an item on the standard's canvas. Raises ValueError if there is no item."""
    if item.bounds is None:
        raise ValueError("there is no item to draw")
    placement, span, drawn, bounds = _settled(item, standard)
    alpha = np.clip(drawn, 0, 1)
    colours = _colours(item, span, drawn)
    canvas = standard.canvas
    cover = np.zeros((canvas.height, canvas.width), np.float32)
    cover[span.top : span.bottom, span.left : span.right] = alpha
    shadow = _shadow(item, standard, placement, cover)
    if canvas.ground == TRANSPARENT:
        pixels = _over_nothing(colours, cover, shadow, span)
    else:
        pixels = _over_ground(colours, alpha, shadow, span, standard)
    return Rendered(pixels, bounds, placement)


def _over_ground(colours: list[Float], alpha: Float, shadow: Float | None, span: _Span, standard: Standard) -> Encoded:
    """Item over shadow over the ground's colour, (H, W, 3)."""
    canvas = standard.canvas
    ground = np.array(parse_hex(canvas.ground), np.uint8)
    light = to_linear(ground)
    part = (slice(span.top, span.bottom), slice(span.left, span.right))
    if shadow is None:
        pixels = np.empty((canvas.height, canvas.width, 3), np.uint8)
        pixels.reshape(canvas.height, -1)[:] = np.tile(ground, canvas.width)
        through = 1 - alpha
    else:
        pixels = to_srgb8((1 - shadow)[..., None] * light)
        through = (1 - alpha) * (1 - shadow[part])
    mixed = (np.asarray(c + through * behind, np.float32) for c, behind in zip(colours, light, strict=True))
    pixels[part] = cv2.merge([to_srgb8(plane) for plane in mixed])
    return pixels


def _over_nothing(colours: list[Float], cover: Float, shadow: Float | None, span: _Span) -> Encoded:
    """Item over its shadow, (H, W, 4) with straight alpha; a shadow is black that lets some light through."""
    dense = cover if shadow is None else cover + (1 - cover) * shadow
    alpha = np.round(dense * 255).astype(np.uint8)
    pixels = np.zeros((*cover.shape, 4), np.uint8)
    part = (slice(span.top, span.bottom), slice(span.left, span.right))
    under = np.maximum(dense[part], 1e-6)
    pixels[part][..., :3] = cv2.merge([to_srgb8(np.asarray(c / under, np.float32)) for c in colours])
    pixels[..., 3] = alpha
    pixels[alpha == 0] = 0
    return pixels


def _settled(item: CutItem, standard: Standard) -> tuple[Placement, _Span, Float, Bounds]:
    """The placement after which the drawn item itself, and not only the rule, meets the rule.

    Resampling may shift the level at which a soft or ragged edge counts as the item's end by a pixel or more when
    it is enlarged. The alpha alone is drawn, measured, and the box that was asked for corrected by what came out.
    """
    assert item.bounds is not None
    top = 255 if item.pixels.dtype == np.uint8 else 65535
    plane = item.pixels[..., 3].astype(np.float32) * np.float32(1 / top)
    wanted = place(item.bounds, standard)
    target, asked = wanted.apply(item.bounds), item.bounds
    placement = wanted
    for _ in range(10):
        span = _span(item, placement, standard)
        alpha = resample(plane, (span.right - span.left, span.bottom - span.top), span.source)
        found = bounds_of(alpha)
        drawn = found.moved(span.left, span.top) if found else target
        error = np.subtract(drawn, target)
        if np.abs(error).max() < 0.75:
            break
        asked = Bounds(*(np.asarray(asked) + error / placement.scale))
        corrected = place(asked, standard)
        if np.allclose(corrected, placement, rtol=1e-9):  # the rule is met by the sides that it looks at
            break
        placement = corrected
    return placement, span, alpha, drawn


def _span(item: CutItem, placement: Placement, standard: Standard) -> _Span:
    scale, ends = placement.scale, []
    for size, start, shift, limit in (
        (item.pixels.shape[1], item.left, placement.dx, standard.canvas.width),
        (item.pixels.shape[0], item.top, placement.dy, standard.canvas.height),
    ):
        first = max(0, int(np.floor(scale * (start - 2) + shift)))
        last = min(limit, int(np.ceil(scale * (start + size + 2) + shift)))
        ends.append((first, last, (first - shift) / scale - start, (last - shift) / scale - start))
    (x0, x1, left, right), (y0, y1, top, bottom) = ends
    return _Span(x0, y0, x1, y1, (left, top, right, bottom))


def _colours(item: CutItem, span: _Span, drawn: Float) -> list[Float]:
    """Three times (h, w) linear light times alpha; one channel after the other, so that a large photo takes little
    memory.

    drawn: alpha as the filter gave it. Along the rim it overshoots one, and each channel by the same factor, which
    would show as a bright line: dividing by it takes the line away and leaves the item's own detail alone.
    """
    top = 255 if item.pixels.dtype == np.uint8 else 65535
    size = (span.right - span.left, span.bottom - span.top)
    cover = item.pixels[..., 3].astype(np.float32) * np.float32(1 / top)
    alpha, even = np.clip(drawn, 0, 1), 1 / np.maximum(drawn, 1)
    layers = []
    for channel in range(3):
        plane = to_linear(item.pixels[..., channel])
        plane *= cover
        # Light may not exceed what alpha lets through; the filters' overshoot at edges would show as sparks.
        layers.append(np.asarray(np.clip(resample(plane, size, span.source) * even, 0, alpha), np.float32))
    return layers


def _shadow(item: CutItem, standard: Standard, placement: Placement, cover: Float) -> Float | None:
    """(H, W) float32 share of light that the ground loses, or None."""
    if standard.item.shadow == "drawn":
        return drawn_shadow(cover)
    if standard.item.shadow == "drop" or not item.shadow.any():
        return None
    h, w = item.shadow.shape
    sx, sy = item.width / w, item.height / h
    # From px of the canvas back to px of the shadow's picture, centre to centre.
    back = np.array([
        [1 / (placement.scale * sx), 0, (0.5 - placement.dx) / (placement.scale * sx) - 0.5],
        [0, 1 / (placement.scale * sy), (0.5 - placement.dy) / (placement.scale * sy) - 0.5],
    ])  # fmt: skip
    size, flags = cover.shape[::-1], cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    seen = item.shadow.astype(np.float32) / np.float32(255)
    return np.asarray(cv2.warpAffine(seen, back, size, flags=flags, borderMode=cv2.BORDER_CONSTANT), np.float32)
