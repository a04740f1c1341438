"""How a surface bends at samples, from its derivatives there: normals and principal curvatures, block by block.

Curvature is positive where the surface bends away from its outward side. Formulas: any book on differential geometry
(do Carmo 1976, section 3-3).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, gathered
from levelloop.core.progress import check, in_two
from levelloop.core.values import dataclass

SAMPLES = 24_576  # looked at together: long enough that two threads seldom wait for each other
WORTH_THREADS = 50_000  # samples
NUMBERS, WITH_DIRECTIONS = 8, 14  # that tell how a surface bends at a point
LINE = 8  # numbers in a line of the cache
# Derivatives as they are kept, and what they are multiplied by: what bends away from the outward side is against the
# normal, and halves of it are wanted, so that no pass over samples is spent on signs and factors. The place is last.
ORDERS = ((1, 0), (0, 1), (1, 1), (2, 0), (0, 2), (0, 0))
FACTORS = (1.0, 1.0, -1.0, -0.5, -0.5, 1.0)
NONE = np.empty((0, 3))


@dataclass(frozen=True, eq=False)
class Bends:
    """How a surface bends: places on it (n, 3), unit normals (n, 3), k1 ≥ k2 (n,) 1/mm, their directions d1, d2 (n, 3).

    numbers: (8, n) all of these in this order, one coordinate after the other; (14, n) with the directions, which take
    a third of the time and are asked for seldom: empty, (0, 3), where nobody did.
    """

    numbers: Floats

    @staticmethod
    def unknown(count: int, directions: bool) -> Bends:
        """Room for so many, to be written into."""
        return Bends(np.empty((WITH_DIRECTIONS if directions else NUMBERS, count)))

    @staticmethod
    def flat(count: int, directions: bool) -> Bends:
        """Of points that lie on no surface, all zero."""
        return Bends(np.zeros((WITH_DIRECTIONS if directions else NUMBERS, count)))

    @property
    def places(self) -> Floats:
        """The places: (n, 3)."""
        return self.numbers[:3].T

    @property
    def normals(self) -> Floats:
        """The unit normals: (n, 3)."""
        return self.numbers[3:6].T

    @property
    def k1(self) -> Floats:
        """The larger curvature: (n,)."""
        return np.asarray(self.numbers[6])

    @property
    def k2(self) -> Floats:
        """The smaller curvature: (n,)."""
        return np.asarray(self.numbers[7])

    @property
    def d1(self) -> Floats:
        """The direction of k1: (n, 3)."""
        return self.numbers[8:11].T if self.has_directions else NONE

    @property
    def d2(self) -> Floats:
        """The direction of k2: (n, 3)."""
        return self.numbers[11:].T if self.has_directions else NONE

    @property
    def has_directions(self) -> bool:
        """Whether somebody asked for the directions."""
        return len(self.numbers) == WITH_DIRECTIONS

    def put(self, targets: Integers, other: Bends) -> None:
        """Those of other points, at their numbers."""
        for mine, theirs in zip(self.numbers, other.numbers, strict=True):
            mine[targets] = theirs

    def take(self, chosen: Integers) -> Bends:
        """Those of some points."""
        result = Bends.unknown(len(chosen), self.has_directions)
        for mine, theirs in zip(result.numbers, self.numbers, strict=True):
            theirs.take(chosen, out=mine, mode="clip")
        return result


class Scratch:
    """Room for what comes up between, used again from block to block: asking for it anew costs more than filling it.

    Rows start where lines of the cache do: else most numbers that are loaded together lie across two of them.
    rows: (10, size) for any use; jets: (6, 3, size) the derivatives and places of samples, in the order of ORDERS.
    """

    def __init__(self, size: int) -> None:
        size = -(-size // LINE) * LINE
        # Derivatives have room for two coordinates more, as cross products want them; what is found follows the places.
        counts = (10, 5 * len(ORDERS) - 5 + WITH_DIRECTIONS, 3)
        room = np.empty(sum(counts) * size + LINE)
        start = -room.ctypes.data // room.itemsize % LINE
        rows = room[start : start + sum(counts) * size].reshape(-1, size)
        self.rows, jets, around = np.split(rows, np.cumsum(counts[:-1]))
        self._jets, self._found = jets[: 5 * len(ORDERS)].reshape(-1, 5, size), jets[-WITH_DIRECTIONS:]
        self.jets = self._jets[:, :3]
        self._around = around.reshape(-1)

    def around(self, columns: Floats, elements: Integers) -> Floats:
        """The points around some elements: columns (3, n), elements (g, p) → (3, g, p); at most as many as samples."""
        return gathered(columns, elements, self._around)

    def normals(self, count: int, out: Floats) -> Floats:
        """Writes su × sv of so many samples: (3, count)."""
        su, sv = self._jets[:2, :, :count]
        self._jets[:2, 3:, :count] = self._jets[:2, :2, :count]
        np.multiply(su[1:4], sv[2:5], out=out)
        out -= np.multiply(su[2:5], sv[1:4], out=self.rows[-3:, :count])
        return out

    def unit_normals(self, count: int) -> Floats:
        """The unit normals at so many samples, zero where nothing faces anywhere: (3, count)."""
        normal, length = self.rows[:3, :count], self.rows[3, :count]
        self.normals(count, normal)
        np.sqrt(dot(normal, normal, out=length), out=length)
        np.maximum(length, np.finfo(np.float64).tiny, out=length)
        normal *= np.divide(1.0, length, out=length)
        return normal

    def bends(self, count: int, directions: bool) -> Floats:
        """How a surface bends at so many samples whose derivatives and places are there: (8, n) or (14, n) as in Bends.

        The curvature is worked out in the square frame of su and the normal: su is a along its first axis, sv is b
        along it and c along the second. Two threads gain something only while calls are few and long: rows lie side by
        side so that one call serves several, and each writes into room that is there already.
        """
        area, e, slope, per_area, per_a, scale, w12, w11, w22, t = self.rows[:, :count]
        su = self.jets[0, :, :count]
        found = self._found[: WITH_DIRECTIONS if directions else NUMBERS, :count]
        # What is too flat or too large for a number is seen below.
        with np.errstate(over="ignore", under="ignore", divide="ignore", invalid="ignore"):
            normal = self.normals(count, found[3:6])
            np.einsum("kin,in->kn", self.jets[:2, :, :count], su, out=self.rows[1:3, :count])
            dot(normal, normal, out=area)
            unusable = _unusable(area, slope)
            if unusable is not None:
                e[unusable] = area[unusable] = 1.0
                normal[:, unusable] = 0.0
            np.sqrt(area, out=area)  # a · c
            np.divide(1.0, self.rows[:2, :count], out=self.rows[3:5, :count])
            normal *= per_area
            np.einsum("kin,in->kn", self.jets[2:5, :, :count], normal, out=self.rows[6:9, :count])
            slope *= per_a  # b / a
            np.multiply(slope, w11, out=t)
            w12 -= t
            np.multiply(w12, slope, out=scale)
            w22 -= scale
            w12 -= t
            np.multiply(per_area, per_area, out=scale)
            scale *= e
            self.rows[6:9, :count] *= self.rows[3:6, :count]  # w11, w22: half of how much it bends along the axes
            mean, half, spread = np.add(w11, w22, out=t), np.subtract(w11, w22, out=w11), w22
            np.sqrt(dot(self.rows[6:8, :count], self.rows[6:8, :count], out=spread), out=spread)
            np.add(mean, spread, out=found[6])
            np.subtract(mean, spread, out=found[7])
            sure = unusable is None and np.isfinite(spread.sum()) and np.isfinite(mean.sum())
            if directions:
                self._put_directions(found[8:], count, half)
            if not sure:
                known = np.isfinite(found[6:]).all(axis=0)
                if unusable is not None:
                    known &= ~unusable
                found[6:, ~known] = 0.0
        return found

    def _put_directions(self, found: Floats, count: int, half: Floats) -> None:
        """Writes the directions, (6, n), from what is left in the rows."""
        _, e, slope, per_area, per_a, along, sine, _, cosine, t = self.rows[:, :count]
        su, sv = self.jets[:2, :, :count]
        d1, d2 = found[:3], found[3:]
        # The direction of k1 in the frame: (spread + |half|, w12), where half is negative (w12, spread + |half|).
        cosine += np.abs(half, out=t)
        np.multiply(cosine, cosine, out=t)
        t += np.multiply(sine, sine, out=along)
        np.sqrt(t, out=t)
        if not t.all():
            # Round: any direction will do.
            cosine[t == 0] = t[t == 0] = 1.0
        cosine /= t
        sine /= t
        np.subtract(sine, cosine, out=t)
        t *= half < 0
        cosine += t
        sine -= t
        # Both directions as sums of su and sv: the first axis is su / a, the second (sv - slope · su) / c.
        np.sqrt(per_a, out=per_a)
        np.multiply(e, per_a, out=t)
        t *= per_area  # 1 / c
        across = np.multiply(sine, t, out=half)
        np.multiply(cosine, t, out=along)
        cosine *= per_a
        cosine -= np.multiply(across, slope, out=t)
        sine *= per_a
        sine += np.multiply(along, slope, out=t)
        for axis in range(3):
            np.multiply(su[axis], cosine, out=d1[axis])
            d1[axis] += np.multiply(sv[axis], across, out=t)
            np.multiply(sv[axis], along, out=d2[axis])
            d2[axis] -= np.multiply(su[axis], sine, out=t)


def dot(a: Floats, b: Floats, out: Floats | None = None) -> Floats:
    """The dot products of vectors, coordinate after coordinate: (3, n) → (n,)."""
    return np.asarray(np.einsum("in,in->n", a, b, out=out))


def run_blocks(blocks: Sequence[Callable[[Scratch], None]], size: int, many: bool) -> None:
    """Runs blocks of work with room for so many samples each; many: by two threads.

    Blocks have nothing to do with each other, and most of their work leaves the interpreter free.
    """

    def run(left: Iterable[Callable[[Scratch], None]]) -> None:
        scratch = Scratch(size)
        for block in left:
            check()
            block(scratch)

    if many:
        in_two(blocks, run)
    else:
        run(blocks)


# Helpers


def _unusable(area: Floats, slope: Floats) -> Booleans | None:
    """Where derivatives span no plane, from their cross products' squares and their dot products; None: nowhere."""
    tiny = np.finfo(np.float64).tiny
    largest = max(-float(slope.min(initial=0.0)), float(slope.max(initial=0.0)))
    if area.min(initial=np.inf) > max(1e-24 * largest * largest, tiny):
        return None
    found: Booleans = ~((area > 1e-24 * slope * slope) & (area > tiny))
    return found
