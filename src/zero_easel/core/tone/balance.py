"""White and exposure from what is known: the backdrop is in each photo, and meant to be neutral.

What is measured is the bare backdrop's light at the item's place, as it was fitted through the photo from all that is
neither item nor shadow. It is taken for the colour of the light that fell on the item: the item itself has no say.
"""

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.tone.difference import TO_XYZ, WHITE, delta_e, lab_of
from zero_easel.core.tone.toning import Nine, Tone, saturated

Colour = tuple[float, float, float]
"""Linear sRGB, 1 is white."""

_CONES = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
"""XYZ to the cones' responses in which adaptation is a gain: Bradford (Lam 1985; ICC.1:2010, annex E)."""
_LEAST = 0.02
"""Colour below which a backdrop tells nothing of its colour."""
_OFF_LOCUS = 0.035
"""Distance in CIE 1960 u, v from the colours of daylight and lamps beyond which a backdrop is coloured paper."""
_APART = 6.0
"""Delta E 2000 from the shoot's middle backdrop at which a photo is named."""


class Amounts(NamedTuple):
    """What is asked for. white: the backdrop becomes neutral. kelvin, tint: so does light of that temperature, as far
    off the locus, in thousandths of CIE 1960 v, as it is greener; 0 K for no such light. exposure: backdrops come to
    one light: level, 0..1, or the row's middle if that is 0. together: one matrix for the row, from its middle
    backdrop. brightness: stops. warmth: mired by which white becomes warmer. saturation: factor on the distance from
    grey."""

    white: bool = False
    kelvin: float = 0.0
    tint: float = 0.0
    exposure: bool = False
    level: float = 0.0
    together: bool = False
    brightness: float = 0.0
    warmth: float = 0.0
    saturation: float = 1.0

    @property
    def by_backdrop(self) -> bool:
        """Whether the backdrop has to be known."""
        return self.white or self.exposure

    @property
    def by_row(self) -> bool:
        """Whether the others of the row count."""
        return self.by_backdrop and (self.together or (self.exposure and not self.level))


class Known(NamedTuple):
    """What is known of the light in one photo. backdrop: light of the bare backdrop at its item, None if unknown.
    by_hand: a person said so, whatever its colour. as_shot: linear sRGB of the light that a raw file's camera balanced
    away; others are taken to be balanced to 6504 K. target: what brings its colours to those of a colour target."""

    backdrop: Colour | None = None
    by_hand: bool = False
    as_shot: Colour | None = None
    target: Nine | None = None

    def first(self, asked: Amounts) -> NDArray[np.float64] | None:
        """(3, 3) that is known without a backdrop."""
        if self.target is not None:
            return np.reshape(self.target, (3, 3))
        return _of_light(asked.kelvin, asked.tint, self.as_shot) if asked.kelvin else None


class Balance(NamedTuple):
    """The tone of one photo, and what there is to say of it, "" for nothing."""

    tone: Tone = Tone()
    note: str = ""


def is_lamp_or_daylight(light: Colour) -> bool:
    """Whether a colour can be white paper under some lamp, flash or sky: near the Planckian locus, 1700 to 25000 K."""
    return bool(np.hypot(*(chromaticity(light) - _LOCUS).T).min() <= _OFF_LOCUS)


def kelvin_of(light: Colour) -> int:
    """The colour temperature on the Planckian locus that is nearest to a colour, to 10 K (CIE 15: in u, v of 1960)."""
    return int(round(_KELVINS[int(np.hypot(*(chromaticity(light) - _LOCUS).T).argmin())], -1))


def lamp_with(light: NDArray[np.floating[Any]], one: int, other: int) -> NDArray[np.float64]:
    """(3,) linear sRGB of the lamp or daylight in which two channels stand to each other as in a light, as bright in
    the first of them: what a clipped third one was."""
    lamps = np.stack([_light_of(uv) for uv in _LOCUS])
    ratios = np.log(np.maximum(lamps[:, other], 1e-4) / np.maximum(lamps[:, one], 1e-4))
    nearest = lamps[np.abs(ratios - np.log(light[other] / light[one])).argmin()]
    return np.asarray(np.maximum(nearest, 0) * (light[one] / nearest[one]))


def to_neutral(light: Colour) -> NDArray[np.float64]:
    """(3, 3) on linear sRGB by which a colour becomes a grey of the same luminance."""
    return _adapted(np.asarray(light))


def _adapted(light: NDArray[np.float64]) -> NDArray[np.float64]:
    cones = _CONES @ (TO_XYZ @ light)
    white = _CONES @ WHITE
    luminance = float(TO_XYZ[1] @ light)
    gains = np.diag(luminance * white / np.maximum(cones, 1e-6))
    to_cones = _CONES @ TO_XYZ
    return np.asarray(np.linalg.inv(to_cones) @ gains @ to_cones)


def balances(row: Sequence[Known], asked: Amounts) -> list[Balance]:
    """One for each photo of a row.

    A backdrop that no lamp could make of white paper is left as it is, and named; so is a photo whose backdrop is far
    from the row's, where one matrix is for all, and one that lacks the colour target that others follow. A target says
    how colours are seen, and each backdrop still what is white.
    """
    fixed, firsts = _by_hand(asked), [known.first(asked) for known in row]
    lights = [_after(known, first) for known, first in zip(row, firsts, strict=True)]
    middle = middle_of([light for light in lights if light is not None])
    targets = any(known.target for known in row)
    found = []
    for known, first, light in zip(row, firsts, lights, strict=True):
        notes = ["it follows no colour target, unlike others"] if targets and not known.target else []
        matrix = np.eye(3) if first is None else first
        if asked.by_backdrop:
            if light is None or middle is None:
                notes.append(_why_not(known.backdrop))
            else:
                notes += _apart(light, middle) if asked.together else []
                matrix = _matrix(middle if asked.together else light, middle, asked, first)
        found.append(Balance(Tone.of(fixed @ matrix), "; ".join(notes)))
    return found


def _after(known: Known, first: NDArray[np.float64] | None) -> Colour | None:
    """The backdrop's light after what is known without it, None where it tells nothing."""
    if known.backdrop is None or not _tells(known.backdrop, known.by_hand):
        return None
    if first is None:
        return known.backdrop
    red, green, blue = (float(v) for v in np.maximum(first @ np.asarray(known.backdrop), 1e-5))
    return red, green, blue


def _apart(light: Colour, middle: Colour) -> list[str]:
    apart = float(delta_e(lab_of(np.asarray(light)), lab_of(np.asarray(middle))))
    return [f"its backdrop is {apart:.0f} Delta E from the shoot's"] if apart > _APART else []


def _of_light(kelvin: float, tint: float, as_shot: Colour | None) -> NDArray[np.float64]:
    """(3, 3) by which light of a temperature becomes neutral; it was seen by a camera that balanced its own away."""
    near = _planckian(np.array([kelvin * 0.99, kelvin, kelvin * 1.01]))
    along = near[0] - near[2]
    off = np.array([-along[1], along[0]]) / np.hypot(*along)
    light = _light_of(near[1] + tint / 1000 * off * np.sign(off[1]))
    seen = _adapted(_light_of(_planckian(np.array([6504.0]))[0])) @ light
    if as_shot is not None:
        seen = _adapted(np.asarray(as_shot)) @ seen
    return _adapted(seen)


def _by_hand(asked: Amounts) -> NDArray[np.float64]:
    """(3, 3): the amounts that no measurement decides."""
    matrix = saturated(asked.saturation) * 2.0**asked.brightness
    return np.asarray(matrix @ warmed(asked.warmth) if asked.warmth else matrix)


def warmed(mired: float) -> NDArray[np.float64]:
    """(3, 3) on linear sRGB by which white takes the colour of light that is so many mired warmer than 6504 K, at the
    same luminance."""
    u, v = _planckian(np.array([1e6 / (1e6 / 6504 + mired), 6504.0]))
    return np.asarray(np.linalg.inv(_adapted(_light_of(u))) @ _adapted(_light_of(v)))


def _light_of(uv: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear sRGB of luminance 1 of a colour in CIE 1960 u, v."""
    x, y = 3 * uv[0] / (2 * uv[0] - 8 * uv[1] + 4), 2 * uv[1] / (2 * uv[0] - 8 * uv[1] + 4)
    return np.asarray(np.linalg.solve(TO_XYZ, np.array([x / y, 1.0, (1 - x - y) / y])))


def _matrix(light: Colour, middle: Colour, asked: Amounts, first: NDArray[np.float64] | None) -> NDArray[np.float64]:
    matrix = np.eye(3) if first is None else first
    if asked.white:
        matrix = to_neutral(light) @ matrix
    if asked.exposure:
        matrix = matrix * ((asked.level or luminance(middle)) / max(luminance(light), _LEAST))
    return matrix


def _tells(light: Colour | None, by_hand: bool) -> bool:
    if light is None or luminance(light) < _LEAST or min(light) <= 0:
        return False
    return by_hand or is_lamp_or_daylight(light)


def _why_not(light: Colour | None) -> str:
    if light is None:
        return "its light was left as it is: no backdrop is known"
    return "its light was left as it is: " + (
        "the backdrop is too dark" if luminance(light) < _LEAST else "the backdrop is coloured"
    )


def luminance(light: Sequence[float] | NDArray[np.floating[Any]]) -> float:
    """Of linear sRGB, where white is 1."""
    return float(TO_XYZ[1] @ np.asarray(light))


def middle_of(lights: Sequence[Colour]) -> Colour | None:
    """The robust middle of a row: the median of each channel's logarithm; None of nothing."""
    if not lights:
        return None
    red, green, blue = (float(v) for v in np.exp(np.median(np.log(np.maximum(lights, 1e-5)), 0)))
    return red, green, blue


def chromaticity(light: Sequence[float] | NDArray[np.floating[Any]]) -> NDArray[np.float64]:
    """(2,): CIE 1960 u, v of linear sRGB."""
    x, y, z = TO_XYZ @ np.asarray(light)
    return np.asarray(np.array([4 * x, 6 * y]) / max(x + 15 * y + 3 * z, 1e-9))


def _planckian(kelvin: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n, 2) CIE 1960 u, v of a black body (Krystek, Color Res. Appl. 10(1), 1985)."""
    t = kelvin
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t**2) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t**2)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t**2) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t**2)
    return np.stack([u, v], -1)


_KELVINS = 1e6 / np.linspace(1e6 / 25000, 1e6 / 1700, 200)
_LOCUS = _planckian(_KELVINS)
