"""An item without its backdrop: matte, clean foreground, contact shadow, and how far to trust them."""

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from zero_easel.core.backdrop import Backdrop, estimate_backdrop
from zero_easel.core.colour import LUMA, Encoded, Float, to_linear
from zero_easel.core.decision import Decision, decide
from zero_easel.core.doubts import Finding, Flag, confidence_of, find_doubts
from zero_easel.core.features import SIDE, features_of
from zero_easel.core.matte import solve_matte
from zero_easel.core.network import ask_network
from zero_easel.core.outline import find_shape
from zero_easel.core.photo import Photo
from zero_easel.core.regions import find_regions, pick_items

ENGINE = "2"
"""Changes whenever the same photo may give another cutout; part of the key of everything derived from one."""


class CutoutOptions(BaseModel):
    """What may be asked of the engine. working_side: longer side in px at which outlines are judged."""

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


class _Working(NamedTuple):
    """What was found out at the working size."""

    linear: Float
    backdrop: Backdrop
    decision: Decision
    findings: list[Finding]


def cutout(photo: Photo, options: CutoutOptions | None = None) -> Cutout:
    """Separate the item from its backdrop and its shadow.

    A photo that brought its own transparency keeps it. A photo without an item gives an empty matte, confidence 0
    and a flag that says so; nothing is raised.
    """
    if photo.alpha is not None:
        return _as_delivered(photo)
    found = _decide(photo.pixels, (options or CutoutOptions()).working_side)
    matte, foreground = solve_matte(photo.pixels, found.decision.item, found.backdrop.noise)
    flags = [finding.flag for finding in found.findings]
    return Cutout(matte, foreground, _shadow(found), confidence_of(found.findings), flags)


def _decide(pixels: Encoded, side: int) -> _Working:
    """Ask the outlines at the working size and the network at its own, and join the two."""
    linear = to_linear(_reduced(pixels, side))
    backdrop = estimate_backdrop(linear)
    regions = find_regions(backdrop)
    shape = find_shape(pick_items(regions, backdrop), regions, backdrop)
    small = to_linear(_reduced(pixels, SIDE))
    probability = ask_network(features_of(small, estimate_backdrop(small)))
    decision = decide(shape.item, probability, backdrop)
    return _Working(linear, backdrop, decision, find_doubts(decision, shape, regions, backdrop))


def _reduced(pixels: Encoded, side: int) -> Encoded:
    height, width = pixels.shape[:2]
    scale = min(1.0, side / max(height, width))
    size = (max(8, round(width * scale)), max(8, round(height * scale)))
    return pixels if scale == 1 else np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), pixels.dtype)


def _shadow(found: _Working) -> Float:
    """Share of light missing from the backdrop, where no item is."""
    ratio = (found.linear @ LUMA) / np.maximum(found.backdrop.field @ LUMA, 1e-3)
    shadow = np.clip(1 - ratio, 0, 1).astype(np.float32)
    shadow[found.backdrop.explained | found.decision.item] = 0
    return np.asarray(cv2.GaussianBlur(shadow, (0, 0), 1.0), np.float32)


def _as_delivered(photo: Photo) -> Cutout:
    assert photo.alpha is not None
    matte = np.asarray(photo.alpha / 255, np.float32)
    flag = Flag("own-transparency", "came with its own transparency, which was kept")
    empty = np.zeros((8, 8), np.float32)
    return Cutout(matte, photo.pixels, empty, 0.9 if matte.max() > 0.5 else 0.0, [flag])
