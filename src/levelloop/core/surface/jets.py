"""Derivatives of the limit surface at its points, and the curvature they give.

Around a smooth point of four quads the limit surface is a uniform bicubic B-spline whose control points, at any level,
are the level's points: place and derivatives at the point are fixed combinations of it and the eight around it. At a
crease or boundary between two quads on one side the same holds with the row beyond mirrored through it, which is what
the crease rule comes to (second derivative across it zero); at a corner of one quad in both directions.

B-spline weights: de Boor 1978.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.bends import FACTORS, WORTH_THREADS, Bends, Scratch, run_blocks
from levelloop.core.surface.limit import Sectors
from levelloop.core.values import dataclass

BLOCK = 8_192  # points looked at together: what is worked out of them stays in the cache


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

        def found(ring: Integers, weights: Floats) -> Floats:
            room = Bends.unknown(len(ring), directions).numbers
            return _in_blocks(ring, points, weights, room, lambda count, scratch: scratch.bends(count, directions))

        rings = (self.inner, self.rim, self.corner)
        numbers = map(found, rings, DIFFERENCES if on_surface else DERIVATIVES)
        owners = np.concatenate((self.inner_of, self.rim_of, self.corner_of))
        return owners, Bends(np.concatenate(list(numbers), axis=1))

    def inner_normals(self, points: Floats) -> Floats:
        """Unit normals at the inner ones alone: (a, 3); zero where nothing faces anywhere."""
        room = np.empty((3, len(self.inner)))
        return _in_blocks(
            self.inner, points, DERIVATIVES[0][:2], room, lambda count, scratch: scratch.unit_normals(count)
        ).T


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


# Helpers


def _in_blocks(
    ring: Integers, points: Floats, weights: Floats, result: Floats, found: Callable[[int, Scratch], Floats]
) -> Floats:
    """Fills the result, (r, s), with what is found at rings (s, p): their jets, by weights (o, p), lie in its room."""
    columns = np.ascontiguousarray(points.T)

    def block(start: int, scratch: Scratch) -> None:
        around = _around(columns, ring[start : start + BLOCK])
        count = around.shape[2]
        np.einsum("op,pin->oin", weights, around, out=scratch.jets[: len(weights), :, :count])
        result[:, start : start + count] = found(count, scratch)

    blocks = [partial(block, start) for start in range(0, len(ring), BLOCK)]
    run_blocks(blocks, BLOCK, len(ring) >= WORTH_THREADS)
    return result


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


def _weights(*orders: tuple[float, list[float]]) -> Floats:
    """What the points of a ring weigh in jets, each a divisor and numbers: (6, p), as they are kept."""
    return np.array([np.array(each) / by * factor for (by, each), factor in zip(orders, FACTORS, strict=True)])


# Around a point: v, e0, f0, e1, f1, e2, f2, e3, f3; on a rim: v, e0, f0, e1, f1, e2; at a corner: v, e0, f0, e1.
_CORNER = _weights(
    (1, [-1, 1, 0, 0]), (1, [-1, 0, 0, 1]), (1, [1, -1, 1, -1]), (1, [0, 0, 0, 0]), (1, [0, 0, 0, 0]), (1, [1, 0, 0, 0])
)
DERIVATIVES = (
    _weights(
        (12, [0, 4, 1, 0, -1, -4, -1, 0, 1]),
        (12, [0, 0, 1, 4, 1, 0, -1, -4, -1]),
        (4, [0, 0, 1, 0, -1, 0, 1, 0, -1]),
        (6, [-8, 4, 1, -2, 1, 4, 1, -2, 1]),
        (6, [-8, -2, 1, 4, 1, -2, 1, 4, 1]),
        (36, [16, 4, 1, 4, 1, 4, 1, 4, 1]),
    ),
    _weights(
        (2, [0, 1, 0, 0, 0, -1]),
        (6, [-4, -1, 1, 4, 1, -1]),
        (2, [0, -1, 1, 0, -1, 1]),
        (1, [-2, 1, 0, 0, 0, 1]),
        (1, [0, 0, 0, 0, 0, 0]),
        (6, [4, 1, 0, 0, 0, 1]),
    ),
    _CORNER,
)
# The same where the points lie on the surface themselves.
DIFFERENCES = (
    _weights(
        (2, [0, 1, 0, 0, 0, -1, 0, 0, 0]),
        (2, [0, 0, 0, 1, 0, 0, 0, -1, 0]),
        (4, [0, 0, 1, 0, -1, 0, 1, 0, -1]),
        (1, [-2, 1, 0, 0, 0, 1, 0, 0, 0]),
        (1, [-2, 0, 0, 1, 0, 0, 0, 1, 0]),
        (1, [1, 0, 0, 0, 0, 0, 0, 0, 0]),
    ),
    _weights(
        (2, [0, 1, 0, 0, 0, -1]),
        (1, [-1, 0, 0, 1, 0, 0]),
        (2, [0, -1, 1, 0, -1, 1]),
        (1, [-2, 1, 0, 0, 0, 1]),
        (1, [0, 0, 0, 0, 0, 0]),
        (1, [1, 0, 0, 0, 0, 0]),
    ),
    _CORNER,
)
