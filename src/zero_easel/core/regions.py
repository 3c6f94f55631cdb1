"""Which regions are item: bottom-up merging of basins, judged by whole outlines instead of single pixels.

The picture falls into the catchment basins of its edge map (watershed by flooding: Vincent & Soille, PAMI 1991).
The two basins with the weakest mean edge along their common border are merged, again and again (an ultrametric
contour map: Arbelaez et al., PAMI 2011). The backdrop is one of the merging parties, so each basin gets the level
at which it dissolved into the backdrop. A shadow has soft borders all round and dissolves early. An item whose
outline is faint in places still has a strong outline on average, and holds.
"""

import heapq
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from zero_easel.core.backdrop import Backdrop, rim, touching_rim
from zero_easel.core.colour import Float, Mask
from zero_easel.core.evidence import like_shadow, sharp_edges

Labels = NDArray[np.int32]

SEGMENT_LEVEL = 1.3
"""Merging up to this level leaves segments bounded by edges that stand out of the noise."""


@dataclass(frozen=True)
class Regions:
    """Result of the merging, all (h, w).

    level: mean sharpness of the outline at which the pixel's region dissolved into the backdrop; 0 = backdrop.
    sharpness: the edge level at each pixel. segments: labels of the pieces at SEGMENT_LEVEL, 0 = backdrop.
    """

    level: Float
    sharpness: Float
    segments: Labels


def find_regions(backdrop: Backdrop) -> Regions:
    """Merge the picture's basins into the backdrop, weakest outline first."""
    edges, sharpness = sharp_edges(backdrop)
    basins = _basins(edges, backdrop)
    merging = _Merging(basins, sharpness)
    merging.run()
    return Regions(merging.level[basins], sharpness, merging.segment[basins])


def pick_items(regions: Regions, backdrop: Backdrop) -> Mask:
    """The regions that hold against the backdrop: shadow-like ones need a sharper outline than others."""
    level = regions.level
    _, ids = np.unique(level, return_inverse=True)
    ids = ids.reshape(level.shape)
    count = np.bincount(ids.ravel())
    shadowy = np.bincount(ids.ravel(), like_shadow(backdrop).ravel()) / count
    mean = np.bincount(ids.ravel(), level.ravel()) / count
    held = level[level > SEGMENT_LEVEL]
    top = float(np.percentile(held, 90)) if held.size > 50 else 2.0
    for_shadowy, for_others = np.clip(0.5 * top, 1.5, 2.4), np.clip(0.4 * top, 1.25, 2.0)
    needed = for_others + (for_shadowy - for_others) * np.clip((shadowy - 0.2) / 0.6, 0, 1)
    return np.asarray((mean >= needed)[ids] & (level > 0))


def _basins(edges: Float, backdrop: Backdrop) -> Labels:
    """Watershed labels from 0 up; 0 is all of the frame-connected backdrop that is beyond doubt."""
    h, w = edges.shape
    # Three px at the frame hold the backdrop's marker even where a vignette leaves the fit.
    certain = ndi.binary_erosion(backdrop.explained, iterations=8, border_value=1)
    certain = touching_rim(certain | (rim(h, w, 3) & backdrop.explained))
    if not certain.any():
        certain = rim(h, w, 3)
    calm = cv2.GaussianBlur(edges, (0, 0), 1.0)
    markers, _ = ndi.label(calm == ndi.minimum_filter(calm, 5))
    markers = np.where(certain, 1, np.where(markers > 0, markers + 1, 0)).astype(np.int32)
    cost = np.clip(np.log1p(edges * 200) * 10000, 0, 65535).astype(np.uint16)
    labels = ndi.watershed_ift(cost, markers)
    return np.asarray(np.unique(labels, return_inverse=True)[1].reshape(h, w), np.int32)


class _Merging:
    """Region adjacency graph with mean border sharpness, contracted from the weakest border up."""

    def __init__(self, basins: Labels, sharpness: Float) -> None:
        self.count = int(basins.max()) + 1
        self.level = np.zeros(self.count, np.float32)
        self.segment = np.zeros(self.count, np.int32)
        self._members = [[i] for i in range(self.count)]
        self._alive = [True] * self.count
        # borders[a][b] = (summed sharpness, pixels) of the border between a and b
        self._borders: list[dict[int, tuple[float, int]]] = [{} for _ in range(self.count)]
        self._heap: list[tuple[float, int, int, int]] = []
        for a, b, total, pixels in _borders(basins, sharpness, self.count):
            self._borders[a][b] = self._borders[b][a] = (total, pixels)
            self._heap.append((total / pixels, a, b, pixels))
        heapq.heapify(self._heap)

    def run(self) -> None:
        noted = False
        while self._heap:
            sharpness, a, b, pixels = heapq.heappop(self._heap)
            if not (self._alive[a] and self._alive[b]) or self._stale(a, b, sharpness, pixels):
                continue
            if sharpness > SEGMENT_LEVEL and not noted:
                self._note_segments()
                noted = True
            self._merge(a, b, sharpness)
        if not noted:
            self._note_segments()

    def _stale(self, a: int, b: int, sharpness: float, pixels: int) -> bool:
        border = self._borders[a].get(b)
        return border is None or border[1] != pixels or border[0] / border[1] != sharpness

    def _note_segments(self) -> None:
        for root in range(self.count):
            if self._alive[root]:
                self.segment[self._members[root]] = root

    def _merge(self, a: int, b: int, sharpness: float) -> None:
        if 0 in (a, b):
            keep, gone = 0, a + b
            self.level[self._members[gone]] = sharpness
        else:
            keep, gone = (a, b) if len(self._borders[a]) >= len(self._borders[b]) else (b, a)
        self._alive[gone] = False
        self._members[keep] += self._members[gone]
        kept = self._borders[keep]
        kept.pop(gone, None)
        for other, (total, pixels) in self._borders[gone].items():
            if other == keep:
                continue
            del self._borders[other][gone]
            before = kept.get(other, (0.0, 0))
            border = (before[0] + total, before[1] + pixels)
            kept[other] = self._borders[other][keep] = border
            heapq.heappush(self._heap, (border[0] / border[1], min(keep, other), max(keep, other), border[1]))


def _borders(basins: Labels, sharpness: Float, count: int) -> list[tuple[int, int, float, int]]:
    """(a, b, summed sharpness, pixels) for each pair of neighbouring basins, a < b."""
    keys, values = [], []
    for here, there in (
        ((slice(None), slice(0, -1)), (slice(None), slice(1, None))),
        ((slice(0, -1), slice(None)), (slice(1, None), slice(None))),
    ):
        a, b = basins[here], basins[there]
        across = a != b
        low, high = np.minimum(a, b)[across].astype(np.int64), np.maximum(a, b)[across]
        keys.append(low * count + high)
        values.append(np.maximum(sharpness[here], sharpness[there])[across])
    unique, inverse = np.unique(np.concatenate(keys), return_inverse=True)
    totals = np.bincount(inverse, np.concatenate(values))
    pixels = np.bincount(inverse)
    return [(int(k) // count, int(k) % count, float(t), int(n)) for k, t, n in zip(unique, totals, pixels, strict=True)]
