"""What a network takes for the item that knows how things look: its encoder has seen everyday photographs, and it was
trained on real and cast things before thousands of made-up places (training/things).

It sees the picture alone, as a person does, and a person's marks. Where item and backdrop differ by next to nothing, or
the item stands on a sheet that lies on a table, it still sees what the thing is.
"""

from pathlib import Path

import cv2
import numpy as np

from zero_easel.core.clearing.network import session_of
from zero_easel.core.light.colour import Encoded, Float
from zero_easel.core.light.geometry import Size

WEIGHTS = Path(__file__).with_name("things.onnx")
FAR, CLOSE = 384, 512
"""Longer sides in px at which it looks at the whole frame, and at a window: those that it was trained on."""
MARKS = 3
_STEP = 32


def ask_things(picture: Encoded, side: int, size: Size, marks: Float | None = None) -> Float:
    """(h, w, 3) uint8 or uint16 sRGB of any size -> float32 log odds of item, as a picture of `size`.

    side: about the longer side in px at which it is looked at. marks: (MARKS, h, w) in [0, 1], of any size: marked as
    item, marked as backdrop, and beyond a fence.
    """
    small = _reduced(picture, side)
    h, w = small.shape[:2]
    drawn = np.zeros((MARKS, h, w), np.float32)
    if marks is not None:
        drawn = np.stack([cv2.resize(plane, (w, h), interpolation=cv2.INTER_LINEAR) for plane in marks])
        drawn = (drawn > 0.3).astype(np.float32)
    planes = np.ascontiguousarray(np.concatenate([np.moveaxis(small, 2, 0), drawn])[None])
    odds = session_of(WEIGHTS).run(["odds"], {"seen": planes})[0][0, 0]
    return np.asarray(cv2.resize(odds, size, interpolation=cv2.INTER_LINEAR), np.float32)


def _reduced(picture: Encoded, side: int) -> Float:
    """(h, w, 3) float32 in 0..255, the longer side about `side`, both what the network can halve."""
    h, w = picture.shape[:2]
    scale = side / max(h, w)
    size = (max(_STEP, round(w * scale / _STEP) * _STEP), max(_STEP, round(h * scale / _STEP) * _STEP))
    how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    small = np.asarray(cv2.resize(picture, size, interpolation=how), np.float32)
    return small / np.float32(257) if picture.dtype == np.uint16 else small
