"""The finished picture: one resampling of the original pixels, blended with the ground in linear light."""

from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.affine import Map
from zero_easel.core.colour import Encoded, Float, parse_hex, to_linear, to_srgb8
from zero_easel.core.graphics import is_hard_edged
from zero_easel.core.item import CutItem
from zero_easel.core.laid import Laid, Subject
from zero_easel.core.measure import Bounds, bounds_of
from zero_easel.core.placement import lay_out
from zero_easel.core.resample import Kernel, warp
from zero_easel.core.rules import TRANSPARENT
from zero_easel.core.shadow import drawn_shadow
from zero_easel.core.standard import Standard

_ROUNDS = 6
"""How often a placement is corrected by what came out."""
_NEAR = 0.2
"""px by which the drawn item may miss what the rule asks for."""


class Rendered(NamedTuple):
    """pixels: (H, W, 3) or, on a transparent ground, (H, W, 4) uint8 sRGB, straight alpha. bounds: of the item on
    the canvas, px. way: the map that was applied, from the upright photo."""

    pixels: Encoded
    bounds: Bounds
    way: Map


class _Span(NamedTuple):
    """The part of the canvas, in whole px, that an item covers, and the map to it from px of the item's crop."""

    left: int
    top: int
    right: int
    bottom: int
    way: Map

    @property
    def size(self) -> tuple[int, int]:
        return self.right - self.left, self.bottom - self.top


def render(item: CutItem, standard: Standard, laid: Laid | None = None) -> Rendered:
    """Draw an item on the standard's canvas, where it was laid among others or by itself. Raises ValueError if there is
    no item."""
    if item.measures is None:
        raise ValueError("there is no item to draw")
    if laid is None:
        laid = lay_out([Subject(item.measures, (item.width, item.height))], standard)[0]
    assert laid is not None and laid.box is not None
    kernel: Kernel = laid.rules.kernel
    if kernel == "auto" and is_hard_edged(item.pixels):
        kernel = "box"
    way, span, drawn, bounds = _settled(item, laid, kernel)
    alpha = np.clip(drawn, 0, 1)
    colours = _colours(item, span, drawn, kernel)
    cover = np.zeros(laid.canvas[::-1], np.float32)
    cover[span.top : span.bottom, span.left : span.right] = alpha
    shadow = _shadow(item, laid, way, cover)
    if standard.canvas.ground == TRANSPARENT:
        pixels = _over_nothing(colours, cover, shadow, span)
    else:
        pixels = _over_ground(colours, alpha, shadow, span, cover.shape, standard.canvas.ground)
    return Rendered(pixels, bounds, way)


def render_uncut(photo: Encoded, alpha: Encoded | None, laid: Laid, ground: str) -> Encoded:
    """Draw a whole picture, (H, W, 3) sRGB with an alpha of its own or None, by the map it was laid out with.

    (h, w, 3), or (h, w, 4) on a transparent ground where the picture leaves some of it bare; uint8, blended in linear
    light.
    """
    kernel: Kernel = laid.rules.kernel
    if kernel == "auto" and is_hard_edged(photo):
        kernel = "box"
    h, w = photo.shape[:2]
    own = np.ones((h, w), np.float32) if alpha is None else alpha.astype(np.float32) / np.float32(255)
    size, bare = laid.canvas, ground == TRANSPARENT
    if _covers(laid.way, (w, h), size) and alpha is None:
        # Beyond its edge a picture goes on as it ended: nothing of the ground may shine in.
        edge = 8 * max(1, int(np.ceil(1 / laid.way.scale)))
        photo = cv2.copyMakeBorder(photo, edge, edge, edge, edge, cv2.BORDER_REPLICATE)
        own = np.ones(photo.shape[:2], np.float32)
        way = Map.moved(-edge, -edge).then(laid.way)
    else:
        way = laid.way
    drawn = warp(own, size, way, kernel)
    cover, even = np.clip(drawn, 0, 1), 1 / np.maximum(drawn, 1)
    behind = np.zeros(3, np.float32) if bare else to_linear(np.array(parse_hex(ground), np.uint8))
    planes = []
    for channel in range(3):
        light = warp(to_linear(photo[..., channel]) * own, size, way, kernel) * even
        light = np.clip(light, 0, cover)
        planes.append(light / np.maximum(cover, 1e-6) if bare else light + (1 - cover) * behind[channel])
    pixels = cv2.merge([to_srgb8(np.asarray(plane, np.float32)) for plane in planes])
    if not bare:
        return np.asarray(pixels)
    seen = np.round(cover * 255).astype(np.uint8)
    pixels[seen == 0] = 0
    return np.dstack([pixels, seen])


def _covers(way: Map, frame: tuple[int, int], canvas: tuple[int, int]) -> bool:
    """Whether a picture leaves nothing of its canvas bare."""
    right, bottom = way.a * frame[0] + way.e, way.d * frame[1] + way.f
    return way.level and max(way.e, way.f, canvas[0] - right, canvas[1] - bottom) <= 1e-6


def _over_ground(
    colours: list[Float], alpha: Float, shadow: Float | None, span: _Span, shape: tuple[int, ...], colour: str
) -> Encoded:
    """Item over shadow over the ground's colour, (H, W, 3)."""
    ground = np.array(parse_hex(colour), np.uint8)
    light = to_linear(ground)
    part = (slice(span.top, span.bottom), slice(span.left, span.right))
    if shadow is None:
        pixels = np.empty((*shape, 3), np.uint8)
        pixels.reshape(shape[0], -1)[:] = np.tile(ground, shape[1])
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


def _settled(item: CutItem, laid: Laid, kernel: Kernel) -> tuple[Map, _Span, Float, Bounds]:
    """The map after which the drawn item itself, and not only its outline, meets the rule.

    Resampling may shift the level at which a soft or ragged edge counts as the item's end by a pixel or more when
    it is enlarged. The alpha alone is drawn, measured, and the map corrected by what came out.
    """
    top = 255 if item.pixels.dtype == np.uint8 else 65535
    plane = item.pixels[..., 3].astype(np.float32) * np.float32(1 / top)
    assert laid.box is not None
    target, way = laid.box, laid.way
    best: tuple[float, Map, _Span, Float, Bounds] | None = None
    for _ in range(_ROUNDS):
        span = _span(item, way, laid.canvas)
        alpha = warp(plane, span.size, span.way, kernel)
        found = bounds_of(alpha)
        drawn = found.moved(span.left, span.top) if found else target
        after = _correction(laid, drawn)
        error = float(np.abs(np.subtract(after.apply(_corners(drawn)), _corners(drawn))).max())
        if best is None or error < best[0]:
            best = (error, way, span, alpha, drawn)
        if error <= _NEAR:
            break
        way = way.then(after)
    assert best is not None
    return best[1:]


def _correction(laid: Laid, drawn: Bounds) -> Map:
    """What would bring the drawn item's box to where the rule wants it, as far as the rule speaks of the box."""
    target, held = laid.box, laid.held
    assert target is not None
    if "cut" in {note.kind for note in laid.notes}:
        return Map()  # what is drawn is not all of it
    factor = 1.0
    if held.scale:
        factor = getattr(target, held.scale) / max(getattr(drawn, held.scale), 1.0)
    dx = (target.left + target.right - drawn.left - drawn.right) / 2 if held.across else 0.0
    if held.down == "bottom":
        at, dy = drawn.bottom, target.bottom - drawn.bottom
    else:
        at, dy = (drawn.top + drawn.bottom) / 2, (target.top + target.bottom - drawn.top - drawn.bottom) / 2
        dy = dy if held.down else 0.0
    middle = (drawn.left + drawn.right) / 2
    about = Map.moved(-middle, -at).then(Map.scaled(factor, factor)).then(Map.moved(middle, at))
    return about.then(Map.moved(dx, dy))


def _corners(box: Bounds) -> np.ndarray:
    return np.array([[box.left, box.top], [box.right, box.bottom]])


def _span(item: CutItem, way: Map, canvas: tuple[int, int]) -> _Span:
    h, w = item.pixels.shape[:2]
    x0, y0, x1, y1 = item.left - 2, item.top - 2, item.left + w + 2, item.top + h + 2
    ends = way.apply(np.array([[x0, y0], [x1, y0], [x0, y1], [x1, y1]], float))
    left, top = (max(0, int(np.floor(v))) for v in ends.min(0))
    right, bottom = (min(limit, int(np.ceil(v))) for v, limit in zip(ends.max(0), canvas, strict=True))
    right, bottom = max(right, left), max(bottom, top)
    return _Span(left, top, right, bottom, Map.moved(item.left, item.top).then(way).then(Map.moved(-left, -top)))


def _colours(item: CutItem, span: _Span, drawn: Float, kernel: Kernel) -> list[Float]:
    """Three times (h, w) linear light times alpha; one channel after the other, so that a large photo takes little
    memory.

    drawn: alpha as the filter gave it. Along the rim it overshoots one, and each channel by the same factor, which
    would show as a bright line: dividing by it takes the line away and leaves the item's own detail alone.
    """
    top = 255 if item.pixels.dtype == np.uint8 else 65535
    cover = item.pixels[..., 3].astype(np.float32) * np.float32(1 / top)
    alpha, even = np.clip(drawn, 0, 1), 1 / np.maximum(drawn, 1)
    layers = []
    for channel in range(3):
        plane = to_linear(item.pixels[..., channel])
        plane *= cover
        # Light may not exceed what alpha lets through; the filters' overshoot at edges would show as sparks.
        layers.append(np.asarray(np.clip(warp(plane, span.size, span.way, kernel) * even, 0, alpha), np.float32))
    return layers


def _shadow(item: CutItem, laid: Laid, way: Map, cover: Float) -> Float | None:
    """(H, W) float32 share of light that the ground loses, or None."""
    if laid.rules.shadow == "drawn":
        return drawn_shadow(cover)
    if laid.rules.shadow == "drop" or not item.shadow.any():
        return None
    h, w = item.shadow.shape
    # From px of the canvas back to px of the shadow's picture, whose samples lie at the middle of their px.
    to_canvas = Map.moved(0.5, 0.5).then(Map.scaled(item.width / w, item.height / h)).then(way)
    back = to_canvas.then(Map.moved(-0.5, -0.5)).inverse()
    matrix = np.array([[back.a, back.c, back.e], [back.b, back.d, back.f]])
    size, flags = cover.shape[::-1], cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    seen = item.shadow.astype(np.float32) / np.float32(255)
    return np.asarray(cv2.warpAffine(seen, matrix, size, flags=flags, borderMode=cv2.BORDER_CONSTANT), np.float32)
