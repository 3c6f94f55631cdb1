"""What is done to the light of a picture: one matrix on linear light and one curve, after the one resampling.

Light adds up, so a matrix commutes with every filter: where it is applied changes no pixel, and on the smaller picture
it costs least.
"""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import LUMA, Float
from zero_easel.core.light.space import Space, between

_IDENTITY = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)


Nine = tuple[float, float, float, float, float, float, float, float, float]
"""A matrix, row by row."""


class Tone(NamedTuple):
    """A matrix on linear sRGB, row by row, as in SVG's feColorMatrix. contrast, shadows: -1 to 1, of the curve that
    each channel goes through behind it, and that leaves black and white where they are."""

    matrix: Nine = _IDENTITY
    contrast: float = 0.0
    shadows: float = 0.0

    @classmethod
    def of(cls, matrix: NDArray[np.float64]) -> "Tone":
        """From (3, 3)."""
        a, b, c, d, e, f, g, h, i = (round(float(v), 6) for v in matrix.ravel())
        return cls((a, b, c, d, e, f, g, h, i))

    @property
    def rows(self) -> NDArray[np.float64]:
        """(3, 3)."""
        return np.asarray(self.matrix).reshape(3, 3)

    @property
    def does_nothing(self) -> bool:
        """Whether it leaves every picture as it is."""
        return self.matrix == _IDENTITY and not self.bends

    @property
    def bends(self) -> bool:
        """Whether there is a curve."""
        return bool(self.contrast or self.shadows)

    @property
    def table(self) -> list[float]:
        """The curve at even steps of linear light from 0 to 1, as in SVG's feFuncR."""
        return [round(float(v), 5) for v in self._curve(np.linspace(0, 1, 129))]

    def within(self, space: Space) -> "Tone":
        """The same on the light of another space."""
        if self.matrix == _IDENTITY or space == "srgb":
            return self
        return self._replace(matrix=Tone.of(between("srgb", space) @ self.rows @ between(space, "srgb")).matrix)

    def on(self, light: list[Float], cover: Float | float = 1.0) -> list[Float]:
        """Three planes of linear light, times alpha where that is given as cover, after the matrix; no light exceeds
        what alpha lets through, and none is below nothing."""
        if self.matrix == _IDENTITY:
            return light
        mixed = [sum(np.float32(k) * plane for k, plane in zip(row, light, strict=True)) for row in self.rows]
        return [np.asarray(np.clip(plane, 0, cover), np.float32) for plane in mixed]

    def curved(self, light: list[Float], cover: Float | float = 1.0) -> list[Float]:
        """The same after the curve."""
        if not self.bends:
            return light
        known = np.linspace(0, 1, 4097, dtype=np.float32) ** 2
        values = self._curve(known)
        weight = np.maximum(cover, np.float32(1e-4))
        return [np.asarray(np.interp(plane / weight, known, values) * weight, np.float32) for plane in light]

    def _curve(self, light: NDArray[np.floating[Any]]) -> NDArray[np.float64]:
        """In the cube root of light, which is near to lightness: a wave about the middle, and a lift that fades."""
        v = np.cbrt(np.clip(light, 0, 1)).astype(np.float64)
        v = v + 0.8 * self.shadows * v * (1 - v) ** 3
        v = v - 0.8 * self.contrast * np.sin(2 * np.pi * v) / (2 * np.pi)
        return np.asarray(v**3)


def saturated(by: float) -> NDArray[np.float64]:
    """(3, 3): so many times as far from the grey of the same light; 0 is grey, 1 changes nothing."""
    return by * np.eye(3) + (1 - by) * np.tile(LUMA.astype(np.float64), (3, 1))
