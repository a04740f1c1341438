"""Who touches whom in a mesh: faces as corners, and every relation that follows from them.

A *corner* is one place of a face's outline; corner c is also the half-edge that leaves its point for
the next one. A *wire* is an edge that no face has. Legal for open, non-manifold, wrongly oriented and degenerate
meshes alike. All derived
arrays are computed on first use, vectorised, read-only and kept.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

import numpy as np
from numpy.typing import ArrayLike

from levelloop.core.arrays import (
    AnyArray,
    Booleans,
    Integers,
    as_indices,
    distinct,
    frozen,
    group_order,
    inverse_of,
    offsets_from_sizes,
    ranges,
    unique_rows,
)
from levelloop.core.errors import MeshError
from levelloop.core.lazy import lazy
from levelloop.core.mesh import fans, loops, shells

NO_WIRES: Integers = frozen(np.zeros((0, 2), dtype=np.int64))


class Topology:
    """The immutable connectivity of a mesh.

    face_offsets: (m + 1,) where each face's corners start; corners: (k,) point indices; wires: (w, 2) point pairs
    that are edges without being sides of a face.
    Raises MeshError where a face or wire names a point that is not there or a face has fewer than three corners.
    """

    n_points: int
    wires: Integers = NO_WIRES
    _packed: tuple[AnyArray, AnyArray]  # the sizes of the faces and the corners, in as few bytes as they need

    def __init__(
        self, face_offsets: ArrayLike, corners: ArrayLike, n_points: int, wires: ArrayLike | None = None
    ) -> None:
        self.face_offsets = frozen(as_indices(face_offsets))
        self.corners = frozen(as_indices(corners))
        self.n_points = int(n_points)
        _check(self.face_offsets, self.corners, self.n_points)
        if wires is not None:
            pairs = as_indices(wires).reshape(-1, 2)
            if len(pairs) and (pairs.min() < 0 or pairs.max() >= self.n_points or (pairs[:, 0] == pairs[:, 1]).any()):
                raise MeshError(f"A wire joins two of the {self.n_points} points; one names another or the same twice.")
            plain = Topology.derived(self.face_offsets, self.corners, self.n_points)
            self.wires = frozen(_plain_wires(plain, pairs))

    @lazy
    def every(self) -> Integers:
        """The numbers 0, 1, 2 … for as many points, edges or faces as there are: (k,)."""
        return frozen(np.arange(max(self.n_points, self.n_edges, self.n_faces)))

    @lazy
    def face_offsets(self) -> Integers:
        """Where each face's corners start: (m + 1,)."""
        return frozen(offsets_from_sizes(self._packed[0].astype(np.int64)))

    @lazy
    def corners(self) -> Integers:
        """The point of each corner: (k,)."""
        return frozen(self._packed[1].astype(np.int64))

    def forget(self) -> None:
        """Lets go of all that is derived and packs the rest; whoever asks again gets the same."""
        # A child's edges are in its parent's order, not in that of their points.
        if type(self) is not Topology:
            return
        if "_packed" not in self.__dict__:
            sizes, points = self.face_sizes.max(initial=0), self.n_points
            self._packed = (
                self.face_sizes.astype(np.min_scalar_type(sizes)),
                self.corners.astype(np.min_scalar_type(points)),
            )
        # As a list at once: another thread may be working something out just now.
        for name in list(self.__dict__):
            if name not in ("n_points", "wires", "_packed"):
                self.__dict__.pop(name, None)

    @classmethod
    def derived(cls, face_offsets: Integers, corners: Integers, n_points: int) -> Self:
        """A topology without wires from arrays known to be right (not checked, not copied)."""
        topology = cls.__new__(cls)
        topology.face_offsets = frozen(face_offsets)
        topology.corners = frozen(corners)
        topology.n_points = n_points
        return topology

    @classmethod
    def side_by_side(cls, topologies: Sequence[Topology]) -> Topology:
        """Several, elements one after the other; their edges are put together, not looked for again."""
        points = np.cumsum([0, *[one.n_points for one in topologies]])
        corners = np.cumsum([0, *[one.n_corners for one in topologies]])
        at = list(zip(topologies, points, corners, strict=False))
        result = Topology.derived(
            np.concatenate([[0], *[one.face_offsets[1:] + corner for one, _, corner in at]]),
            np.concatenate([one.corners + point for one, point, _ in at]),
            int(points[-1]),
        )
        if any(len(one.wires) for one in topologies):
            return result.with_wires(np.concatenate([one.wires + point for one, point, _ in at]))
        if all(type(one) is Topology for one in topologies):
            edges = np.cumsum([0, *[one.n_edges for one in topologies]])
            offsets = np.concatenate([[0], *[one.edge_offsets[1:] + corner for one, _, corner in at]])
            corner_edge = [one.corner_edge + edge for one, edge in zip(topologies, edges, strict=False)]
            result.__dict__["edges"] = frozen(np.concatenate([one.edges + point for one, point, _ in at]))
            result.__dict__["corner_edge"] = frozen(np.concatenate(corner_edge))
            by_edge = np.concatenate([one.edge_corners + corner for one, _, corner in at])
            result.__dict__["_corners_by_edge"] = frozen(by_edge), frozen(offsets)
        return result

    def with_wires(self, pairs: Integers) -> Topology:
        """The same faces with other wires; pairs that a face has, double or degenerate ones are left out."""
        wires = _plain_wires(self.faces_only, pairs)
        if len(wires) == 0:
            return self.faces_only
        result = Topology.derived(self.face_offsets, self.corners, self.n_points)
        result.wires = frozen(wires)
        return result

    @lazy
    def faces_only(self) -> Topology:
        """The same without wires; itself where there are none."""
        if len(self.wires) == 0:
            return self
        return Topology.derived(self.face_offsets, self.corners, self.n_points)

    # Counts

    @property
    def n_faces(self) -> int:
        """How many faces there are."""
        return len(self.face_offsets) - 1

    @property
    def n_corners(self) -> int:
        """How many corners all faces have together."""
        return len(self.corners)

    @property
    def n_edges(self) -> int:
        """How many edges there are."""
        return len(self.edges)

    # Corners

    @lazy
    def face_sizes(self) -> Integers:
        """Sides of each face: (m,)."""
        return frozen(np.diff(self.face_offsets))

    @lazy
    def sides(self) -> int:
        """How many sides every face has, 0 where they differ or there are none."""
        sizes = self.face_sizes
        return int(sizes[0]) if len(sizes) and bool((sizes == sizes[0]).all()) else 0

    @lazy
    def corner_face(self) -> Integers:
        """The face of each corner: (k,)."""
        return frozen(np.repeat(np.arange(self.n_faces), self.face_sizes))

    @lazy
    def next_corner(self) -> Integers:
        """The corner after each corner in its face: (k,)."""
        following = np.arange(1, self.n_corners + 1)
        following[self.face_offsets[1:] - 1] = self.face_offsets[:-1]
        return frozen(following)

    @lazy
    def previous_corner(self) -> Integers:
        """The corner before each corner in its face: (k,)."""
        before = np.arange(-1, self.n_corners - 1)
        before[self.face_offsets[:-1]] = self.face_offsets[1:] - 1
        return frozen(before)

    @lazy
    def corner_end(self) -> Integers:
        """The point that each corner's half-edge leads to: (k,)."""
        return frozen(self.corners[self.next_corner])

    # Edges

    @lazy
    def edges(self) -> Integers:
        """Point pairs, the lower index first, sorted: (e, 2)."""
        return self._derived_edges()[0]

    @lazy
    def corner_edge(self) -> Integers:
        """The edge that each corner's half-edge lies on: (k,)."""
        return self._derived_edges()[1]

    def _derived_edges(self) -> tuple[Integers, Integers]:
        start, end = self.corners, self.corner_end
        if len(self.wires):
            start, end = np.concatenate((start, self.wires[:, 0])), np.concatenate((end, self.wires[:, 1]))
        low, high = np.minimum(start, end), np.maximum(start, end)
        key = low * max(1, self.n_points) + high
        order = np.argsort(key, kind="stable")
        ordered = key[order]
        first = np.ones(len(key), dtype=np.bool_)
        np.not_equal(ordered[1:], ordered[:-1], out=first[1:])
        corner_edge = np.empty(len(key), dtype=np.int64)
        corner_edge[order] = np.cumsum(first) - 1
        starts = np.flatnonzero(first)
        shown = order[starts]
        edges = frozen(np.stack((low[shown], high[shown]), axis=1))
        if len(self.wires):
            corner_edge = corner_edge[: self.n_corners].copy()
        else:
            # Sorted by their keys, corners are sorted by their edges.
            self.__dict__["_corners_by_edge"] = frozen(order), frozen(np.append(starts, len(key)))
        self.__dict__["edges"], self.__dict__["corner_edge"] = edges, frozen(corner_edge)
        return edges, corner_edge

    @lazy
    def corner_slot(self) -> Integers:
        """Each corner's half-edge as a directed edge: 2·edge, plus 1 where it runs against the edge: (k,)."""
        return frozen(2 * self.corner_edge + (self.corners != self.edges[self.corner_edge, 0]))

    @lazy
    def _corners_by_edge(self) -> tuple[Integers, Integers]:
        order, offsets = group_order(self.corner_edge, self.n_edges)
        return frozen(order), frozen(offsets)

    @property
    def edge_corners(self) -> Integers:
        """All corners, sorted by their edge: (k,). Runs start at edge_offsets."""
        return self._corners_by_edge[0]

    @property
    def edge_offsets(self) -> Integers:
        """Where each edge's run in edge_corners starts: (e + 1,)."""
        return self._corners_by_edge[1]

    @lazy
    def edge_face_count(self) -> Integers:
        """How many faces meet at each edge: (e,). None: a wire. One: open. More than two: non-manifold."""
        return frozen(np.diff(self.edge_offsets))

    @lazy
    def edge_pair(self) -> Integers:
        """The first two corners whose half-edges lie on each edge, −1 where there is none: (e, 2)."""
        pair = np.full((self.n_edges, 2), -1, dtype=np.int64)
        order, offsets = self.edge_corners, self.edge_offsets
        if len(self.wires):
            there = self.edge_face_count >= 1
            pair[there, 0] = order[offsets[:-1][there]]
        else:
            pair[:, 0] = order[offsets[:-1]]
        second = self.edge_face_count >= 2
        pair[second, 1] = order[offsets[:-1][second] + 1]
        return frozen(pair)

    @lazy
    def edge_faces(self) -> Integers:
        """The first two faces of each edge, −1 where there is none: (e, 2)."""
        pair = self.edge_pair
        if self.n_faces == 0:
            return frozen(np.full(pair.shape, -1, dtype=np.int64))
        return frozen(np.where(pair >= 0, self.corner_face[pair], -1))

    @lazy
    def open_edges(self) -> Booleans:
        """Edges with one face only: (e,)."""
        return frozen(self.edge_face_count == 1)

    @lazy
    def wire_edges(self) -> Booleans:
        """Edges that no face has: (e,)."""
        return frozen(self.edge_face_count == 0)

    @lazy
    def twin(self) -> Integers:
        """The corner whose half-edge runs the other way on the same edge: (k,).

        −1 on open and non-manifold edges and where the two faces disagree about direction.
        """
        twin = np.full(self.n_corners, -1, dtype=np.int64)
        two = self.edge_face_count == 2
        pairs = self.edge_pair if two.all() else self.edge_pair[two]
        opposed = self.corners[pairs[:, 0]] != self.corners[pairs[:, 1]]
        a, b = (pairs if opposed.all() else pairs[opposed]).T
        twin[a], twin[b] = b, a
        return frozen(twin)

    @lazy
    def around(self) -> Integers:
        """The next corner at the same point, counter-clockwise seen from outside: (k,), −1 at a gap."""
        return frozen(self.twin[self.previous_corner])

    # Points

    @lazy
    def valence(self) -> Integers:
        """Edges that meet at each point: (n,)."""
        return frozen(np.bincount(self.edges.ravel(), minlength=self.n_points))

    @lazy
    def point_face_count(self) -> Integers:
        """Faces that meet at each point: (n,)."""
        return frozen(np.bincount(self.corners, minlength=self.n_points))

    @lazy
    def open_points(self) -> Booleans:
        """Points on an open edge: (n,)."""
        mask = np.zeros(self.n_points, dtype=np.bool_)
        mask[self.edges[self.open_edges].ravel()] = True
        return frozen(mask)

    @lazy
    def corners_by_point(self) -> tuple[Integers, Integers]:
        """All corners sorted by their point, and where each point's run starts: (k,), (n + 1,)."""
        order, offsets = group_order(self.corners, self.n_points)
        return frozen(order), frozen(offsets)

    @lazy
    def point_rings(self) -> tuple[Integers, Integers, Booleans]:
        """Corners around points, counter-clockwise seen from outside, fan after fan.

        Returns the corners (k,), where each fan starts (f + 1,), and whether it comes back to its start (f,).
        Fans are sorted by their point; a point has several where separate fans of faces touch in it.
        """
        return fans.point_rings(self)

    @lazy
    def boundary_chains(self) -> tuple[Integers, Integers, Booleans]:
        """The boundaries: open half-edges one after the other, as their faces run.

        Returns corners (o,), chain after chain, where each chain starts (c + 1,), and whether it closes (c,). At the
        end of a half-edge the next is found by walking through the fan it belongs to, so that fans that touch in a
        point keep to themselves. A chain ends where the faces beside it disagree about direction.
        """
        return fans.boundary_chains(self)

    def faces_of_points(self, points: Integers) -> Integers:
        """The faces that touch any of the points, sorted: (f,)."""
        order, offsets = self.corners_by_point
        return distinct(self.corner_face[order[ranges(offsets[points], np.diff(offsets)[points])]])

    # Loops, rings, shells

    @lazy
    def continuation(self) -> Integers:
        """For each edge beyond each of its ends, the edge that continues it there: (2e,), −1 at an end.

        Entry 2·edge is for the end at edges[edge, 0], 2·edge + 1 for the other. Inside, an edge goes on
        where four edges and four faces meet; an open edge goes on along the boundary, a wire along wires.
        """
        return loops.continuation(self)

    @lazy
    def loop_label(self) -> Integers:
        """The edge loop that each edge belongs to: (e,)."""
        return loops.loop_label(self)

    @lazy
    def ring_label(self) -> Integers:
        """The directed ring of each directed edge: (2e,); entry 2·edge for the edge's own direction.

        Directed edges across a quad from each other, pointing the same way, belong together. Where both
        directions of an edge carry one label, the ring has only one side (a Möbius strip).
        """
        return loops.ring_label(self)

    @lazy
    def _shells(self) -> tuple[int, Integers]:
        return shells.shells(self)

    @property
    def n_shells(self) -> int:
        """How many groups of faces are joined edge to edge."""
        return self._shells[0]

    @property
    def shell_label(self) -> Integers:
        """The shell of each face: (m,)."""
        return self._shells[1]

    @lazy
    def orientation(self) -> tuple[Booleans, Booleans]:
        """Which faces to flip so that each shell agrees with its first face: (m,); and which shells can't: (s,).

        Faces beside each other agree where they run along their common edge in opposite directions.
        """
        return shells.orientation(self)

    @lazy
    def sheet_label(self) -> Integers:
        """Groups of faces joined over manifold edges only, within which direction can be compared: (m,)."""
        return shells.sheet_label(self)

    # Looking up

    def find_edges(self, pairs: ArrayLike) -> Integers:
        """The edge between each pair of points, −1 where there is none. pairs: (n, 2) → (n,)."""
        wanted = np.asarray(pairs, dtype=np.int64).reshape(-1, 2)
        if self.n_edges == 0 or len(wanted) == 0:
            return np.full(len(wanted), -1, dtype=np.int64)
        base = max(1, self.n_points)
        keys = self._edge_keys
        # By columns: reducing rows of two is twenty times slower.
        low, high = np.minimum(wanted[:, 0], wanted[:, 1]), np.maximum(wanted[:, 0], wanted[:, 1])
        key = low * base + high
        valid = (low >= 0) & (high < self.n_points)
        order = self._edge_order
        place = np.minimum(np.searchsorted(keys, key, sorter=order), self.n_edges - 1)
        found = place if order is None else order[place]
        return np.where(valid & (keys[found] == key), found, -1)

    @lazy
    def _edge_keys(self) -> Integers:
        low, high = np.minimum(*self.edges.T), np.maximum(*self.edges.T)
        return frozen(low * max(1, self.n_points) + high)

    @lazy
    def _edge_order(self) -> Integers | None:
        """The edges sorted by their keys; None where they are already, as all but those of refined meshes."""
        keys = self._edge_keys
        if (keys[1:] >= keys[:-1]).all():
            return None
        return frozen(np.argsort(keys, kind="stable"))

    def face(self, index: int) -> Integers:
        """The points of one face, in order: (k,)."""
        return self.corners[self.face_offsets[index] : self.face_offsets[index + 1]]

    def corners_of_faces(self, faces: Integers) -> Integers:
        """The corners of the given faces, face after face: (k,)."""
        if self.sides:
            return np.asarray(self.sides * faces[:, None] + np.arange(self.sides)).ravel()
        return ranges(self.face_offsets[:-1][faces], self.face_sizes[faces])

    def euler_number(self) -> int:
        """Points − edges + faces, counting only points and edges that a face uses (Euler 1758)."""
        return int((self.point_face_count > 0).sum()) - self.faces_only.n_edges + self.n_faces


def topology_of_faces(faces: list[list[int]], n_points: int) -> Topology:
    """A topology from plain lists of point indices; for readers and forms with few faces."""
    sizes = np.array([len(face) for face in faces], dtype=np.int64)
    corners = np.array([point for face in faces for point in face], dtype=np.int64)
    return Topology(offsets_from_sizes(sizes), corners, n_points)


def compact(keep: Booleans) -> Integers:
    """New numbers for kept elements in their old order, −1 for the others: (n,)."""
    return inverse_of(np.flatnonzero(keep), len(keep))


def _plain_wires(faces: Topology, pairs: Integers) -> Integers:
    """Each pair once, without those that join a point to itself or that a face has."""
    ordered = unique_rows(np.sort(pairs.reshape(-1, 2), axis=1))[0]
    ordered = ordered[ordered[:, 0] != ordered[:, 1]]
    free: Integers = ordered[faces.find_edges(ordered) < 0]
    return free


def _check(face_offsets: Integers, corners: Integers, n_points: int) -> None:
    if len(face_offsets) == 0 or face_offsets[0] != 0 or face_offsets[-1] != len(corners):
        raise MeshError("Face offsets must start at 0 and end at the number of corners.")
    sizes = np.diff(face_offsets)
    if len(sizes) and sizes.min() < 3:
        face = int(np.argmax(sizes < 3))
        raise MeshError(f"Face {face} has {sizes[face]} corners; a face needs at least 3.")
    outside = (corners < 0) | (corners >= n_points)
    if outside.any():
        corner = int(np.argmax(outside))
        face = int(np.searchsorted(face_offsets, corner, side="right")) - 1
        raise MeshError(f"Face {face} names point {corners[corner]}, but there are only {n_points} points.")
