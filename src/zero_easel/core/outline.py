"""From held regions to the item's shape: cast-off shadow, gaps in faint outlines, openings, stray specks."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from zero_easel.core.backdrop import Backdrop
from zero_easel.core.colour import Float, Mask
from zero_easel.core.evidence import chroma, like_shadow, opponent, smooth, texture
from zero_easel.core.fill import fill_from
from zero_easel.core.regions import Regions

# A pixel step in the opponent picture that an eye takes for another surface, colour counted twice.
_CONTRAST = np.array([1, 2, 2], np.float32)


@dataclass(frozen=True)
class Shape:
    """The item at working size. item: (h, w) bool. openings: (h, w) bool, holes that show the backdrop.

    closed: share of the item's area that only the closing of a gap in the outline gave. parts: separate pieces.
    """

    item: Mask
    openings: Mask
    closed: float
    parts: int


def find_shape(picked: Mask, regions: Regions, backdrop: Backdrop) -> Shape:
    """Clean the picked regions into the item's shape."""
    tidy = ndi.binary_opening(picked) | (picked & (ndi.uniform_filter(picked.astype(np.float32), 5) > 0.5))
    tidy = _without_cast_shadow(tidy, like_shadow(backdrop))
    radius = max(3, round(0.02 * max(picked.shape)))
    solid = _close_gaps(tidy, regions.sharpness, radius)
    solid, parts = without_specks(solid)
    before = ndi.binary_fill_holes(tidy) & solid
    closed = 1 - float(before.sum()) / max(1, int(solid.sum()))
    openings = _openings(solid, regions, backdrop)
    return Shape(solid & ~openings, openings, closed, parts)


def _without_cast_shadow(item: Mask, shadowy: Mask) -> Mask:
    """From a coloured item take away hard shadow that clings to it: neutral, smooth, and open to the outside."""
    area = int(item.sum())
    if area == 0 or int((shadowy & item).sum()) > 0.3 * area:
        return item
    passable = ndi.binary_opening(shadowy & item) | ~item
    labels, count = ndi.label(passable)
    outside = np.zeros(count + 1, np.bool_)
    outside[labels[~item]] = True
    outside[0] = False
    return np.asarray(item & ~outside[labels])


def _close_gaps(item: Mask, sharpness: Float, radius: int) -> Mask:
    """Fill what a closing by a disc adds wherever little of its rim is open, or an edge shows across the opening."""
    solid = ndi.binary_fill_holes(item)
    padded = np.pad(solid, radius + 2)
    grown = _distance(~padded) <= radius
    closed = ndi.binary_fill_holes(_distance(grown) > radius)
    closed = closed[radius + 2 : -radius - 2, radius + 2 : -radius - 2] | solid
    labels, _ = ndi.label(closed & ~solid)
    result = np.array(solid)
    for index, found in enumerate(ndi.find_objects(labels)):
        window = _widened(found, 2)
        piece = labels[window] == index + 1
        if piece.sum() < 30:
            continue
        edge = ndi.binary_dilation(piece) & ~piece
        opened = edge & ~solid[window]
        near = cv2.dilate(sharpness[window], np.ones((5, 5), np.uint8))
        gap = (opened & (near < 1.2)).sum() / edge.sum()
        if gap < 0.25 and opened.sum() < 0.6 * edge.sum():
            result[window] |= piece
    return result


def without_specks(solid: Mask) -> tuple[Mask, int]:
    """Only pieces of some size beside the largest, and how many: no crumbs, dust, or marks on the paper."""
    labels, _ = ndi.label(solid)
    size = np.bincount(labels.ravel())
    size[0] = 0
    keep = size > max(20, 0.02 * size.max())
    return np.asarray(keep[labels]), int(keep.sum())


def _openings(solid: Mask, regions: Regions, backdrop: Backdrop) -> Mask:
    """Places inside the outline where the backdrop shows through.

    Such a place has the backdrop's colour (as it is nearby, shadow and tint included), is no brighter than the
    empty backdrop, has no texture, and is bounded by a surface that looks clearly different. Two ways to cut the
    picture into candidates complement each other: the segments that edges bound, and connected runs of alike pixels.
    """
    calm = smooth(backdrop.residual, 0.7)
    beside = fill_from(backdrop.residual, ~ndi.binary_dilation(solid, iterations=4))
    values, difference = opponent(calm), opponent(calm - beside)
    dark = values[..., 0]
    tint = np.minimum(chroma(values), chroma(difference))
    alike = (tint < 0.05 + 0.08 * np.clip(-dark, 0, 1)) & (dark < 0.06) & (dark > -0.9)
    weighted = values * _CONTRAST
    openings = np.zeros_like(solid)
    for window, piece in _pieces(regions.segments * solid):
        core = ndi.binary_erosion(piece) if piece.sum() > 40 else piece
        if core.sum() < 4 or alike[window][core].mean() < 0.8 or not _stands_apart(weighted[window], piece, core):
            continue
        step = weighted[window] - np.median(weighted[window][core], 0)
        near = np.sqrt((step * step).sum(2)) < 0.15
        openings[window] |= piece & (near | (alike[window] & (_distance(piece) > 3)))
    runs, _ = ndi.label(solid & alike & (texture(calm, 3) < 0.06) & (difference[..., 0] > -0.7))
    for window, piece in _pieces(runs):
        if _stands_apart(weighted[window], piece, piece, regions.sharpness[window]):
            openings[window] |= piece
    return openings


def _pieces(labels: NDArray[Any]) -> Iterator[tuple[tuple[slice, slice], Mask]]:
    for index, found in enumerate(ndi.find_objects(labels)):
        if found is None:
            continue
        window = _widened(found, 8)
        piece = labels[window] == index + 1
        if piece.sum() >= 8:
            yield window, piece


def _stands_apart(weighted: Float, piece: Mask, core: Mask, sharpness: Float | None = None) -> bool:
    """Whether the surface around a piece looks clearly different nearly all round (and an edge lies between)."""
    step = weighted - np.median(weighted[core], 0)
    contrast = np.sqrt((step * step).sum(2)).astype(np.float32)
    contrast[piece] = 0
    around = _distance(~piece)
    ring = (around > 1.5) & (around <= 2.5)
    if not ring.any():
        return False
    reach = np.ones((7, 7), np.uint8)
    low, middle = np.percentile(cv2.dilate(contrast, reach)[ring], [15, 50])
    if not (low > 0.3 or (middle > 0.4 and low > 0.1)):
        return False
    if sharpness is None:
        return True
    faint, typical = np.percentile(cv2.dilate(sharpness, reach)[ring], [5, 50])
    return bool(faint > 1.2 and typical > 2.0)


def _distance(mask: Mask) -> Float:
    """Euclidean distance of each true pixel to the nearest false one."""
    return np.asarray(cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, 5), np.float32)


def _widened(found: tuple[slice, ...], by: int) -> tuple[slice, slice]:
    y, x = (slice(max(0, s.start - by), s.stop + by) for s in found)
    return y, x
