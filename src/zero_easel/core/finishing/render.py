"""The finished picture: one resampling of the original pixels, blended with the ground in linear light."""

from functools import partial
from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.finishing.drawn_edges import enlarged
from zero_easel.core.finishing.drawn_shadow import drawn_shadow
from zero_easel.core.finishing.graphics import is_hard_edged
from zero_easel.core.items.item import CutItem
from zero_easel.core.items.measure import bounds_of
from zero_easel.core.light.colour import Encoded, Float, to_linear, to_srgb
from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.light.resample import Kernel, warp
from zero_easel.core.light.space import Space, planes_in
from zero_easel.core.light.strips import resample_light, resample_whole
from zero_easel.core.placing.placement import Placement
from zero_easel.core.tone.noise import quieted
from zero_easel.core.tone.sharpening import sharpened
from zero_easel.core.tone.vignette import evened

_ROUNDS = 6
"""How often a placement is corrected by what came out."""
_NEAR = 0.2
"""px by which the drawn item may miss what the rule asks for."""


Spaces = tuple[Space, Space]
"""Of the photo, and of what comes out."""


class _Span(NamedTuple):
    """The part of the canvas, in whole px, that an item covers, and the map to it from px of the item's crop."""

    left: int
    top: int
    right: int
    bottom: int
    matrix: Map

    @property
    def size(self) -> Size:
        """Width and height, px."""
        return Size(self.right - self.left, self.bottom - self.top)


class DrawnItem(NamedTuple):
    """An item drawn on its canvas, with nothing behind it yet. colours: three planes of linear light times alpha over
    its span; alpha: there; cover: alpha over the whole canvas, (H, W); shadow: (H, W) share of light that the ground
    loses, or None. bounds: of the item, px."""

    colours: list[Float]
    alpha: Float
    span: _Span
    cover: Float
    shadow: Float | None
    bounds: Box
    matrix: Map


def draw(item: CutItem, placement: Placement, space: Space = "srgb") -> DrawnItem:
    """Draw an item where it was laid, by one resampling; space: of the light that comes out. Raises ValueError if
    there is no item."""
    if item.measures is None or placement.box is None:
        raise ValueError("there is no item to draw")
    kernel = _kernel(placement, item.pixels)
    matrix, span, drawn, bounds = _settled(item, placement, kernel)
    cover = np.zeros(placement.canvas[::-1], np.float32)
    alpha = np.clip(drawn, 0, 1)
    cover[span.top : span.bottom, span.left : span.right] = alpha
    light = _evened(placement, _colours(item, span, drawn, kernel), alpha, (span.left, span.top))
    colours = _finished(placement, (item.space, space), light, alpha)
    return DrawnItem(colours, alpha, span, cover, _shadow(item, placement, matrix, cover), bounds, matrix)


def flat(drawn: DrawnItem, ground: Float | None, bits: int = 8) -> Encoded:
    """Item over shadow over ground, blended in linear light. ground: (H, W, 3) or (1, 1, 3) linear light, None for a
    transparent one. bits: 8 or 16 per channel."""
    if ground is None:
        return _over_nothing(drawn, drawn.shadow, bits)
    return _over_ground(drawn, ground, bits)


def item_alone(drawn: DrawnItem) -> Encoded:
    """(H, W, 4) uint8: the item with nothing behind it, not even its shadow."""
    return _over_nothing(drawn, None, 8)


def render_uncut(
    photo: Encoded,
    alpha: Encoded | None,
    placement: Placement,
    ground: Float | None,
    bits: int = 8,
    spaces: Spaces = ("srgb", "srgb"),
) -> Encoded:
    """Draw a whole picture, (H, W, 3) with an alpha of its own or None, by the map it was laid out with.

    ground: as for flat. spaces: of the photo, and of what comes out. (h, w, 3), or (h, w, 4) on a transparent ground;
    blended in linear light.
    """
    h, w = photo.shape[:2]
    size, matrix = placement.canvas, placement.matrix
    kernel = _kernel(placement, _with_own_alpha(photo, alpha))
    if kernel == "box" and _is_drawn_anew(placement, max(h, w)):
        anew = enlarged(_with_own_alpha(photo, alpha), size, matrix)
        return _over(_finished(placement, spaces, anew.light, anew.alpha), anew.alpha, ground, bits)
    if _covers(matrix, Size(w, h), size) and alpha is None:
        pixels = _covering(photo, placement, kernel, bits, spaces)
        return pixels if ground is not None else _with_alpha(pixels, np.ones(size[::-1], np.float32), bits)
    own = np.ones((h, w), np.float32) if alpha is None else alpha.astype(np.float32) / np.float32(255)
    drawn = warp(own, size, matrix, kernel)
    cover, even = np.clip(drawn, 0, 1), 1 / np.maximum(drawn, 1)
    planes = []
    for channel in range(3):
        light = warp(to_linear(photo[..., channel]) * own, size, matrix, kernel) * even
        planes.append(np.asarray(np.clip(light, 0, cover), np.float32))
    return _over(_finished(placement, spaces, _evened(placement, planes, cover), cover), cover, ground, bits)


def _covering(photo: Encoded, placement: Placement, kernel: Kernel, bits: int, spaces: Spaces) -> Encoded:
    """A whole picture that leaves nothing of its canvas bare, (H, W, 3)."""
    size, matrix = placement.canvas, placement.matrix
    if not placement.rules.sharpening and placement.noise is None and not placement.lens.vignette:
        return resample_whole(photo, size, matrix, kernel, bits, partial(_toned, placement, spaces))
    light = _finished(placement, spaces, _evened(placement, resample_light(photo, size, matrix, kernel), 1.0), None)
    return np.asarray(cv2.merge([to_srgb(plane, bits) for plane in light]))


def _evened(
    placement: Placement, light: list[Float], cover: Float | float, at: tuple[int, int] = (0, 0)
) -> list[Float]:
    """Without what the lens took from the photo's corners. at: where the planes begin on the canvas, px."""
    lens = placement.lens
    if not lens.vignette:
        return light
    to_planes = placement.matrix.then(Map.moved(-at[0], -at[1]))
    made = evened(light, lens.vignette, lens.frame, to_planes, lens.middle)
    return [np.asarray(np.minimum(plane, cover), np.float32) for plane in made]


def _finished(placement: Placement, spaces: Spaces, light: list[Float], cover: Float | None) -> list[Float]:
    """Light as it is delivered: toned, and sharpened at its final size."""
    toned = _toned(placement, spaces, light, 1.0 if cover is None else cover)
    return sharpened(toned, placement.rules.sharpening / 100, cover)


def _toned(placement: Placement, spaces: Spaces, light: list[Float], cover: Float | float = 1.0) -> list[Float]:
    """Without noise, toned where the photo's colours all have room, and then in the space that comes out."""
    if placement.noise is not None:
        # It was measured in light of which 1 is white, and its root goes with the root of light.
        white = np.sqrt(0.5) if spaces[0] == "raw" else 1.0
        lightness, colour = (float(white * v) for v in placement.noise.at(placement.scale))
        known = None if isinstance(cover, float) else cover
        light = quieted(light, (lightness, colour), placement.rules.noise / 100, known)
    toned = placement.tone.within(spaces[0]).on(light, cover)
    if spaces[0] != spaces[1]:
        toned = [np.asarray(np.clip(plane, 0, cover), np.float32) for plane in planes_in(toned, *spaces)]
    return placement.tone.curved(toned, cover)


def _over(planes: list[Float], cover: Float, ground: Float | None, bits: int) -> Encoded:
    """Light times alpha over the ground, (H, W, 3), or over nothing, (H, W, 4)."""
    if ground is None:
        mixed = [plane / np.maximum(cover, 1e-6) for plane in planes]
    else:
        mixed = [plane + (1 - cover) * ground[..., channel] for channel, plane in enumerate(planes)]
    pixels = cv2.merge([to_srgb(np.asarray(plane, np.float32), bits) for plane in mixed])
    return np.asarray(pixels) if ground is not None else _with_alpha(pixels, cover, bits)


def _kernel(placement: Placement, pixels: Encoded) -> Kernel:
    """The filter for a picture."""
    wanted = placement.rules.kernel
    if wanted != "auto" and wanted != "drawn":
        return wanted
    return "box" if is_hard_edged(pixels) else "auto"


def _is_drawn_anew(placement: Placement, longest: int) -> bool:
    """Whether the edges of a whole, hard-edged graphic are drawn anew: where it is enlarged, by the rule or by what is
    not a whole factor. longest: its longer side, px."""
    rule, factors = placement.rules.kernel, (placement.matrix.a, placement.matrix.d)
    if rule == "box" or min(factors) <= 1 or not placement.matrix.level:
        return False
    return rule == "drawn" or any(abs(factor - round(factor)) * longest >= _NEAR for factor in factors)


def _with_own_alpha(photo: Encoded, alpha: Encoded | None) -> Encoded:
    """(h, w, 4) where a photo brought its transparency, else the photo itself."""
    if alpha is None:
        return photo
    return np.dstack([photo, alpha.astype(photo.dtype) * (257 if photo.dtype == np.uint16 else 1)])


def _covers(matrix: Map, frame: Size, canvas: Size) -> bool:
    """Whether a picture leaves nothing of its canvas bare."""
    right, bottom = matrix.a * frame[0] + matrix.e, matrix.d * frame[1] + matrix.f
    return matrix.level and max(matrix.e, matrix.f, canvas[0] - right, canvas[1] - bottom) <= 1e-6


def _over_ground(drawn: DrawnItem, ground: Float, bits: int) -> Encoded:
    """Item over shadow over the ground, (H, W, 3)."""
    span, shape = drawn.span, drawn.cover.shape
    part = (slice(span.top, span.bottom), slice(span.left, span.right))
    plain = ground.shape[:2] == (1, 1)
    if drawn.shadow is None and plain:
        colour = to_srgb(ground, bits).reshape(3)
        pixels = np.empty((*shape, 3), colour.dtype)
        pixels.reshape(shape[0], -1)[:] = np.tile(colour, shape[1])
    else:
        pixels = to_srgb(ground if drawn.shadow is None else (1 - drawn.shadow)[..., None] * ground, bits)
    through = 1 - drawn.alpha
    if drawn.shadow is not None:
        through = through * (1 - drawn.shadow[part])
    behind = ground if plain else ground[part]
    mixed = (np.asarray(c + through * behind[..., at], np.float32) for at, c in enumerate(drawn.colours))
    pixels[part] = cv2.merge([to_srgb(plane, bits) for plane in mixed])
    return pixels


def _over_nothing(drawn: DrawnItem, shadow: Float | None, bits: int) -> Encoded:
    """Item over its shadow, (H, W, 4) with straight alpha; a shadow is black that lets some light through."""
    cover, span = drawn.cover, drawn.span
    dense = cover if shadow is None else cover + (1 - cover) * shadow
    part = (slice(span.top, span.bottom), slice(span.left, span.right))
    under = np.maximum(dense[part], 1e-6)
    planes = [to_srgb(np.asarray(c / under, np.float32), bits) for c in drawn.colours]
    pixels = np.zeros((*cover.shape, 3), planes[0].dtype)
    pixels[part] = cv2.merge(planes)
    return _with_alpha(pixels, dense, bits)


def _with_alpha(pixels: Encoded, cover: Float, bits: int) -> Encoded:
    """(H, W, 4); clear of colour where nothing is seen."""
    top, kind = (65535, np.uint16) if bits == 16 else (255, np.uint8)
    alpha = np.round(cover * top).astype(kind)
    pixels[alpha == 0] = 0
    return np.dstack([pixels, alpha])


def _settled(item: CutItem, placement: Placement, kernel: Kernel) -> tuple[Map, _Span, Float, Box]:
    """The map after which the drawn item itself, and not only its outline, meets the rule.

    Resampling may shift the level at which a soft or ragged edge counts as the item's end by a pixel or more when
    it is enlarged. The alpha alone is drawn, measured, and the map corrected by what came out.
    """
    top = 255 if item.pixels.dtype == np.uint8 else 65535
    plane = item.pixels[..., 3].astype(np.float32) * np.float32(1 / top)
    assert placement.box is not None
    target, matrix = placement.box, placement.matrix
    best: tuple[float, Map, _Span, Float, Box] | None = None
    for _ in range(_ROUNDS):
        span = _span(item, matrix, placement.canvas)
        alpha = warp(plane, span.size, span.matrix, kernel)
        found = bounds_of(alpha)
        drawn = found.moved(span.left, span.top) if found else target
        after = _correction(placement, drawn)
        error = float(np.abs(np.subtract(after.apply(_corners(drawn)), _corners(drawn))).max())
        if best is None or error < best[0]:
            best = (error, matrix, span, alpha, drawn)
        if error <= _NEAR:
            break
        matrix = matrix.then(after)
    assert best is not None
    return best[1:]


def _correction(placement: Placement, drawn: Box) -> Map:
    """What would bring the drawn item's box to where the rule wants it, as far as the rule speaks of the box."""
    target, alignment = placement.box, placement.alignment
    assert target is not None
    if placement.cut_sides:
        return Map()  # what is drawn is not all of it
    factor = 1.0
    if alignment.scale:
        factor = getattr(target, alignment.scale) / max(getattr(drawn, alignment.scale), 1.0)
    dx = (target.left + target.right - drawn.left - drawn.right) / 2 if alignment.across else 0.0
    if alignment.down == "bottom":
        at, dy = drawn.bottom, target.bottom - drawn.bottom
    else:
        at, dy = (drawn.top + drawn.bottom) / 2, (target.top + target.bottom - drawn.top - drawn.bottom) / 2
        dy = dy if alignment.down else 0.0
    middle = (drawn.left + drawn.right) / 2
    about = Map.moved(-middle, -at).then(Map.scaled(factor, factor)).then(Map.moved(middle, at))
    return about.then(Map.moved(dx, dy))


def _corners(box: Box) -> np.ndarray:
    return np.array([[box.left, box.top], [box.right, box.bottom]])


def _span(item: CutItem, matrix: Map, canvas: Size) -> _Span:
    h, w = item.pixels.shape[:2]
    x0, y0, x1, y1 = item.left - 2, item.top - 2, item.left + w + 2, item.top + h + 2
    ends = matrix.apply(np.array([[x0, y0], [x1, y0], [x0, y1], [x1, y1]], float))
    left, top = (max(0, int(np.floor(v))) for v in ends.min(0))
    right, bottom = (min(limit, int(np.ceil(v))) for v, limit in zip(ends.max(0), canvas, strict=True))
    right, bottom = max(right, left), max(bottom, top)
    return _Span(left, top, right, bottom, Map.moved(item.left, item.top).then(matrix).then(Map.moved(-left, -top)))


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
        layers.append(np.asarray(np.clip(warp(plane, span.size, span.matrix, kernel) * even, 0, alpha), np.float32))
    return layers


def _shadow(item: CutItem, placement: Placement, matrix: Map, cover: Float) -> Float | None:
    """(H, W) float32 share of light that the ground loses, or None."""
    if placement.rules.shadow == "drawn":
        return drawn_shadow(cover)
    if placement.rules.shadow == "drop" or not item.shadow.any():
        return None
    h, w = item.shadow.shape
    # From px of the canvas back to px of the shadow's picture, whose samples lie at the middle of their px.
    to_canvas = Map.moved(0.5, 0.5).then(Map.scaled(item.width / w, item.height / h)).then(matrix)
    back = to_canvas.then(Map.moved(-0.5, -0.5)).inverse()
    numbers = np.array([[back.a, back.c, back.e], [back.b, back.d, back.f]])
    size, flags = cover.shape[::-1], cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    seen = item.shadow.astype(np.float32) / np.float32(255)
    return np.asarray(cv2.warpAffine(seen, numbers, size, flags=flags, borderMode=cv2.BORDER_CONSTANT), np.float32)
