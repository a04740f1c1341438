"""What UV is like: how far each face is stretched by it, which faces lie over each other, how much is filled."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, difference, distinct, ranges, unique_rows
from levelloop.core.mesh.faces import triangle_corners, triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.uv.islands import uv_cuts
from levelloop.core.uv.moving import island_labels
from levelloop.core.values import dataclass

GRID = 512  # places to a side of the unit square that are looked at
MOST = 600_000  # places in all that are looked at
SLACK = 1e-6 * GRID
KEY = 1 << 24  # more than the grid is wide, whatever lies outside the square
FARTHEST = 1e4  # squares from the unit one; what lies farther is no layout
EVEN = 1e-9  # of the square: UV that differs by less is the same


@dataclass(frozen=True, eq=False)
class FaceStretch:
    """How UV stretches faces: the larger of both lengths over the smaller, and areas against the whole's mean.

    angle: (m,) at least 1, infinite where a face has no area in UV; area: (m,) above 1 where a face is too large in it;
    flipped: (m,) faces that lie mirrored.
    """

    angle: Floats
    area: Floats
    flipped: Booleans


def stretch_of_faces(mesh: Mesh, places: Floats) -> FaceStretch:
    """The stretch of each face, of its worst triangle; places: (n, 3) where the points are, of cage or surface."""
    assert mesh.uv is not None
    shown, face = triangles(mesh.topology, places)
    corner = triangle_corners(mesh.topology, shown, face)
    # Stretch does not depend on the size of UV: numbers of any size are brought into reach.
    flat = mesh.uv[corner] / max(float(np.abs(mesh.uv).max(initial=0.0)), 1e-300)
    angle, area = np.ones(mesh.n_faces), np.ones(mesh.n_faces)
    flipped = np.zeros(mesh.n_faces, dtype=np.bool_)
    row = np.arange(3 * len(face)).reshape(-1, 3)
    jacobian, in_space, good = jacobians(places[shown].reshape(-1, 3), flat.reshape(-1, 2), row)
    if not len(jacobian):
        return FaceStretch(angle, area, flipped)
    singular = np.linalg.svd(jacobian, compute_uv=False)
    scale = np.linalg.det(jacobian)
    usual = float((np.abs(scale) * in_space).sum() / in_space.sum())
    ratio = np.divide(singular[:, 0], singular[:, 1], out=np.full(len(scale), np.inf), where=singular[:, 1] > 0)
    np.maximum.at(angle, face[good], ratio)
    larger = np.abs(scale) / max(usual, 1e-300)
    total = np.bincount(face[good], in_space, mesh.n_faces)
    mean = np.bincount(face[good], larger * in_space, mesh.n_faces)
    np.divide(mean, total, out=area, where=total > 0)
    flipped[face[good][scale < 0]] = True
    return FaceStretch(angle, area, flipped)


def overlapping_faces(mesh: Mesh) -> tuple[Integers, Integers]:
    """Faces that lie over others in UV, and those that lie exactly on another one, as copies do: (o,), (s,).

    None without UV. Looked at in a grid of 512 places to a side: what is smaller is not seen.
    """
    if mesh.uv is None or not _is_near_square(mesh):
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    same = _copies(mesh)
    shown, face = triangles(mesh.topology, mesh.points)
    corner = triangle_corners(mesh.topology, shown, face)
    first = ~same[face]
    x, y, owner = _covered(mesh.uv[corner[first]], face[first])
    return distinct(_pairs_on(x, y, owner, 0, 0)), np.flatnonzero(same)


def near_islands(mesh: Mesh, cells: int = 1) -> Integers:
    """The first faces of islands that come nearer to another one than so many places of the grid: (i,).

    None without UV. Those that lie over each other are told as such, and copies share their place on purpose.
    """
    if mesh.uv is None or not _is_near_square(mesh):
        return np.zeros(0, dtype=np.int64)
    label = island_labels(mesh)
    if not label.any():
        return np.zeros(0, dtype=np.int64)
    shown, face = triangles(mesh.topology, mesh.points)
    # Only what lies along a rim comes near to anything.
    topology = mesh.topology
    at_rim = np.zeros(mesh.n_points, dtype=np.bool_)
    at_rim[topology.edges[uv_cuts(mesh) | mesh.seams | topology.open_edges]] = True
    outer = np.logical_or.reduceat(at_rim[topology.corners], topology.face_offsets[:-1])[face]
    shown, face = shown[outer], face[outer]
    corner = triangle_corners(topology, shown, face)
    x, y, owner = _covered(mesh.uv[corner], label[face])
    count = int(label.max()) + 1
    _, first = np.unique((y * KEY + x) * count + owner, return_index=True)
    x, y, owner = x[first], y[first], owner[first]
    over = distinct(_pairs_on(x, y, owner, 0, 0))
    beside = [_pairs_on(x, y, owner, right, up) for right, up in ((cells, 0), (0, cells))]
    found = difference(distinct(np.concatenate(beside)), over)
    return np.unique(label, return_index=True)[1][found]


def filled(mesh: Mesh) -> float:
    """How much of the unit square the faces cover together, each counted once: 0 … 1 where none overlap."""
    return float(np.abs(signed_areas(mesh)).sum())


def signed_areas(mesh: Mesh) -> Floats:
    """The area of each face in UV, of the unit square, below 0 where it lies mirrored: (m,)."""
    assert mesh.uv is not None
    if not mesh.n_faces:
        return np.zeros(0)
    following = mesh.uv[mesh.topology.next_corner]
    twice = mesh.uv[:, 0] * following[:, 1] - mesh.uv[:, 1] * following[:, 0]
    return np.asarray(0.5 * np.add.reduceat(twice, mesh.topology.face_offsets[:-1]))


def jacobians(points: Floats, flat: Floats, shown: Integers) -> tuple[Floats, Floats, Booleans]:
    """How triangles are mapped from their own planes (g, 2, 2), their areas in space (g,), and which have one (t,).

    points: (n, 3), flat: (n, 2), shown: (t, 3).
    """
    area = 0.5 * np.linalg.norm(
        np.cross(points[shown[:, 1]] - points[shown[:, 0]], points[shown[:, 2]] - points[shown[:, 0]]), axis=1
    )
    good = area > 1e-12 * max(float(area.max(initial=0.0)), 1e-300)
    area, shown = area[good], shown[good]
    a, b, c = (points[shown[:, n]] for n in range(3))
    along = np.linalg.norm(b - a, axis=1)
    u, v = np.einsum("ij,ij->i", c - a, b - a) / along, 2.0 * area / along
    inverse = np.zeros((len(shown), 2, 2))
    inverse[:, 0, 0], inverse[:, 0, 1], inverse[:, 1, 1] = 1.0 / along, -u / (along * v), 1.0 / v
    sides = np.stack((flat[shown[:, 1]] - flat[shown[:, 0]], flat[shown[:, 2]] - flat[shown[:, 0]]), axis=2)
    return np.asarray(sides @ inverse), area, good


# Helpers


def _is_near_square(mesh: Mesh) -> bool:
    """Whether UV lies within so many squares that a grid over it says anything."""
    assert mesh.uv is not None
    return bool(np.abs(mesh.uv).max(initial=0.0) <= FARTHEST)


def _copies(mesh: Mesh) -> Booleans:
    """Faces whose corners lie in UV where those of a face before them lie, whichever way around: (m,)."""
    assert mesh.uv is not None
    topology = mesh.topology
    number = unique_rows(np.round(mesh.uv / EVEN).astype(np.int64))[1]
    result = np.zeros(mesh.n_faces, dtype=np.bool_)
    for size in distinct(topology.face_sizes).tolist():
        faces = np.flatnonzero(topology.face_sizes == size)
        corners = np.sort(number[topology.face_offsets[faces][:, None] + np.arange(size)], axis=1)
        _, first, group = np.unique(corners, axis=0, return_index=True, return_inverse=True)
        result[faces[first[group.ravel()] != np.arange(len(faces))]] = True
    return result


def _covered(flat: Floats, owner: Integers) -> tuple[Integers, Integers, Integers]:
    """The places of the grid that triangles (t, 3, 2) cover, and the owner of each: (g,), (g,), (g,)."""
    size = np.ptp(flat, axis=1) * GRID + 1.0
    # What is laid out over many squares is looked at more coarsely: as many places in all.
    grid = GRID * min(1.0, float(np.sqrt(MOST / max(float(size.prod(axis=1).sum()), 1.0))))
    scaled = flat * grid
    low = np.ceil(scaled.min(axis=1) - 0.5).astype(np.int64)
    high = np.floor(scaled.max(axis=1) - 0.5).astype(np.int64)
    wide, tall = np.maximum(high - low + 1, 0).T
    tri = np.repeat(np.arange(len(flat)), wide * tall)
    step = ranges(np.zeros(len(flat), dtype=np.int64), wide * tall)
    x = low[tri, 0] + step % np.maximum(wide[tri], 1)
    y = low[tri, 1] + step // np.maximum(wide[tri], 1)
    at = np.stack((x, y), axis=1) + 0.5
    a, b, c = (scaled[tri, n] for n in range(3))

    def side(p: Floats, q: Floats) -> Floats:
        return np.asarray((q[:, 0] - p[:, 0]) * (at[:, 1] - p[:, 1]) - (q[:, 1] - p[:, 1]) * (at[:, 0] - p[:, 0]))

    sides = np.stack((side(a, b), side(b, c), side(c, a)), axis=1)
    # Well inside: along a shared edge both would claim what lies on it.
    inside = (sides > SLACK).all(axis=1) | (sides < -SLACK).all(axis=1)
    return x[inside], y[inside], owner[tri[inside]]


def _pairs_on(x: Integers, y: Integers, owner: Integers, right: int, up: int) -> Integers:
    """Owners that are covered at places so far from each other, where they are not the same: pairs (p, 2)."""
    key, other = y * KEY + x, (y + up) * KEY + x + right
    order = np.argsort(key, kind="stable")
    key, here = key[order], owner[order]
    if right == up == 0:
        # Most places have one owner: only those with several are looked at.
        several = np.flatnonzero(key[1:] == key[:-1])
        alike = here[several] == here[several + 1]
        return np.asarray(np.stack((here[several], here[several + 1]), axis=1)[~alike])
    low, high = np.searchsorted(key, other, "left"), np.searchsorted(key, other, "right")
    source = np.flatnonzero(high > low)
    # The first and the last one there say whether any is another.
    found = [np.stack((owner[source], here[at]), axis=1) for at in (low[source], high[source] - 1)]
    pairs = np.concatenate(found)
    return np.asarray(pairs[pairs[:, 0] != pairs[:, 1]])
