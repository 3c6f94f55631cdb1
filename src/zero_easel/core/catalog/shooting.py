"""The order in which photos were taken, and what is missing from it."""

import re
from collections.abc import Sequence
from datetime import datetime
from functools import lru_cache
from heapq import heapify, heappop, heapreplace
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
    rows, loose = _rows(frames)
    told = {placed.at: placed for row in rows for placed in _in_turn(row)}
    return [told.get(at) or Placed(at) for at in _one_row(rows, loose, frames)]


def in_shooting_order(frames: Sequence[Frame]) -> list[int]:
    """Indices of frames in the order in which they were taken."""
    return _one_row(*_rows(frames), frames)


def _rows(frames: Sequence[Frame]) -> tuple[list[list[_Numbered]], list[int]]:
    """The files of each camera in turn, and indices of all others in theirs."""
    groups: dict[tuple[str, int], list[_Numbered]] = {}
    others = []
    for index, (name, taken) in enumerate(frames):
        found = _numbered(name)
        if found:
            key, number, digits, prefix = found
            groups.setdefault(key, []).append(_Numbered(index, number, digits, prefix, taken))
        else:
            others.append(index)
    rows = [_rolled(sorted(groups[key], key=_by_number)) for key in sorted(groups, key=_by_prefix)]
    others.sort(key=lambda i: (frames[i].taken or datetime.max, natural_key(frames[i].name), i))
    return rows, others


@lru_cache(100_000)
def _numbered(name: str) -> tuple[tuple[str, int], int, int, str] | None:
    """What tells a camera, the number, its digits and what stands before it; None if a name ends in no number."""
    found = _NUMBERED.match(stem(name))
    if not found:
        return None
    prefix, digits = found.group(1), len(found.group(2))
    return (prefix.casefold(), digits), int(found.group(2)), digits, prefix


def _by_number(one: _Numbered) -> tuple[int, datetime, int]:
    return one.number, one.taken or datetime.min, one.at


def _by_prefix(key: tuple[str, int]) -> tuple[list[int | str], int]:
    return natural_key(key[0]), key[1]


def _one_row(rows: Sequence[Sequence[_Numbered]], loose: list[int], frames: Sequence[Frame]) -> list[int]:
    """Indices of all frames."""
    every = [[one.at for one in row] for row in rows]
    every += [loose] if loose else []
    if len(every) > 1 and all(frame.taken for frame in frames):
        return _merged(every, frames)
    return [at for row in every for at in row]


def _in_turn(group: Sequence[_Numbered]) -> list[Placed]:
    """One camera's files in turn, with gaps and contradictions."""
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


def _merged(rows: list[list[int]], frames: Sequence[Frame]) -> list[int]:
    """Several cameras' files by capture time, each camera's own order kept."""
    heads = [(frames[row[0]].taken or datetime.max, k) for k, row in enumerate(rows)]
    heapify(heads)
    result, place = [], [0] * len(rows)
    while heads:
        _, k = heads[0]
        result.append(rows[k][place[k]])
        place[k] += 1
        if place[k] < len(rows[k]):
            heapreplace(heads, (frames[rows[k][place[k]]].taken or datetime.max, k))
        else:
            heappop(heads)
    return result
