"""Errors of a matte against exact truth, as the matting literature defines them (Rhemann et al., CVPR 2009)."""

from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

Matte = NDArray[np.float64]
ROOT = Path(__file__).parent.parent
PHOTOS = ROOT / "src/zero_easel/demo/photos"
TRUTH = ROOT / "tests/truth"
NAMES = ("sad", "mse", "grad", "conn", "iou", "edge")


def stems() -> list[str]:
    """The demo shop's photos with known truth, by name without suffix."""
    return [file.name.removesuffix(".alpha.png") for file in sorted(TRUTH.glob("*.alpha.png"))]


def score(alpha: NDArray[np.uint8], truth: NDArray[np.uint8]) -> dict[str, float]:
    """Errors of one matte over the whole picture, both (H, W) uint8 with 255 = item.

    sad: sum of absolute differences / 1000. mse: mean squared difference x 1000. grad: squared difference of gradient
    magnitudes (sigma 1.4) / 1000. conn: connectivity error (step 0.1, theta 0.15) / 1000. iou: of both above one half.
    edge: mean distance in px between the two contours at one half, both ways.
    """
    a, t = alpha / 255.0, truth / 255.0
    solid_a, solid_t = a > 0.5, t > 0.5
    union = int((solid_a | solid_t).sum())
    return {
        "sad": float(np.abs(a - t).sum() / 1000),
        "mse": float(((a - t) ** 2).mean() * 1000),
        "grad": float(((_gradient(a) - _gradient(t)) ** 2).sum() / 1000),
        "conn": _connectivity(a, t),
        "iou": float((solid_a & solid_t).sum() / union) if union else 1.0,
        "edge": _contour_distance(solid_a, solid_t),
    }


def _gradient(a: Matte) -> Matte:
    return np.hypot(ndi.gaussian_filter(a, 1.4, order=(0, 1)), ndi.gaussian_filter(a, 1.4, order=(1, 0)))


def _connectivity(a: Matte, t: Matte, step: float = 0.1, theta: float = 0.15) -> float:
    levels = np.arange(0, 1 + step, step)
    last = np.full(a.shape, -1.0)
    for lower, level in pairwise(levels):
        labels, count = ndi.label((a >= level) & (t >= level))
        largest = np.zeros(a.shape, np.bool_)
        if count:
            sizes = np.bincount(labels.ravel())
            sizes[0] = 0
            largest = labels == sizes.argmax()
        last[(last == -1) & ~largest] = lower
    last[last == -1] = 1.0

    def phi(x: Matte) -> Matte:
        d = x - last
        return 1 - d * (d >= theta)

    return float(np.abs(phi(a) - phi(t)).sum() / 1000)


def _contour_distance(a: NDArray[np.bool_], t: NDArray[np.bool_]) -> float:
    ca, ct = (m & ~ndi.binary_erosion(m, border_value=1) for m in (a, t))
    if not ca.any() or not ct.any():
        return float("inf") if ca.any() != ct.any() else 0.0
    to_t, to_a = ndi.distance_transform_edt(~ct)[ca], ndi.distance_transform_edt(~ca)[ct]
    return float((to_t.mean() + to_a.mean()) / 2)
