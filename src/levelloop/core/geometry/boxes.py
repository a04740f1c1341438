"""Boxes around things in a tree of boxes, so that what meets or lies near is found without looking at all of them.

Things are sorted along a curve that fills space (Morton 1966) and boxed in pairs, pairs of pairs and so on; a search
goes down all levels at once, as arrays (bounding volume hierarchies: Ericson 2005, chapter 6).
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers

BITS = 10  # of each coordinate in the curve: a thousand steps along each axis
# Puts two free bits before each bit of a number of ten (Warren 2013, 7-2).
SPREAD = ((16, 0x30000FF), (8, 0x300F00F), (4, 0x30C30C3), (2, 0x9249249))
FEW = 32  # boxes


class BoxTree:
    """A tree over axis-aligned boxes. low, high: (n, 3) mm."""

    def __init__(self, low: Floats, high: Floats) -> None:
        self.order = _along_curve(0.5 * (low + high))
        # Coordinate after coordinate, as they are looked at: (3, n) each.
        self._levels = [(low.T.take(self.order, axis=1), high.T.take(self.order, axis=1))]
        while self._count(-1) > 1:
            below_low, below_high = self._levels[-1]
            # The last of an odd number has a box to itself.
            low, high, pairs = below_low[:, ::2].copy(), below_high[:, ::2].copy(), self._count(-1) // 2
            np.minimum(low[:, :pairs], below_low[:, 1::2], out=low[:, :pairs])
            np.maximum(high[:, :pairs], below_high[:, 1::2], out=high[:, :pairs])
            self._levels.append((low, high))

    def meeting(self, other: BoxTree, reach: float = 0.0) -> tuple[Integers, Integers]:
        """Pairs of one's and the other's things whose boxes are at most so far apart along every axis: (k,), (k,)."""
        if len(self.order) == 0 or len(other.order) == 0:
            return self.order[:0], other.order[:0]
        level, its_level = self._first_level, other._first_level
        count, its_count = self._count(level), other._count(its_level)
        mine, its = np.repeat(np.arange(count), its_count), np.tile(np.arange(its_count), count)
        while True:
            low, high = self._levels[level]
            its_low, its_high = other._levels[its_level]
            for axis in range(3):
                # Axis by axis: what is apart along one is not looked at along the next.
                # The indices are known to be right; "clip" spares the check.
                meets = low[axis].take(mine, mode="clip") <= its_high[axis].take(its, mode="clip") + reach
                meets &= high[axis].take(mine, mode="clip") >= its_low[axis].take(its, mode="clip") - reach
                mine, its = mine[meets], its[meets]
            if (level == 0 and its_level == 0) or len(mine) == 0:
                return self.order[mine], other.order[its]
            # The larger tree goes down first, so that both boxes are of one size.
            if level >= its_level:
                level -= 1
                mine, kept = _children(mine, self._count(level))
                its = its[kept]
            else:
                its_level -= 1
                its, kept = _children(its, other._count(its_level))
                mine = mine[kept]

    @property
    def _first_level(self) -> int:
        """Where a search begins: above it are so few boxes that going through them all is as fast."""
        return next(level for level in range(len(self._levels)) if self._count(level) <= FEW)

    def _count(self, level: int) -> int:
        low, _ = self._levels[level]
        return len(low[0])

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
                off = np.maximum(np.maximum(low[axis, node] - at, at - high[axis, node]), 0.0)
                left = left - off * off
                near = left >= 0.0
                place, node, left = place[near], node[near], left[near]
            if level:
                node, kept = _children(node, self._count(level - 1))
                place = place[kept]
        return place, self.order[node]


# Helpers


def _children(nodes: Integers, count: int) -> tuple[Integers, Integers]:
    """The two nodes below each, as far as there are so many, and which node each is of."""
    below, above = (2 * nodes[:, None] + np.arange(2)).ravel(), np.repeat(np.arange(len(nodes)), 2)
    if count % 2 == 0:
        return below, above
    there = below < count
    return below[there], above[there]


def _along_curve(places: Floats) -> Integers:
    """The order of places along a curve that fills the box around them."""
    if len(places) == 0:
        return np.zeros(0, dtype=np.int64)
    low = places.min(axis=0)
    extent = max(float((places - low).max()), 1e-300)
    steps = np.minimum(((places - low) / extent * (1 << BITS)).astype(np.int64), (1 << BITS) - 1)
    for shift, mask in SPREAD:
        steps = (steps | steps << shift) & mask
    return np.argsort(steps[:, 0] | steps[:, 1] << 1 | steps[:, 2] << 2, kind="stable")
