"""One Catmull-Clark step: the rules, as weights that serve any points.

Rules: Catmull & Clark 1978; semi-sharp creases and corners: DeRose, Kass & Truong 1998, section 4; triangles: OpenUSD's
triangleSubdivisionRule "smooth", its weight as the C++ reference library has it (checked against that in the tests).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, difference, distinct, inverse_of, offsets_from_sizes
from levelloop.core.lazy import lazy
from levelloop.core.mesh.mesh import Boundary, CreaseRule
from levelloop.core.mesh.tags import SHARPNESS_NEVER_FADES
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.child import ChildTopology
from levelloop.core.values import dataclass

if TYPE_CHECKING:
    from scipy.sparse import csr_array


@dataclass(frozen=True, eq=False)
class Sharp:
    """What is sharp, and nothing else: edges (c,) and points (p,) with their sharpness.

    Infinite where it never fades; open edges, and with edgeAndCorner points of one face, are among them.
    """

    edges: Integers
    edge_sharpness: Floats
    points: Integers
    point_sharpness: Floats

    def creases(self, count: int) -> Floats:
        """As crease sharpness of every edge, 0 … 10: (e,)."""
        result = np.zeros(count)
        result[self.edges] = np.minimum(self.edge_sharpness, SHARPNESS_NEVER_FADES)
        return result

    def corners(self, count: int) -> Floats:
        """As corner sharpness of every point, 0 … 10: (n,)."""
        result = np.zeros(count)
        result[self.points] = np.minimum(self.point_sharpness, SHARPNESS_NEVER_FADES)
        return result


def sharp_of(
    topology: Topology, creases: Floats, corner_sharpness: Floats, boundary: Boundary = "edgeAndCorner"
) -> Sharp:
    """What is sharp on a mesh by its tags and its shape.

    creases: (e,), corner_sharpness: (n,), 0 … 10. Open and non-manifold edges are always sharp; for edgeAndCorner a
    point with only one face is too.
    """
    sharp = np.where((topology.edge_face_count != 2) | (creases >= SHARPNESS_NEVER_FADES), np.inf, creases)
    corner = np.where(corner_sharpness >= SHARPNESS_NEVER_FADES, np.inf, corner_sharpness)
    if boundary == "edgeAndCorner":
        corner = np.where(topology.point_face_count == 1, np.inf, corner)
    edges, points = np.flatnonzero(sharp > 0), np.flatnonzero(corner > 0)
    return Sharp(edges, sharp[edges], points, corner[points])


@dataclass(frozen=True, eq=False)
class Step:
    """One refinement: parent, child, what is sharp on the child, and the weights of the rules on the parent.

    edge_faces_weight: (e,) of the sum of the two faces' middles in an edge's point, whose ends share the rest.
    own: (n,) of a point itself, around: (n,) of the sum of its neighbours, middles: (n,) of the sum of its faces'
    middles; crease_edges: (c,) sharp edges and crease_weights: (c, 2) what each end gets from the other on top.
    """

    parent: Topology
    child: Topology
    sharp: Sharp
    edge_faces_weight: Floats
    own: Floats
    around: Floats
    middles: Floats
    crease_edges: Integers
    crease_weights: Floats

    def points(self, points: Floats) -> Floats:
        """The child's points for the parent's: (n, d) → (n', d)."""
        columns = [self.values(np.ascontiguousarray(points[:, axis])) for axis in range(points.shape[1])]
        return np.stack(columns, axis=1)

    def values(self, values: Floats) -> Floats:
        """One coordinate of the child's points: (n,) → (n',). One at a time, since that is what caches like."""
        parent = self.parent
        n, e = parent.n_points, parent.n_edges
        result = np.empty(self.child.n_points)
        gather = _structured_sums if isinstance(parent, ChildTopology) else _plain_sums
        ends, neighbours = gather(parent, values, result)
        moved, edge_part = result[:n], result[n : n + e]
        edge_part *= self.edge_faces_weight
        ends *= 0.5 - self.edge_faces_weight
        edge_part += ends
        moved *= self.middles
        neighbours *= self.around
        moved += neighbours
        moved += self.own * values
        if len(self.crease_edges):
            pair = parent.edges[self.crease_edges]
            for end in (0, 1):
                moved += np.bincount(pair[:, end], values[pair[:, 1 - end]] * self.crease_weights[:, end], n)
        return result

    @lazy
    def matrix(self) -> csr_array:
        """The same as a sparse matrix: (n', n)."""
        from scipy.sparse import csr_array, vstack

        parent = self.parent
        n, m = parent.n_points, parent.n_faces
        share = np.repeat(1.0 / parent.face_sizes, parent.face_sizes)
        corners, offsets = parent.corners.astype(np.int32), parent.face_offsets.astype(np.int32)
        to_faces = csr_array((share, corners, offsets), shape=(m, n))
        whole = csr_array(vstack((self._point_rows(to_faces), self._edge_rows(), to_faces), format="csr"))
        # Half the memory to read, and in order: a third off every application.
        small = (whole.data, whole.indices.astype(np.int32), whole.indptr.astype(np.int32))
        result = csr_array(small, shape=whole.shape)
        result.sort_indices()
        return result

    def _edge_rows(self) -> csr_array:
        """Rows of the edge points: both ends, and the corners of the two faces."""
        from scipy.sparse import csr_array

        parent = self.parent
        n, e = parent.n_points, parent.n_edges
        ends_weight = 0.5 - self.edge_faces_weight
        if not isinstance(parent, ChildTopology):
            pair = parent.edge_faces
            inner = np.flatnonzero(self.edge_faces_weight > 0)
            faces = pair[inner].ravel()
            sizes = parent.face_sizes[faces]
            rows = np.repeat(np.repeat(inner, 2), sizes)
            columns = parent.corners[parent.corners_of_faces(faces)]
            weights = np.repeat(np.repeat(self.edge_faces_weight[inner], 2) / sizes, sizes)
            rows = np.concatenate((np.repeat(np.arange(e), 2), rows))
            columns = np.concatenate((parent.edges.ravel(), columns))
            weights = np.concatenate((np.repeat(ends_weight, 2), weights))
            return csr_array((weights, (rows, columns)), shape=(e, n))
        # All quads: six points each, the far ones with no weight on sharp edges.
        corner = parent.edge_pair
        columns = np.empty((e, 6), dtype=np.int32)
        columns[:, :2] = parent.edges
        for side in (0, 1):
            first = np.where(corner[:, side] >= 0, corner[:, side], corner[:, 0])
            base = first & ~3
            columns[:, 2 + 2 * side] = parent.corners[base | ((first + 2) & 3)]
            columns[:, 3 + 2 * side] = parent.corners[base | ((first + 3) & 3)]
        weights = np.empty((e, 6))
        weights[:, :2] = (ends_weight + 0.5 * self.edge_faces_weight)[:, None]
        weights[:, 2:] = (0.25 * self.edge_faces_weight)[:, None]
        starts = np.arange(0, 6 * e + 1, 6, dtype=np.int32)
        return csr_array((weights.ravel(), columns.ravel(), starts), shape=(e, n))

    def _point_rows(self, to_faces: csr_array) -> csr_array:
        """Rows of the moved points."""
        from scipy.sparse import csr_array

        parent = self.parent
        n, m = parent.n_points, parent.n_faces
        ends = parent.edges.astype(np.int32)
        corners = parent.corners.astype(np.int32)
        # In quads the faces' middles are quarters of points that mostly are neighbours already.
        all_quads = isinstance(parent, ChildTopology)
        quarter = 0.25 * self.middles if all_quads else np.zeros(n)
        own, around = self.own + quarter * parent.point_face_count, self.around + 2.0 * quarter
        weights = [own, around[ends[:, 0]], around[ends[:, 1]]]
        for end in (0, 1):
            weights[1 + end][self.crease_edges] += self.crease_weights[:, end]
        rows = [np.arange(n, dtype=np.int32), ends[:, 0], ends[:, 1]]
        columns = [rows[0], ends[:, 1], ends[:, 0]]
        if all_quads:
            rows.append(corners)
            columns.append(corners.reshape(-1, 4)[:, [2, 3, 0, 1]].ravel())
            weights.append(quarter[corners])
        weight, row, column = np.concatenate(weights), np.concatenate(rows), np.concatenate(columns)
        used = weight != 0
        ring = csr_array((weight[used], (row[used], column[used])), shape=(n, n))
        if all_quads:
            return ring
        share = self.middles[corners]
        used = share != 0
        faces = csr_array((share[used], (corners[used], parent.corner_face[used].astype(np.int32))), shape=(n, m))
        return csr_array(ring + faces @ to_faces)


def refine(
    topology: Topology,
    sharp: Sharp,
    smooth_triangles: bool = False,
    child: Topology | None = None,
    creases: CreaseRule = "uniform",
) -> Step:
    """Prepares one Catmull-Clark step of a mesh of any-sided faces. Points without faces stay where they are.

    child: the child's connectivity where it is known from before, other sharpness notwithstanding.
    smooth_triangles: USD's triangleSubdivisionRule "smooth"; it has a say in the first step only.
    creases: how sharpness passes on to the two halves of an edge.
    """
    later, corner_later = _later(topology, sharp, creases), np.maximum(sharp.point_sharpness - 1.0, 0.0)
    rules = _point_rules(topology, sharp, later, corner_later)
    corner_stays = corner_later > 0
    halves = 2 * np.repeat(sharp.edges, 2)
    halves[1::2] += 1
    half_stays = later.ravel() > 0
    child_sharp = Sharp(
        halves[half_stays], later.ravel()[half_stays], sharp.points[corner_stays], corner_later[corner_stays]
    )
    faces_weight = np.full(topology.n_edges, 0.25)
    if smooth_triangles and not isinstance(topology, ChildTopology):
        faces_weight = _weights_beside_triangles(topology)
    # An edge whose halves both stay sharp is not fading yet, however small its own sharpness.
    fading = np.where((later > 0).all(axis=1), 1.0, np.minimum(sharp.edge_sharpness, 1.0))
    faces_weight[sharp.edges] *= 1.0 - fading
    return Step(topology, child or ChildTopology(topology), child_sharp, faces_weight, *rules)


def sharp_on(piece: Topology, number: Integers, topology: Topology, sharp: Sharp) -> Sharp:
    """What is sharp on a piece of a mesh, its own rim included.

    number: (n,) the piece's point for each of the mesh's, −1 for none. The rim is open: sharp as any open edge is, or
    rules there would look for faces beyond it.
    """
    edges = piece.find_edges(number[topology.edges[sharp.edges]])
    there = edges >= 0
    points = number[sharp.points]
    kept = points >= 0
    rim = difference(np.flatnonzero(piece.edge_face_count != 2), edges[there])
    return Sharp(
        np.concatenate((edges[there], rim)),
        np.concatenate((sharp.edge_sharpness[there], np.full(len(rim), np.inf))),
        points[kept],
        sharp.point_sharpness[kept],
    )


def cut_out(topology: Topology, faces: Integers, sharp: Sharp) -> tuple[Topology, Integers, Sharp]:
    """Some faces by themselves, the points they have, ascending, and what is sharp of them."""
    corners = topology.corners[topology.corners_of_faces(faces)]
    used = distinct(corners)
    number = inverse_of(used, topology.n_points)
    piece: Topology = Topology.derived(offsets_from_sizes(topology.face_sizes[faces]), number[corners], len(used))
    return piece, used, sharp_on(piece, number, topology, sharp)


# Helpers

# What the middle of a triangle weighs in the point of an edge beside it, instead of a quarter.
_TRIANGLE_FACE_WEIGHT = 0.470


def _weights_beside_triangles(topology: Topology) -> Floats:
    """The weight of the faces' middles in edge points where triangles are smoothed as triangles: (e,)."""
    beside = topology.edge_faces
    is_triangle = (beside >= 0) & (topology.face_sizes[beside] == 3)
    return np.asarray(0.5 * np.where(is_triangle, _TRIANGLE_FACE_WEIGHT, 0.25).sum(axis=1))


def _later(topology: Topology, sharp: Sharp, rule: CreaseRule) -> Floats:
    """The sharpness of the halves of each sharp edge, at its first and at its second end: (c, 2).

    One less; with chaikin of three quarters of its own and a quarter of the mean of the others at that end
    (DeRose, Kass & Truong 1998, section 4.2).
    """
    own = np.repeat(sharp.edge_sharpness[:, None], 2, axis=1)
    fades = np.isfinite(sharp.edge_sharpness)
    if rule == "chaikin" and fades.any():
        ends = topology.edges[sharp.edges[fades]]
        there, place = np.unique(ends, return_inverse=True)
        place = place.reshape(ends.shape)
        count = np.bincount(place.ravel(), minlength=len(there))[place]
        total = np.bincount(place.ravel(), own[fades].ravel(), len(there))[place]
        others = (total - own[fades]) / np.maximum(count - 1, 1)
        own[fades] = np.where(count > 1, 0.75 * own[fades] + 0.25 * others, own[fades])
    return np.asarray(np.maximum(own - 1.0, 0.0))


def _point_rules(
    topology: Topology, sharp: Sharp, later: Floats, corner_later: Floats
) -> tuple[Floats, Floats, Floats, Integers, Floats]:
    """Weights of a point itself, of its neighbours, of its faces' middles; sharp edges and their extra weights."""
    n = topology.n_points
    valence = topology.valence.astype(np.float64)
    np.maximum(valence, 1.0, out=valence)
    own = (valence - 2.0) / valence
    around = 1.0 / (valence * valence)
    middles = 1.0 / (valence * np.maximum(topology.point_face_count, 1))
    ends = topology.edges[sharp.edges] if len(sharp.edges) else np.zeros((0, 2), dtype=np.int64)
    loose = np.flatnonzero(topology.point_face_count == 0)
    # Only points on something sharp follow another rule than the smooth one.
    touched = distinct(np.concatenate((ends.ravel(), sharp.points, loose)))
    if len(touched) == 0:
        return own, around, middles, sharp.edges, np.zeros((0, 2))
    place = np.zeros(n, dtype=np.int64)
    place[touched] = np.arange(len(touched))
    local, count = place[ends], len(touched)

    def at_points(values: Floats | Booleans) -> Floats:
        return np.asarray(np.bincount(local.ravel(), values.ravel(), count), dtype=np.float64)

    corner, corner_after = np.zeros(count), np.zeros(count)
    corner[place[sharp.points]], corner_after[place[sharp.points]] = sharp.point_sharpness, corner_later
    sharpness = np.repeat(sharp.edge_sharpness[:, None], 2, axis=1)
    before, after = at_points(sharpness > 0), at_points(later > 0)
    fixed = topology.point_face_count[touched] == 0
    is_corner = fixed | (corner > 0) | (before >= 3)
    is_crease = ~is_corner & (before == 2)
    becomes_corner = fixed | (corner_after > 0) | (after >= 3)
    becomes_crease = ~becomes_corner & (after == 2)
    # Where the rule changes, the share of the old one is the mean of the sharpnesses that end here.
    ending = later == 0
    corner_ending = (corner > 0) & (corner_after == 0)
    ended = at_points(ending) + corner_ending
    total = at_points(np.where(ending, sharpness, 0.0)) + np.where(corner_ending, corner, 0.0)
    share = np.minimum(np.divide(total, ended, out=np.zeros(count), where=ended > 0), 1.0)
    share[(is_corner == becomes_corner) & (is_crease == becomes_crease)] = 1.0
    as_corner = share * is_corner + (1.0 - share) * becomes_corner
    crease_before, crease_after = share * is_crease, (1.0 - share) * becomes_crease
    as_smooth = 1.0 - as_corner - crease_before - crease_after
    own[touched] = as_corner + 0.75 * (crease_before + crease_after) + as_smooth * own[touched]
    around[touched] *= as_smooth
    middles[touched] *= as_smooth
    extra = 0.125 * (crease_before[local] + crease_after[local] * (later > 0))
    return own, around, middles, sharp.edges, extra


# Sums over neighbours, one coordinate at a time. For a parent that is itself a child, its own parent says where
# everything is: then most of them are slices and gathers in order. Sums around points on open and non-manifold
# edges are not whole there; those have no weight.


def _plain_sums(parent: Topology, values: Floats, out: Floats) -> tuple[Floats, Floats]:
    """Into out (n',): for points the sum of their faces' middles, for edges that of theirs, for faces their middles.

    Returns the sums of both ends of edges (e,) and of the neighbours of points (n,).
    """
    n, e = parent.n_points, parent.n_edges
    if parent.n_faces == 0:
        out[:] = 0.0
        return np.zeros(e), np.zeros(n)
    middles = np.add.reduceat(values[parent.corners], parent.face_offsets[:-1]) / parent.face_sizes
    out[:n] = np.bincount(parent.corners, middles[parent.corner_face], n)
    out[n : n + e] = middles[parent.edge_faces[:, 0]] + middles[parent.edge_faces[:, 1]]
    out[n + e :] = middles
    first, second = parent.edges[:, 0], parent.edges[:, 1]
    neighbours = np.bincount(first, values[second], n) + np.bincount(second, values[first], n)
    return values[first] + values[second], np.asarray(neighbours, dtype=np.float64)


def _structured_sums(parent: Topology, values: Floats, out: Floats) -> tuple[Floats, Floats]:
    """The same from the parent's parent."""
    assert isinstance(parent, ChildTopology)
    old = parent.parent
    n, e = old.n_points, old.n_edges
    at_edges, at_faces = values[n : n + e], values[n + e :]
    edge_out = out[parent.n_points : parent.n_points + parent.n_edges]
    middles = out[parent.n_points + parent.n_edges :]
    ends, neighbours = np.empty(parent.n_edges), np.empty(parent.n_points)
    # Each old corner's child has four corners: the old point, its edge's point, its face's, the edge's before it.
    on_edge = np.take(at_edges, old.corner_edge, out=ends[2 * e :])
    np.take(values, old.corners, out=middles)
    middles += on_edge
    if isinstance(old, ChildTopology):
        by_face, edge_by_face = middles.reshape(-1, 4), on_edge.reshape(-1, 4)
        by_face[:, 1:] += edge_by_face[:, :3]
        by_face[:, 0] += edge_by_face[:, 3]
        by_face += at_faces[:, None]
        middles *= 0.25
        inner = edge_out[2 * e :].reshape(-1, 4)
        np.add(by_face[:, :3], by_face[:, 1:], out=inner[:, :3])
        np.add(by_face[:, 3], by_face[:, 0], out=inner[:, 3])
        out[n + e : parent.n_points] = by_face.sum(axis=1)
        neighbours[n + e :] = edge_by_face.sum(axis=1)
        edge_by_face += at_faces[:, None]
    else:
        in_face = at_faces[old.corner_face]
        middles += in_face
        middles += on_edge[old.previous_corner]
        middles *= 0.25
        np.add(middles, middles[old.next_corner], out=edge_out[2 * e :])
        out[n + e : parent.n_points] = np.add.reduceat(middles, old.face_offsets[:-1])
        neighbours[n + e :] = np.add.reduceat(on_edge, old.face_offsets[:-1])
        on_edge += in_face
    halves = edge_out[: 2 * e].reshape(-1, 2)
    halves[:] = middles[parent.half_faces[:, :, 0]] + middles[parent.half_faces[:, :, 1]]
    out[:n] = np.bincount(old.corners, middles, n)
    out[n : n + e] = halves[:, 0] + halves[:, 1]
    pair = values[old.edges]
    np.add(pair, at_edges[:, None], out=ends[: 2 * e].reshape(-1, 2))
    neighbours[:n] = np.bincount(old.edges[:, 0], at_edges, n)
    neighbours[:n] += np.bincount(old.edges[:, 1], at_edges, n)
    middle = neighbours[n : n + e]
    np.add(pair[:, 0], pair[:, 1], out=middle)
    middle += at_faces[old.edge_faces[:, 0]]
    middle += at_faces[old.edge_faces[:, 1]]
    return ends, neighbours
