"""A cut-out item as it is kept between clearing and rendering: cropped to its bounds, in the depth of its photo."""

import base64
import json
from dataclasses import dataclass, replace
from typing import Self

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.items.flag import Flag
from zero_easel.core.items.measure import Measures, measures_of
from zero_easel.core.light.colour import Encoded, Float
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.light.space import Space, as_srgb


@dataclass(frozen=True)
class CutItem:
    """The part of a photo that holds the item.

    pixels: (h, w, 4) uint8 or uint16, encoded in its space with straight alpha; clear of colour where alpha is 0.
    left, top: where its first pixel lies in the upright photo; in a rectified one it may lie beyond the frame.
    width, height: of the whole upright photo, px.
    measures: of the item in the upright photo, None if there is no item. confidence: 0..1. flags: reasons to look.
    shadow: (h', w') uint8 over the whole photo, the share of light that the item takes from the backdrop, in 255ths.
    """

    pixels: Encoded
    left: int
    top: int
    width: int
    height: int
    measures: Measures | None
    confidence: float
    flags: list[Flag]
    shadow: NDArray[np.uint8]
    space: Space = "srgb"

    @property
    def frame(self) -> Size:
        """Size of the whole upright photo, px."""
        return Size(self.width, self.height)

    @property
    def bounds(self) -> Box | None:
        """Box of the item in the upright photo, px."""
        return self.measures.bounds if self.measures else None

    @classmethod
    def none(cls, frame: Size, flags: list[Flag]) -> Self:
        """What is kept of a photo without an item."""
        empty = np.zeros((1, 1, 4), np.uint8)
        return cls(empty, 0, 0, *frame, None, 0.0, flags, np.zeros((8, 8), np.uint8))

    def packed(self) -> tuple[bytes, str]:
        """PNG of the pixels, and JSON of everything else."""
        order = cv2.cvtColor(self.pixels, cv2.COLOR_RGBA2BGRA)
        png, shadow = (cv2.imencode(".png", p, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1] for p in (order, self.shadow))
        facts = {
            "left": self.left,
            "top": self.top,
            "width": self.width,
            "height": self.height,
            "measures": self.measures.packed() if self.measures else None,
            "confidence": self.confidence,
            "flags": self.flags,
            "space": self.space,
            "shadow": base64.b64encode(shadow.tobytes()).decode(),
        }
        return png.tobytes(), json.dumps(facts)

    @classmethod
    def unpacked(cls, png: bytes, facts: str) -> Self:
        """The item that packed() wrote. Raises ValueError if the PNG is damaged."""
        picture = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_UNCHANGED)
        if picture is None or picture.ndim != 3 or picture.shape[2] != 4:
            raise ValueError("the stored cutout is damaged")
        known = json.loads(facts)
        packed = known.pop("measures")
        measures = Measures.unpacked(packed) if packed else None
        flags = [Flag.unpacked(flag) for flag in known.pop("flags")]
        stored = np.frombuffer(base64.b64decode(known.pop("shadow")), np.uint8)
        shadow = np.asarray(cv2.imdecode(stored, cv2.IMREAD_GRAYSCALE), np.uint8)
        pixels = np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGRA2RGBA))
        return cls(pixels, measures=measures, flags=flags, shadow=shadow, **known)

    def png(self, *, whole: bool) -> bytes:
        """The cutout as a PNG in sRGB at the photo's own scale, cropped to the item or within the whole frame."""
        pixels = as_srgb(self.whole() if whole else self.pixels, self.space)
        order = cv2.cvtColor(pixels, cv2.COLOR_RGBA2BGRA)
        return cv2.imencode(".png", order)[1].tobytes()

    def whole(self) -> Encoded:
        """(H, W, 4) in its space at the upright photo's own size, transparent around the item."""
        full = np.zeros((self.height, self.width, 4), self.pixels.dtype)
        h, w = self.pixels.shape[:2]
        x, y = max(0, -self.left), max(0, -self.top)  # where what lies within the frame begins
        inside = full[self.top + y : self.top + h, self.left + x : self.left + w]
        inside[:] = self.pixels[y : y + inside.shape[0], x : x + inside.shape[1]]
        return full

    def reduced(self, *longest: int) -> list["CutItem"]:
        """The same item with its crop no longer than some lengths in px, for pages; bounds and size scale along."""
        h, w = self.pixels.shape[:2]
        scales = [min(1.0, length / max(h, w)) for length in longest]
        if min(scales) == 1:
            return [self for _ in scales]
        # In place and once for all: at 24 megapixels each pass over the crop takes a tenth of a second.
        alpha = alpha_of(self.pixels)
        light = self.pixels[..., :3].astype(np.float32)
        light *= alpha[..., None]
        sizes = [(max(1, round(w * scale)), max(1, round(h * scale))) for scale in scales]
        return [
            self if scale == 1 else replace(self, pixels=self._straight(light, alpha, size))
            for scale, size in zip(scales, sizes, strict=True)
        ]

    def _straight(self, light: Float, alpha: Float, size: tuple[int, int]) -> Encoded:
        """(h, w, 4) of a smaller size from premultiplied light and alpha, as they are at full size."""
        small, cover = (cv2.resize(part, size, interpolation=cv2.INTER_AREA) for part in (light, alpha))
        small, cover = small.reshape(*cover.shape, 3), cover[..., None]
        top = 255 if self.pixels.dtype == np.uint8 else 65535
        straight = np.dstack([np.clip(small / np.maximum(cover, 1e-6), 0, top), cover * top])
        return np.round(np.where(cover > 0, straight, 0)).astype(self.pixels.dtype)


def alpha_of(pixels: Encoded) -> Float:
    """(h, w) float32 in [0, 1] from the last channel."""
    top = 255 if pixels.dtype == np.uint8 else 65535
    return (pixels[..., 3].astype(np.float32) / top).astype(np.float32)


def cropped(
    rgba: Encoded, box: Box, frame: Size, confidence: float, flags: list[Flag], shadow: NDArray[np.uint8]
) -> CutItem:
    """The item of a part of a photo, in whole px of it, cropped to all that is not fully transparent and one
    pixel around it. rgba: (h, w, 4), straight alpha, 0 where alpha is 0. frame: of the photo, px."""
    left, top = int(box.left), int(box.top)
    alpha = np.ascontiguousarray(rgba[..., 3])
    measures = measures_of(alpha, left, top, frame)
    if measures is None:
        return CutItem.none(frame, flags)
    x, y, width, height = cv2.boundingRect(alpha if alpha.dtype == np.uint8 else (alpha > 0).astype(np.uint8))
    y0, y1 = max(0, y - 1), min(rgba.shape[0], y + height + 1)
    x0, x1 = max(0, x - 1), min(rgba.shape[1], x + width + 1)
    pixels = rgba[y0:y1, x0:x1]
    return CutItem(pixels, left + x0, top + y0, *frame, measures, confidence, flags, shadow)
