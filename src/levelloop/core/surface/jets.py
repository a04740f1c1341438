"""Derivatives of the limit surface at its points, and the curvature they give.

Around a smooth point of four quads the limit surface is a uniform bicubic B-spline whose control points, at any level,
are the level's points: place and derivatives at the point are fixed combinations of it and the eight around it. At a
crease or boundary between two quads on one side the same holds with the row beyond mirrored through it, which is what
the crease rule comes to (second derivative across it zero); at a corner of one quad in both directions.

Curvature is positive where the surface bends away from its outward side. Formulas: any book on differential geometry
(do Carmo 1976, section 3-3); B-spline weights: de Boor 1978.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.limit import Sectors

BLOCK = 8_192  # points looked at together: what is worked out of them stays in the cache
WORTH_THREADS = 50_000  # points


NAMES = ("places", "normals", "k1", "k2", "d1", "d2")


@dataclass(frozen=True, eq=False)
class Bends:
    """How a surface bends: places on it (n, 3), unit normals (n, 3), k1 ≥ k2 (n,) 1/mm, their directions d1, d2."""

    places: Floats
    normals: Floats
    k1: Floats
    k2: Floats
    d1: Floats
    d2: Floats

    @staticmethod
    def flat(count: int) -> Bends:
        """Of points that lie on no surface, all zero."""
        ways = [np.zeros((count, 3)) for _ in range(4)]
        return Bends(ways[0], ways[1], np.zeros(count), np.zeros(count), ways[2], ways[3])

    def put(self, targets: Integers, other: Bends) -> None:
        """Those of other points, at their numbers."""
        self.places[targets], self.normals[targets] = other.places, other.normals
        self.d1[targets], self.d2[targets] = other.d1, other.d2
        self.k1[targets], self.k2[targets] = other.k1, other.k2

    def take(self, chosen: Integers) -> Bends:
        """Those of some points."""
        return Bends(*(getattr(self, name)[chosen] for name in NAMES))


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

    def bends(self, points: Floats, on_surface: bool = False) -> tuple[Integers, Bends]:
        """Sectors and how the surface bends there, from points of a level.

        on_surface: the points lie on the surface itself, so that differences stand for derivatives.
        """
        jets = ((self.inner, _inner), (self.rim, _rim), (self.corner, _corner))
        found = [_in_blocks(ring, points, jet, on_surface) for ring, jet in jets]
        owners = np.concatenate((self.inner_of, self.rim_of, self.corner_of))
        return owners, Bends(*(np.concatenate([getattr(one, name) for one in found]) for name in NAMES))

    def inner_normals(self, points: Floats) -> Floats:
        """Unit normals at the inner ones alone: (a, 3); zero where nothing faces anywhere."""
        result = np.empty((len(self.inner), 3))
        columns = np.ascontiguousarray(points.T)

        def block(start: int) -> None:
            part = self.inner[start : start + BLOCK]
            _, e0, f0, e1, f1, e2, f2, e3, f3 = (columns[:, part[:, place]] for place in range(9))
            one, other = f0 - f2, f1 - f3
            normal = _cross(4 * (e0 - e2) + one - other, 4 * (e1 - e3) + one + other)
            length = np.sqrt(_dot(normal, normal))
            result[start : start + BLOCK] = (normal / np.where(length > 0, length, 1.0)).T

        _run_blocks(block, len(self.inner))
        return result


def rings_of(topology: Topology, sectors: Sectors) -> Rings:
    """The sectors of an all-quad surface whose derivatives are known from the points around them."""
    size = np.diff(sectors.offsets)
    four = topology.face_sizes[topology.corner_face[sectors.corners[sectors.offsets[:-1]]]] == 4
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


def bends_of(place: Floats, su: Floats, sv: Floats, suu: Floats, suv: Floats, svv: Floats) -> Bends:
    """Normal and principal curvatures from a place and derivatives there, coordinate after coordinate: (3, n) each."""
    normal = _cross(su, sv)
    area = np.sqrt(_dot(normal, normal))
    length = np.sqrt(_dot(su, su))
    tiny = np.finfo(np.float64).tiny
    usable = (area > 1e-12 * np.maximum(length * np.sqrt(_dot(sv, sv)), tiny)) & (area > tiny)
    safe_area, safe_length = np.where(usable, area, 1.0), np.where(usable, length, 1.0)
    normal /= safe_area
    first = su / safe_length
    second = _cross(normal, first)
    # Of the derivatives in that square frame: su = a·first, sv = b·first + c·second.
    a, b, c = safe_length, _dot(sv, first), safe_area / safe_length
    # Away from the outward side is against the normal.
    uu, uv, vv = -_dot(suu, normal), -_dot(suv, normal), -_dot(svv, normal)
    w11 = uu / (a * a)
    w12 = (uv - b / a * uu) / (a * c)
    w22 = (vv - 2.0 * b / a * uv + (b / a) ** 2 * uu) / (c * c)
    half, mean = 0.5 * (w11 - w22), 0.5 * (w11 + w22)
    spread = np.hypot(half, w12)
    angle = 0.5 * np.arctan2(w12, half)
    d1 = np.cos(angle) * first + np.sin(angle) * second
    d2 = _cross(normal, d1)
    usable_too = usable & np.isfinite(mean) & np.isfinite(spread)
    normals = np.where(usable, normal, 0.0).T
    return Bends(
        np.ascontiguousarray(place.T),
        np.ascontiguousarray(normals),
        np.where(usable_too, mean + spread, 0.0),
        np.where(usable_too, mean - spread, 0.0),
        np.ascontiguousarray(np.where(usable, d1, 0.0).T),
        np.ascontiguousarray(np.where(usable, d2, 0.0).T),
    )


# Helpers

Jet = Callable[[list[Floats], bool], tuple[Floats, Floats, Floats, Floats, Floats, Floats]]


def _in_blocks(ring: Integers, points: Floats, jet: Jet, on_surface: bool) -> Bends:
    count = len(ring)
    result = Bends.flat(count)
    columns = np.ascontiguousarray(points.T)

    def block(start: int) -> None:
        part = ring[start : start + BLOCK]
        around = [columns[:, part[:, place]] for place in range(ring.shape[1])]
        result.put(slice(start, start + BLOCK), bends_of(*jet(around, on_surface)))  # type: ignore[arg-type]

    _run_blocks(block, count)
    return result


def _run_blocks(block: Callable[[int], None], count: int) -> None:
    starts = range(0, count, BLOCK)
    if count < WORTH_THREADS:
        for start in starts:
            block(start)
        return
    # Blocks have nothing to do with each other, and most of their work leaves the interpreter free.
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(block, starts))


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


def _dot(a: Floats, b: Floats) -> Floats:
    return np.asarray(a[0] * b[0] + a[1] * b[1] + a[2] * b[2])


def _cross(a: Floats, b: Floats) -> Floats:
    return np.stack((a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]))
