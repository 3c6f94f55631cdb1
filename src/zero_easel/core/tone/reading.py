"""What is measured of light and colour in one cut-out photo, for people to read."""

from typing import NamedTuple

import numpy as np

from zero_easel.core.items.item import CutItem
from zero_easel.core.items.measure import mean_light
from zero_easel.core.light.colour import Float
from zero_easel.core.tone.balance import Colour, is_lamp_or_daylight, kelvin_of
from zero_easel.core.tone.colour_words import described
from zero_easel.core.tone.difference import lab_of


class ToneReading(NamedTuple):
    """backdrop: linear sRGB at the item, None if it is not known; backdrop_lab: the same in CIE L*a*b*. kelvin: nearest
    colour temperature of the light, for a camera balanced to 6504 K, None for coloured paper. item_lab: of the item's
    mean light. clipped, blocked: shares of the item. as_shot_kelvin: temperature of the light that a raw file's camera
    balanced away. noise: standard deviation of the square root of light on the bare backdrop, None if it cannot be
    told. vignette: log light that the photo's corner has less than its middle. colours: the item's main ones in words,
    each with its share."""

    backdrop: Colour | None
    backdrop_lab: tuple[float, ...] | None
    kelvin: int | None
    item_lab: tuple[float, ...] | None
    clipped: float
    blocked: float
    as_shot_kelvin: int | None = None
    noise: float | None = None
    vignette: float = 0.0
    colours: tuple[tuple[str, float], ...] = ()


def tone_of(item: CutItem) -> ToneReading:
    """Read a cutout."""
    if item.measures is None:
        return ToneReading(None, None, None, None, 0.0, 0.0)
    measures, light = item.measures, item.measures.backdrop
    kelvin = kelvin_of(light) if light and min(light) > 0 and is_lamp_or_daylight(light) else None
    return ToneReading(
        light,
        _rounded(lab_of(np.asarray(light))) if light else None,
        kelvin,
        _rounded(lab_of(np.asarray(mean_light(item.pixels, item.space)))),
        measures.clipped,
        measures.blocked,
        kelvin_of(measures.as_shot) if measures.as_shot else None,
        measures.noise[0][0] if measures.noise else None,
        measures.vignette,
        tuple((described(lab_of(np.asarray(one[:3])).tolist()), one[3]) for one in measures.colours),
    )


def _rounded(lab: Float) -> tuple[float, ...]:
    return tuple(round(float(v), 1) for v in lab)
