"""A cut-out item as it is kept between clearing and rendering: cropped to its bounds, in the depth of its photo."""

import json
from dataclasses import dataclass, replace
from typing import Self

import cv2
import numpy as np

from zero_easel.core.colour import Encoded, Float
from zero_easel.core.cutout import Cutout
from zero_easel.core.doubts import Flag
from zero_easel.core.measure import Bounds, bounds_of


@dataclass(frozen=True)
class CutItem:
    """The part of a photo that holds the item.

    pixels: (h, w, 4) uint8 or uint16, sRGB-encoded with straight alpha; clear of colour where alpha is 0.
    left, top: where its first pixel lies in the upright photo. width, height: of the whole upright photo, px.
    bounds: of the item in the upright photo, None if there is no item. confidence: 0..1. flags: reasons to look.
    """

    pixels: Encoded
    left: int
    top: int
    width: int
    height: int
    bounds: Bounds | None
    confidence: float
    flags: list[Flag]

    @classmethod
    def of(cls, cut: Cutout) -> Self:
        """Crop a cutout to all that is not fully transparent, and one pixel around it."""
        height, width = cut.matte.shape
        rgba = merged(cut.foreground, cut.matte)
        rows, columns = (np.flatnonzero(rgba[..., 3].any(axis)) for axis in (1, 0))
        if not cut.found or not rows.size:
            empty = np.zeros((1, 1, 4), rgba.dtype)
            return cls(empty, 0, 0, width, height, None, cut.confidence, cut.flags)
        top, bottom = max(0, int(rows[0]) - 1), min(height, int(rows[-1]) + 2)
        left, right = max(0, int(columns[0]) - 1), min(width, int(columns[-1]) + 2)
        crop = np.ascontiguousarray(rgba[top:bottom, left:right])
        bounds = bounds_of(alpha_of(crop))
        moved = bounds.moved(left, top) if bounds else None
        return cls(crop, left, top, width, height, moved, cut.confidence, cut.flags)

    def packed(self) -> tuple[bytes, str]:
        """PNG of the pixels, and JSON of everything else."""
        order = cv2.cvtColor(self.pixels, cv2.COLOR_RGBA2BGRA)
        ok, png = cv2.imencode(".png", order, [cv2.IMWRITE_PNG_COMPRESSION, 1])
        assert ok
        facts = {
            "left": self.left,
            "top": self.top,
            "width": self.width,
            "height": self.height,
            "bounds": self.bounds,
            "confidence": self.confidence,
            "flags": self.flags,
        }
        return png.tobytes(), json.dumps(facts)

    @classmethod
    def unpacked(cls, png: bytes, facts: str) -> Self:
        """The item that packed() wrote. Raises ValueError if the PNG is damaged."""
        picture = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_UNCHANGED)
        if picture is None or picture.ndim != 3 or picture.shape[2] != 4:
            raise ValueError("the stored cutout is damaged")
        known = json.loads(facts)
        bounds = Bounds(*known.pop("bounds")) if known["bounds"] else known.pop("bounds")
        flags = [Flag(*flag) for flag in known.pop("flags")]
        pixels = np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGRA2RGBA))
        return cls(pixels, bounds=bounds, flags=flags, **known)

    def whole(self) -> Encoded:
        """(H, W, 4) at the upright photo's own size, transparent around the item."""
        full = np.zeros((self.height, self.width, 4), self.pixels.dtype)
        h, w = self.pixels.shape[:2]
        full[self.top : self.top + h, self.left : self.left + w] = self.pixels
        return full

    def reduced(self, longest: int) -> "CutItem":
        """The same item with its crop no longer than `longest` px, for pages; bounds and size scale along."""
        h, w = self.pixels.shape[:2]
        scale = min(1.0, longest / max(h, w))
        if scale == 1:
            return self
        size = (max(1, round(w * scale)), max(1, round(h * scale)))
        alpha = alpha_of(self.pixels)[..., None]
        light = self.pixels[..., :3].astype(np.float32) * alpha
        small = cv2.resize(np.dstack([light, alpha]), size, interpolation=cv2.INTER_AREA)
        cover = np.maximum(small[..., 3:], 1e-6)
        top = 255 if self.pixels.dtype == np.uint8 else 65535
        straight = np.dstack([np.clip(small[..., :3] / cover, 0, top), small[..., 3] * top])
        pixels = np.round(np.where(small[..., 3:] > 0, straight, 0)).astype(self.pixels.dtype)
        return replace(self, pixels=pixels)


def alpha_of(pixels: Encoded) -> Float:
    """(h, w) float32 in [0, 1] from the last channel."""
    top = 255 if pixels.dtype == np.uint8 else 65535
    return (pixels[..., 3].astype(np.float32) / top).astype(np.float32)


def merged(foreground: Encoded, matte: Float) -> Encoded:
    """(H, W, 4) with straight alpha in the foreground's depth, black wherever alpha is 0."""
    top = 255 if foreground.dtype == np.uint8 else 65535
    alpha = np.round(matte * top).astype(foreground.dtype)
    return np.dstack([np.where(alpha[..., None] > 0, foreground, 0), alpha]).astype(foreground.dtype)
