"""Surfaces are decided as wholes: an opinion that changes where the picture does not is put right.

The network weighs each pixel with its surroundings, but on white before white it may take half of a mug for paper.
The line between its two opinions then crosses a smooth surface. A minimum cut (Boykov & Jolly, ICCV 2001) finds the
division that agrees best with all opinions together and runs along edges of the picture, where it costs little. It is
asked only about large parts of which the network itself is not certain: thin parts have much outline and little area,
and would be cut away.
"""

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import breadth_first_order, maximum_flow

from zero_easel.core.light.colour import Float, Mask, channel_sum

_OUTLINE = 80.0
"""What a px of outline costs on a smooth surface, in px that are decided against the network's opinion."""
_STEP = 10.0
"""A change of colour so many times the usual one between neighbours makes an outline cheap."""
_CERTAIN = 4.0
"""Log odds beyond which the network is not contradicted."""
_GIVEN = 2.0
"""Log odds that a contradicted part gets."""
_MOST = 0.15
"""A part may be taken away from the item up to this share of it."""
_WHOLE_NUMBERS = 50
_DISC = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (5, 5))


def jointly(odds: Float, linear: Float) -> Float:
    """(h, w) float32 log odds and the picture they are of, (h, w, 3) linear light -> (h, w) float32 log odds."""
    h, w = odds.shape
    size = (max(1, w // 2), max(1, h // 2))
    less, light = (cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in (odds, linear))
    item = minimum_cut(np.clip(less, -1, 1), *outline_costs(light, less < -2), np.abs(less) >= _CERTAIN)
    result = odds.copy()
    for sign in (1, -1):
        contradicted = (item == (sign > 0)) & (less * sign < 0) & (np.abs(less) < _CERTAIN)
        large = cv2.morphologyEx(contradicted.astype(np.uint8), cv2.MORPH_OPEN, _DISC)
        if sign < 0:
            large = _small_beside(large, _MOST * float((less > 0).sum()))
        where = cv2.resize(large, (w, h), interpolation=cv2.INTER_NEAREST) > 0
        result[where] = np.maximum(sign * result[where], _GIVEN) * sign
    return result


def outline_costs(linear: Float, calm: Mask) -> tuple[Float, Float]:
    """What an outline costs between each pixel and its right, and its lower neighbour, (h, w - 1) and (h - 1, w).

    calm: (h, w) bool, where steps between neighbours are taken for usual ones: an item may be all texture.
    """
    light = cv2.GaussianBlur(np.log(linear + np.float32(0.02)), (0, 0), 0.6)
    steps = [channel_sum(np.abs(np.diff(light, axis=axis))) for axis in (1, 0)]
    beside = (calm[:, 1:], calm[1:])
    usual = max([0.004, *(float(np.median(step[c])) for step, c in zip(steps, beside, strict=True) if c.any())])
    across, down = (_OUTLINE * (np.exp(-step / (_STEP * usual)) + np.float32(0.01)) for step in steps)
    return across, down


def minimum_cut(opinion: Float, across: Float, down: Float, certain: Mask) -> Mask:
    """(h, w) bool, the division of a grid with the least sum of opinions contradicted and outline costs.

    opinion: (h, w), positive for true. across, down: (h, w - 1) and (h - 1, w), the cost of parting neighbours.
    certain: (h, w) bool, where the opinion stands. Only the rest is searched, which is little of most pictures.
    """
    free = ~certain
    count = int(free.sum())
    index = (np.cumsum(free) - 1).reshape(free.shape).astype(np.int32)
    tendency = np.where(free, opinion, 0).astype(np.float32)
    links = []
    for one, other, cost in ((np.s_[:, :-1], np.s_[:, 1:], across), (np.s_[:-1], np.s_[1:], down)):
        linked = free[one] & free[other]
        links.append((index[one][linked], index[other][linked], cost[linked]))
        for a, b in ((one, other), (other, one)):
            tendency[a] += np.where(free[a] & certain[b], np.copysign(cost, opinion[b]), 0)
    first, second, cost = (np.concatenate(part) for part in zip(*links, strict=True))
    item = opinion > 0
    item[free] = _cut(first, second, cost, tendency[free], count)
    return item


def _cut(first: NDArray[np.int32], second: NDArray[np.int32], cost: Float, tendency: Float, count: int) -> Mask:
    """(count,) bool, the minimum cut of a graph. first, second, cost: its links. tendency: (count,), of each node."""
    source, sink = count, count + 1
    true, false = (np.flatnonzero(part).astype(np.int32) for part in (tendency > 0, tendency < 0))
    begin = np.concatenate([first, second, np.full(true.size, source, np.int32), false])
    end = np.concatenate([second, first, true, np.full(false.size, sink, np.int32)])
    room = np.concatenate([cost, cost, tendency[true], -tendency[false]])
    capacity = coo_array((_whole(room), (begin, end)), shape=(count + 2, count + 2)).tocsr()
    left = capacity - maximum_flow(capacity, source, sink).flow
    left.data[left.data < 0] = 0
    left.eliminate_zeros()
    reached = np.zeros(count + 2, np.bool_)
    reached[breadth_first_order(left, source, return_predecessors=False)] = True
    return reached[:count]


def _whole(room: Float) -> NDArray[np.int32]:
    return np.asarray(np.round(room * _WHOLE_NUMBERS), np.int32)


def _small_beside(parts: NDArray[np.uint8], most: float) -> NDArray[np.uint8]:
    """The connected parts of no more than `most` px."""
    labels, facts = cv2.connectedComponentsWithStats(parts, connectivity=4)[1:3]
    keep = facts[:, cv2.CC_STAT_AREA] <= most
    keep[0] = False
    return np.asarray(keep[labels], np.uint8)
