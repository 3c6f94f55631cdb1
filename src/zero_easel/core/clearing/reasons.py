"""Reasons why a person should look at a cutout: where, in one plain sentence each, and what was measured."""

from collections.abc import Iterator

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR
from zero_easel.core.clearing.doubts import (
    Signals,
    alike_of,
    confidence_of,
    cut_sides,
    faint_rim,
    finer_by,
    open_patches,
    soft_rim,
    thin_parts,
)
from zero_easel.core.clearing.evidence import opponent
from zero_easel.core.clearing.matte import Edge
from zero_easel.core.clearing.places import place_of
from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.sight import Sight
from zero_easel.core.items.flag import DOUBTFUL, Flag
from zero_easel.core.light.colour import Mask

NO_ITEM = Flag("no-item", "No item was found before the backdrop")
EMPTY_UNUSED = Flag("empty-unused", "The empty frame shows another backdrop and was not used")


def reasons_of(sight: Sight, region: Region, edge: Edge, signals: Signals) -> list[Flag]:
    """What a person should know or look at, the most serious first; of a cutout that is not doubtful, facts alone."""
    facts = [*_parts(region), *([EMPTY_UNUSED] if sight.empty_fits is False else [])]
    if confidence_of(signals) >= DOUBTFUL:
        return facts
    return [*_doubts(sight, region, edge, signals), *facts]


def _doubts(sight: Sight, region: Region, edge: Edge, signals: Signals) -> Iterator[Flag]:
    yield from _cut_off(region)
    even = open_patches(region)
    if place := place_of(even, region):
        yield Flag("open-patch", f"{_the('part', place.where)} could be item or backdrop",
                   f"{place.share:.0%} of it, chances about even", place.outlines, open=True)  # fmt: skip
    if signals.faint > 0.12 and (place := place_of(faint_rim(edge), region, _line(region))):
        yield Flag("faint-rim", f"{_the('rim', place.where)} is lost in the backdrop",
                   f"{signals.faint:.0%} of the rim, less than five times the noise apart", place.outlines)  # fmt: skip
    if signals.soft > 0.12 and (place := place_of(soft_rim(region), region, _line(region))):
        yield Flag("soft-rim", f"{_the('rim', place.where)} is soft: shadow may have been kept there",
                   f"{signals.soft:.0%} of the rim", place.outlines)  # fmt: skip
    if signals.thin > 0.2 and (place := place_of(_unsure_of(thin_parts(region), region), region, _line(region))):
        yield Flag("fine-parts", f"Thin parts {_at(place.where)} are faint: are all there, and open between?",
                   f"{signals.thin:.0%} of it is thin", place.outlines)  # fmt: skip
    if signals.alike > 0.4 and (place := place_of(_alike(sight, region), region)):
        yield Flag("inside-alike", f"{_the('part', place.where)} looks like the backdrop: glass, or open?",
                   f"{signals.alike:.0%} of the inside", place.outlines, open=True)  # fmt: skip
    if signals.large > 0:
        yield Flag("large", "It fills much of the photo: is it the item, and not paper on a table?")
    if signals.unsure > 0.06:
        yield Flag("unsure", "What belongs to it is not clear", f"{signals.unsure:.0%} of it may be wrong")


def _the(noun: str, where: str) -> str:
    """"The lower left rim"."""
    return "The rim all around" if where == "edge" else f"The {where} {noun}"


def _at(where: str) -> str:
    return {"edge": "all around", "middle": "in the middle", "top": "at the top", "bottom": "at the bottom"}.get(
        where, f"at the {where}"
    )


def _line(region: Region) -> int:
    """How far from a rim its mark is drawn, px of the grid."""
    return round(2 * finer_by(region)) + 1


def _unsure_of(part: Mask, region: Region) -> Mask:
    return part & (region.odds < 3)


def _alike(sight: Sight, region: Region) -> Mask:
    linear, field = sight.seen(region.window)
    alike = region.item & alike_of(opponent(np.log((linear + FLOOR) / (field + FLOOR))))
    return np.asarray(cv2.morphologyEx(alike.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0)


def _cut_off(region: Region) -> Iterator[Flag]:
    sides = cut_sides(region)
    if sides:
        places = [place_of(mask, region, 2) for mask in sides.values()]
        yield Flag("touches-edge", f"It touches the {' and the '.join(sides)} edge of the photo",
                   places=tuple(outline for place in places if place for outline in place.outlines))  # fmt: skip


def _parts(region: Region) -> Iterator[Flag]:
    count = cv2.connectedComponents(region.item.astype(np.uint8))[0] - 1
    number = {2: "Two", 3: "Three", 4: "Four", 5: "Five"}.get(count, str(count))
    if count > 1:
        yield Flag("several-parts", f"{number} separate parts were kept")
