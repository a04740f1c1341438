"""Derivatives of the limit surface at its points, and the curvature they give.

Around a smooth point of four quads the limit surface is a uniform bicubic B-spline whose control points, at any level,
are the level's points: place and derivatives at the point are fixed combinations of it and the eight around it. At a
crease or boundary between two quads on one side the same holds with the row beyond mirrored through it, which is what
the crease rule comes to (second derivative across it zero); at a corner of one quad in both directions.

Curvature is positive where the surface bends away from its outward side. Formulas: any book on differential geometry
(do Carmo 1976, section 3-3); B-spline weights: de Boor 1978.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.mesh.topology import Topology
from levelloop.core.progress import both, check
from levelloop.core.surface.limit import Sectors

BLOCK = 8_192  # points looked at together: what is worked out of them stays in the cache
WORTH_THREADS = 50_000  # points


Work = TypeVar("Work")
NAMES = ("places", "normals", "k1", "k2", "d1", "d2")


@dataclass(frozen=True, eq=False)
class Bends:
    """How a surface bends: places on it (n, 3), unit normals (n, 3), k1 ≥ k2 (n,) 1/mm, their directions d1, d2 (n, 3).

    The directions take a third of the time and are asked for seldom: empty, (0, 3), where nobody did.
    """

    places: Floats
    normals: Floats
    k1: Floats
    k2: Floats
    d1: Floats
    d2: Floats

    @staticmethod
    def unknown(count: int, directions: bool) -> Bends:
        """Room for so many, to be written into; coordinate after coordinate in memory."""
        sizes = (count, count, count if directions else 0, count if directions else 0)
        places, normals, d1, d2 = (np.empty((3, size)).T for size in sizes)
        return Bends(places, normals, np.empty(count), np.empty(count), d1, d2)

    @staticmethod
    def flat(count: int, directions: bool) -> Bends:
        """Of points that lie on no surface, all zero."""
        result = Bends.unknown(count, directions)
        for name in NAMES:
            getattr(result, name)[:] = 0.0
        return result

    @property
    def has_directions(self) -> bool:
        """Whether somebody asked for the directions."""
        return len(self.d1) == len(self.k1)

    @property
    def known(self) -> tuple[str, ...]:
        """The names of what there is."""
        return NAMES if self.has_directions else NAMES[:4]

    def rows(self, rows: slice) -> Bends:
        """Those of points that follow each other, as a window into these: what is written there stands here."""
        none = self.d1[:0]
        return Bends(*(getattr(self, name)[rows] if name in self.known else none for name in NAMES))

    def put(self, targets: Integers, other: Bends) -> None:
        """Those of other points, at their numbers."""
        for mine, theirs in zip(self._columns(), other._columns(), strict=True):
            mine[targets] = theirs

    def take(self, chosen: Integers) -> Bends:
        """Those of some points."""
        result = Bends.unknown(len(chosen), self.has_directions)
        for mine, theirs in zip(result._columns(), self._columns(), strict=True):
            theirs.take(chosen, out=mine, mode="clip")
        return result

    def _columns(self) -> list[Floats]:
        """All numbers, one coordinate after the other, (n,) each: picked from one by one they take half the time."""
        return [column for name in self.known for column in np.atleast_2d(getattr(self, name).T)]


@dataclass(frozen=True, eq=False)
class Rings:
    """Points whose jets are known, by kind, each with the points around it in counter-clockwise order.

    inner: (a, 9) the point, then edge neighbour and opposite point in turn; rim: (b, 6) on a crease or boundary: the
    point, the neighbour along it, opposite, neighbour inside, opposite, neighbour along it; corner: (c, 4). *_of: which
    sector each is of.
    """

    inner: Integers
    inner_of: Integers
    rim: Integers
    rim_of: Integers
    corner: Integers
    corner_of: Integers

    def bends(self, points: Floats, directions: bool, on_surface: bool = False) -> tuple[Integers, Bends]:
        """Sectors and how the surface bends there, from points of a level.

        on_surface: the points lie on the surface itself, so that differences stand for derivatives.
        """
        jets = ((self.inner, _inner), (self.rim, _rim), (self.corner, _corner))
        found = [_in_blocks(ring, points, jet, directions, on_surface) for ring, jet in jets]
        owners = np.concatenate((self.inner_of, self.rim_of, self.corner_of))
        return owners, Bends(*(np.concatenate([getattr(one, name) for one in found]) for name in NAMES))

    def inner_normals(self, points: Floats) -> Floats:
        """Unit normals at the inner ones alone: (a, 3); zero where nothing faces anywhere."""
        result = np.empty((3, len(self.inner)))
        columns = np.ascontiguousarray(points.T)

        def block(start: int, scratch: Scratch) -> None:
            part = self.inner[start : start + BLOCK]
            _, e0, f0, e1, f1, e2, f2, e3, f3 = _around(columns, part)
            one, other = f0 - f2, f1 - f3
            normal = cross(4 * (e0 - e2) + one - other, 4 * (e1 - e3) + one + other, np.empty_like(one))
            length = np.sqrt(dot(normal, normal))
            np.divide(normal, np.where(length > 0, length, 1.0), out=result[:, start : start + BLOCK])

        run_blocks(block, range(0, len(self.inner), BLOCK), BLOCK, len(self.inner) >= WORTH_THREADS)
        return result.T


def rings_of(topology: Topology, sectors: Sectors, asked: Booleans | None = None) -> Rings:
    """The sectors of an all-quad surface, of those asked for (s,), whose derivatives follow from the points around."""
    size = np.diff(sectors.offsets)
    four = topology.face_sizes[topology.corner_face[sectors.corners[sectors.offsets[:-1]]]] == 4
    if asked is not None:
        four &= asked
    smooth = ~sectors.crease_points & ~sectors.corner_points
    darts = np.zeros(topology.n_points, dtype=np.bool_)
    darts[topology.edges[sectors.darts].ravel()] = True
    point = sectors.point
    inner = np.flatnonzero(sectors.closed & (size == 4) & four & smooth[point] & ~darts[point])
    rim = np.flatnonzero(~sectors.closed & (size == 2) & four & sectors.crease_points[point])
    corner = np.flatnonzero(~sectors.closed & (size == 1) & four & sectors.corner_points[point])
    return Rings(
        _ring(topology, sectors, inner, 4, False),
        inner,
        _ring(topology, sectors, rim, 2, True),
        rim,
        _ring(topology, sectors, corner, 1, True),
        corner,
    )


class Scratch:
    """Room for what comes up between, used again from block to block: asking for it anew costs more than filling it."""

    ROWS, VECTORS = 15, 1

    def __init__(self, size: int) -> None:
        self._rows = np.empty((self.ROWS, size))
        self._vectors = np.empty((self.VECTORS, 3, size))

    def rows(self, count: int) -> Floats:
        """So many numbers in each row: (15, count)."""
        return self._rows[:, :count]

    def vector(self, count: int) -> Floats:
        """So many vectors, coordinate after coordinate: (3, count)."""
        return np.asarray(self._vectors[0, :, :count])


def put_bends(target: Bends, jets: Floats, scratch: Scratch) -> None:
    """Writes normals and principal curvatures from derivatives su, sv, suu, suv, svv: (5, 3, n).

    The curvature is worked out in the square frame of su and the normal: su is a along its first axis, sv is b along it
    and c along the second. Each line puts its result into room that is there already.
    """
    su, sv, suu, suv, svv = jets
    count = su.shape[1]
    e, slope, per_area, w11, uv, w22, per_a, w12, half, mean, spread, square, _, _, t = scratch.rows(count)
    normal = cross(su, sv, out=target.normals.T)
    # What is too flat or too large for a number is seen below.
    with np.errstate(over="ignore", under="ignore", divide="ignore", invalid="ignore"):
        dot(su, su, out=e)
        dot(su, sv, out=slope)
        dot(normal, normal, out=square)
        np.multiply(slope, slope, out=t)
        t *= 1e-24
        unusable = ~((square > t) & (square > np.finfo(np.float64).tiny))
        some_unusable = bool(unusable.any())
        if some_unusable:
            e[unusable] = square[unusable] = 1.0
            normal[:, unusable] = 0.0
        np.sqrt(square, out=per_area)
        np.divide(1.0, per_area, out=per_area)  # 1 / (a · c)
        normal *= per_area
        # Away from the outward side is against the normal: all with the other sign.
        dot(suu, normal, out=w11)
        dot(suv, normal, out=uv)
        dot(svv, normal, out=w22)
        np.divide(1.0, e, out=per_a)
        slope *= per_a  # b / a
        np.multiply(slope, w11, out=w12)
        w12 -= uv
        np.subtract(w12, uv, out=t)
        t *= slope
        w22 += t
        np.multiply(per_area, per_area, out=t)
        t *= e
        w22 *= t
        w11 *= per_a
        w12 *= per_area
        np.subtract(w22, w11, out=half)
        half *= 0.5
        np.add(w22, w11, out=mean)
        mean *= 0.5
        np.multiply(w12, w12, out=square)
        np.multiply(half, half, out=spread)
        spread += square
        np.sqrt(spread, out=spread)
        np.subtract(spread, mean, out=target.k1)
        np.add(spread, mean, out=target.k2)
        np.negative(target.k2, out=target.k2)
        if target.has_directions:
            _put_directions(target, su, sv, scratch)
        if some_unusable or not np.isfinite(spread.sum()) or not np.isfinite(mean.sum()):
            known = ~unusable & np.isfinite(target.k1) & np.isfinite(target.k2)
            for name in target.known[2:]:
                values = getattr(target, name).T
                values[..., ~(known & np.isfinite(values).reshape(-1, count).all(axis=0))] = 0.0


def _put_directions(target: Bends, su: Floats, sv: Floats, scratch: Scratch) -> None:
    """Writes the directions, from what put_bends has left in the scratch."""
    count = su.shape[1]
    e, slope, per_area, cosine, _, _, per_a, sine, half, _, spread, square, across, along, t = scratch.rows(count)
    d1, d2 = target.d1.T, target.d2.T
    # The direction of k1 in the frame: (spread + half, w12), or where half is negative (w12, spread - half).
    np.abs(half, out=cosine)
    cosine += spread
    np.multiply(cosine, cosine, out=t)
    t += square
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
    np.multiply(sine, t, out=across)
    np.multiply(cosine, t, out=along)
    cosine *= per_a
    np.multiply(across, slope, out=t)
    cosine -= t
    sine *= per_a
    np.multiply(along, slope, out=t)
    sine += t
    other = scratch.vector(count)
    np.multiply(su, cosine, out=d1)
    d1 += np.multiply(sv, across, out=other)
    np.multiply(sv, along, out=d2)
    d2 -= np.multiply(su, sine, out=other)


def dot(a: Floats, b: Floats, out: Floats | None = None) -> Floats:
    """The dot products of vectors, coordinate after coordinate: (3, n) → (n,)."""
    return np.asarray(np.einsum("in,in->n", a, b, out=out))


def cross(a: Floats, b: Floats, out: Floats) -> Floats:
    """Writes the cross products of vectors, coordinate after coordinate: (3, n)."""
    for axis in range(3):
        one, other = (axis + 1) % 3, (axis + 2) % 3
        np.multiply(a[one], b[other], out=out[axis])
        out[axis] -= a[other] * b[one]
    return out


# Helpers

Jet = Callable[[list[Floats], bool], tuple[Floats, Floats, Floats, Floats, Floats, Floats]]


def _in_blocks(ring: Integers, points: Floats, jet: Jet, directions: bool, on_surface: bool) -> Bends:
    count = len(ring)
    result = Bends.unknown(count, directions)
    columns = np.ascontiguousarray(points.T)

    def block(start: int, scratch: Scratch) -> None:
        part = ring[start : start + BLOCK]
        place, *derivatives = jet(list(_around(columns, part)), on_surface)
        rows = result.rows(slice(start, start + BLOCK))
        rows.places.T[:] = place
        put_bends(rows, np.stack(derivatives), scratch)

    run_blocks(block, range(0, count, BLOCK), BLOCK, count >= WORTH_THREADS)
    return result


def run_blocks(block: Callable[[Work, Scratch], None], work: Sequence[Work], size: int, many: bool) -> None:
    """Runs blocks of work with room for blocks of a size; many: by two threads.

    Blocks have nothing to do with each other, and most of their work leaves the interpreter free.
    """

    def run(share: Sequence[Work]) -> None:
        scratch = Scratch(size)
        for one in share:
            check()
            block(one, scratch)

    if many:
        both(lambda: run(work[::2]), lambda: run(work[1::2]))
    else:
        run(work)


def _around(columns: Floats, part: Integers) -> Floats:
    """The points around some: coordinates (3, n) and rings (s, p) → (p, 3, s)."""
    places = np.ascontiguousarray(part.T)
    # The indices are known to be right; "clip" spares the check.
    return np.stack([column.take(places, mode="clip") for column in columns], axis=1)


def _ring(topology: Topology, sectors: Sectors, chosen: Integers, faces: int, open_ended: bool) -> Integers:
    """The point, then what is around it: (s, 1 + 2 · faces), one more where the fan is open."""
    fan = sectors.corners[sectors.offsets[chosen][:, None] + np.arange(faces)]
    after = topology.next_corner[fan]
    around = np.empty((len(chosen), 1 + 2 * faces + open_ended), dtype=np.int64)
    around[:, 0] = sectors.point[chosen]
    around[:, 1 : 1 + 2 * faces : 2] = topology.corners[after]
    around[:, 2 : 2 + 2 * faces : 2] = topology.corners[topology.next_corner[after]]
    if open_ended:
        around[:, -1] = topology.corners[topology.previous_corner[fan[:, -1]]]
    return around


def _inner(around: list[Floats], on_surface: bool) -> tuple[Floats, Floats, Floats, Floats, Floats, Floats]:
    v, e0, f0, e1, f1, e2, f2, e3, f3 = around
    if on_surface:
        return v, (e0 - e2) / 2, (e1 - e3) / 2, e0 - 2 * v + e2, (f0 - f1 + f2 - f3) / 4, e1 - 2 * v + e3
    su = (4 * (e0 - e2) + (f0 - f1 - f2 + f3)) / 12
    sv = (4 * (e1 - e3) + (f0 + f1 - f2 - f3)) / 12
    faces = f0 + f1 + f2 + f3
    suu = (4 * (e0 + e2) - 8 * v + faces - 2 * (e1 + e3)) / 6
    svv = (4 * (e1 + e3) - 8 * v + faces - 2 * (e0 + e2)) / 6
    place = (16 * v + 4 * (e0 + e1 + e2 + e3) + faces) / 36
    return place, su, sv, suu, (f0 - f1 + f2 - f3) / 4, svv


def _rim(around: list[Floats], on_surface: bool) -> tuple[Floats, Floats, Floats, Floats, Floats, Floats]:
    v, e0, f0, e1, f1, e2 = around
    su, suu = (e0 - e2) / 2, e0 - 2 * v + e2
    suv = ((f0 - e0) - (f1 - e2)) / 2
    sv = e1 - v if on_surface else (4 * (e1 - v) + (f0 - e0) + (f1 - e2)) / 6
    return v if on_surface else (4 * v + e0 + e2) / 6, su, sv, suu, suv, np.zeros_like(v)


def _corner(around: list[Floats], on_surface: bool) -> tuple[Floats, Floats, Floats, Floats, Floats, Floats]:
    v, e0, f0, e1 = around
    none = np.zeros_like(v)
    return v, e0 - v, e1 - v, none, f0 - e0 - e1 + v, none
