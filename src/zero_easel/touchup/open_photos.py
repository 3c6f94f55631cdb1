"""Photos that are being corrected: kept decoded in memory, so that a mark shows its effect at once.

A correction needs neither the file again nor the evidence: the photo is looked at once more with the marks in view,
and only what is visible is solved. The cutout at full size is made afterwards, by the same functions, with the other
work.
"""

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np
from cachetools import LRUCache

from zero_easel.core.clearing.cutout import exactly
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.clearing.matte import Edge, edge_of
from zero_easel.core.clearing.region import decide
from zero_easel.core.clearing.sight import Sight, look_again, look_at
from zero_easel.core.finishing.encode import encode_jpeg, encode_tile
from zero_easel.core.light.colour import Encoded
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.photos.decoding import Photo

TILE = 512
"""Side of a tile in px."""
_PHOTOS, _STATES = 2, 6


@dataclass
class OpenPhoto:
    """One photo on the desk, with the edges for its latest marks."""

    photo: Photo
    empties: list[Encoded]
    lock: threading.Lock = field(default_factory=threading.Lock)
    _edges: LRUCache[tuple[Mark, ...], Edge] = field(default_factory=lambda: LRUCache(_STATES))

    @cached_property
    def pyramid(self) -> list[Encoded]:
        """The photo at full size, at half, at a quarter and so on, (h, w, 3) uint8, down to a single tile."""
        pixels = self.photo.pixels
        levels = [pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)]
        while max(levels[-1].shape[:2]) > TILE:
            h, w = levels[-1].shape[:2]
            half = cv2.resize(levels[-1], ((w + 1) // 2, (h + 1) // 2), interpolation=cv2.INTER_AREA)
            levels.append(np.asarray(half, np.uint8))
        return levels

    @cached_property
    def sight(self) -> Sight:
        """What is seen of the photo."""
        return look_at(self.photo.pixels, self.empties)

    def edge(self, marks: tuple[Mark, ...]) -> Edge:
        """The edge with these marks."""
        with self.lock:
            if marks not in self._edges:
                frame = Size.of(self.photo.pixels)
                sight = look_again(self.sight, list(marks), frame)
                self._edges[marks] = edge_of(sight, decide(sight, frame, list(marks)))
            return self._edges[marks]

    def photo_tile(self, level: int, column: int, row: int) -> bytes:
        """JPEG of one tile of the photo. Raises IndexError where there is none."""
        return encode_jpeg(np.ascontiguousarray(self._part(level, column, row)[0]))

    def cutout_tile(self, marks: tuple[Mark, ...], level: int, column: int, row: int) -> bytes:
        """PNG of one tile of the item, transparent around it. Raises IndexError where there is none."""
        pixels, box = self._part(level, column, row)
        return encode_tile(exactly(self.edge(marks).solve(pixels, box), pixels, box, list(marks)))

    def _part(self, level: int, column: int, row: int) -> tuple[Encoded, Box]:
        """Pixels of a tile, and the part of the photo that they show."""
        if not 0 <= level < len(self.pyramid):
            raise IndexError("there is no such level")
        pixels = self.pyramid[level][row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE]
        if min(column, row) < 0 or not pixels.size:
            raise IndexError("there is no such tile")
        height, width = self.photo.pixels.shape[:2]
        left, top, step = column * TILE << level, row * TILE << level, 1 << level
        box = Box(left, top, min(width, left + pixels.shape[1] * step), min(height, top + pixels.shape[0] * step))
        return pixels, box


class OpenPhotos:
    """The photos looked at last. Each is read under a lock of its own: opening one holds up nobody at another."""

    def __init__(self) -> None:
        self._slots: LRUCache[tuple[str, ...], _Slot] = LRUCache(_PHOTOS)
        self._lock = threading.Lock()

    def photo(self, names: tuple[str, ...], read: Callable[[], tuple[Photo, list[Encoded]]]) -> OpenPhoto:
        """The photo of a digest and its empty frames' digests; read() fetches them if they are not there."""
        with self._lock:
            slot = self._slots.setdefault(names, _Slot())
        with slot.lock:
            slot.photo = slot.photo or OpenPhoto(*read())
            return slot.photo


@dataclass
class _Slot:
    """The place of one photo, empty until it is read."""

    lock: threading.Lock = field(default_factory=threading.Lock)
    photo: OpenPhoto | None = None
