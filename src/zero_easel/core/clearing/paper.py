"""Paper that does not fill the frame: where it lies, and what the photo would be if it did.

A rim of table, wall and room is no backdrop to measure against. The paper is then the largest smooth surface, and the
item stands on it; all beyond its outline is painted over with the paper's own continuation, so that the rest of the
reasoning sees the photo that should have been taken.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR, Backdrop, estimate_backdrop, rim
from zero_easel.core.clearing.barrier import spread, step_costs
from zero_easel.core.clearing.evidence import chroma, opponent, strangeness
from zero_easel.core.light.colour import Float, Mask, largest

_CLEAN = 0.95
"""A backdrop that explains more of the frame's rim than this fills the frame."""
_RIM_NOISE = 0.03
"""Noise of log light beyond which it is texture, as of wood, that makes the rim seem explained."""
_SMOOTH = (0.012, 0.03)
"""Steps of log light between neighbours up to which a surface is smooth, to begin with."""
_PART = 0.04
"""Share of the frame that a smooth surface must cover to be worth a fit."""
_SHEET = 0.15
"""Share of the frame within the outline of anything that may be paper."""
_WOOD = 0.05
"""Noise of log light beyond which a surface is rather a table's than paper's."""
_FOUR_SIDED = 0.88
"""Paper that lies within the frame fills so much of the quadrilateral around it, or the other way round."""
_STRANGE = 0.3
"""A smooth part on the paper that is stranger to it than this (see strangeness) is no part of it in shadow."""
_SHADOW = -0.9
"""Log light down to which paper may be in shadow."""
_FIT_SIDE = 128
_ROUNDS = 5
_CUT_OFF = 0.3
"""Parts with so much of their outline along the paper's own are what lies beside the paper."""
_CROSSING = 0.2
"""An item with so much of its outline along the paper's is no item on it."""


@dataclass(frozen=True)
class Paper:
    """backdrop: fitted to the paper alone. sheet: (h, w) bool, the paper's outline with all that stands within it."""

    backdrop: Backdrop
    sheet: Mask

    def alone(self, linear: Float) -> Float:
        """The picture, (h, w, 3) linear light, with all beyond the paper painted over."""
        return np.where(self.sheet[..., None], linear, self.backdrop.field).astype(np.float32)

    def trimmed(self, odds: Float) -> "Paper":
        """The paper less the parts of an opinion, (h, w) log odds of item, that lie along its outline."""
        labels = cv2.connectedComponents((odds > 0).astype(np.uint8))[1]
        rims = np.bincount(labels[_outline(odds > 0)], minlength=1)
        along = np.bincount(labels[(odds > 0) & self._border()], minlength=rims.size) / 3
        beside = along[: rims.size] > _CUT_OFF * np.maximum(rims, 1)
        beside[0] = False
        away = cv2.dilate(beside[labels].astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        return Paper(self.backdrop, self.sheet & ~away)

    def carries(self, odds: Float) -> bool:
        """Whether an opinion about the painted picture shows something that stands on the paper, free of its edges."""
        item = odds > 0
        if not item.any():
            return False
        outline, probability = _outline(item), 1 / (1 + np.exp(-odds))
        along = float((item & self._border()).sum()) / 3
        wrong = float((1 - probability[item]).sum() + probability[~item & self.sheet].sum())
        return along < _CROSSING * float(outline.sum()) and wrong < float(item.sum())

    def _border(self) -> Mask:
        """The three px within the paper's outline; the frame is no outline."""
        inner = cv2.erode(self.sheet.astype(np.uint8), np.ones((7, 7), np.uint8), borderValue=1)
        return np.asarray(self.sheet & (inner == 0))


def fills_frame(backdrop: Backdrop) -> bool:
    """Whether one smooth backdrop goes all around the frame."""
    h, w = backdrop.residual.shape[:2]
    calm = largest(np.abs(cv2.GaussianBlur(backdrop.residual, (0, 0), 1.5))) < 4 * min(backdrop.noise, _RIM_NOISE)
    return float(calm[rim(h, w, max(3, h // 40))].mean()) >= _CLEAN


def find_papers(linear: Float) -> list[Paper]:
    """Smooth surfaces of a reduced picture, (h, w, 3) float32 linear light, that may be paper: the likeliest first."""
    found: list[Paper] = []
    for seed in _smooth_parts(linear):
        _add(found, linear, seed)
    # The item and its shadow may part one paper into several smooth surfaces.
    for paper in tuple(found):
        strange = strangeness(linear, paper.backdrop.field)
        others = [
            other.backdrop.explained
            for other in found
            if other is not paper
            and _lies_on(other.backdrop.explained, paper.sheet)
            and np.median(strange[other.backdrop.explained]) < _STRANGE
        ]
        if others:
            _add(found, linear, np.logical_or.reduce([paper.backdrop.explained, *others]))
    papers = [paper for paper in found if paper.sheet.mean() > _SHEET and _shaped(paper.sheet)]
    return sorted(papers, key=lambda paper: (paper.backdrop.noise > _WOOD, -paper.backdrop.explained.mean()))


def _add(found: list[Paper], linear: Float, seed: Mask) -> None:
    backdrop = estimate_backdrop(linear, seed)
    if backdrop.explained.any() and not any(_same(backdrop, other.backdrop) for other in found):
        sheet = _sheet(linear, backdrop)
        found.append(Paper(_tamed(backdrop, sheet), sheet))


def _lies_on(part: Mask, sheet: Mask) -> bool:
    return float((part & sheet).sum()) > 0.8 * float(part.sum())


def _same(one: Backdrop, other: Backdrop) -> bool:
    both = float((one.explained & other.explained).sum())
    return both > 0.8 * float((one.explained | other.explained).sum())


def _sheet(linear: Float, backdrop: Backdrop) -> Mask:
    """The convex outline of all that is reached from the explained part without a step, shadows included."""
    difference = opponent(np.log((linear + FLOOR) / (backdrop.field + FLOOR)))
    dark = difference[..., 0]
    alike = (dark > _SHADOW) & (dark < 6 * backdrop.noise) & (chroma(difference) < 0.05 + 0.12 * np.abs(dark))
    start = np.where(backdrop.explained, 0, 1e6).astype(np.float32)
    across, down = step_costs(cv2.GaussianBlur(backdrop.residual, (0, 0), 0.8))
    reached = backdrop.explained | (alike & (np.log1p(spread(start, across, down, _ROUNDS)) < 0.5))
    reached = cv2.morphologyEx(reached.astype(np.uint8), cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
    sheet = np.zeros(reached.shape, np.uint8)
    points = cv2.findNonZero(reached | backdrop.explained.astype(np.uint8))
    cv2.fillConvexPoly(sheet, cv2.convexHull(points), 1)
    return np.asarray(cv2.erode(sheet, np.ones((3, 3), np.uint8), borderValue=1) > 0)


def _shaped(sheet: Mask) -> bool:
    """Whether a surface may be paper by its shape: it reaches the frame, or has four sides."""
    h, w = sheet.shape
    if sheet[rim(h, w, 4)].any():
        return True
    outline = cv2.findContours(sheet.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0][0]
    length = cv2.arcLength(outline, True)
    for share in np.linspace(0.01, 0.12, 12):
        corners = cv2.approxPolyDP(outline, share * length, True)
        if len(corners) <= 4:
            quad, own = cv2.contourArea(corners), cv2.contourArea(outline)
            return len(corners) == 4 and min(quad, own) > _FOUR_SIDED * max(quad, own)
    return False


def _tamed(backdrop: Backdrop, sheet: Mask) -> Backdrop:
    """A polynomial runs off where it was not fitted: beyond the paper it takes no value that it has not on it."""
    own = backdrop.field[sheet]
    field = np.clip(backdrop.field, own.min(0), own.max(0))
    residual = backdrop.residual + np.log(backdrop.field + FLOOR) - np.log(field + FLOOR)
    return Backdrop(residual, field, backdrop.explained, backdrop.noise)


def _smooth_parts(linear: Float) -> list[Mask]:
    """Large connected parts without steps, (h, w) bool each."""
    h, w = linear.shape[:2]
    scale = min(1.0, _FIT_SIDE / max(h, w))
    small = cv2.resize(linear, (max(8, round(w * scale)), max(8, round(h * scale))), interpolation=cv2.INTER_AREA)
    log = cv2.GaussianBlur(np.log(small + FLOOR), (0, 0), 0.8)
    across, down = (largest(np.abs(cv2.Sobel(log, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.125))) for dx in (1, 0))
    step = np.hypot(across, down)
    parts = []
    for limit in _SMOOTH:
        calm = cv2.erode((step < limit).astype(np.uint8), np.ones((3, 3), np.uint8))
        labels, facts = cv2.connectedComponentsWithStats(calm, connectivity=4)[1:3]
        sizes = facts[1:, cv2.CC_STAT_AREA] / calm.size
        for k in np.argsort(-sizes)[:3]:
            if sizes[k] >= _PART:
                part = (labels == k + 1).astype(np.uint8)
                parts.append(cv2.resize(part, (w, h), interpolation=cv2.INTER_NEAREST) > 0)
    return parts


def _outline(item: Mask) -> Mask:
    return np.asarray(item & (cv2.erode(item.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0))
