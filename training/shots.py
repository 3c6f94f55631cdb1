"""Renders an item before its backdrop, and the bare backdrop, so that few samples leave little noise.

Both are rendered with the same random numbers. Away from the item the same paths are then traced twice, so the noise of
a pixel drops out of the ratio of the two: that ratio is the item's shadow and reflected light, and it is exactly one
where neither reaches (common random numbers: Kahn & Marshall, Operations Research 1, 1953). The bare backdrop itself is
smooth and may be averaged over a large part of the frame.
"""

from dataclasses import dataclass

import cv2
import mitsuba as mi
import numpy as np
from scipy.ndimage import gaussian_filter
from studio import MaskIntegrator, Obj, sensor

_FRAME, _ITEM, _STACK, _MASK, _BARE = 4, 20, 4, 32, 6


@dataclass(frozen=True)
class Shot:
    """photo, empty: (h, w, 3) float32 linear light. coverage: (h, w) float32 in [0, 1], the item's."""

    photo: np.ndarray
    empty: np.ndarray
    coverage: np.ndarray


def take(item: Obj, ground: list[Obj], lamps: dict, view: dict, depth: int, psf: float, seed: int) -> Shot:
    """Render a scene. depth: turns of a path. psf: blur in px."""
    theirs = {name: shape for k, part in enumerate(ground) for name, shape in part.shapes(f"b{k}_").items()}
    own = item.shapes("p")
    # Loaded one by one: the lamps' order, too, must be the same in both.
    scene, bare = (
        mi.load_dict(dict(type="scene", **lamps, **theirs, **part), parallel=False, optimize=False)
        for part in (own, {})
    )
    paths = mi.load_dict(dict(type="path", max_depth=depth, rr_depth=6, hide_emitters=True))
    coverage, crop = _coverage(own, theirs, view, seed)
    full = sensor(view)
    photo, empty = (_image(s, full, paths, _FRAME, seed + 1000) for s in (scene, bare))
    further = _image(bare, full, paths, _BARE, seed + 2000)
    x, y, w, h = crop
    inner = np.s_[y : y + h, x : x + w]
    close = sensor(view, crop)
    stack, theirs_too = (
        np.stack([_image(s, close, paths, _STACK, seed + 5000 + k) for k in range(_ITEM // _STACK)])
        for s in (scene, bare)
    )
    share = _ITEM / (_ITEM + _FRAME)
    photo[inner], empty[inner] = (
        (1 - share) * p[inner] + share * part.mean(0) for p, part in ((photo, stack), (empty, theirs_too))
    )
    field = _calmed((_FRAME * empty + _BARE * further) / (_FRAME + _BARE), bare, full, seed)
    away = field * _shading(photo, empty, coverage)
    photo[inner] = _item(np.minimum(stack, 4 * np.median(stack, 0) + 0.05), scene, close, coverage[inner], seed)
    photo = _without_fireflies(np.where((coverage <= 0)[..., None], away, photo))
    photo, field = (np.stack([gaussian_filter(p[..., c], psf) for c in range(3)], -1) for p in (photo, field))
    return Shot(photo.astype(np.float32), field.astype(np.float32), np.clip(gaussian_filter(coverage, psf), 0, 1))


def _image(scene, view, how, samples: int, seed: int) -> np.ndarray:
    return np.nan_to_num(np.array(mi.render(scene, sensor=view, integrator=how, spp=samples, seed=seed)))


def _coverage(own: dict, theirs: dict, view: dict, seed: int) -> tuple[np.ndarray, tuple[int, int, int, int]]:
    """Share of each pixel's rays that meet the item first, and the item's box (x, y, width, height) with a margin."""
    bodies = {k: {kk: vv for kk, vv in v.items() if kk != "bsdf"} for k, v in own.items()}
    others = {k: {kk: vv for kk, vv in v.items() if kk != "bsdf"} for k, v in theirs.items()}
    scene, MaskIntegrator.occ = mi.load_dict(dict(type="scene", **bodies)), mi.load_dict(dict(type="scene", **others))
    first = mi.load_dict(dict(type="maskint"))
    rough = _image(scene, sensor(view), first, 4, seed + 1)[..., 0]
    rows, columns = np.nonzero(rough > 0)
    height, width = rough.shape
    x, y = max(columns.min() - 12, 0), max(rows.min() - 12, 0)
    w, h = min(columns.max() + 13, width) - x, min(rows.max() + 13, height) - y
    crop = (int(x), int(y), int(w), int(h))
    coverage = np.zeros((height, width), np.float32)
    coverage[y : y + h, x : x + w] = _image(scene, sensor(view, crop), first, _MASK, seed + 100)[..., 0]
    return coverage, crop


def _shading(photo: np.ndarray, empty: np.ndarray, coverage: np.ndarray) -> np.ndarray:
    """What the item does to the light on the backdrop; averaged more the farther from it, never across its edge."""
    beside = (coverage <= 0).astype(np.float32)[..., None]
    distance = cv2.distanceTransform((coverage <= 0).astype(np.uint8), cv2.DIST_L2, 5)
    shading = None
    for sigma, near, far in ((0.8, 0, 1), (2.0, 2, 8), (5.0, 10, 40)):
        over, under = (cv2.GaussianBlur(p.astype(np.float32) * beside, (0, 0), sigma) for p in (photo, empty))
        ratio = (over + 1e-5) / (under + 1e-5)
        share = np.clip((distance - near) / (far - near), 0, 1)[..., None]
        shading = ratio if shading is None else shading * (1 - share) + ratio * share
    return shading


def _calmed(empty: np.ndarray, bare, view, seed: int) -> np.ndarray:
    """The bare backdrop, (h, w, 3) linear, less the noise of few samples: paint and light apart.

    Light changes slowly along a large surface, and more slowly across than up a sweep; paint has no noise. Small things
    of the room keep their own shading.
    """
    surfaces = mi.load_dict(dict(type="aov", aovs="paint:albedo"))
    numbers = mi.load_dict(dict(type="aov", aovs="number:shape_index"))
    paint = np.clip(_image(bare, view, surfaces, 16, seed + 3)[..., -3:], 0.01, 1)
    number = np.round(_image(bare, view, numbers, 1, seed + 4)[..., -1]).astype(int)
    light = np.minimum(_without_fireflies(empty) / paint, 50).astype(np.float32)
    large = [shape for shape in np.unique(number) if (number == shape).mean() > 0.08]
    calm = light if np.isin(number, large).all() else _freed(light)
    for shape in large:
        inside = (number == shape).astype(np.float32)
        over, under = (
            cv2.GaussianBlur(p, (0, 0), sigmaX=70, sigmaY=10, borderType=cv2.BORDER_REFLECT)
            for p in (light * inside[..., None], inside)
        )
        calm = np.where(inside[..., None] > 0, over / (under[..., None] + 1e-6), calm)
    return (calm * paint).astype(np.float32)


def _freed(light: np.ndarray) -> np.ndarray:
    """Light on small things, (h, w, 3), averaged among alike neighbours."""
    fine = light - cv2.GaussianBlur(light, (0, 0), 1)
    level = cv2.GaussianBlur(light, (0, 0), 4) + 1e-3
    usual = np.percentile(cv2.blur(np.square(fine / level), (9, 9)), 40, axis=(0, 1))
    return _averaged(light, (1.7 * usual * level * level).mean(2), np.zeros((*light.shape[:2], 1), np.float32))


def _item(stack: np.ndarray, scene, view, coverage: np.ndarray, seed: int) -> np.ndarray:
    """The item and what is close to it, from a stack of renders (n, h, w, 3), less their noise."""
    surfaces = mi.load_dict(dict(type="aov", aovs="paint:albedo,turn:sh_normal"))
    facts = _image(scene, view, surfaces, 16, seed + 5)[..., -6:]
    paint = np.clip(facts[..., :3], 0.05, 1)
    guide = np.concatenate([facts[..., 3:] / 0.15, coverage[..., None] / 0.1], 2).astype(np.float32)
    light = stack / paint
    variance = (light.var(0) / (len(stack) - 1)).mean(2)
    return _averaged(light.mean(0).astype(np.float32), variance.astype(np.float32), guide) * paint


def _averaged(light: np.ndarray, variance: np.ndarray, guide: np.ndarray) -> np.ndarray:
    """Edge-avoiding wavelets (Dammertz et al., HPG 2010) stopped by the guide and by what variance does not explain.

    light: (h, w, 3). variance: (h, w), of the light's mean over the channels. guide: (h, w, k), one unit apart is far.
    """
    taps = np.array([1, 4, 6, 4, 1], np.float32) / 16
    variance = cv2.GaussianBlur(variance, (0, 0), 2) + 1e-7
    h, w = variance.shape
    for step in (1, 2, 4, 8):
        reach = 2 * step
        padded = [cv2.copyMakeBorder(p, *(reach,) * 4, cv2.BORDER_REPLICATE) for p in (light, variance, guide)]
        padded[2] = padded[2].reshape(h + 2 * reach, w + 2 * reach, -1)
        scale = 1 / (5 * np.sqrt(variance) + 1e-5)
        total, sums, squares = np.zeros((h, w), np.float32), np.zeros_like(light), np.zeros((h, w), np.float32)
        for j in range(-2, 3):
            for i in range(-2, 3):
                part = np.s_[reach + j * step : reach + j * step + h, reach + i * step : reach + i * step + w]
                other, noise, turn = (p[part] for p in padded)
                apart = np.square(turn - guide.reshape(h, w, -1)).sum(2)
                unlike = cv2.transform(np.abs(other - light), np.full((1, 3), 1 / 3)) * scale
                weight = taps[j + 2] * taps[i + 2] * np.exp(-apart - unlike)
                total, sums, squares = (
                    total + weight,
                    sums + weight[..., None] * other,
                    squares + weight * weight * noise,
                )
        light, variance = sums / total[..., None], squares / (total * total)
    return light


def _without_fireflies(picture: np.ndarray) -> np.ndarray:
    """Lone pixels much brighter than their neighbours become their neighbours' median."""
    median = np.stack([cv2.medianBlur(picture[..., c].astype(np.float32), 3) for c in range(3)], -1)
    return np.where((picture > 2.5 * median + 0.15).any(-1, keepdims=True), median, picture)
