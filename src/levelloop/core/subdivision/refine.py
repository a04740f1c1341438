"""One Catmull-Clark step: every n-sided face becomes n quads.

New points are numbered: the old points first, then one per edge, then one per face. Children of edge e are edges
2e (at edges[e, 0]) and 2e + 1; after those comes one edge per corner, from the edge's point to the face's. The
child of corner c is face c and starts at the corner's point. So everything a child needs to know about its
connectivity follows from its parent by arithmetic; nothing is sorted.

Rules: Catmull & Clark 1978; semi-sharp creases and corners: DeRose, Kass & Truong 1998, section 4.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, sum_by
from levelloop.core.measure.faces import face_centres
from levelloop.core.mesh import SHARPNESS_NEVER_FADES
from levelloop.core.topology import Topology

if TYPE_CHECKING:
    from scipy.sparse import csr_array


@dataclass(frozen=True, eq=False)
class Step:
    """One refinement: the parent, its child, and the weights of the rules, ready for any points.

    creases: (e,), corner_sharpness: (n,) of the child. The rest are weights on the parent: sharp_edge (e,) is how
    far an edge point is its edge's middle; of a point its own weight (n,), and the weight of each end of each edge
    for the point at the other end (e, 2), and of each face's middle for the point (n,).
    """

    parent: Topology
    child: Topology
    creases: Floats
    corner_sharpness: Floats
    sharp_edge: Floats
    own: Floats
    other_end: Floats
    face_middle: Floats

    def points(self, points: Floats) -> Floats:
        """The child's points for the parent's: (n, 3) → (n', 3)."""
        parent = self.parent
        centres = face_centres(parent, points)
        ends = points[parent.edges]
        middles = 0.5 * (ends[:, 0] + ends[:, 1])
        smooth = 1.0 - self.sharp_edge
        faces = parent.edge_faces
        beside = 0.5 * (centres[faces[:, 0]] + centres[faces[:, 1]])
        edge_points = middles + (0.5 * smooth)[:, None] * (beside - middles)
        moved = points * self.own[:, None]
        moved += sum_by(parent.edges[:, 0], ends[:, 1] * self.other_end[:, :1], parent.n_points)
        moved += sum_by(parent.edges[:, 1], ends[:, 0] * self.other_end[:, 1:], parent.n_points)
        around = sum_by(parent.corners, centres[parent.corner_face], parent.n_points)
        moved += around * self.face_middle[:, None]
        return np.concatenate((moved, edge_points, centres))

    def matrix(self) -> csr_array:
        """The same as a sparse matrix: (n', n)."""
        from scipy.sparse import csr_array, vstack

        parent = self.parent
        n, e, m = parent.n_points, parent.n_edges, parent.n_faces
        ones = np.repeat(1.0 / parent.face_sizes, parent.face_sizes)
        to_faces = csr_array((ones, parent.corners, parent.face_offsets), shape=(m, n))
        edge = np.arange(e)
        half = 0.5 - 0.25 * (1.0 - self.sharp_edge)
        edge_rows = csr_array((np.repeat(half, 2), parent.edges.ravel(), np.arange(0, 2 * e + 1, 2)), shape=(e, n))
        quarter = np.repeat(0.25 * (1.0 - self.sharp_edge), 2)
        faces = parent.edge_faces.ravel()
        used = quarter > 0
        edge_to_faces = csr_array((quarter[used], (np.repeat(edge, 2)[used], faces[used])), shape=(e, m))
        rows = np.concatenate((np.arange(n), parent.edges[:, 0], parent.edges[:, 1]))
        columns = np.concatenate((np.arange(n), parent.edges[:, 1], parent.edges[:, 0]))
        weights = np.concatenate((self.own, self.other_end[:, 0], self.other_end[:, 1]))
        point_rows = csr_array((weights, (rows, columns)), shape=(n, n))
        point_to_faces = csr_array(
            (self.face_middle[parent.corners], (parent.corners, parent.corner_face)), shape=(n, m)
        )
        stacked = vstack(
            (point_rows + point_to_faces @ to_faces, edge_rows + edge_to_faces @ to_faces, to_faces), format="csr"
        )
        return csr_array(stacked)


def refine(topology: Topology, creases: Floats, corner_sharpness: Floats) -> Step:
    """Prepares one Catmull-Clark step of a mesh of any-sided faces.

    creases: (e,), corner_sharpness: (n,), 0 … 10. Open and non-manifold edges are always sharp, and so is a
    point with only one face. Points without faces stay where they are.
    """
    is_seam = topology.edge_face_count != 2
    never = np.inf
    sharp = np.where(is_seam | (creases >= SHARPNESS_NEVER_FADES), never, creases)
    lone = topology.point_face_count <= 1
    corner = np.where(lone | (corner_sharpness >= SHARPNESS_NEVER_FADES), never, corner_sharpness)
    later, corner_later = np.maximum(sharp - 1.0, 0.0), np.maximum(corner - 1.0, 0.0)
    own, other_end, face_middle = _point_weights(topology, sharp, later, corner, corner_later)
    child = _child(topology)
    child_creases = np.zeros(child.n_edges)
    faded = np.where(np.isinf(later), SHARPNESS_NEVER_FADES, later)
    child_creases[: 2 * topology.n_edges] = np.repeat(np.where(is_seam, 0.0, faded), 2)
    child_corners = np.zeros(child.n_points)
    child_corners[: topology.n_points] = np.where(np.isinf(corner_later), SHARPNESS_NEVER_FADES, corner_later)
    return Step(topology, child, child_creases, child_corners, np.minimum(sharp, 1.0), own, other_end, face_middle)


# Helpers


def _point_weights(
    topology: Topology, sharp: Floats, later: Floats, corner: Floats, corner_later: Floats
) -> tuple[Floats, Floats, Floats]:
    """Weights of a point's own place, of the other end of each of its edges, of its faces' middles."""
    n = topology.n_points
    ends = topology.edges

    def at_points(values: Floats | Booleans) -> Floats:
        doubled = values.astype(np.float64)
        return np.asarray(np.bincount(ends[:, 0], doubled, n) + np.bincount(ends[:, 1], doubled, n), dtype=np.float64)

    before, after = at_points(sharp > 0), at_points(later > 0)
    fixed = topology.point_face_count == 0
    is_corner = fixed | (corner > 0) | (before >= 3)
    is_crease = ~is_corner & (before == 2)
    becomes_corner = fixed | (corner_later > 0) | (after >= 3)
    becomes_crease = ~becomes_corner & (after == 2)
    # Where the rule changes, the share of the old one is the mean of the sharpnesses that end here.
    ending = (sharp > 0) & (later == 0)
    corner_ending = (corner > 0) & (corner_later == 0)
    ended = at_points(ending) + corner_ending
    total = at_points(np.where(ending, sharp, 0.0)) + np.where(corner_ending, corner, 0.0)
    share = np.minimum(np.divide(total, ended, out=np.zeros(n), where=ended > 0), 1.0)
    changes = (is_corner != becomes_corner) | (is_crease != becomes_crease)
    share = np.where(changes, share, 1.0)
    as_corner = share * is_corner + (1.0 - share) * becomes_corner
    crease_before, crease_after = share * is_crease, (1.0 - share) * becomes_crease
    as_smooth = 1.0 - as_corner - crease_before - crease_after
    valence = np.maximum(topology.valence, 1).astype(np.float64)
    faces = np.maximum(topology.point_face_count, 1).astype(np.float64)
    own = as_corner + 0.75 * (crease_before + crease_after) + as_smooth * (valence - 2.0) / valence
    on_smooth = as_smooth / valence**2
    other_end = on_smooth[ends] + 0.125 * (
        crease_before[ends] * (sharp > 0)[:, None] + crease_after[ends] * (later > 0)[:, None]
    )
    return own, other_end, as_smooth / (valence * faces)


def _child(parent: Topology) -> Topology:
    n, e, k = parent.n_points, parent.n_edges, parent.n_corners
    before = parent.previous_corner
    edge = parent.corner_edge
    far_half = parent.corner_slot & 1  # which half of its edge is at the corner's point
    corners = np.empty((k, 4), dtype=np.int64)
    corners[:, 0] = parent.corners
    corners[:, 1] = n + edge
    corners[:, 2] = n + e + parent.corner_face
    corners[:, 3] = n + edge[before]
    corner_edge = np.empty((k, 4), dtype=np.int64)
    corner_edge[:, 0] = 2 * edge + far_half
    corner_edge[:, 1] = 2 * e + np.arange(k)
    corner_edge[:, 2] = 2 * e + before
    corner_edge[:, 3] = 2 * edge[before] + (1 - far_half[before])
    edges = np.empty((2 * e + k, 2), dtype=np.int64)
    edges[: 2 * e, 0] = parent.edges.ravel()
    edges[: 2 * e, 1] = np.repeat(n + np.arange(e), 2)
    edges[2 * e :, 0] = n + edge
    edges[2 * e :, 1] = n + e + parent.corner_face
    count = np.full(2 * e + k, 2, dtype=np.int64)
    count[: 2 * e] = np.repeat(parent.edge_face_count, 2)
    return Topology.derived(
        np.arange(0, 4 * k + 1, 4),
        corners.ravel(),
        n + e + parent.n_faces,
        edges=edges,
        corner_edge=corner_edge.ravel(),
        edge_face_count=count,
        edge_faces=_child_edge_faces(parent, corner_edge),
    )


def _child_edge_faces(parent: Topology, corner_edge: Integers) -> Integers:
    """The first two faces of each child edge, from its parent's corners."""
    e, k = parent.n_edges, parent.n_corners
    faces = np.full((2 * e + k, 2), -1, dtype=np.int64)
    # An inner edge lies between its own corner's child and the next corner's.
    faces[2 * e :, 0] = np.arange(k)
    faces[2 * e :, 1] = parent.next_corner
    first = parent.edge_corners[parent.edge_offsets[:-1]]
    has_second = parent.edge_face_count >= 2
    second = np.full(e, -1, dtype=np.int64)
    second[has_second] = parent.edge_corners[parent.edge_offsets[:-1][has_second] + 1]
    for column, corner in ((0, first), (1, second)):
        there = corner >= 0
        # The half at a corner's own point belongs to its child; the other half to the next corner's child.
        own_half = corner_edge[corner[there], 0]
        faces[own_half, column] = corner[there]
        faces[own_half ^ 1, column] = parent.next_corner[corner[there]]
    return faces
