"""Drawing overlays over finished pictures."""

from collections.abc import Mapping
from typing import NamedTuple

import cv2
import numpy as np
from PIL import Image, ImageDraw

from zero_easel.core.finishing.fonts import font_of
from zero_easel.core.finishing.overlay_places import FINER, corner, is_wanted, plate_size, turned_size
from zero_easel.core.light.colour import Encoded, Float, to_linear, to_srgb
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.hex_colour import parse_hex
from zero_easel.core.light.space import Space, light_in
from zero_easel.core.photos.assets import Assets
from zero_easel.core.standard.overlays import Overlay
from zero_easel.core.standard.patterns import Pattern, Value


class Stamp(NamedTuple):
    """light: (h, w, 3) linear light. alpha: (h, w), 0..1."""

    light: Float
    alpha: Float


def stamped(
    pixels: Encoded, overlays: list[Overlay], values: Mapping[str, Value], assets: Assets, space: Space = "srgb"
) -> tuple[Encoded, list[str]]:
    """A picture, (H, W, 3 or 4) uint8 or uint16 of a space, with those overlays over it whose condition is met, and
    their names. values: fields of the catalog. Raises AssetError if a picture or font is missing."""
    drawn = []
    for overlay in overlays:
        mark = _mark(overlay, values, assets, pixels.shape[1::-1])
        if mark is not None:
            pixels = _blended(pixels, overlay, mark._replace(light=light_in(mark.light, "srgb", space)))
            drawn.append(overlay.name)
    return pixels, drawn


def _mark(overlay: Overlay, values: Mapping[str, Value], assets: Assets, canvas: tuple[int, ...]) -> Stamp | None:
    if not is_wanted(overlay, values):
        return None
    height = overlay.size / 100 * min(canvas)
    if overlay.picture:
        pixels, alpha = assets.picture(overlay.picture)
        full = np.ones(pixels.shape[:2], np.float32) if alpha is None else alpha
        mark = _sized(Stamp(to_linear(pixels) * full[..., None], full), height)
    else:
        mark = _sized(_text(overlay, Pattern(overlay.text).fill(values).text.strip(), height * FINER, assets), None)
    if overlay.turn:
        mark = _turned(mark, overlay.turn)
    faint = np.float32(overlay.opacity / 100)
    return Stamp(mark.light * faint, mark.alpha * faint)


def _text(overlay: Overlay, text: str, line: float, assets: Assets) -> Stamp:
    """A text on its plate, with light times alpha."""
    font = font_of(assets, overlay.font, max(2.0, line), overlay.face)
    left, top, right, bottom = font.getbbox(text)
    size = plate_size(overlay, text, line, assets)
    plate = Image.new("L", size, 0)
    if overlay.plate == "bar":
        ImageDraw.Draw(plate).rectangle((0, 0, *size), fill=255)
    elif overlay.plate == "disc":
        ImageDraw.Draw(plate).ellipse((0, 0, size[0] - 1, size[1] - 1), fill=255)
    letters = Image.new("L", size, 0)
    at = ((size[0] - (right - left)) / 2 - left, (size[1] - (bottom - top)) / 2 - top)
    ImageDraw.Draw(letters).text(at, text, font=font, fill=255)
    below, above = (np.asarray(mask, np.float32) / np.float32(255) for mask in (plate, letters))
    ink, ground = (to_linear(np.array(parse_hex(c), np.uint8)) for c in (overlay.colour, overlay.plate_colour))
    light = above[..., None] * ink + ((1 - above) * below)[..., None] * ground
    return Stamp(np.asarray(light, np.float32), above + (1 - above) * below)


def _sized(mark: Stamp, height: float | None) -> Stamp:
    """Reduced by FINER, or scaled to a height in px."""
    h, w = mark.alpha.shape
    scale = 1 / FINER if height is None else height / h
    size = (max(1, round(w * scale)), max(1, round(h * scale)))
    filter_ = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
    light, alpha = (cv2.resize(plane, size, interpolation=filter_) for plane in mark)
    alpha = np.clip(alpha, 0, 1)
    return Stamp(np.clip(light, 0, alpha[..., None]), alpha)


def _turned(mark: Stamp, degrees: float) -> Stamp:
    h, w = mark.alpha.shape
    turn = cv2.getRotationMatrix2D(((w - 1) / 2, (h - 1) / 2), -degrees, 1)
    wide, high = turned_size(Size(w, h), degrees)
    turn[:, 2] += ((wide - w) / 2, (high - h) / 2)
    light, alpha = (cv2.warpAffine(plane, turn, (wide, high), flags=cv2.INTER_LINEAR) for plane in mark)
    return Stamp(np.asarray(light, np.float32), np.asarray(alpha, np.float32))


def _blended(pixels: Encoded, overlay: Overlay, mark: Stamp) -> Encoded:
    """Blended in linear light."""
    height, width = pixels.shape[:2]
    h, w = mark.alpha.shape
    result = pixels.copy()
    if overlay.tiled:
        across, down = 2 * w, 2 * h
        for row, y in enumerate(range(-h // 2, height, max(1, down))):
            for x in range(-w // 2 - (row % 2) * w, width, max(1, across)):
                _blend_at(result, mark, x, y)
        return result
    left, upper = corner(overlay, Size(w, h), Size(width, height))
    _blend_at(result, mark, round(left), round(upper))
    return result


def _blend_at(pixels: Encoded, mark: Stamp, x: int, y: int) -> None:
    height, width = pixels.shape[:2]
    h, w = mark.alpha.shape
    x0, y0, x1, y1 = max(0, x), max(0, y), min(width, x + w), min(height, y + h)
    if x0 >= x1 or y0 >= y1:
        return
    there, part = (slice(y0, y1), slice(x0, x1)), (slice(y0 - y, y1 - y), slice(x0 - x, x1 - x))
    bits, top = (16, 65535) if pixels.dtype == np.uint16 else (8, 255)
    alpha, light, below = mark.alpha[part], mark.light[part], pixels[there]
    under = to_linear(below[..., :3])
    if pixels.shape[2] == 3:
        mixed = to_srgb(np.asarray(light + (1 - alpha[..., None]) * under, np.float32), bits)
        below[...] = np.where(alpha[..., None] > 0, mixed, below)
        return
    behind = below[..., 3].astype(np.float32) / top * (1 - alpha)
    full = alpha + behind
    mixed = to_srgb(
        np.asarray((light + behind[..., None] * under) / np.maximum(full, 1e-6)[..., None], np.float32), bits
    )
    made = np.dstack([mixed, np.round(full * top).astype(pixels.dtype)])
    below[...] = np.where(alpha[..., None] > 0, made, below)
