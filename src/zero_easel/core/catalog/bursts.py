"""Bursts: photos of one thing taken within seconds and nearly alike, of which one counts."""

import math
from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

import numpy as np

_GAP = 1.0
"""Between two photos of a burst at most, by the whole seconds that cameras write (Exif 2.3, DateTimeOriginal): so less
than two. To turn an item and shoot again takes longer. What is missed stands in the list and is seen; another view that
was folded away would be missing, so nothing slower is taken for a burst."""
_MOST = 8
"""Photos of a burst at most: who shoots more in such a row has the item turned by a motor, and wants them all."""
_ALIKE = 11.0
"""Levels by which two looks of a burst may differ (root mean square). The demo's 30 items held by hand, up to 1.5 % of
the frame and half a stop off, differ by 10.6 at most; different views of one product begin at 2.7, so the time that
passed decides, and this only keeps apart what is plainly another picture."""
_SHARPER, _LIGHTER = 1.1, 0.15
"""Edges narrower by this factor are sharper; an exposure better by so many stops is better."""
_WELL = 240.0
"""Level of paper, sRGB, in a photo that is well exposed."""


class Take(NamedTuple):
    """A photo as it was taken. code, view: what it shows, "" where unknown. look: see photos.reading.look_of. blur:
    width of its sharpest edges, px. paper, clipped: see photos.reading.Reading. chosen: a person wants this one.
    apart: it cannot be of a burst: a card, an empty backdrop, a file without a picture."""

    name: str
    taken: datetime | None
    code: str = ""
    view: str = ""
    look: bytes = b""
    blur: float | None = None
    paper: float | None = None
    clipped: float | None = None
    chosen: bool = False
    apart: bool = False


class Folded(NamedTuple):
    """A photo in whose stead another one of its burst counts. best: index of that. why: in words."""

    best: int
    why: str


def folded(takes: Sequence[Take]) -> dict[int, Folded]:
    """Those of a shoot's photos, given in shooting order, that stand behind the best of their burst, by index."""
    found: dict[int, Folded] = {}
    for burst in _bursts(takes):
        best = _best(takes, burst)
        for at in burst:
            if at != best:
                found[at] = Folded(best, _why(takes[best], takes[at]))
    return found


def _bursts(takes: Sequence[Take]) -> list[list[int]]:
    bursts: list[list[int]] = []
    for at, take in enumerate(takes):
        if at and bursts and _goes_on(takes[at - 1], take):
            bursts[-1].append(at)
        else:
            bursts.append([at])
    return [burst for burst in bursts if 1 < len(burst) <= _MOST]


def _goes_on(before: Take, after: Take) -> bool:
    if before.apart or after.apart or (before.code, before.view) != (after.code, after.view):
        return False
    if before.taken is None or after.taken is None or len(before.look) != len(after.look) or not after.look:
        return False
    passed = abs((after.taken - before.taken).total_seconds())
    return passed <= _GAP and _difference(before.look, after.look) <= _ALIKE


def _difference(first: bytes, second: bytes) -> float:
    levels = [np.frombuffer(look, np.uint8).astype(np.float32) for look in (first, second)]
    return float(np.sqrt(np.mean((levels[0] - levels[1]) ** 2)))


def _best(takes: Sequence[Take], burst: Sequence[int]) -> int:
    """The one that a person chose; else of the sharpest the best exposed, and of those alike the first."""
    if wanted := [at for at in burst if takes[at].chosen]:
        return wanted[0]
    narrowest = min((blur for at in burst if (blur := takes[at].blur) is not None), default=None)
    sharp = [at for at in burst if narrowest is None or (takes[at].blur or math.inf) <= _SHARPER * narrowest]
    least = min(_off(takes[at]) for at in sharp)
    return next(at for at in sharp if _off(takes[at]) <= least + _LIGHTER)


def _off(take: Take) -> float:
    """Stops by which a photo is exposed otherwise than well; where much of it is clipped, nobody knows by how many."""
    if take.paper is None:
        return 0.0
    stops = abs(math.log2(_linear(max(take.paper, 1.0)) / _linear(_WELL)))
    return stops + 4 * (take.clipped or 0.0)


def _linear(level: float) -> float:
    share = level / 255
    return share / 12.92 if share <= 0.04045 else float(((share + 0.055) / 1.055) ** 2.4)


def _why(best: Take, other: Take) -> str:
    burst = f"{best.name} of the same burst"
    if best.chosen:
        return f"{burst} was chosen"
    if best.blur is not None and (other.blur is None or other.blur > _SHARPER * best.blur):
        return f"{burst} is sharper"
    if _off(other) > _off(best) + _LIGHTER:
        return f"{burst} is better exposed"
    return f"{burst} is as good"
