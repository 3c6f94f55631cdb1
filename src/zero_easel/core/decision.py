"""Joins two independent opinions of where the item is: by outlines, and by the network.

Outlines are exact where they are sharp, and fail as a whole where they are faint. The network is never exact and seldom
wrong as a whole. Each pixel goes by the sum of the two in log odds; where they contradict each other, a person looks.
"""

from typing import NamedTuple

import cv2
import numpy as np
from scipy import ndimage as ndi

from zero_easel.core.backdrop import Backdrop
from zero_easel.core.colour import Float, Mask
from zero_easel.core.evidence import like_shadow
from zero_easel.core.outline import without_specks

_OUTLINE_ODDS = 1.5
"""Log odds that an outline's verdict adds; held-out scenes prefer 1 to 1.5, the demo's photos 1.5."""


class Decision(NamedTuple):
    """item: (h, w) bool. contradicted: (h, w) bool, pixels that one opinion alone would have decided otherwise."""

    item: Mask
    contradicted: Mask


def decide(outlined: Mask, probability: Float, backdrop: Backdrop) -> Decision:
    """Join the outlined item with the network's opinion, (h, w) float32 in [0, 1] at any size."""
    h, w = outlined.shape
    p = np.clip(cv2.resize(probability, (w, h), interpolation=cv2.INTER_LINEAR), 0.002, 0.998)
    odds = np.log(p / (1 - p)) + _OUTLINE_ODDS * np.where(outlined, 1, -1)
    item = _without_false_holes(np.asarray(odds > 0), outlined, like_shadow(backdrop))
    item, _ = without_specks(item)
    return Decision(item, np.asarray((outlined != item) | ((p > 0.5) != item)))


def _without_false_holes(item: Mask, outlined: Mask, shadowy: Mask) -> Mask:
    """Close holes that the outlines know nothing of and that look like no shadowed backdrop either."""
    labels, count = ndi.label(ndi.binary_fill_holes(item) & ~item)
    if not count:
        return item
    index = np.arange(count + 1)
    known, alike = (ndi.mean(m.astype(np.float32), labels, index) for m in (outlined, shadowy))
    false = (np.asarray(known) > 0.5) & (np.asarray(alike) < 0.5)
    false[0] = False
    return np.asarray(item | false[labels])
