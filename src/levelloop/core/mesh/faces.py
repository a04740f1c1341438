"""Sizes and directions of faces: normals, areas, flatness, triangles."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from levelloop.core.arrays import (
    Booleans,
    Floats,
    Integers,
    connected_labels,
    difference,
    distinct,
    offsets_from_sizes,
    ranges,
    sum_by,
)
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology

BLOCK = 8_192  # quads looked at together: what is worked out of them stays in the cache
STRAIGHT = 1e-6  # sine of a corner that turns neither way


def face_centres(topology: Topology, points: Floats) -> Floats:
    """The mean of each face's corners: (m, 3)."""
    if topology.n_faces == 0:
        return np.zeros((0, 3))
    sums = np.add.reduceat(points[topology.corners], topology.face_offsets[:-1], axis=0)
    return np.asarray(sums / topology.face_sizes[:, None])


def face_vectors(topology: Topology, points: Floats, faces: Integers | None = None) -> Floats:
    """Each face's area vector: its length is the area, its direction the mean normal: (m, 3), or of some faces only.

    Newell's method (Sutherland, Sproull & Schumacker 1974), taken about the face's first point so that
    faces far from the origin lose no digits.
    """
    sizes = topology.face_sizes if faces is None else topology.face_sizes[faces]
    if faces is None and topology.sides == 4:
        a, b, c, d = (points.take(topology.corners[corner::4], axis=0) for corner in (2, 0, 3, 1))
        return half_cross(a - b, c - d)
    starts = topology.face_offsets[:-1] if faces is None else topology.face_offsets[faces]
    result = np.zeros((len(sizes), 3))
    # Triangles and quads are most of all faces; for them the sum is one product.
    for sides, ends in ((3, (1, 0, 2, 0)), (4, (2, 0, 3, 1))):
        chosen = np.flatnonzero(sizes == sides)
        if len(chosen):
            a, b, c, d = (points[topology.corners[starts[chosen] + end]] for end in ends)
            result[chosen] = half_cross(a - b, c - d)
    chosen = np.flatnonzero(sizes > 4)
    if len(chosen):
        size = sizes[chosen]
        corner = ranges(starts[chosen], size)
        origin = np.repeat(points[topology.corners[starts[chosen]]], size, axis=0)
        parts = half_cross(points[topology.corners[corner]] - origin, points[topology.corner_end[corner]] - origin)
        result[chosen] = np.add.reduceat(parts, offsets_from_sizes(size)[:-1], axis=0)
    return result


def half_cross(a: Floats, b: Floats) -> Floats:
    """Half the cross products: the area vectors of triangles with sides a, b: (n, 3)."""
    result = np.empty_like(a)
    for i, (j, k) in enumerate(((1, 2), (2, 0), (0, 1))):
        result[:, i] = 0.5 * (a[:, j] * b[:, k] - a[:, k] * b[:, j])
    return result


def unit(vectors: Floats) -> Floats:
    """The vectors at length 1; those of no length stay zero: (n, 3)."""
    lengths = np.sqrt(np.einsum("...i,...i->...", vectors, vectors))[..., None]
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0))


def face_normals(topology: Topology, points: Floats, faces: Integers | None = None) -> Floats:
    """Unit normals, zero for faces without area: (m, 3), or of some faces only."""
    return unit(face_vectors(topology, points, faces))


def face_areas(topology: Topology, points: Floats) -> Floats:
    """The area of each face, of its projection along its normal where it is not flat: (m,), mm²."""
    return np.asarray(np.linalg.norm(face_vectors(topology, points), axis=1))


def point_normals(topology: Topology, points: Floats) -> Floats:
    """Unit normals at points, the area-weighted mean of the faces around: (n, 3)."""
    vectors = face_vectors(topology, points).T
    sums = [np.bincount(topology.corners, np.repeat(row, topology.face_sizes), topology.n_points) for row in vectors]
    return unit(np.stack(sums, axis=1))


def corner_normals(topology: Topology, points: Floats, soft: Booleans) -> Floats:
    """Unit normals at corners: the area-weighted mean over faces that meet at the point across soft edges: (k, 3).

    soft: (e,). Faces that no soft edge joins keep their own normal.
    """
    here = np.flatnonzero((topology.twin >= 0) & soft[topology.corner_edge])
    there = topology.twin[here]
    # The two corners at either end of a soft edge belong together.
    pairs = np.concatenate(
        (
            np.stack((here, topology.next_corner[there]), axis=1),
            np.stack((topology.next_corner[here], there), axis=1),
        )
    )
    count, label = connected_labels(pairs, topology.n_corners)
    vectors = face_vectors(topology, points)[topology.corner_face]
    return unit(sum_by(label, vectors, count))[label]


def flatness(topology: Topology, points: Floats) -> Floats:
    """How far each face's corners stray from its mean plane, above and below together: (m,), mm."""
    if topology.n_faces == 0:
        return np.zeros(0)
    centres, normals = face_centres(topology, points), face_normals(topology, points)
    face = topology.corner_face
    height = np.einsum("ij,ij->i", points[topology.corners] - centres[face], normals[face])
    starts = topology.face_offsets[:-1]
    return np.asarray(np.maximum.reduceat(height, starts) - np.minimum.reduceat(height, starts))


def normal_map(transform: Floats) -> Floats:
    """What a (4, 4) transform does to normals, for row vectors, before they are made unit again: (3, 3).

    The cofactors: what the inverse's transpose is to directions, and there for flattening transforms too.
    """
    a, b, c = transform[:3, :3]
    sign = -1.0 if np.linalg.det(transform[:3, :3]) < 0 else 1.0
    return np.asarray(sign * np.stack((np.cross(b, c), np.cross(c, a), np.cross(a, b))))


def edge_folds(topology: Topology, points: Floats) -> Floats:
    """The angle between the two faces of each edge, 0 where flat or open: (e,), degrees."""
    normals = face_normals(topology, points)
    faces = topology.edge_faces
    folds = np.zeros(topology.n_edges)
    both = faces[:, 1] >= 0
    a, b = normals[faces[both, 0]], normals[faces[both, 1]]
    # atan2 of cross and dot keeps its digits where arccos of the dot loses half of them.
    folds[both] = np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b), axis=1), np.einsum("ij,ij->i", a, b)))
    return folds


def edge_lengths(topology: Topology, points: Floats) -> Floats:
    """The length of each edge: (e,), mm."""
    ends = points[topology.edges]
    return np.asarray(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1))


def triangles(topology: Topology, points: Floats, diagonal: Integers | None = None) -> tuple[Integers, Integers]:
    """The one triangulation that is drawn, exported and measured: triangles (t, 3) and their face (t,).

    Quads split along their shorter diagonal, or the one that stays inside where the quad is concave;
    other faces as a fan, or by clipping ears where they are concave. Face by face.
    diagonal: (m,) as in Mesh, where quads have been told otherwise.
    """
    if topology.n_faces == 0:
        return np.zeros((0, 3), dtype=np.int64), np.zeros(0, dtype=np.int64)
    if topology.sides == 4:
        corners, every = topology.corners.reshape(-1, 4), np.arange(topology.n_faces)
        second = second_diagonal(topology, points, every, diagonal)[:, None, None]
        halves = np.where(second, corners[:, ((1, 2, 3), (1, 3, 0))], corners[:, ((0, 1, 2), (0, 2, 3))])
        return halves.reshape(-1, 3), np.repeat(every, 2)
    sizes, starts = topology.face_sizes, topology.face_offsets[:-1]
    counts = sizes - 2
    offsets = offsets_from_sizes(counts)
    corner_triangles = np.zeros((int(offsets[-1]), 3), dtype=np.int64)
    face = np.repeat(np.arange(topology.n_faces), counts)
    # A fan first, everywhere.
    step = ranges(np.ones(topology.n_faces, dtype=np.int64), counts)
    first = np.repeat(starts, counts)
    corner_triangles[:] = np.stack((first, first + step, first + step + 1), axis=1)
    quads = np.flatnonzero(sizes == 4)
    if len(quads):
        turned = quads[second_diagonal(topology, points, quads, diagonal)]
        corner, row = starts[turned], offsets[turned]
        corner_triangles[row] = np.stack((corner + 1, corner + 2, corner + 3), axis=1)
        corner_triangles[row + 1] = np.stack((corner + 1, corner + 3, corner), axis=1)
    larger = np.flatnonzero(sizes > 4)
    if len(larger):
        for index in larger[_concave(topology, points, larger)].tolist():
            local = points[topology.face(index)]
            ears = _ears(local) + starts[index]
            corner_triangles[offsets[index] : offsets[index + 1]] = ears
    return topology.corners[corner_triangles], face


def triangles_of(
    topology: Topology, points: Floats, faces: Integers, diagonal: Integers | None = None
) -> tuple[Integers, Integers]:
    """Those of triangles() that are of some faces (f,), in their order."""
    own: Topology = Topology.derived(
        offsets_from_sizes(topology.face_sizes[faces]),
        topology.corners[topology.corners_of_faces(faces)],
        topology.n_points,
    )
    corners, face = triangles(own, points, None if diagonal is None else diagonal[faces])
    return corners, faces[face]


def over_corners(reduce: np.ufunc, topology: Topology, values: Floats) -> Floats:
    """What the values (n,) of each face's points come to, np.minimum or np.maximum say: (m,)."""
    if topology.sides not in (3, 4):
        return np.asarray(reduce.reduceat(values[topology.corners], topology.face_offsets[:-1]))
    # Where all have few and as many, corner by corner is several times faster.
    result, *others = (values[column] for column in topology.corners.reshape(-1, topology.sides).T)
    for other in others:
        reduce(result, other, out=result)
    return result


def triangle_corners(topology: Topology, shown: Integers, face: Integers) -> Integers:
    """The corner at each point of triangles (t, 3) of faces (t,), as triangles() gives them: (t, 3)."""
    key = topology.corner_face * topology.n_points + topology.corners
    order = np.argsort(key)
    wanted = face[:, None] * topology.n_points + shown
    return np.asarray(order[np.searchsorted(key, wanted, sorter=order)])


def second_diagonal(topology: Topology, points: Floats, quads: Integers, diagonal: Integers | None = None) -> Booleans:
    """Whether quads are split from their second corner: (q,)."""
    if len(quads) > 2 * BLOCK:
        starts = range(0, len(quads), BLOCK)
        blocks = [second_diagonal(topology, points, quads[start : start + BLOCK], diagonal) for start in starts]
        return np.concatenate(blocks)
    first = topology.face_offsets[:-1][quads]
    p0, p1, p2, p3 = (points[topology.corners[first + corner]] for corner in range(4))
    one, two = p2 - p0, p3 - p1
    normal = half_cross(one, two)
    # The triangles beside a diagonal add up to the quad: one of each pair says what the other faces.
    whole = _dots(normal, normal)
    beside_one = _dots(half_cross(p1 - p0, one), normal)
    beside_two = _dots(half_cross(p2 - p1, two), normal)
    first_bad = (beside_one < 0) | (whole < beside_one)
    second_bad = (beside_two < 0) | (whole < beside_two)
    length_one, length_two = _dots(one, one), _dots(two, two)
    # A relative margin, so that rounding does not flip the diagonal of a square.
    shorter = length_two < length_one * (1.0 - 1e-9)
    better = np.where(first_bad != second_bad, first_bad, shorter)
    if diagonal is None:
        return better
    return np.where(diagonal[quads] == 0, better, diagonal[quads] == 2)


def signed_volume(mesh: Mesh) -> float:
    """The volume that a closed, outward-facing mesh encloses: mm³; negative where it is inside out.

    Divergence theorem over the triangles, taken about the middle of the points.
    """
    if mesh.n_faces == 0:
        return 0.0
    corner = mesh.points[triangles(mesh.topology, mesh.points, mesh.diagonal)[0]] - mesh.points.mean(axis=0)
    return float(np.einsum("ij,ij->", corner[:, 0], np.cross(corner[:, 1], corner[:, 2])) / 6.0)


def concave_faces(topology: Topology, points: Floats) -> Booleans:
    """Faces with a corner that turns inwards, seen along their normal: (m,)."""
    result = np.zeros(topology.n_faces, dtype=np.bool_)
    faces = np.flatnonzero(topology.face_sizes > 3)
    if len(faces):
        result[faces] = _concave(topology, points, faces)
    return result


def sees_all_sides(topology: Topology, points: Floats, faces: Integers, places: Floats) -> Booleans:
    """Whether a place in each face (f, 3) lies inwards of all its sides: triangles to it do not overlap then: (f,)."""
    normals = face_normals(topology, points, faces)
    owner = np.repeat(np.arange(len(faces)), topology.face_sizes[faces])
    corner = topology.corners_of_faces(faces)
    start, end = points[topology.corners[corner]], points[topology.corner_end[corner]]
    side, way = end - start, places[owner] - start
    height = np.einsum("ij,ij->i", np.cross(side, way), normals[owner])
    inwards = height > STRAIGHT * np.linalg.norm(side, axis=1) * np.linalg.norm(way, axis=1)
    return np.logical_and.reduceat(inwards, offsets_from_sizes(topology.face_sizes[faces])[:-1])


def turns_around(corners: Floats, place: Floats) -> float:
    """How often closed triangles (t, 3, 3) go around a place: 1 inside, 0 outside.

    Solid angles: Van Oosterom & Strackee 1983.
    """
    a, b, c = np.moveaxis(corners - place, 1, 0)
    lengths = [np.linalg.norm(side, axis=1) for side in (a, b, c)]
    above = np.einsum("ij,ij->i", a, np.cross(b, c))
    below = lengths[0] * lengths[1] * lengths[2] + np.einsum("ij,ij->i", a, b) * lengths[2]
    below += np.einsum("ij,ij->i", b, c) * lengths[0] + np.einsum("ij,ij->i", c, a) * lengths[1]
    return float(np.arctan2(above, below).sum() / (2.0 * np.pi))


# Helpers


def _dots(a: Floats, b: Floats) -> Floats:
    return np.asarray(a[:, 0] * b[:, 0] + a[:, 1] * b[:, 1] + a[:, 2] * b[:, 2])


def _concave(topology: Topology, points: Floats, faces: Integers) -> np.ndarray:
    normals = face_normals(topology, points)
    here = topology.corners_of_faces(faces)
    p = points[topology.corners]
    before, after = topology.previous_corner[here], topology.next_corner[here]
    coming, going = p[here] - p[before], p[after] - p[here]
    turn = np.einsum("ij,ij->i", np.cross(coming, going), normals[topology.corner_face[here]])
    # What is straight but for rounding, also far from the origin, does not turn.
    inward = turn < -STRAIGHT * np.linalg.norm(coming, axis=1) * np.linalg.norm(going, axis=1)
    starts = offsets_from_sizes(topology.face_sizes[faces])[:-1]
    return np.logical_or.reduceat(inward, starts)


def _ears(polygon: Floats) -> Integers:
    """Triangles of one concave polygon: (n − 2, 3) indices into it; every corner is in one, straight ones too."""
    from mapbox_earcut import triangulate_float64

    count = len(polygon)
    local = polygon - polygon[0]
    normal = np.cross(local, np.roll(local, -1, axis=0)).sum(axis=0)
    axis = int(np.argmax(np.abs(normal)))
    keep = [(axis + 1) % 3, (axis + 2) % 3]
    flat = local[:, keep] if normal[axis] >= 0 else local[:, keep[::-1]]
    found = triangulate_float64(np.ascontiguousarray(flat), np.array([count], dtype=np.uint32))
    ears = np.asarray(found, dtype=np.int64).reshape(-1, 3)
    # All the same way around: as the polygon runs.
    a, b, c = (flat[ears[:, corner]] for corner in range(3))
    turn = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    ears = np.where((turn < 0)[:, None], ears[:, ::-1], ears)
    ears = _with_left_out(ears, count)
    if len(ears) != count - 2:
        # A polygon that crosses itself: a fan, as any.
        here = np.arange(1, count - 1)
        return np.stack((np.zeros_like(here), here, here + 1), axis=1)
    return ears


def _with_left_out(ears: Integers, count: int) -> Integers:
    """Triangles with the corners put in that lie on straight stretches and were left out."""
    missing = np.flatnonzero(np.bincount(ears.ravel(), minlength=count) == 0)
    if len(missing) == 0:
        return ears
    if len(ears) == 0:
        # A polygon without an inside, as one that runs back over itself: a fan has its corners at least.
        step = np.arange(1, count - 1)
        return np.stack((np.zeros_like(step), step, step + 1), axis=1)
    used = difference(np.arange(count), missing)
    rows = ears.tolist()
    after = np.searchsorted(used, missing) % len(used)
    for slot in distinct(after).tolist():
        a, b = int(used[slot - 1]), int(used[slot])
        between = missing[after == slot].tolist()
        if slot == 0:
            between = [one for one in between if one > a] + [one for one in between if one < a]
        for row, triangle in enumerate(rows):
            for turn in range(3):
                if triangle[turn] == a and triangle[(turn + 1) % 3] == b:
                    tip = triangle[(turn + 2) % 3]
                    stops = [a, *between, b]
                    rows[row] = [stops[0], stops[1], tip]
                    rows += [[one, other, tip] for one, other in pairwise(stops[1:])]
                    break
            else:
                continue
            break
    return np.array(rows, dtype=np.int64)
