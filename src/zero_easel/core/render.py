"""The finished picture: one resampling of the original pixels, blended with the ground in linear light."""

from typing import NamedTuple

import numpy as np
from PIL import Image

from zero_easel.core.colour import Encoded, Float, parse_hex, to_linear, to_srgb8
from zero_easel.core.item import CutItem
from zero_easel.core.measure import Bounds, bounds_of
from zero_easel.core.placement import Placement, place
from zero_easel.core.standard import TRANSPARENT, Standard


class Rendered(NamedTuple):
    """pixels: (H, W, 3) or, on a transparent ground, (H, W, 4) uint8 sRGB, straight alpha. bounds: of the item on
    the canvas, px. placement: the map that was applied."""

    pixels: Encoded
    bounds: Bounds
    placement: Placement


def render(item: CutItem, standard: Standard) -> Rendered:
    """Draw an item on the standard's canvas. Raises ValueError if there is no item."""
    if item.bounds is None:
        raise ValueError("there is no item to draw")
    premultiplied = _premultiplied(item)
    placement, layer, corner = _settled(premultiplied, item, standard)
    canvas = standard.canvas
    if canvas.ground == TRANSPARENT:
        pixels = np.zeros((canvas.height, canvas.width, 4), np.uint8)
        part: Encoded = _straight(layer)
    else:
        ground = np.array(parse_hex(canvas.ground), np.uint8)
        pixels = np.broadcast_to(ground, (canvas.height, canvas.width, 3)).copy()
        part = to_srgb8(layer[..., :3] + (1 - layer[..., 3:]) * to_linear(ground))
    x, y = corner
    pixels[y : y + part.shape[0], x : x + part.shape[1]] = part
    bounds = bounds_of(layer[..., 3])
    assert bounds is not None
    return Rendered(pixels, bounds.moved(x, y), placement)


def _premultiplied(item: CutItem) -> Float:
    """(h, w, 4) float32: linear light times alpha, and alpha."""
    top = 255 if item.pixels.dtype == np.uint8 else 65535
    alpha = (item.pixels[..., 3:].astype(np.float32) / top).astype(np.float32)
    return np.asarray(np.concatenate([to_linear(item.pixels[..., :3]) * alpha, alpha], 2), np.float32)


def _settled(layer: Float, item: CutItem, standard: Standard) -> tuple[Placement, Float, tuple[int, int]]:
    """The placement after which the drawn item itself, and not only the rule, meets the rule.

    Resampling may shift the level at which a soft or ragged edge counts as the item's end by a pixel or more when
    it is enlarged. The alpha alone is drawn, measured, and the box that was asked for corrected by what came out.
    """
    assert item.bounds is not None
    wanted = place(item.bounds, standard)
    target, asked = wanted.apply(item.bounds), item.bounds
    placement, offset = wanted, (float(item.left), float(item.top))
    for _ in range(3):
        alpha, corner = _resampled(layer[..., 3:], placement, offset, standard)
        drawn = bounds_of(alpha[..., 0])
        if drawn is None:
            break
        error = np.subtract(drawn.moved(*corner), target)
        if np.abs(error).max() < 0.75:
            break
        asked = Bounds(*(np.asarray(asked) + error / placement.scale))
        placement = place(asked, standard)
    drawn_layer, corner = _resampled(layer, placement, offset, standard)
    return placement, drawn_layer, corner


def _resampled(
    layer: Float, placement: Placement, offset: tuple[float, float], standard: Standard
) -> tuple[Float, tuple[int, int]]:
    """The part of the canvas that a layer covers, (h, w, c), and where its first pixel lies on the canvas.

    Separable windowed-sinc filtering when reducing, cubic convolution (Keys, 1981) when enlarging, both with the
    filter widened to the step between samples, at exact fractional positions.
    """
    scale = placement.scale
    h, w = layer.shape[:2]
    spans = []
    for size, start, shift, limit in (
        (w, offset[0], placement.dx, standard.canvas.width),
        (h, offset[1], placement.dy, standard.canvas.height),
    ):
        first = max(0, int(np.floor(scale * (start - 2) + shift)))
        last = min(limit, int(np.ceil(scale * (start + size + 2) + shift)))
        # The span in the layer's own pixels that these canvas pixels cover.
        spans.append((first, last, (first - shift) / scale - start, (last - shift) / scale - start))
    (x0, x1, left, right), (y0, y1, top, bottom) = spans
    pad = int(np.ceil(max(0, -left, -top, right - w, bottom - h))) + 1
    padded = np.pad(layer, ((pad, pad), (pad, pad), (0, 0)))
    box = (left + pad, top + pad, right + pad, bottom + pad)
    method = Image.Resampling.LANCZOS if scale < 1 else Image.Resampling.BICUBIC
    channels = [
        np.asarray(Image.fromarray(np.ascontiguousarray(padded[..., c])).resize((x1 - x0, y1 - y0), method, box))
        for c in range(layer.shape[2])
    ]
    drawn = np.clip(np.stack(channels, 2), 0, 1)
    # Light may not exceed what alpha lets through; the filters' overshoot at edges would show as sparks.
    return np.asarray(np.minimum(drawn, drawn[..., -1:]), np.float32), (x0, y0)


def _straight(layer: Float) -> Encoded:
    alpha = np.round(layer[..., 3:] * 255).astype(np.uint8)
    colour = to_srgb8(np.asarray(layer[..., :3] / np.maximum(layer[..., 3:], 1e-6), np.float32))
    return np.concatenate([np.where(alpha > 0, colour, 0), alpha], 2).astype(np.uint8)
