"""The item's contact shadow: taken from the photo, or drawn from the item's own footprint."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.sight import Sight
from zero_easel.core.light.colour import LUMA
from zero_easel.core.light.fill import fill_from
from zero_easel.core.light.geometry import Size, Window
from zero_easel.core.light.windows import part_of

_REACH = 0.9
"""How far from the item, in its own sizes, its shadow may fall."""


def shadow_of(sight: Sight, region: Region) -> NDArray[np.uint8]:
    """(h, w) uint8 over the whole frame: the share of light, in 255ths, that the item takes from the backdrop.

    The darkening of the backdrop beside the item, continued under it, as far as it hangs together with the item; 0
    where the backdrop is as bright as it is elsewhere.
    """
    h, w = sight.far.evidence.shape
    picture = part_of(sight.linear, Window(), Size(w, h))
    ratio = (picture @ LUMA) / np.maximum(sight.backdrop.field @ LUMA, 1e-3)
    item = in_frame(region, (h, w))
    near = cv2.dilate(item.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.bool_)
    dark = np.clip(1 - ratio, 0, 0.98).astype(np.float32)
    dark = fill_from(dark[..., None], ~near)[..., 0] * near + dark * ~near
    dark = cv2.GaussianBlur(dark, (0, 0), 1.2)
    # Paper's own unevenness is no shadow.
    floor = 2.5 * sight.backdrop.noise + 0.01
    dark = np.where(dark > floor, (dark - floor) / (1 - floor), 0)
    labels = cv2.connectedComponents(((dark > 0) | near).astype(np.uint8))[1]
    reached = np.isin(labels, np.unique(labels[near]))
    size = np.sqrt(float(item.sum())) + 1
    distance = cv2.distanceTransform((~near).astype(np.uint8), cv2.DIST_L2, 3)
    fading = np.clip(2 - 2 * distance / (_REACH * size), 0, 1)
    return np.asarray(np.round(255 * dark * reached * fading), np.uint8)


def in_frame(region: Region, size: tuple[int, int]) -> NDArray[np.bool_]:
    """The region's item in the whole frame, (h, w) bool."""
    h, w = size
    window = region.window
    left, top = round(window.left * w), round(window.top * h)
    right, bottom = max(left + 1, round(window.right * w)), max(top + 1, round(window.bottom * h))
    whole = np.zeros((h, w), np.bool_)
    part = cv2.resize(region.item.astype(np.float32), (right - left, bottom - top), interpolation=cv2.INTER_AREA)
    whole[top:bottom, left:right] = part > 0.3
    return whole
