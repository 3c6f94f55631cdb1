"""An item without its backdrop: matte, clean foreground, contact shadow, and how far to trust them."""

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from zero_easel.core.backdrop import Backdrop, estimate_backdrop
from zero_easel.core.colour import LUMA, Encoded, Float, to_linear
from zero_easel.core.doubts import Finding, Flag, confidence_of, find_doubts
from zero_easel.core.matte import solve_matte
from zero_easel.core.outline import Shape, find_shape
from zero_easel.core.photo import Photo
from zero_easel.core.regions import find_regions, pick_items

ENGINE = "1"
"""Changes whenever the same photo may give another cutout; part of the key of everything derived from one."""


class CutoutOptions(BaseModel):
    """What may be asked of the engine. working_side: longer side in px at which regions are decided."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    working_side: int = Field(default=640, ge=256, le=2048)


@dataclass(frozen=True)
class Cutout:
    """The item of one photo, (H, W) being the upright photo's own size.

    matte: (H, W) float32 in [0, 1], the share of each pixel that the item covers.
    foreground: (H, W, 3) sRGB-encoded, dtype of the photo; the item's own colour wherever matte > 0.
    shadow: (h, w) float32 in [0, 1] at the working size, the share of light that the item's shadow takes from the
    backdrop. confidence: 0..1. flags: reasons to look at it, most serious first.
    """

    matte: Float
    foreground: Encoded
    shadow: Float
    confidence: float
    flags: list[Flag]

    @property
    def found(self) -> bool:
        """Whether there is an item at all."""
        return bool(self.matte.max() > 0.5)


class _Decision(NamedTuple):
    shape: Shape
    backdrop: Backdrop
    findings: list[Finding]


def cutout(photo: Photo, options: CutoutOptions | None = None) -> Cutout:
    """Separate the item from its backdrop and its shadow.

    A photo that brought its own transparency keeps it. A photo without an item gives an empty matte, confidence 0
    and a flag that says so; nothing is raised.
    """
    options = options or CutoutOptions()
    if photo.alpha is not None:
        return _as_delivered(photo)
    height, width = photo.pixels.shape[:2]
    scale = min(1.0, options.working_side / max(height, width))
    small = photo.pixels
    if scale < 1:
        size = (max(8, round(width * scale)), max(8, round(height * scale)))
        small = cv2.resize(photo.pixels, size, interpolation=cv2.INTER_AREA)
    linear = to_linear(np.asarray(small, photo.pixels.dtype))
    decision = _decide(linear)
    matte, foreground = solve_matte(photo.pixels, decision.shape.item, decision.backdrop.noise)
    return Cutout(
        matte=matte,
        foreground=foreground,
        shadow=_shadow(linear, decision),
        confidence=confidence_of(decision.findings),
        flags=[finding.flag for finding in decision.findings],
    )


def _decide(linear: Float) -> _Decision:
    backdrop = estimate_backdrop(linear)
    regions = find_regions(backdrop)
    shape = find_shape(pick_items(regions, backdrop), regions, backdrop)
    return _Decision(shape, backdrop, find_doubts(shape, regions, backdrop))


def _shadow(linear: Float, decision: _Decision) -> Float:
    """Share of light missing from the backdrop, where no item is."""
    ratio = (linear @ LUMA) / np.maximum(decision.backdrop.field @ LUMA, 1e-3)
    shadow = np.clip(1 - ratio, 0, 1).astype(np.float32)
    shadow[decision.backdrop.explained | decision.shape.item] = 0
    return np.asarray(cv2.GaussianBlur(shadow, (0, 0), 1.0), np.float32)


def _as_delivered(photo: Photo) -> Cutout:
    assert photo.alpha is not None
    matte = np.asarray(photo.alpha / 255, np.float32)
    flag = Flag("own-transparency", "came with its own transparency, which was kept")
    empty = np.zeros((8, 8), np.float32)
    return Cutout(matte, photo.pixels, empty, 0.9 if matte.max() > 0.5 else 0.0, [flag])
