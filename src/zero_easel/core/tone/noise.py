"""Taking away noise of a known strength, and nothing else.

The square root of light has the same shot noise at every level (Anscombe 1948). There a picture is taken apart into
layers of ever coarser detail (starlet transform: Starck, Fadili and Murtagh, IEEE Trans. Image Proc. 16(2), 2007), and
each layer is kept as far as it exceeds, in a small neighbourhood, what noise alone would give there (Wiener's filter).
Edges and fine texture exceed it; even parts do not.
"""

from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.light.colour import Float

_SPLINE = np.array([1, 4, 6, 4, 1], np.float32) / 16
_SHARE = (0.8908, 0.2007, 0.0856, 0.0413)
"""Standard deviation of white noise of 1 in each layer."""
_AROUND = 5
"""px over which a layer's strength is averaged."""
_SURE = (1.3, 2.0)
"""Times the noise's own energy that counts as noise, of lightness and of colour: an estimate over few px scatters."""
_DETAIL = (2.0, 6.0)
"""Times the noise's energy from which a layer is ever less taken for noise, and at last not at all: edges stay."""
SCALES = (1, 2, 4)
"""Reductions at which noise is measured."""


class Noise(NamedTuple):
    """Standard deviations of the square root of light on an even part, at each of SCALES: of lightness and of colour
    differences. Averaging makes them less, by how much differs from camera to camera."""

    lightness: tuple[float, float, float]
    colour: tuple[float, float, float]

    def at(self, scale: float) -> tuple[float, float]:
        """Both for a picture drawn at px of the canvas to a px of the photo."""
        reduction = np.log2(max(1 / max(scale, 1e-6), 1.0))
        steps = np.log2(SCALES)
        beyond = 2.0 ** -max(reduction - steps[-1], 0.0)
        light, colour = (float(np.exp(np.interp(reduction, steps, np.log(np.maximum(v, 1e-6)))) * beyond) for v in self)
        return light, colour


def noise_in(tiles: list[Float]) -> Noise:
    """Measure even parts, (h, w, 3) linear light each, h and w at least 32: the quieter third of them counts, because
    what is not even is louder."""
    found = [[_spread(_reduced(tile, by)) for by in SCALES] for tile in tiles]
    quiet = np.percentile(np.array(found), 33, axis=0)
    light, colour = ((round(float(a), 6), round(float(b), 6), round(float(c), 6)) for a, b, c in quiet.T)
    return Noise(light, colour)


def quieted(light: list[Float], noise: tuple[float, float], share: float, cover: Float | None = None) -> list[Float]:
    """Three planes of linear light, times alpha where that is given as cover, (h, w) each, without a share, 0 to 1, of
    their noise: standard deviations of lightness and colour as in Noise."""
    if share <= 0 or max(noise) <= 1e-5:
        return light
    red, green, blue = (np.sqrt(np.maximum(_straight(plane, cover), 0)) for plane in light)
    first, second = red - green, blue - green
    lightness = green + (first + second) / 4
    parts = [(lightness, noise[0], _SURE[0]), (first, noise[1], _SURE[1]), (second, noise[1], _SURE[1])]
    lightness, first, second = (plane + share * (_shrunk(plane, s, sure) - plane) for plane, s, sure in parts)
    green = lightness - (first + second) / 4
    roots = (green + first, green, green + second)
    weight: Float | float = 1.0 if cover is None else cover
    return [np.asarray(np.clip(np.square(np.maximum(root, 0)), 0, 1) * weight, np.float32) for root in roots]


def _straight(plane: Float, cover: Float | None) -> Float:
    """Without alpha; continued outward, so that no edge of nothing is met."""
    if cover is None:
        return plane
    reach = 8.0
    around = cv2.GaussianBlur(plane, (0, 0), reach) / np.maximum(cv2.GaussianBlur(cover, (0, 0), reach), 1e-4)
    return np.asarray(np.where(cover > 0.3, plane / np.maximum(cover, 0.3), around), np.float32)


def _shrunk(plane: Float, sigma: float, sure: float) -> Float:
    """One plane, its layers kept as far as they exceed noise."""
    rest, kept = plane, np.zeros_like(plane)
    for level, share in enumerate(_SHARE):
        spread = np.zeros(4 * 2**level + 1, np.float32)
        spread[:: 2**level] = _SPLINE
        smoother = cv2.sepFilter2D(rest, cv2.CV_32F, spread, spread, borderType=cv2.BORDER_REFLECT_101)
        layer = rest - smoother
        energy = cv2.boxFilter(layer * layer, cv2.CV_32F, (_AROUND, _AROUND), borderType=cv2.BORDER_REFLECT_101)
        own = max((sigma * share) ** 2, 1e-12)
        wiener = np.maximum(energy - sure * own, 0) / np.maximum(energy, 1e-12)
        detail = (energy / own - _DETAIL[0]) / (_DETAIL[1] - _DETAIL[0])
        kept += layer * np.maximum(wiener, np.clip(detail, 0, 1))
        rest = smoother
    return np.asarray(kept + rest, np.float32)


def _reduced(tile: Float, by: int) -> Float:
    h, w = tile.shape[0] // by * by, tile.shape[1] // by * by
    return np.asarray(cv2.resize(tile[:h, :w], (w // by, h // by), interpolation=cv2.INTER_AREA), np.float32)


def _spread(tile: Float) -> tuple[float, float]:
    """Standard deviations of lightness and colour: Immerkaer's mask lets through neither even slopes nor even curves
    (Fast noise variance estimation, CVIU 64(2), 1996); medians instead of means, because of specks."""
    root = np.sqrt(np.maximum(tile, 0))
    first, second = root[..., 0] - root[..., 1], root[..., 2] - root[..., 1]
    mask = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6
    light, one, other = (
        float(np.median(np.abs(cv2.filter2D(np.ascontiguousarray(plane), cv2.CV_32F, mask)[1:-1, 1:-1]))) / 0.6745
        for plane in (root[..., 1] + (first + second) / 4, first, second)
    )
    return light, float(np.hypot(one, other) / np.sqrt(2))
