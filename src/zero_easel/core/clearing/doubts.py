"""Reasons why a person should look at a cutout, and how sure to be of it, measured on what it was decided by."""

from dataclasses import astuple, dataclass

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR
from zero_easel.core.clearing.evidence import chroma, opponent
from zero_easel.core.clearing.features import SIDE
from zero_easel.core.clearing.matte import Edge
from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.sight import Sight
from zero_easel.core.items.flag import DOUBTFUL, Flag
from zero_easel.core.light.colour import Float, Mask
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.windows import part_of


@dataclass(frozen=True)
class Signals:
    """What tells good cutouts from bad ones, each 0..1.

    unsure: share of the item by which the network expects to be wrong, from its own odds. differing: one less the
    intersection over union of the looks from afar and from close by. faint: share of the outline along which item and
    backdrop differ by little more than noise. alike: share of the inside that looks like the backdrop. thin: share of
    the item in parts thinner than a twentieth of it. small, large: how little or how much of the frame it covers, for
    paper on a table may be taken for an item. unexplained: share of the frame beside the item that the backdrop does
    not explain. shadowy: share of the item that a shadow could be. soft: share of the outline where the odds turn
    slowly, as they do along shadows. cut_off: whether it touches the frame. surrounded: whether there is table or room
    around the paper. ragged: by how much the outline is longer than a smooth one, as along fibres and where texture
    was cut out. patch: side of the largest patch that could be either, against the item's.
    """

    unsure: float
    differing: float
    faint: float
    alike: float
    thin: float
    small: float
    large: float
    unexplained: float
    shadowy: float
    soft: float
    cut_off: float
    surrounded: float
    ragged: float
    patch: float


_WEIGHTS = Signals(
    unsure=12.4,
    differing=0,
    faint=0,
    alike=0.2,
    thin=8.3,
    small=3.1,
    large=6.7,
    unexplained=0,
    shadowy=0,
    soft=5.4,
    cut_off=3.0,
    surrounded=0,
    ragged=1.2,
    patch=4.0,
)
_BIAS = -2.3
"""Logistic regression of IoU under 0.97 on the signals (training/calibrate.py), and more doubt than it gave: a bad
cutout that nobody looks at costs more than a look at a good one. An item that the frame cuts off is rare there, and is
shown in any case."""
_CROSS = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)
_FACTS = ("several-parts", "empty-unused")
"""What is worth knowing of a good cutout, too."""


def signals_of(sight: Sight, region: Region, edge: Edge) -> Signals:
    """Measure all signals of a cutout that has an item."""
    linear, field = sight.seen(region.window)
    difference = opponent(np.log((linear + FLOOR) / (field + FLOOR)))
    probability = 1 / (1 + np.exp(-region.odds))
    area = float(region.item.sum())
    thick = 2 * round(3 * _finer_by(region)) + 1
    opened = cv2.morphologyEx(region.item.astype(np.uint8), cv2.MORPH_OPEN, np.ones((thick, thick), np.uint8))
    dark, colour = difference[..., 0], chroma(difference)
    alike = (np.abs(dark) < 0.15) & (colour < 0.12)
    shadowy = (dark < -0.15) & (colour < 0.05 + 0.12 * np.abs(dark)) & ~alike
    item = region.item
    wrong = float((1 - probability[item]).sum() + probability[~item].sum())
    covered = area / item.size * (region.window.right - region.window.left) * (region.window.bottom - region.window.top)
    return Signals(
        unsure=min(1.0, wrong / area),
        differing=_differing(sight),
        faint=_faint(edge),
        alike=float(alike[item].mean()),
        thin=1 - float(opened.sum()) / area,
        small=float(np.clip(1 - covered / 0.03, 0, 1)),
        large=float(np.clip((covered - 0.25) / 0.2, 0, 1)),
        unexplained=_unexplained(sight),
        shadowy=float(shadowy[item].mean()),
        soft=_soft(region),
        cut_off=float(bool(_sides(region))),
        surrounded=float(sight.sheet is not None),
        ragged=_ragged(region),
        patch=_patch(region),
    )


def confidence_of(signals: Signals) -> float:
    """How probable it is that the cutout is good (IoU of 0.97 or more)."""
    score = _BIAS + float(np.dot(astuple(signals), astuple(_WEIGHTS)))
    return round(float(1 / (1 + np.exp(score))), 3)


def reasons_of(sight: Sight, region: Region, signals: Signals) -> list[Flag]:
    """What a person should know or look at, in plain words, the most serious first; of a cutout that is not doubtful,
    facts alone."""
    doubtful = confidence_of(signals) < DOUBTFUL
    rows = [
        _touched_sides(region),
        (signals.unsure > 0.06, "unsure", f"{signals.unsure:.0%} of the item could as well be backdrop"),
        (signals.faint > 0.12, "faint-rim", f"item and backdrop look alike along {signals.faint:.0%} of the rim"),
        (signals.differing > 0.08, "two-looks", f"from close by, {signals.differing:.0%} of the item looks different"),
        (signals.alike > 0.4, "inside-alike", f"glass or alike: {signals.alike:.0%} of the inside is uncertain"),
        (signals.soft > 0.12, "soft-rim", f"{signals.soft:.0%} of the rim is soft: look whether shadow was kept"),
        (signals.large > 0, "large", "fills much of the photo: look whether it is the item, not paper on a table"),
        (signals.thin > 0.35, "fine-parts", "thin parts and openings: look whether all are kept and open"),
        (signals.shadowy > 0.25, "shadow-like", f"{signals.shadowy:.0%} of the item could be dark shadow"),
        (signals.ragged > 0.25, "ragged", "ragged outline: look whether pattern was cut out, or shadow kept in fibres"),
        (signals.patch > 0.17, "open-patch", f"a patch of {signals.patch**2:.0%} of it could be either"),
        _parts(region),
        (signals.surrounded > 0, "surrounded", "table or room around the paper was left out"),
        (signals.unexplained > 0.35, "unsure-backdrop", f"{signals.unexplained:.0%} around it is no plain backdrop"),
        (sight.empty_fits is False, *EMPTY_UNUSED),
    ]
    return [Flag(code, text) for holds, code, text in rows if holds and (doubtful or code in _FACTS)]


NO_ITEM = Flag("no-item", "no item found before the backdrop")
EMPTY_UNUSED = Flag("empty-unused", "the empty frame shows another backdrop and was not used")


def _sides(region: Region) -> list[str]:
    item, window = region.item, region.window
    sides = {
        "top": (item[0], window.top <= 0),
        "bottom": (item[-1], window.bottom >= 1),
        "left": (item[:, 0], window.left <= 0),
        "right": (item[:, -1], window.right >= 1),
    }
    return [name for name, (line, at_frame) in sides.items() if at_frame and line.sum() > 2]


def _touched_sides(region: Region) -> tuple[bool, str, str]:
    edges = " and the ".join(_sides(region))
    return bool(edges), "touches-edge", f"touches the {edges} edge of the photo"


def _parts(region: Region) -> tuple[bool, str, str]:
    count = cv2.connectedComponents(region.item.astype(np.uint8))[0] - 1
    number = {2: "two", 3: "three", 4: "four", 5: "five"}.get(count, str(count))
    return count > 1, "several-parts", f"{number} separate parts kept"


def _differing(sight: Sight) -> float:
    if sight.close is None:
        return 0.0
    near: Mask = sight.close > 0
    far: Mask = part_of(sight.whole, sight.window, Size.of(near)) > 0
    either = float((near | far).sum())
    return 1 - float((near & far).sum()) / either if either else 0.0


def _faint(edge: Edge) -> float:
    """Share of the outline where the continued colours of item and backdrop differ by under five times the noise."""
    item = edge.region.item.astype(np.uint8)
    outline = (item > 0) & (cv2.erode(item, np.ones((3, 3), np.uint8)) == 0)
    rows, columns = np.nonzero(outline)
    h, w = edge.own.shape[:2]
    y = np.clip(rows * h // item.shape[0], 0, h - 1)
    x = np.clip(columns * w // item.shape[1], 0, w - 1)
    contrast: Float = np.log((edge.own[y, x] + FLOOR) / (edge.behind[y, x] + FLOOR))
    return float((np.abs(contrast).max(1) < 5 * max(edge.noise, 0.008)).mean()) if rows.size else 1.0


def _ragged(region: Region) -> float:
    """Length of the outline against that of the same item with its outline smoothed, less one."""
    item = region.item.astype(np.float32)
    smooth = cv2.GaussianBlur(item, (0, 0), 3 * _finer_by(region)) > 0.5
    lengths = [float((m & (cv2.erode(m.astype(np.uint8), _CROSS) == 0)).sum()) for m in (region.item, smooth)]
    return float(np.clip(lengths[0] / max(lengths[1], 1) - 1, 0, 1))


def _patch(region: Region) -> float:
    """Side of the largest patch, thicker than a rim, in which the odds are next to even, against the item's side."""
    thick = 2 * round(1.5 * _finer_by(region)) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (thick, thick))
    even = cv2.morphologyEx((np.abs(region.odds) < 1.5).astype(np.uint8), cv2.MORPH_OPEN, disc)
    largest = cv2.connectedComponentsWithStats(even)[2][1:, cv2.CC_STAT_AREA].max(initial=0)
    return float(np.sqrt(min(1.0, largest / region.item.sum())))


def _soft(region: Region) -> float:
    """Share of the outline along which the odds change by less than 1 per px of the coarsest grid."""
    odds = np.clip(region.odds, -4, 4)
    across, down = (cv2.Sobel(odds, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.125) for dx in (1, 0))
    item = region.item.astype(np.uint8)
    outline = (item > 0) & (cv2.erode(item, np.ones((3, 3), np.uint8)) == 0)
    slow = np.hypot(across, down)[outline] < 1 / _finer_by(region)
    return float(slow.mean()) if outline.any() else 1.0


def _finer_by(region: Region) -> float:
    """How many px of the region's grid are one of the coarsest, on which a window's longer side has SIDE."""
    return float(max(region.item.shape)) / SIDE


def _unexplained(sight: Sight) -> float:
    beside = np.ones(sight.whole.shape, np.bool_)
    beside[sight.whole > -2] = False
    if sight.sheet is not None:
        beside &= sight.sheet
    return 1 - float(sight.backdrop.explained[beside].mean()) if beside.any() else 1.0
