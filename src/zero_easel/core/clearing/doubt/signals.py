"""How sure to be of a cutout, measured on what it was decided by."""

from dataclasses import astuple, dataclass

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR
from zero_easel.core.clearing.evidence import chroma, opponent
from zero_easel.core.clearing.features import SIDE
from zero_easel.core.clearing.matte import Edge
from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.sight import Sight, overlap
from zero_easel.core.light.colour import Float, Mask
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.windows import part_of


@dataclass(frozen=True)
class Signals:
    """What tells good cutouts from bad ones, each 0..1.

    unsure: share of the item by which its own odds expect to be wrong. differing: one less the intersection over union
    of the looks from afar and from close by. faint: share of the outline along which item and backdrop differ by little
    more than noise. alike: share of the inside that looks like the backdrop. thin: share of the item in parts thinner
    than a twentieth of it. large: how much of the frame it covers, for paper on a table may be taken for an item. soft:
    share of the outline where the odds turn slowly, as they do along shadows. cut_off: whether it touches the frame.
    ragged: by how much the outline is longer than a smooth one, as along fibres and where texture was cut out. patch:
    side of the largest patch that could be either, against the item's.
    """

    unsure: float
    differing: float
    faint: float
    alike: float
    thin: float
    large: float
    soft: float
    cut_off: float
    ragged: float
    patch: float


_WEIGHTS = Signals(
    unsure=10.8,
    differing=7.2,
    faint=0,
    alike=0.5,
    thin=3.7,
    large=0,
    soft=1.8,
    cut_off=3.5,
    ragged=7.6,
    patch=4.2,
)
_BIAS = -1.9
"""Logistic regression of IoU under 0.97 on the signals (training/calibrate.py), and more doubt than it gave: a bad
cutout that nobody looks at costs more than a look at a good one. An item that the frame cuts off is rare there, and is
shown in any case."""
_CROSS = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)


def signals_of(sight: Sight, region: Region, edge: Edge) -> Signals:
    """Measure all signals of a cutout that has an item."""
    linear, field = sight.seen(region.window)
    difference = opponent(np.log((linear + FLOOR) / (field + FLOOR)))
    probability = 1 / (1 + np.exp(-region.odds))
    area = float(region.item.sum())
    item = region.item
    wrong = float((1 - probability[item]).sum() + probability[~item].sum())
    covered = area / item.size * (region.window.right - region.window.left) * (region.window.bottom - region.window.top)
    return Signals(
        unsure=min(1.0, wrong / area),
        differing=_differing(sight),
        faint=_share(faint_rim(edge), region),
        alike=float(alike_of(difference)[item].mean()),
        thin=float(thin_parts(region).sum()) / area,
        large=float(np.clip((covered - 0.25) / 0.2, 0, 1)),
        soft=_share(soft_rim(region), region),
        cut_off=float(bool(cut_sides(region))),
        ragged=_ragged(region),
        patch=_patch(region),
    )


def thin_parts(region: Region) -> Mask:
    """(h, w) bool, parts of the item thinner than a twentieth of its window."""
    thick = 2 * round(3 * finer_by(region)) + 1
    item = region.item.astype(np.uint8)
    return np.asarray((item > 0) & (cv2.morphologyEx(item, cv2.MORPH_OPEN, np.ones((thick, thick), np.uint8)) == 0))


def alike_of(difference: Float) -> Mask:
    """(h, w) bool, where an opponent difference from the backdrop is next to nothing."""
    return np.asarray((np.abs(difference[..., 0]) < 0.15) & (chroma(difference) < 0.12))


def confidence_of(signals: Signals) -> float:
    """How probable it is that the cutout is good (IoU of 0.97 or more)."""
    score = _BIAS + float(np.dot(astuple(signals), astuple(_WEIGHTS)))
    return round(float(1 / (1 + np.exp(score))), 3)


def _differing(sight: Sight) -> float:
    if sight.close is None:
        return 0.0
    near: Mask = sight.close.joined() > 0
    far: Mask = part_of(sight.far.joined(), sight.window, Size.of(near)) > 0
    return 1 - overlap(near, far)


def outline_of(item: Mask) -> Mask:
    """(h, w) bool, the item's outermost px."""
    small = item.astype(np.uint8)
    return np.asarray(item & (cv2.erode(small, np.ones((3, 3), np.uint8)) == 0))


def faint_rim(edge: Edge) -> Mask:
    """(h, w) bool, the outline where the continued colours of item and backdrop are less than five times the noise
    apart."""
    outline = outline_of(edge.region.item)
    rows, columns = np.nonzero(outline)
    h, w = edge.own.shape[:2]
    y = np.clip(rows * h // outline.shape[0], 0, h - 1)
    x = np.clip(columns * w // outline.shape[1], 0, w - 1)
    contrast: Float = np.log((edge.own[y, x] + FLOOR) / (edge.behind[y, x] + FLOOR))
    faint = np.zeros(outline.shape, np.bool_)
    faint[rows, columns] = np.abs(contrast).max(1) < 5 * max(edge.noise, 0.008)
    return faint


def _share(part: Mask, region: Region) -> float:
    """Share of the outline that a part of it is; 1 if there is none."""
    length = int(outline_of(region.item).sum())
    return float(part.sum()) / length if length else 1.0


def _ragged(region: Region) -> float:
    """Length of the outline against that of the same item with its outline smoothed, less one."""
    item = region.item.astype(np.float32)
    smooth = cv2.GaussianBlur(item, (0, 0), 3 * finer_by(region)) > 0.5
    lengths = [float((m & (cv2.erode(m.astype(np.uint8), _CROSS) == 0)).sum()) for m in (region.item, smooth)]
    return float(np.clip(lengths[0] / max(lengths[1], 1) - 1, 0, 1))


def open_patches(region: Region) -> Mask:
    """(h, w) bool, patches thicker than a rim in which the odds are next to even."""
    thick = 2 * round(1.5 * finer_by(region)) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (thick, thick))
    even = cv2.morphologyEx((np.abs(region.odds) < 1.5).astype(np.uint8), cv2.MORPH_OPEN, disc)
    return np.asarray(even > 0)


def _patch(region: Region) -> float:
    """Side of the largest such patch against the item's side."""
    patches = open_patches(region).astype(np.uint8)
    largest = cv2.connectedComponentsWithStats(patches)[2][1:, cv2.CC_STAT_AREA].max(initial=0)
    return float(np.sqrt(min(1.0, largest / region.item.sum())))


def soft_rim(region: Region) -> Mask:
    """(h, w) bool, the outline along which the odds change by less than 1 per px of the coarsest grid."""
    odds = np.clip(region.odds, -4, 4)
    across, down = (cv2.Sobel(odds, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.125) for dx in (1, 0))
    return np.asarray(outline_of(region.item) & (np.hypot(across, down) < 1 / finer_by(region)))


def cut_sides(region: Region) -> dict[str, Mask]:
    """The sides of the photo that the item touches, and where, (h, w) bool."""
    item, window = region.item, region.window
    found = {}
    for name, part, at_frame in (
        ("top", np.s_[:1], window.top <= 0),
        ("bottom", np.s_[-1:], window.bottom >= 1),
        ("left", np.s_[:, :1], window.left <= 0),
        ("right", np.s_[:, -1:], window.right >= 1),
    ):
        if at_frame and item[part].sum() > 2:
            found[name] = np.zeros_like(item)
            found[name][part] = item[part]
    return found


def finer_by(region: Region) -> float:
    """How many px of the region's grid are one of the coarsest, on which a window's longer side has SIDE."""
    return float(max(region.item.shape)) / SIDE
