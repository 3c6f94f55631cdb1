"""Reasons why a person should look at a cutout: where, in one plain sentence each, and what was measured."""

from collections.abc import Iterator

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR
from zero_easel.core.clearing.doubt.places import Place, place_of
from zero_easel.core.clearing.doubt.signals import (
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
from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.sight import Sight
from zero_easel.core.items.flag import DOUBTFUL, Flag
from zero_easel.core.light.colour import Mask

NO_ITEM = Flag("no-item", "no item found before the backdrop")
EMPTY_UNUSED = Flag("empty-unused", "the empty frame shows another backdrop and was not used")


def reasons_of(sight: Sight, region: Region, edge: Edge, signals: Signals) -> list[Flag]:
    """What a person should know or look at, the most serious first; of a cutout that is not doubtful, facts alone."""
    facts = [*_parts(region), *([EMPTY_UNUSED] if sight.empty_fits is False else [])]
    if confidence_of(signals) >= DOUBTFUL:
        return facts
    doubts = list(_doubts(sight, region, edge, signals))
    if not any(flag.places for flag in doubts):
        doubts.append(Flag("unsure", "what belongs to it is not clear"))
    measured = f"{signals.unsure:.0%} of the item may be wrong"
    return [doubts[0]._replace(figure="; ".join(filter(None, (doubts[0].figure, measured)))), *doubts[1:], *facts]


def _doubts(sight: Sight, region: Region, edge: Edge, signals: Signals) -> Iterator[Flag]:
    yield from _cut_off(region)
    place = place_of(open_patches(region), region)
    if place is None and signals.alike > 0.4:
        place = place_of(_alike(sight, region), region)
        if place:
            yield Flag("inside-alike", f"{_part(place)} looks like the backdrop: glass, or open?",
                       f"{signals.alike:.0%} of the inside", place.outlines, open=True)  # fmt: skip
    elif place:
        yield Flag("open-patch", f"{_part(place)} could be item or backdrop",
                   f"{place.share:.0%} of it, chances about even", place.outlines, open=True)  # fmt: skip
    if signals.faint > 0.12 and (place := place_of(faint_rim(edge), region, _line(region))):
        yield Flag("faint-rim", f"{_the('rim', place.where)} is lost in the backdrop",
                   f"{signals.faint:.0%} of the rim, less than five times the noise apart", place.outlines)  # fmt: skip
    if signals.soft > 0.12 and (place := place_of(soft_rim(region), region, _line(region))):
        yield Flag("soft-rim", f"{_the('rim', place.where)} is soft: shadow may have been kept there",
                   f"{signals.soft:.0%} of the rim", place.outlines)  # fmt: skip
    if signals.thin > 0.2 and (place := place_of(_unsure_of(thin_parts(region), region), region, _line(region))):
        yield Flag("fine-parts", f"thin parts {_at(place.where)} are faint: are all there, and open between?",
                   f"{signals.thin:.0%} of it is thin", place.outlines)  # fmt: skip
    if signals.large > 0:
        yield Flag("large", "it fills much of the photo: is it the item, and not paper on a table?")


_MUCH = 0.3
"""A place that is a larger share of the item than this is not told by where it lies."""


def _part(place: Place) -> str:
    return "much of it" if place.where == "edge" or place.share > _MUCH else _the("part", place.where)


def _the(noun: str, where: str) -> str:
    if noun == "rim" and where == "middle":  # a little everywhere
        return "the rim in places"
    return f"the {noun} all around" if where == "edge" else f"the {where} {noun}"


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
        yield Flag("touches-edge", f"touches the {' and the '.join(sides)} edge of the photo",
                   places=tuple(outline for place in places if place for outline in place.outlines))  # fmt: skip


def _parts(region: Region) -> Iterator[Flag]:
    count = cv2.connectedComponents(region.item.astype(np.uint8))[0] - 1
    number = {2: "two", 3: "three", 4: "four", 5: "five"}.get(count, str(count))
    if count > 1:
        yield Flag("several-parts", f"{number} separate parts kept")
