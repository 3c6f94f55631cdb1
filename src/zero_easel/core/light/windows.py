"""Looking at a part of a picture, at any size."""

import cv2
import numpy as np

from zero_easel.core.light.colour import Float
from zero_easel.core.light.geometry import Size, Window


def part_of(picture: Float, window: Window, size: Size) -> Float:
    """The part of a picture of the whole frame that lies in a window, resampled to a size."""
    h, w = picture.shape[:2]
    sx, sy = (window.right - window.left) * w / size[0], (window.bottom - window.top) * h / size[1]
    if max(sx, sy) > 1.5:
        rows = slice(round(window.top * h), max(round(window.top * h) + 1, round(window.bottom * h)))
        columns = slice(round(window.left * w), max(round(window.left * w) + 1, round(window.right * w)))
        return np.asarray(cv2.resize(picture[rows, columns], size, interpolation=cv2.INTER_AREA), np.float32)
    place = np.array([[sx, 0, window.left * w + sx / 2 - 0.5], [0, sy, window.top * h + sy / 2 - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(picture, place, size, flags=flags, borderMode=cv2.BORDER_REPLICATE), np.float32)


def px_of(window: Window, frame: Size) -> tuple[float, float]:
    """Width and height of a window in px of its frame."""
    return (window.right - window.left) * frame.width, (window.bottom - window.top) * frame.height


def size_within(window: Window, frame: Size, side: int) -> Size:
    """The size of a window's picture, the longer side of it `side`; frame: of the whole, in any unit."""
    w, h = px_of(window, frame)
    scale = side / max(w, h)
    return Size(max(8, round(w * scale)), max(8, round(h * scale)))
