"""The order in which photos were taken, and what is missing from it."""

import re
from collections.abc import Sequence
from datetime import datetime
from itertools import pairwise
from typing import NamedTuple

from zero_easel.core.standard.naming import natural_key, stem

_NUMBERED = re.compile(r"(.*?)(\d{3,6})$")
_NEAR_THE_END = 100
"""A counter is taken to have rolled over if its numbers reach this close to both ends and no capture times tell."""


class Frame(NamedTuple):
    """What a camera says of a photo: its file name, and when it was taken."""

    name: str
    taken: datetime | None


class Placed(NamedTuple):
    """A frame in shooting order. at: its index in the list that was given. missing: how many file numbers lie between
    it and the frame before, with first_missing the first of them. earlier: whether its capture time lies before that of
    the frame before it."""

    at: int
    missing: int = 0
    first_missing: str = ""
    earlier: bool = False


class _Numbered(NamedTuple):
    at: int
    number: int
    digits: int
    prefix: str
    taken: datetime | None


def shooting_order(frames: Sequence[Frame]) -> list[Placed]:
    """Frames in the order in which they were taken.

    Camera files are ordered by their numbers, those of each prefix for themselves, across a rollover from 9999 to 0001
    (DCF numbers, JEITA CP-3461); several cameras are merged by capture time if every photo has one. Other files follow,
    by capture time or name.
    """
    groups: dict[tuple[str, int], list[_Numbered]] = {}
    others = []
    for index, frame in enumerate(frames):
        found = _NUMBERED.match(stem(frame.name))
        if found:
            one = _Numbered(index, int(found.group(2)), len(found.group(2)), found.group(1), frame.taken)
            groups.setdefault((one.prefix.casefold(), one.digits), []).append(one)
        else:
            others.append(index)
    rows = [_in_turn(groups[key]) for key in sorted(groups, key=lambda k: (natural_key(k[0]), k[1]))]
    others.sort(key=lambda i: (frames[i].taken or datetime.max, natural_key(frames[i].name), i))
    loose = [Placed(index) for index in others]
    every = [*rows, loose] if loose else rows
    if len(every) > 1 and all(frame.taken for frame in frames):
        return _merged(every, frames)
    return [placed for row in every for placed in row]


def in_shooting_order(frames: Sequence[Frame]) -> list[int]:
    """Indices of frames in the order in which they were taken."""
    return [placed.at for placed in shooting_order(frames)]


def _in_turn(group: list[_Numbered]) -> list[Placed]:
    """One camera's files in turn, with gaps and contradictions."""
    group = _rolled(sorted(group, key=lambda one: (one.number, one.taken or datetime.min, one.at)))
    modulus = 10 ** group[0].digits
    placed = [Placed(group[0].at)]
    zero = any(one.number == 0 for one in group)
    for before, one in pairwise(group):
        step = (one.number - before.number) % modulus
        # A camera counts from 9999 to 0001: there is no file 0000 to miss.
        passed = one.number < before.number and not zero
        missing = max(0, step - 1 - passed)
        first = (before.number + 1) % modulus or (0 if zero else 1)
        name = f"{one.prefix}{first:0{one.digits}}" if missing else ""
        earlier = bool(before.taken and one.taken and one.taken < before.taken)
        placed.append(Placed(one.at, missing, name, earlier))
    return placed


def _rolled(group: list[_Numbered]) -> list[_Numbered]:
    """The files of one counter, sorted by number, begun where it began: behind the widest gap if it rolled over."""
    numbers = [one.number for one in group]
    gaps = [after - before for before, after in pairwise(numbers)]
    if not gaps or max(gaps) < 2:
        return group
    at = gaps.index(max(gaps)) + 1
    turned = group[at:] + group[:at]
    if all(one.taken for one in group):
        return min(group, turned, key=_steps_back)
    last = 10 ** group[0].digits - 1
    near = numbers[0] <= _NEAR_THE_END and numbers[-1] >= last - _NEAR_THE_END
    return turned if near else group


def _steps_back(group: list[_Numbered]) -> int:
    times = [one.taken for one in group if one.taken]
    return sum(after < before for before, after in pairwise(times))


def _merged(rows: list[list[Placed]], frames: Sequence[Frame]) -> list[Placed]:
    """Several cameras' files by capture time, each camera's own order kept."""
    result: list[Placed] = []
    place = [0] * len(rows)
    while any(i < len(row) for i, row in zip(place, rows, strict=True)):
        going = [(k, row[i].at) for k, (i, row) in enumerate(zip(place, rows, strict=True)) if i < len(row)]
        heads = [(frames[at].taken or datetime.max, k) for k, at in going]
        _, k = min(heads)
        result.append(rows[k][place[k]])
        place[k] += 1
    return result
