"""Boxes around things in a tree of boxes, so that what meets or lies near is found without looking at all of them.

Things are sorted along a curve that fills space (Morton 1966) and boxed in pairs, pairs of pairs and so on; a search
goes down all levels at once, as arrays (bounding volume hierarchies: Ericson 2005, chapter 6).
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers

BITS = 10  # of each coordinate in the curve: a thousand steps along each axis


class BoxTree:
    """A tree over axis-aligned boxes. low, high: (n, 3) mm."""

    def __init__(self, low: Floats, high: Floats) -> None:
        self.order = _along_curve(0.5 * (low + high))
        self._levels = [(low[self.order], high[self.order])]
        while len(self._levels[-1][0]) > 1:
            below_low, below_high = self._levels[-1]
            starts = np.arange(0, len(below_low), 2)
            self._levels.append((np.minimum.reduceat(below_low, starts), np.maximum.reduceat(below_high, starts)))

    def meeting(self, other: BoxTree, reach: float = 0.0) -> tuple[Integers, Integers]:
        """Pairs of one's and the other's things whose boxes are at most so far apart along every axis: (k,), (k,)."""
        if len(self.order) == 0 or len(other.order) == 0:
            return self.order[:0], other.order[:0]
        mine = its = np.zeros(1, dtype=np.int64)
        level, its_level = len(self._levels) - 1, len(other._levels) - 1
        while True:
            low, high = self._levels[level]
            its_low, its_high = other._levels[its_level]
            for axis in range(3):
                # Axis by axis: what is apart along one is not looked at along the next.
                meets = low[mine, axis] <= its_high[its, axis] + reach
                meets &= high[mine, axis] >= its_low[its, axis] - reach
                mine, its = mine[meets], its[meets]
            if (level == 0 and its_level == 0) or len(mine) == 0:
                return self.order[mine], other.order[its]
            # The larger tree goes down first, so that both boxes are of one size.
            if level >= its_level:
                level -= 1
                mine, kept = _children(mine, len(self._levels[level][0]))
                its = its[kept]
            else:
                its_level -= 1
                its, kept = _children(its, len(other._levels[its_level][0]))
                mine = mine[kept]

    def within(self, places: Floats, reach: Floats) -> tuple[Integers, Integers]:
        """All pairs of a place and a thing whose box is at most the place's reach away, (p,) mm: (k,), (k,)."""
        place = np.arange(len(places)) if len(self.order) else np.zeros(0, dtype=np.int64)
        node = np.zeros(len(place), dtype=np.int64)
        square = reach * reach
        for level in range(len(self._levels) - 1, -1, -1):
            low, high = self._levels[level]
            left = square[place]
            for axis in range(3):
                at = places[place, axis]
                off = np.maximum(np.maximum(low[node, axis] - at, at - high[node, axis]), 0.0)
                left = left - off * off
                near = left >= 0.0
                place, node, left = place[near], node[near], left[near]
            if level:
                node, kept = _children(node, len(self._levels[level - 1][0]))
                place = place[kept]
        return place, self.order[node]


# Helpers


def _children(nodes: Integers, count: int) -> tuple[Integers, Integers]:
    """The two nodes below each, as far as there are so many, and which node each is of."""
    below = (2 * nodes[:, None] + np.arange(2)).ravel()
    there = below < count
    return below[there], np.repeat(np.arange(len(nodes)), 2)[there]


def _along_curve(places: Floats) -> Integers:
    """The order of places along a curve that fills the box around them."""
    if len(places) == 0:
        return np.zeros(0, dtype=np.int64)
    low = places.min(axis=0)
    extent = max(float((places - low).max()), 1e-300)
    steps = np.minimum(((places - low) / extent * (1 << BITS)).astype(np.int64), (1 << BITS) - 1)
    code = np.zeros(len(places), dtype=np.int64)
    for bit in range(BITS):
        for axis in range(3):
            code |= ((steps[:, axis] >> bit) & 1) << (3 * bit + axis)
    return np.argsort(code, kind="stable")
