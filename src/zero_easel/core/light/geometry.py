"""Sizes, boxes, windows, and affine maps of the plane, composed before any pixel is touched.

One order of axes everywhere: first across, then down, from the upper left corner. A pixel's own area runs from x to
x + 1. NumPy's arrays alone are (height, width).
"""

import math
from typing import Any, NamedTuple, Self

import numpy as np
from numpy.typing import NDArray


class Size(NamedTuple):
    """Width and height, px."""

    width: int
    height: int

    @classmethod
    def of(cls, pixels: NDArray[Any]) -> Self:
        """The size of (height, width, ...) pixels."""
        return cls(pixels.shape[1], pixels.shape[0])

    @property
    def longest(self) -> int:
        """px of the longer side."""
        return max(self)


class Box(NamedTuple):
    """A part of a picture or canvas in px: whole ones, with right and bottom just outside, or to a fraction."""

    left: float
    top: float
    right: float
    bottom: float

    @property
    def width(self) -> float:
        """px"""
        return self.right - self.left

    @property
    def height(self) -> float:
        """px"""
        return self.bottom - self.top

    @property
    def part(self) -> tuple[slice, slice]:
        """The same as rows and columns of an array; for boxes of whole px."""
        return slice(int(self.top), int(self.bottom)), slice(int(self.left), int(self.right))

    def moved(self, dx: float, dy: float) -> "Box":
        """The same box elsewhere."""
        return Box(self.left + dx, self.top + dy, self.right + dx, self.bottom + dy)


class Window(NamedTuple):
    """The part of the frame that is looked at, as fractions of the frame's width and height."""

    left: float = 0.0
    top: float = 0.0
    right: float = 1.0
    bottom: float = 1.0


class Map(NamedTuple):
    """x' = a x + c y + e, y' = b x + d y + f: the six numbers and their order are those of CSS's matrix().

    Points are in px from the upper left corner, y downwards; a pixel's own area runs from x to x + 1.
    """

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    e: float = 0.0
    f: float = 0.0

    @classmethod
    def moved(cls, dx: float, dy: float) -> Self:
        """A shift."""
        return cls(e=dx, f=dy)

    @classmethod
    def scaled(cls, across: float, down: float) -> Self:
        """Other scales across and down, about the origin."""
        return cls(a=across, d=down)

    @classmethod
    def turned(cls, degrees: float, x: float = 0.0, y: float = 0.0) -> Self:
        """A turn about x, y, clockwise as one sees the picture."""
        radians = math.radians(degrees)
        cos, sin = math.cos(radians), math.sin(radians)
        return cls(cos, sin, -sin, cos, x - cos * x + sin * y, y - sin * x - cos * y)

    def then(self, after: "Map") -> "Map":
        """This map, and another one after it, as one."""
        return Map(
            after.a * self.a + after.c * self.b,
            after.b * self.a + after.d * self.b,
            after.a * self.c + after.c * self.d,
            after.b * self.c + after.d * self.d,
            after.a * self.e + after.c * self.f + after.e,
            after.b * self.e + after.d * self.f + after.f,
        )

    def inverse(self) -> "Map":
        """The way back. Raises ZeroDivisionError if the map flattens the plane."""
        size = self.a * self.d - self.b * self.c
        a, b, c, d = self.d / size, -self.b / size, -self.c / size, self.a / size
        return Map(a, b, c, d, -(a * self.e + c * self.f), -(b * self.e + d * self.f))

    def apply(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n, 2) -> (n, 2)."""
        return np.asarray(points @ np.array([[self.a, self.b], [self.c, self.d]]) + (self.e, self.f))

    @property
    def scale(self) -> float:
        """How many times larger areas become, as a length."""
        return math.sqrt(abs(self.a * self.d - self.b * self.c))

    @property
    def level(self) -> bool:
        """Whether rows stay rows and columns stay columns."""
        return self.b == 0 and self.c == 0
