"""Grounds as they are drawn: the light behind an item on its canvas."""

from collections.abc import Callable

import cv2
import numpy as np

from zero_easel.core.light.colour import Float, to_linear
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.hex_colour import parse_hex
from zero_easel.core.standard.grounds import Ground


def light_of(ground: Ground, size: Size, picture: Callable[[], Float]) -> Float:
    """(H, W, 3) or, for a plain colour, (1, 1, 3) float32 linear light. size: of the canvas, px.

    picture: gives (h, w, 3) linear light of a ground's picture, which covers the canvas from its middle. A gradient
    runs evenly in encoded values, as people expect of two colours.
    """
    if ground.kind == "colour":
        return to_linear(np.array(parse_hex(ground.colours[0]), np.uint8)).reshape(1, 1, 3)
    if ground.kind == "picture":
        return _covering(picture(), size)
    width, height = size
    first, last = (np.array(parse_hex(colour), np.float32) for colour in ground.colours)
    if ground.kind == "vertical":
        along = ((np.arange(height, dtype=np.float32) + 0.5) / height)[:, None]
        along = np.broadcast_to(along, (height, width))
    else:
        x = (np.arange(width, dtype=np.float32) + 0.5) / width * 2 - 1
        y = (np.arange(height, dtype=np.float32) + 0.5) / height * 2 - 1
        along = np.sqrt((x[None] ** 2 + y[:, None] ** 2) / 2)
    levels = (first + (last - first) * along[..., None]) * 257
    return to_linear(np.round(levels).astype(np.uint16))


def _covering(light: Float, size: Size) -> Float:
    """CSS's cover: scaled until both sides reach, the middle kept."""
    h, w = light.shape[:2]
    scale = max(size.width / w, size.height / h)
    wide, high = max(size.width, round(w * scale)), max(size.height, round(h * scale))
    filter_ = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
    drawn = np.clip(cv2.resize(light, (wide, high), interpolation=filter_), 0, 1)
    left, top = (wide - size.width) // 2, (high - size.height) // 2
    return np.asarray(drawn[top : top + size.height, left : left + size.width], np.float32)
