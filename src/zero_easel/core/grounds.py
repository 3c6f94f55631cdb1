"""Grounds: what lies behind an item on its canvas. A colour, nothing, a gradient, or a picture."""

from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.colour import Float, parse_hex, to_linear

TRANSPARENT = "transparent"
WHITE = "#FFFFFF"
GRADIENTS = ("vertical", "radial")


class Ground(NamedTuple):
    """kind: "colour", "transparent", "vertical", "radial" or "picture". colours: CSS hex; of a gradient from top to
    bottom, or from the middle to the corners. picture: name of an asset."""

    kind: str
    colours: tuple[str, ...] = ()
    picture: str = ""

    def __str__(self) -> str:
        return " ".join(part for part in (*self._leading(), *self.colours, self.picture) if part)

    def _leading(self) -> tuple[str, ...]:
        return () if self.kind == "colour" else (self.kind,)

    @property
    def plain(self) -> str:
        """One colour to stand for it: where it is cut into text or drawn small. White for a picture or none."""
        return self.colours[0] if self.colours else WHITE


@lru_cache(200)
def read_ground(text: str) -> Ground:
    """ "#FFFFFF", "transparent", "vertical #FFFFFF #E8E8E8", "radial #FFFFFF #DDDDDD", "picture oak.jpg".

    Raises ValueError.
    """
    words = text.split()
    if [word.lower() for word in words] == [TRANSPARENT]:
        return Ground(TRANSPARENT)
    kind = words[0].lower() if words else ""
    if kind in GRADIENTS:
        if len(words) != 3:
            raise ValueError(f"a {kind} gradient needs two colours, like: {kind} #FFFFFF #E8E8E8 (given: {text})")
        return Ground(kind, (_hex(words[1]), _hex(words[2])))
    if kind == "picture":
        name = text.strip()[len("picture") :].strip()
        if not name:
            raise ValueError("a ground of a picture needs the picture's name")
        return Ground("picture", (), name)
    if len(words) != 1:
        raise ValueError(f"{text!r} is not a colour like #FFFFFF")
    return Ground("colour", (_hex(words[0]),))


def _hex(text: str) -> str:
    return "#{:02X}{:02X}{:02X}".format(*parse_hex(text))


def light_of(ground: Ground, size: tuple[int, int], picture: Callable[[], Float]) -> Float:
    """(H, W, 3) or, for a plain colour, (1, 1, 3) float32 linear light. size: width, height, px.

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


def _covering(light: Float, size: tuple[int, int]) -> Float:
    """CSS's cover: scaled until both sides reach, the middle kept."""
    h, w = light.shape[:2]
    scale = max(size[0] / w, size[1] / h)
    wide, high = max(size[0], round(w * scale)), max(size[1], round(h * scale))
    filter_ = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
    drawn = np.clip(cv2.resize(light, (wide, high), interpolation=filter_), 0, 1)
    left, top = (wide - size[0]) // 2, (high - size[1]) // 2
    return np.asarray(drawn[top : top + size[1], left : left + size[0]], np.float32)
