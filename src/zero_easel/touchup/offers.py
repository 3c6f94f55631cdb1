"""What a correction would do to the other doubtful photos of its shoot: worked out when asked, drawn on none."""

import threading
from dataclasses import dataclass, field

import numpy as np
from cachetools import LRUCache

from zero_easel.core.clearing.lesson import lesson_of, marks_by
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.finishing.encode import encode_tile
from zero_easel.touchup.open_photos import OpenPhoto

_KEPT = 100
_SURER = 0.1
"""By how much another photo's confidence must rise, so that the person's look at it is worth while."""


@dataclass(frozen=True)
class Offer:
    """Marks for another photo, and what it would look like: PNG of its item before and after, the same part of it."""

    marks: tuple[Mark, ...]
    before: bytes
    after: bytes


def offer_of(right: OpenPhoto, drawn: tuple[Mark, ...], other: OpenPhoto, marks: tuple[Mark, ...]) -> Offer | None:
    """What one photo with its marks offers another one with its own; None if that would hardly get surer."""
    taught, before = right.seen(drawn), other.seen(marks)
    new = tuple(marks_by(lesson_of(taught.sight, taught.edge.region), before.sight, before.edge.region))
    if not new:
        return None
    if other.seen((*marks, *new)).confidence < before.confidence + _SURER:
        return None
    items = [other.small_item(drawn) for drawn in (marks, (*marks, *new))]
    covered = np.max([item[..., 3] > 0 for item in items], 0)
    rows, columns = np.flatnonzero(covered.any(1)), np.flatnonzero(covered.any(0))
    part = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    return Offer(new, *(encode_tile(np.ascontiguousarray(item[part])) for item in items))


@dataclass
class Offers:
    """The offers that were made last, by the keys of both cutouts, which name photos and marks."""

    _made: LRUCache[tuple[str, str], Offer | None] = field(default_factory=lambda: LRUCache(_KEPT))
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def get(self, keys: tuple[str, str]) -> Offer | None:
        """The offer made under these keys, if there was one and it is still held."""
        with self._lock:
            return self._made.get(keys)

    def keep(self, keys: tuple[str, str], offer: Offer | None) -> Offer | None:
        """Hold an offer; returns it."""
        with self._lock:
            self._made[keys] = offer
        return offer
