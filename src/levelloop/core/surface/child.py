"""The connectivity of a refined mesh: all quads, and everything about it follows from its parent by arithmetic.

Points: the parent's first, then one per edge, then one per face. Edges: 2e at edges[e, 0] and 2e + 1 at the other end
of parent edge e, then one per parent corner, from the point of its edge to the point of its face. Faces: one per
parent corner, starting at the corner's point. So nothing is ever sorted, and only what is asked for is made.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Integers, frozen
from levelloop.core.lazy import lazy
from levelloop.core.mesh.topology import Topology


def before(topology: Topology, values: Integers) -> Integers:
    """For each corner the value of the corner before it in its face: (k,)."""
    if not isinstance(topology, ChildTopology):
        return values[topology.previous_corner]
    result = np.empty_like(values)
    ours, theirs = result.reshape(-1, 4), values.reshape(-1, 4)
    ours[:, 1:] = theirs[:, :3]
    ours[:, 0] = theirs[:, 3]
    return result


def at_corners(topology: Topology, values: Integers) -> Integers:
    """For each corner the value of its face: (k,)."""
    if isinstance(topology, ChildTopology):
        return np.repeat(values, 4)
    return values[topology.corner_face]


class ChildTopology(Topology):
    """The connectivity after one split of every face of a parent into quads."""

    parent: Topology

    def __init__(self, parent: Topology) -> None:
        n, e, k = parent.n_points, parent.n_edges, parent.n_corners
        edge_point = n + parent.corner_edge
        corners = np.empty((k, 4), dtype=np.int64)
        corners[:, 0] = parent.corners
        corners[:, 1] = edge_point
        corners[:, 2] = at_corners(parent, np.arange(n + e, n + e + parent.n_faces))
        corners[:, 3] = before(parent, edge_point)
        self.parent = parent
        self.face_offsets = frozen(np.arange(0, 4 * k + 1, 4))
        self.corners = frozen(corners.reshape(-1))
        self.n_points = n + e + parent.n_faces

    @property
    def n_edges(self) -> int:
        """Two halves of every parent edge, and one edge per parent corner."""
        return 2 * self.parent.n_edges + self.parent.n_corners

    @lazy
    def face_sizes(self) -> Integers:
        """Four everywhere: (m,)."""
        return frozen(np.full(self.n_faces, 4, dtype=np.int64))

    @lazy
    def corner_face(self) -> Integers:
        """The face of each corner: (k,)."""
        return frozen(np.arange(4 * self.n_faces) >> 2)

    @lazy
    def next_corner(self) -> Integers:
        """The corner after each corner in its face: (k,)."""
        corner = np.arange(4 * self.n_faces)
        return frozen((corner & ~3) | ((corner + 1) & 3))

    @lazy
    def previous_corner(self) -> Integers:
        """The corner before each corner in its face: (k,)."""
        corner = np.arange(4 * self.n_faces)
        return frozen((corner & ~3) | ((corner + 3) & 3))

    def _derived_edges(self) -> tuple[Integers, Integers]:
        parent = self.parent
        n, e, k = parent.n_points, parent.n_edges, parent.n_corners
        own_half = parent.corner_slot  # the half of a corner's edge that is at its own point
        inner = np.arange(2 * e, 2 * e + k)
        corner_edge = np.empty((k, 4), dtype=np.int64)
        corner_edge[:, 0] = own_half
        corner_edge[:, 1] = inner
        corner_edge[:, 2] = before(parent, inner)
        corner_edge[:, 3] = before(parent, own_half ^ 1)
        edges = np.empty((2 * e + k, 2), dtype=np.int64)
        edges[: 2 * e, 0] = parent.edges.ravel()
        edges[: 2 * e, 1] = np.repeat(n + np.arange(e), 2)
        edges[2 * e :, 0] = n + parent.corner_edge
        edges[2 * e :, 1] = at_corners(parent, np.arange(n + e, n + e + parent.n_faces))
        self.__dict__["edges"], self.__dict__["corner_edge"] = frozen(edges), frozen(corner_edge.reshape(-1))
        return edges, corner_edge.reshape(-1)

    @lazy
    def edge_face_count(self) -> Integers:
        """Halves have the faces of their edge; inner edges have two: (e,)."""
        count = np.full(self.n_edges, 2, dtype=np.int64)
        count[: 2 * self.parent.n_edges] = np.repeat(self.parent.edge_face_count, 2)
        return frozen(count)

    @lazy
    def edge_pair(self) -> Integers:
        """The first two corners whose half-edges lie on each edge, −1 where there is none: (e, 2)."""
        parent = self.parent
        e, k = parent.n_edges, parent.n_corners
        pair = np.empty((2 * e + k, 2), dtype=np.int64)
        # An inner edge lies on side 1 of its own corner's child and on side 2 of the next one's.
        pair[2 * e :, 0] = 4 * np.arange(k) + 1
        pair[2 * e :, 1] = 4 * parent.next_corner + 2
        for column in (0, 1):
            corner = parent.edge_pair[:, column]
            # The half at a corner's own point is side 0 of its child, the other half side 3 of the next one's.
            own = np.where(corner >= 0, 4 * corner, -1)
            other = np.where(corner >= 0, 4 * parent.next_corner[corner] + 3, -1)
            backwards = parent.corner_slot[corner] & 1 if parent.n_corners else corner
            pair[0 : 2 * e : 2, column] = np.where(backwards == 0, own, other)
            pair[1 : 2 * e : 2, column] = np.where(backwards == 0, other, own)
        return frozen(pair)

    @lazy
    def valence(self) -> Integers:
        """Edges that meet at each point: (n,)."""
        parent = self.parent
        return frozen(np.concatenate((parent.valence, 2 + parent.edge_face_count, parent.face_sizes)))

    @lazy
    def point_face_count(self) -> Integers:
        """Faces that meet at each point: (n,)."""
        parent = self.parent
        return frozen(np.concatenate((parent.point_face_count, 2 * parent.edge_face_count, parent.face_sizes)))

    @lazy
    def half_faces(self) -> Integers:
        """The two faces beside each half of each parent edge; the same twice where there is one: (e, 2, 2)."""
        pair = self.edge_pair[: 2 * self.parent.n_edges].reshape(-1, 2, 2)
        return frozen(np.where(pair >= 0, pair, pair[:, :, :1]) >> 2)
