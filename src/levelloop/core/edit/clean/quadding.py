"""A polygon cut along diagonals into quads: the squarest there are, alike on both sides where the polygon is."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, difference
from levelloop.core.geometry.plane_figures import inside, turn_of

CLEAR = 0.05  # of a right angle: corners nearer to straight or to folded make slivers
LARGEST = 24  # corners up to which every way to cut is compared
SAME_SHAPE = 1e-6  # of the polygon's size; sides that differ by less are alike
_TRIANGLE, _LEFT = 1e3, 1e6  # what a triangle costs, and a corner of what is left uncut; quads cost 0 to 1


def quads_of(places: Floats) -> list[Integers]:
    """The pieces that a plain polygon (n, 2), counter-clockwise, is cut into, by its corners.

    As few corners as can be are left in pieces of more than four, then as few triangles, then the squarest. Every
    piece that is cut off is convex. A polygon that is its own image in a line is cut into such pieces, where that
    costs no triangle more. The best of all ways, by intervals (Gilbert 1979; Klincsek 1980).
    """
    if len(places) > LARGEST:
        return _one_by_one(places)
    ways = _Ways(places)
    return [np.array(piece) for piece in ways.best()]


def corner_quality(corners: Floats) -> Floats:
    """1 for right angles, 0 for straight or folded corners, below 0 for reflex ones: (q, c, 2) → (q,)."""
    ahead, behind = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    turn = ahead[..., 0] * behind[..., 1] - ahead[..., 1] * behind[..., 0]
    dot = (ahead * behind).sum(axis=2)
    return np.asarray(1.0 - np.abs(np.arctan2(turn, dot) - np.pi / 2).max(axis=1) / (np.pi / 2))


# Helpers


class _Ways:
    """The least cost of each stretch of corners, from one to another and back along the diagonal between."""

    def __init__(self, places: Floats) -> None:
        self.places, self.count = places, len(places)
        count = self.count
        self.sees = _diagonals(places)
        # cost[i, m]: the stretch of m edges from corner i. way: 0 left as it is, else a · count + b.
        self.cost = np.zeros((count, count))
        self.way = np.zeros((count, count), dtype=np.int64)
        self._halves: dict[tuple[int, int], tuple[float, list[list[int]]]] = {}
        for size in range(2, count):
            self._fill(size)

    def best(self) -> list[list[int]]:
        """The pieces of the cheapest way, alike on both sides where that costs no more triangles."""
        plain, pieces = float(self.cost[0, self.count - 1]), self._pieces(0, self.count - 1)
        for axis in self._axes():
            cost, found = self._alike(axis)
            if cost // _TRIANGLE <= plain // _TRIANGLE:
                return found
        return pieces

    def _fill(self, size: int) -> None:
        count, start = self.count, np.arange(self.count)[:, None]
        least, chosen = np.full(count, np.inf), np.zeros(count, dtype=np.int64)
        inner = np.arange(1, size)
        a, b = (inner[pair] for pair in np.triu_indices(size - 1, 1))
        # Quads over the stretch's end, then triangles.
        for one, other, extra in ((a, b, 0.0), (inner, np.full(size - 1, size), _TRIANGLE)):
            if not len(one):
                continue
            first, second, last = (start + one) % count, (start + other) % count, (start + size) % count
            cost = self.cost[start, one] + self.cost[first, other - one] + self.cost[second, size - other] + extra
            fits = self.sees[start, first] & self.sees[first, second]
            if extra:
                seats = self.places[np.stack(np.broadcast_arrays(start, first, second), axis=-1)]
                quality = _triangle_quality(seats.reshape(-1, 3, 2)).reshape(first.shape)
            else:
                fits &= self.sees[second, last]
                seats = self.places[np.stack(np.broadcast_arrays(start, first, second, last), axis=-1)]
                quality = corner_quality(seats.reshape(-1, 4, 2)).reshape(first.shape)
            cost = np.where(fits & (quality > CLEAR), cost + 1.0 - quality, np.inf)
            best = cost.argmin(axis=1)
            better = cost[start[:, 0], best] < least
            least[better] = cost[start[:, 0], best][better]
            chosen[better] = (one * (count + 1) + other)[best][better]
        leave = _LEFT * (size - 1)
        ends = self.sees[start[:, 0], (start[:, 0] + size) % count]
        self.cost[:, size] = np.where(ends, np.minimum(least, leave), np.inf)
        self.way[:, size] = np.where(least < leave, chosen, 0)

    def _pieces(self, start: int, size: int) -> list[list[int]]:
        if size < 2:
            return []
        way, count = int(self.way[start, size]), self.count
        if way == 0:
            return [[(start + step) % count for step in range(size + 1)]]
        a, b = divmod(way, count + 1)
        piece = [(start + step) % count for step in sorted({0, a, b, size})]
        stretches = ((0, a), (a, b - a), (b, size - b))
        return [piece, *(one for step, length in stretches for one in self._pieces((start + step) % count, length))]

    # Alike on both sides of a line

    def _axes(self) -> list[int]:
        """Sums s for which corner i is the image of corner s − i."""
        far = np.linalg.norm(self.places[:, None] - self.places, axis=2)
        index = np.arange(self.count)
        found = []
        for axis in range(self.count):
            twin = (axis - index) % self.count
            if np.abs(far[twin][:, twin] - far).max() <= SAME_SHAPE * far.max():
                found.append(axis)
        return found

    def _alike(self, axis: int) -> tuple[float, list[list[int]]]:
        """The cheapest way that is its own image."""
        count = self.count
        best: tuple[float, list[list[int]]] = (np.inf, [])
        fixed = [corner for corner in range(count) if (axis - 2 * corner) % count == 0]
        for start in range(count):
            size = (axis - 2 * start) % count
            if size and self.sees[start, (start + size) % count]:
                one, other = self._half(start, size), self._half((start + size) % count, count - size)
                best = min(best, (one[0] + other[0], one[1] + other[1]), key=lambda way: way[0])
        if len(fixed) == 2:
            first, second = fixed
            size = second - first
            if self.sees[first, second]:
                best = min(best, self._twice([(first, size)], axis, 0.0, []), key=lambda way: way[0])
            for step in range(1, size):
                middle = first + step
                piece = [first, middle, second, (axis - middle) % count]
                quality = float(corner_quality(self.places[[piece]])[0])
                if quality > CLEAR and self.sees[first, middle] and self.sees[middle, second]:
                    way = self._twice([(first, step), (middle, size - step)], axis, 1.0 - quality, [piece])
                    best = min(best, way, key=lambda way: way[0])
        return best

    def _half(self, start: int, size: int) -> tuple[float, list[list[int]]]:
        """The cheapest way of a stretch that is its own image."""
        count, axis = self.count, 2 * start + size
        if size == 1:
            return 0.0, []
        if (start, size) in self._halves:
            return self._halves[start, size]
        whole = [(start + step) % count for step in range(size + 1)]
        best = (_LEFT * (size - 1), [whole])
        for step in range(1, (size + 1) // 2):
            piece = [whole[0], whole[step], whole[size - step], whole[size]]
            quality = float(corner_quality(self.places[[piece]])[0])
            if quality <= CLEAR or not (self.sees[piece[0], piece[1]] and self.sees[piece[1], piece[2]]):
                continue
            inner = self._half(whole[step], size - 2 * step)
            way = self._twice([(start, step)], axis, inner[0] + 1.0 - quality, [piece, *inner[1]])
            best = min(best, way, key=lambda way: way[0])
        if size % 2 == 0:
            piece = [whole[0], whole[size // 2], whole[size]]
            quality = float(_triangle_quality(self.places[[piece]])[0])
            if quality > CLEAR and self.sees[piece[0], piece[1]]:
                way = self._twice([(start, size // 2)], axis, _TRIANGLE + 1.0 - quality, [piece])
                best = min(best, way, key=lambda way: way[0])
        self._halves[start, size] = best
        return best

    def _twice(
        self, stretches: list[tuple[int, int]], axis: int, cost: float, pieces: list[list[int]]
    ) -> tuple[float, list[list[int]]]:
        """Stretches and their images besides what is there already."""
        pieces = list(pieces)
        for start, size in stretches:
            cost += 2.0 * float(self.cost[start % self.count, size])
            one = self._pieces(start % self.count, size)
            pieces += one + [[(axis - corner) % self.count for corner in reversed(piece)] for piece in one]
        return cost, pieces


def _triangle_quality(corners: Floats) -> Floats:
    """As corner_quality for triangles, whose best is 60° each: the least angle, in shares of 60°: (t, 3, 2) → (t,)."""
    ahead, behind = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    turn = ahead[..., 0] * behind[..., 1] - ahead[..., 1] * behind[..., 0]
    return np.asarray(np.arctan2(turn, (ahead * behind).sum(axis=2)).min(axis=1) / (np.pi / 3))


def _diagonals(places: Floats) -> Booleans:
    """Which corners are joined by a side or see each other inside the polygon, past no other corner: (n, n)."""
    count = len(places)
    index = np.arange(count)
    ahead = np.roll(places, -1, axis=0)
    i, j = np.triu_indices(count, 2)
    i, j = i[j - i < count - 1], j[j - i < count - 1]
    sees = np.zeros((count, count), dtype=np.bool_)
    sees[index, (index + 1) % count] = True
    size = float(np.ptp(places, axis=0).max())
    one, other = places[i][:, None], places[j][:, None]
    # Each diagonal against each side that shares no corner with it, and against each other corner.
    turns = [
        turn_of(one, other, places),
        turn_of(one, other, ahead),
        turn_of(places, ahead, one),
        turn_of(places, ahead, other),
    ]
    beside = (index == i[:, None]) | (index == j[:, None])
    shares = beside | np.roll(beside, -1, axis=1)
    crosses = (turns[0] * turns[1] < 0) & (turns[2] * turns[3] < 0) & ~shares
    way = other - one
    long = (way**2).sum(axis=2)
    share = ((places - one) * way).sum(axis=2) / np.maximum(long, 1e-300)
    near = np.abs(turns[0]) <= SAME_SHAPE * size * np.sqrt(long)
    passes = near & (share > -SAME_SHAPE) & (share < 1 + SAME_SHAPE) & ~beside
    clear = ~(crosses | passes).any(axis=1) & (long[:, 0] > (SAME_SHAPE * size) ** 2)
    within = np.array(
        [inside(places, (places[a] + places[b]) / 2.0) for a, b in zip(i, j, strict=True)], dtype=np.bool_
    )
    sees[i, j] = clear & within
    return np.asarray(sees | sees.T)


def _one_by_one(places: Floats) -> list[Integers]:
    """The squarest four corners in a row cut off, again and again; what no good quad fits is left as it is."""
    left: Integers = np.arange(len(places))
    found: list[Integers] = []
    while len(left) > 4:
        window = left[(np.arange(len(left))[:, None] + np.arange(4)) % len(left)]
        quality = corner_quality(places[window])
        for start in np.argsort(-quality, kind="stable").tolist():
            if quality[start] <= CLEAR:
                return [left, *found]
            # No corner of the rest may lie in the quad that is cut off, nor on its new side.
            quad = places[window[start]]
            others = places[difference(left, window[start])]
            on = [turn_of(quad[side], quad[(side + 1) % 4], others) for side in range(4)]
            if not np.all(np.array(on) >= -SAME_SHAPE * np.ptp(quad, axis=0).max() ** 2, axis=0).any():
                break
        else:
            return [left, *found]
        found.append(window[start])
        left = left[~np.isin(left, window[start][1:3])]
    return [left, *found]
