"""Surface points where the cage is regular: whole patches at once, by one small matrix for all faces.

Around a quad whose four points are smooth, inner and of valence 4 the surface is a uniform bicubic B-spline of 16
points (Catmull & Clark 1978), so all points of all such faces at a level are one product of matrices. Faces beside
poles, creases and boundaries are cut out with their neighbours and refined on their own.

The points of a level are numbered so that what a face has inside, what an edge has between its ends, and the old points
are blocks of equal length in the order of faces, edges and points: products land in place.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import cache, partial
from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, gathered, inverse_of, mask_of, ranges
from levelloop.core.lazy import lazy
from levelloop.core.mesh.topology import Topology
from levelloop.core.progress import in_two
from levelloop.core.surface.fans import (
    AT_CORNER,
    CONTROLS,
    ON_SIDE,
    TURNED,
    Fans,
    controls,
    fan_points,
    regular_points,
)
from levelloop.core.surface.refine import Sharp, Step, cut_out, refine
from levelloop.core.values import dataclass

if TYPE_CHECKING:
    from scipy.sparse import csr_array

# Below this share of regular faces everything is refined step by step instead.
LEAST_REGULAR = 0.6
# Points from which on two threads gain more than starting them costs.
WORTH_THREADS = 100_000


# Points around elements that are gathered together: so many stay in the nearest caches.
GATHERED = 25_600


@dataclass(frozen=True, eq=False)
class Blocks:
    """Where the points of a level lie: (first, count per element) of each block, in order of birth."""

    in_faces: tuple[tuple[int, int], ...]
    on_edges: tuple[tuple[int, int], ...]


@dataclass(frozen=True, eq=False)
class Group:
    """Some faces, edges or points with all samples that they have.

    kind: 0 faces, 1 edges, 2 points; around: (g, p) the points around each; start: the number of the first; firsts: of
    each block of samples the first, and how many an element has.
    """

    kind: int
    around: Integers
    start: int
    firsts: tuple[tuple[int, int], ...]

    def places_in(self, result: Floats) -> list[Floats]:
        """Where its samples lie among all, (r, n'): of each block (r, g, c)."""
        count = len(self.around)
        return [
            result[:, first + self.start * many : first + (self.start + count) * many].reshape(-1, count, many)
            for first, many in self.firsts
        ]


class Patches:
    """The points of a level of an all-quad mesh of which most is regular.

    topology, sharp: of the mesh; levels: how often it is refined; final: the connectivity then; poles: whether faces
    that are irregular for their poles alone have small matrices of their own; wanted: (m,) the faces that count, None
    for all: points of others are zero.
    """

    def __init__(
        self,
        topology: Topology,
        sharp: Sharp,
        levels: int,
        final: Topology,
        poles: bool = False,
        wanted: Booleans | None = None,
    ) -> None:
        self.topology = topology
        self.sharp = sharp
        self.levels = levels
        self.final = final
        self._with_poles = poles
        self._wanted = wanted
        self._groups: dict[tuple[int, int | None], list[Group]] = {}

    @lazy
    def share(self) -> float:
        """How much of what counts is regular, 0 … 1."""
        known = self._regular_faces[~self._left_out]
        return float(known.mean()) if len(known) else 0.0

    def room(self, rows: int) -> Floats:
        """Room for values of the level's points, zero where nobody asks for them: (r, n')."""
        return (np.empty if self._wanted is None else np.zeros)((rows, self.final.n_points))

    def points(self, points: Floats, keep: bool = False, out: Floats | None = None) -> Floats:
        """The level's points: (n, d) → (n', d), coordinate after coordinate in memory, as products land best.

        keep: keeps matrices for the irregular part, for points that change often; out: (d, n') to write into.
        """
        result = self.room(points.shape[1]) if out is None else out
        columns = np.ascontiguousarray(points.T)
        kinds, fans, beside = _weights(self.levels), self.fans, []

        def put(group: Group, room: Floats) -> None:
            seen = gathered(columns, group.around, room)
            for there, weights in zip(group.places_in(result), kinds[group.kind], strict=True):
                np.matmul(seen, weights, out=there)

        def run(left: Iterable[Callable[[Floats], None]]) -> None:
            room = np.empty(len(columns) * GATHERED)
            for one in left:
                one(room)

        work: list[Callable[[Floats], None]] = [partial(put, group) for group in self.groups(GATHERED)]
        if fans is not None:
            # The longest first. It is written over what is regular, so not yet.
            work.insert(0, lambda _: beside.extend(fans.places(points)))
        if self.final.n_points < WORTH_THREADS:
            run(work)
        else:
            # They have nothing to do with each other, and products leave the interpreter free.
            in_two(work, run)
        piece = self.piece
        result[:, piece.targets] = (piece.fast_points if keep else piece.points)(points).T
        if fans is not None:
            for family, places in zip(fans.families, beside, strict=True):
                for row, column in zip(result, places, strict=True):
                    row[family.targets] = column
        bare = self._without_faces
        result[:, bare] = points[bare].T
        return result.T

    def groups(self, controls: int, samples: int | None = None) -> list[Group]:
        """The faces, edges and points in groups of at most so many points around them, and so many samples.

        Samples of irregular faces among them mean nothing and are written over.
        """
        found = self._groups.get((controls, samples))
        if found is None:
            found = self._groups[controls, samples] = list(self._grouped(controls, samples))
        return found

    # Helpers

    def _grouped(self, controls: int, samples: int | None) -> Iterator[Group]:
        blocks, is_regular = self._blocks, self._regular_faces & ~self._left_out
        kinds = (
            (self._face_controls, is_regular, blocks.in_faces),
            (self._edge_controls, is_regular[self._edge_corner // 4], blocks.on_edges),
            (self._point_controls, is_regular[self._point_corner // 4], ((0, 1),)),
        )
        for kind, (around, is_meant, firsts) in enumerate(kinds):
            size = controls // around.shape[1]
            if samples is not None:
                size = min(size, samples // sum(many for _, many in firsts))
            for at in range(0, len(around), size):
                meant = at + np.flatnonzero(is_meant[at : at + size])
                if len(meant):
                    yield Group(kind, around[meant[0] : meant[-1] + 1], int(meant[0]), firsts)

    @lazy
    def _blocks(self) -> Blocks:
        return blocks_of(self.topology.n_points, self.topology.n_edges, self.topology.n_faces, self.levels)

    @lazy
    def _regular_faces(self) -> Booleans:
        return np.asarray(regular_points(self.topology, self.sharp)[self.topology.corners].reshape(-1, 4).all(axis=1))

    @lazy
    def _left_out(self) -> Booleans:
        """Faces that nobody asks for, nor for what they have in common with others: (m,)."""
        topology = self.topology
        if self._wanted is None:
            return np.zeros(topology.n_faces, dtype=np.bool_)
        # A side or point is made from any of its faces.
        beside = topology.faces_of_points(distinct(topology.corners.reshape(-1, 4)[self._wanted]))
        return ~mask_of(beside, topology.n_faces)

    @lazy
    def fans(self) -> Fans | None:
        """The faces that poles alone make irregular, None where there are none."""
        odd = ~(self._regular_faces | self._left_out)
        if not self._with_poles or not odd.any():
            return None
        fan = fan_points(self.topology, self.sharp)[self.topology.corners].reshape(-1, 4).all(axis=1)
        faces = np.flatnonzero(fan & odd)
        return Fans(self.topology, self.sharp, faces, self.levels, self.final) if len(faces) else None

    @lazy
    def _without_faces(self) -> Integers:
        return np.flatnonzero(self.topology.point_face_count == 0)

    @lazy
    def _face_controls(self) -> Integers:
        """The points around each face: (m, 16), as all of these those of some regular face around irregular ones."""
        faces = np.arange(self.topology.n_faces)
        # What is irregular is written over, with whatever comes of any regular face.
        return controls(self.topology, 4 * np.where(self._regular_faces, faces, np.argmax(self._regular_faces)))

    @lazy
    def _edge_controls(self) -> Integers:
        """The points around a face of each edge that carry its side along the edge: (e, 12)."""
        return self._from_corners(self._edge_corner, ON_SIDE)

    @lazy
    def _point_controls(self) -> Integers:
        """The points around a face of each point that carry its corner there: (n, 9)."""
        return self._from_corners(self._point_corner, AT_CORNER)

    def _from_corners(self, corners: Integers, chosen: Integers) -> Integers:
        """Some of the points around the faces of corners, as they come from these corners on: (c, p)."""
        places = CONTROLS * (corners // 4)[:, None] + TURNED[:, chosen][corners % 4]
        return np.asarray(self._face_controls.ravel()[places])

    @lazy
    def _edge_corner(self) -> Integers:
        """For each edge the corner whose half-edge runs along it."""
        topology = self.topology
        first, second = topology.edge_pair.T
        along: Integers = np.where(topology.corner_slot[first] & 1 == 0, first, second)
        return along

    @lazy
    def _point_corner(self) -> Integers:
        corner = np.zeros(self.topology.n_points, dtype=np.int64)
        corner[self.topology.corners] = np.arange(self.topology.n_corners)
        return corner

    @lazy
    def piece(self) -> Piece:
        """The other irregular faces, cut out with what is around them."""
        topology = self.topology
        is_odd = ~(self._regular_faces | self._left_out)
        if self.fans is not None:
            is_odd[self.fans.faces] = False
        odd = np.flatnonzero(is_odd)
        around = topology.faces_of_points(distinct(topology.corners.reshape(-1, 4)[odd]))
        return _piece(topology, self.sharp, odd, around, self.levels, self.final)


def blocks_of(n_points: int, n_edges: int, n_faces: int, levels: int) -> Blocks:
    """The blocks of new points at a level, from the counts of the mesh.

    Each level numbers old points first, then one per edge, then one per face. Of its edges the halves of the old ones
    come first, then those inside faces, face after face.
    """
    in_faces, on_edges = [], []
    points, per_edge, inner, per_face = n_points, 1, 0, 1
    for _ in range(levels):
        # Edges: the parts of the mesh's own edges, then by age those inside its faces.
        on_edges.append((points, per_edge))
        edge_end = points + n_edges * per_edge
        for count in _inner_edges(inner):
            in_faces.append((edge_end, count))
            edge_end += n_faces * count
        in_faces.append((edge_end, per_face))
        points = edge_end + n_faces * per_face
        per_edge, inner, per_face = 2 * per_edge, inner + 1, 4 * per_face
    return Blocks(tuple(in_faces), tuple(on_edges))


def _inner_edges(level: int) -> list[int]:
    """How many edges inside each face a level has, by the level they were born at, oldest first."""
    return [4**born * 2 ** (level - born) for born in range(1, level + 1)]


# Helpers


@dataclass(frozen=True, eq=False)
class Piece:
    """Irregular faces with their neighbours as a mesh of their own, refined.

    topology, sharp: of that mesh; used: the points it consists of; sources: its points at the end that are wanted;
    targets: their numbers. own_corners, final_corners: the corners of what became of the irregular faces, in the piece
    and in the whole.
    """

    topology: Topology
    sharp: Sharp
    used: Integers
    steps: tuple[Step, ...]
    sources: Integers
    targets: Integers
    own_corners: Integers
    final_corners: Integers

    def points(self, points: Floats) -> Floats:
        """Where the wanted points are: (n, 3)."""
        local = points[self.used]
        for step in self.steps:
            local = step.points(local)
        return np.asarray(local[self.sources])

    def fast_points(self, points: Floats) -> Floats:
        """The same by a matrix that is kept."""
        return np.asarray(self._stencils @ points[self.used])

    @lazy
    def _stencils(self) -> csr_array:
        product = self.steps[0].matrix
        for step in self.steps[1:]:
            product = step.matrix @ product
        return product[self.sources]


def _piece(topology: Topology, sharp: Sharp, odd: Integers, faces: Integers, levels: int, final: Topology) -> Piece:
    piece, used, local = cut_out(topology, faces, sharp)
    start, local_at_start = piece, local
    steps = []
    for _ in range(levels):
        step = refine(piece, local)
        steps.append(step)
        piece, local = step.child, step.sharp
    # What came from a face is a block of faces at every level, laid out alike in the piece and in the whole.
    per_face = 4**levels
    place = inverse_of(faces, topology.n_faces)[odd]
    sizes = np.full(len(odd), 4 * per_face)
    own_corners, final_corners = ranges(4 * per_face * place, sizes), ranges(4 * per_face * odd, sizes)
    targets, first = np.unique(final.corners[final_corners], return_index=True)
    sources = piece.corners[own_corners[first]]
    return Piece(start, local_at_start, used, tuple(steps), sources, targets, own_corners, final_corners)


@cache
def _weights(levels: int) -> tuple[tuple[Floats, ...], ...]:
    """What the points around a face weigh in each block of it: (16, c), of its first side: (12, c), at its first
    corner: (9, 1).
    """
    grid, face, refined = _refined_grid(levels, np.eye(CONTROLS))
    inside, side, corner = _blocks_of_face(grid, face, levels, refined[:, controls(grid, np.array([4 * face]))[0]])
    return (
        tuple(np.ascontiguousarray(block.T) for block in inside),
        tuple(np.ascontiguousarray(block.T[ON_SIDE]) for block in side),
        (np.ascontiguousarray(corner.T[AT_CORNER]),),
    )


@cache
def grid_samples(levels: int) -> tuple[Floats, tuple[list[Floats], list[Floats], Floats]]:
    """Where the samples of a regular face lie on the grid of the sixteen points around it, whose face is 1 … 2 wide.

    Returns where these points are, in the order of controls(): (16, 2), whole numbers; and the samples of each block
    inside the face, (c, 2), of each block on its first side, and its first point.
    """
    places = np.stack(np.divmod(np.arange(16), 4), axis=1)[:, ::-1].astype(np.float64)
    grid, face, refined = _refined_grid(levels, places)
    return places[controls(grid, np.array([4 * face]))[0]], _blocks_of_face(grid, face, levels, refined)


def _blocks_of_face(
    grid: Topology, face: int, levels: int, values: Floats
) -> tuple[list[Floats], list[Floats], Floats]:
    """The values (n', d) of each block inside a face, of each block on its first side, and of its first point."""
    blocks = blocks_of(grid.n_points, grid.n_edges, grid.n_faces, levels)
    return (
        [values[a + face * c : a + (face + 1) * c] for a, c in blocks.in_faces],
        [_of_side(grid, values, 4 * face, a, c) for a, c in blocks.on_edges],
        values[grid.corners[4 * face]][None],
    )


def _refined_grid(levels: int, values: Floats) -> tuple[Topology, int, Floats]:
    """A grid of nine faces, the one in the middle, and values (16, d) of its points refined by the rules themselves."""
    corner = np.arange(3)[:, None] * 4 + np.arange(3)
    quads = np.stack((corner, corner + 1, corner + 5, corner + 4), axis=2).reshape(-1)
    grid = Topology(np.arange(0, 37, 4), quads, 16)
    none = np.zeros(0, dtype=np.int64)
    rim = np.flatnonzero(grid.open_edges)
    topology, sharp = grid, Sharp(rim, np.full(len(rim), np.inf), none, np.zeros(0))
    for _ in range(levels):
        step = refine(topology, sharp)
        values = step.points(values)
        topology, sharp = step.child, step.sharp
    middle = grid.valence == 4
    return grid, int(np.flatnonzero(middle[grid.corners].reshape(-1, 4).all(axis=1))[0]), values


def _of_side(grid: Topology, values: Floats, corner: int, first: int, size: int) -> Floats:
    """The values of a block's samples on the side of a face that starts at a corner."""
    edge = int(grid.corner_edge[corner])
    rows = values[first + edge * size : first + (edge + 1) * size]
    # Against an edge its halves change places; within each they count from the end.
    return np.roll(rows, size // 2, axis=0) if grid.corner_slot[corner] & 1 else rows
