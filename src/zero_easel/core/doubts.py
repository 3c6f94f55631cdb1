"""Reasons why a person should look at a cutout, measured on the evidence it was decided by."""

from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.backdrop import Backdrop
from zero_easel.core.colour import Float, Mask
from zero_easel.core.decision import Decision
from zero_easel.core.evidence import chroma, like_shadow, opponent, smooth
from zero_easel.core.outline import Shape
from zero_easel.core.regions import Regions


class Flag(NamedTuple):
    """A reason to look: a stable code and a phrase in plain words."""

    code: str
    text: str


class Finding(NamedTuple):
    """A flag and how far it alone lowers the confidence, 0..1."""

    flag: Flag
    weight: float


def find_doubts(decision: Decision, shape: Shape, regions: Regions, backdrop: Backdrop) -> list[Finding]:
    """All reasons to look at a cutout, the most serious first."""
    item = decision.item
    if not item.any():
        return [Finding(Flag("no-item", "no item found before the backdrop"), 1.0)]
    findings = [
        *_frame(item),
        *_contradicted(decision),
        *_rim(item, regions.sharpness),
        *_gaps(shape),
        *_see_through(item, backdrop),
        *_fine_parts(item),
        *_parts(item),
        *_dark_base(item, backdrop),
        *_backdrop(backdrop),
    ]
    return sorted(findings, key=lambda f: -f.weight)


def confidence_of(findings: list[Finding]) -> float:
    """Confidence 0..1: each finding takes its share, as if they were independent."""
    return round(0.97 * float(np.prod([1 - f.weight for f in findings])), 3)


def _frame(item: Mask) -> list[Finding]:
    sides = {"top": item[0], "bottom": item[-1], "left": item[:, 0], "right": item[:, -1]}
    touched = [name for name, line in sides.items() if line.sum() > 2]
    if not touched:
        return []
    edges = " and the ".join(touched)
    return [Finding(Flag("touches-edge", f"touches the {edges} edge of the photo"), 0.55)]


def _outline(item: Mask) -> Mask:
    return np.asarray(item & ~cv2.erode(item.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.bool_))


def _contradicted(decision: Decision) -> list[Finding]:
    """Area that the outlines alone, or the network alone, would have decided otherwise."""
    # A px along the outline is nobody's mistake.
    core = cv2.erode(decision.contradicted.astype(np.uint8), np.ones((3, 3), np.uint8))
    share = float(core.sum()) / float(decision.item.sum())
    if share < 0.05:
        return []
    area = f"an area of {share:.0%} of the item" if share < 0.6 else "most of the item"
    text = f"two ways of looking differ about {area}"
    return [Finding(Flag("contradicted", text), min(0.9, 0.25 + 1.5 * share))]


def _rim(item: Mask, sharpness: Float) -> list[Finding]:
    near = cv2.dilate(sharpness, np.ones((5, 5), np.uint8))[_outline(item)]
    faint = float((near < 2.0).mean())
    if faint < 0.08:
        return []
    text = f"item and backdrop look alike along {faint:.0%} of the outline"
    return [Finding(Flag("faint-rim", text), min(0.9, 0.4 + 2 * faint))]


def _gaps(shape: Shape) -> list[Finding]:
    if shape.closed < 0.02:
        return []
    text = f"a gap in the outline was closed; {shape.closed:.0%} of the item rests on that"
    return [Finding(Flag("gap-closed", text), min(0.8, 0.5 + shape.closed))]


def _see_through(item: Mask, backdrop: Backdrop) -> list[Finding]:
    """Inside that looks just like the backdrop: clear glass, or white on white."""
    values = opponent(smooth(backdrop.residual, 1.0))
    alike = (np.abs(values[..., 0]) < 0.15) & (chroma(values) < 0.12)
    share = float(alike[item].mean())
    if share < 0.45:
        return []
    text = f"{share:.0%} of the inside looks like the backdrop: glass, or the same colour"
    return [Finding(Flag("inside-alike", text), 0.35 + 0.4 * share)]


def _fine_parts(item: Mask) -> list[Finding]:
    area = float(item.sum())
    thin = cv2.morphologyEx(item.astype(np.uint8), cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
    share = 1 - float(thin.sum()) / area
    if share < 0.25:
        return []
    return [Finding(Flag("fine-parts", "thin parts and openings; look whether all are kept and open"), 0.6)]


def _parts(item: Mask) -> list[Finding]:
    count = cv2.connectedComponents(item.astype(np.uint8))[0] - 1
    if count < 2:
        return []
    return [Finding(Flag("several-parts", f"{count} separate parts kept"), 0.3)]


def _dark_base(item: Mask, backdrop: Backdrop) -> list[Finding]:
    """Neutral, smooth, dark area at the lower rim of a coloured item may be the core of its shadow."""
    shadowy = like_shadow(backdrop) & (opponent(backdrop.residual)[..., 0] < -0.25) & item
    share = float(shadowy.sum()) / float(item.sum())
    if not 0.04 < share < 0.4:
        return []
    labels = cv2.connectedComponents(shadowy.astype(np.uint8))[1]
    below = np.zeros_like(item)
    below[:-2] = item[:-2] & ~item[2:]
    reaching = np.unique(labels[below & shadowy])
    share = float(np.isin(labels, reaching[reaching > 0]).sum()) / float(item.sum())
    if share < 0.04:
        return []
    text = f"the lower {share:.0%} could be dark shadow instead of item"
    return [Finding(Flag("dark-base", text), min(0.8, 0.4 + 2 * share))]


def _backdrop(backdrop: Backdrop) -> list[Finding]:
    share = float(backdrop.explained.mean())
    if share > 0.25:
        return []
    text = f"only {share:.0%} of the photo could be explained as backdrop"
    return [Finding(Flag("unsure-backdrop", text), 0.6)]
