"""Colours in words: what a catalog lists against what was measured, and what a measured colour is called.

Words are placed by the colour that they have in CSS (CSS Color Module Level 4) where that knows them, otherwise by what
the trade means by them. A word stands for a region, not for a point.
"""

import re
from collections.abc import Sequence
from functools import cache
from typing import NamedTuple

import numpy as np

from zero_easel.core.light.colour import to_linear
from zero_easel.core.tone.difference import lab_of

Lab = tuple[float, float, float]

_WORDS = {
    "white": "f4f4f2 c8c8c8", "ivory": "f4efdc", "cream": "f0e6c8", "ecru": "d8cdb0", "natural": "cdbfa2 e2dccb",
    "offwhite": "ece8dc", "grey": "808080 b4b4b4 505050", "silver": "b4b6b8 787a7c", "steel": "8c9094 c0c4c8 4c4e52",
    "chrome": "b4b6b8 5a5c5e", "zinc": "8a8f94", "aluminium": "a8aaac", "slate": "5c646c", "graphite": "46484c",
    "anthracite": "37393d", "charcoal": "3c3c40", "black": "141414 34343a", "pink": "e8a8b8", "rose": "d88098",
    "red": "b81c24 7c1418", "crimson": "a01428", "burgundy": "6a1828", "wine": "6a1828", "coral": "f08060",
    "salmon": "f09080", "rust": "a04818", "terracotta": "c06848 9a5038", "brick": "983828", "orange": "f08018 c86414",
    "apricot": "f0b080", "peach": "f4c4a0", "copper": "b87048 6e3c22 e0a888", "bronze": "8c6838", "brass": "b89848",
    "gold": "c8a040", "yellow": "ecd020 c8a818", "mustard": "c09020", "lemon": "ece060", "honey": "c88820",
    "amber": "d08818", "brown": "6c4428 482c1c 94683c", "tan": "c49c70", "beige": "d4c4a4", "sand": "c8b490 a89474",
    "khaki": "a89868", "taupe": "887868", "chocolate": "4c2c1c", "coffee": "58402c", "oak": "b88c58 94683c",
    "beech": "c89c6c a87c50", "cherry": "904c2c 6c3820", "walnut": "604430", "pine": "d0ac78", "bamboo": "d0b078",
    "wood": "b08458 805830", "wooden": "b08458 805830", "cork": "b88c60", "wicker": "b08c58", "jute": "b49868",
    "olive": "707030", "green": "2c7c3c 1c5030 78a848", "lime": "a0c830", "mint": "a8dcbc", "sage": "98a888",
    "emerald": "18785c", "forest": "1c4c30", "bottle": "184830", "teal": "107878", "turquoise": "30b8b0",
    "petrol": "104c5c", "aqua": "70c8c8", "cyan": "20a8c0", "blue": "2854a8 1c3468 6c98c8", "navy": "141c44 242c50",
    "indigo": "2c2c70", "cobalt": "1848a0", "denim": "405c84", "sky": "90c0e4", "azure": "3080d0", "violet": "703c9c",
    "purple": "682c7c", "lilac": "b898cc", "lavender": "b0a4d0", "mauve": "a07890", "magenta": "c02080",
    "plum": "602848", "aubergine": "3c1c34",
}  # fmt: skip
"""Word -> colours that it stands for, sRGB."""
_MODIFIERS = {"light": 18.0, "pale": 24.0, "pastel": 22.0, "bright": 6.0, "dark": -20.0, "deep": -16.0}
"""What a word adds to the lightness of the one behind it."""
_SPELLINGS = {
    "gray": "grey",
    "off-white": "offwhite",
    "anthrazite": "anthracite",
    "silver-grey": "silver",
    "golden": "gold",
}
_HUES = (
    *((25, "red"), (50, "orange-red"), (72, "orange"), (98, "yellow"), (125, "yellow-green"), (170, "green")),
    *((215, "blue-green"), (265, "sky blue"), (300, "blue"), (330, "purple"), (350, "magenta"), (361, "red")),
)
"""Degrees in CIE L*a*b* up to which a hue is called so."""


class ColourNames(NamedTuple):
    """What a catalog's words stand for. words: those that are known. colours: theirs."""

    words: tuple[str, ...]
    colours: tuple[Lab, ...]


@cache
def listed(text: str) -> ColourNames | None:
    """The colours that a text like "navy / light grey rim" names, None if it names none that are known."""
    words, colours, shift = [], [], 0.0
    lowered = text.casefold()
    for spelling, word in _SPELLINGS.items():
        lowered = lowered.replace(spelling, word)
    for part in re.findall(r"[^\W\d_]+", lowered):
        if part in _MODIFIERS:
            shift = _MODIFIERS[part]
            continue
        if part in _WORDS:
            words.append(part)
            colours += [(light + shift, a, b) for light, a, b in _colours_of(part)]
        shift = 0.0
    return ColourNames(tuple(words), tuple(colours)) if words else None


def described(lab: Sequence[float]) -> str:
    """A colour in words, like "dark blue" or "light grey"."""
    light, a, b = (float(v) for v in lab)
    chroma, hue = float(np.hypot(a, b)), float(np.degrees(np.arctan2(b, a)) % 360)
    if light < 16 and chroma < 12:
        return "black"
    if chroma < 7:
        return "white" if light > 90 else f"{_how_light(light)}grey"
    if 30 < hue < 98 and light < 62 and chroma < 55:
        return f"{_how_light(light + 12)}brown"
    if 50 < hue < 105 and light >= 62 and chroma < 36:
        return "cream" if light > 85 else "beige"
    name = next(word for most, word in _HUES if hue < most)
    return ("greyish " if chroma < 16 else "") + _how_light(light) + name


def off(names: ColourNames, colours: Sequence[Sequence[float]]) -> float:
    """How far measured colours, CIE L*a*b*, are from all that a catalog names: the nearest pair counts. Lightness
    weighs half, as it changes with the light on an item, and hue most."""
    pairs = ((one, other) for one in names.colours for other in colours)
    return min(_distance(np.array(one), np.array(other)) for one, other in pairs)


def _distance(one: np.ndarray, other: np.ndarray) -> float:
    chroma = min(np.hypot(*one[1:]), np.hypot(*other[1:]))
    apart = one - other
    return float(np.hypot(0.5 * apart[0], np.hypot(*apart[1:]) / (1 + 0.02 * chroma)))


def _how_light(light: float) -> str:
    return "dark " if light < 35 else "light " if light > 72 else ""


@cache
def _colours_of(word: str) -> tuple[Lab, ...]:
    found = []
    for text in _WORDS[word].split():
        light, a, b = lab_of(to_linear(np.frombuffer(bytes.fromhex(text), np.uint8)))
        found.append((float(light), float(a), float(b)))
    return tuple(found)
