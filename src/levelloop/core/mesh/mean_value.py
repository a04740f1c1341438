"""Where points lie in faces, as weights of the faces' corners."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, distinct
from levelloop.core.mesh.faces import face_normals
from levelloop.core.mesh.topology import Topology


def values_inside(topology: Topology, points: Floats, values: Floats, faces: Integers, places: Floats) -> Floats:
    """The values that corners of faces give at places in those faces: (q, d).

    points: (n, 3) of the topology; values: (k, d) per corner; faces: (q,); places: (q, 3), taken square onto the face.
    Linear along the faces' edges. Mean value coordinates (Floater 2003), computed as in Hormann & Floater 2006,
    section 5.
    """
    result = np.empty((len(faces), values.shape[1]))
    normals = face_normals(topology, points)
    sizes = topology.face_sizes[faces]
    for size in distinct(sizes).tolist():
        chosen = np.flatnonzero(sizes == size)
        corner = topology.face_offsets[faces[chosen]][:, None] + np.arange(size)
        normal = normals[faces[chosen]]
        spokes = points[topology.corners[corner]] - places[chosen][:, None]
        spokes -= np.einsum("qij,qj->qi", spokes, normal)[:, :, None] * normal[:, None]
        weights = _mean_value_weights(spokes, normal)
        result[chosen] = np.einsum("qi,qid->qd", weights, values[corner])
    return result


def moved_inside(outline: Floats, moves: Floats, places: Floats) -> Floats:
    """How places in a flat polygon move along with its corners: (q, 3).

    outline: (n, 3) its corners in order, moves: (n, 3) theirs; places: (q, 3). What is near a corner moves as it does.
    """
    polygon = Topology.derived(np.array([0, len(outline)]), np.arange(len(outline)), len(outline))
    return values_inside(polygon, outline, moves, np.zeros(len(places), dtype=np.int64), places)


# Helpers


def _mean_value_weights(spokes: Floats, normal: Floats) -> Floats:
    """Weights that sum to 1, from the vectors to each corner (q, n, 3) in the plane of normal (q, 3)."""
    ahead = np.roll(spokes, -1, axis=1)
    length = np.linalg.norm(spokes, axis=2)
    size = np.maximum(length.max(axis=1, keepdims=True), 1e-300)
    area = np.einsum("qij,qj->qi", np.cross(spokes, ahead), normal)
    dot = np.einsum("qij,qij->qi", spokes, ahead)
    at_corner = length <= 1e-12 * size
    on_edge = (np.abs(area) <= 1e-12 * size * size) & (dot <= 0)
    safe_area = np.where(np.abs(area) <= 1e-12 * size * size, np.inf, area)
    safe_length = np.where(at_corner, np.inf, length)
    half = (np.roll(length, -1, axis=1) - dot / safe_length) / safe_area
    before = (np.roll(length, 1, axis=1) - np.roll(dot, 1, axis=1) / safe_length) / np.roll(safe_area, 1, axis=1)
    weights = half + before
    # On an edge only its two ends count, in a corner only that.
    rows = np.flatnonzero(on_edge.any(axis=1) & ~at_corner.any(axis=1))
    if len(rows):
        first = np.argmax(on_edge[rows], axis=1)
        second = (first + 1) % spokes.shape[1]
        weights[rows] = 0.0
        weights[rows, first], weights[rows, second] = length[rows, second], length[rows, first]
    rows = np.flatnonzero(at_corner.any(axis=1))
    weights[rows] = at_corner[rows]
    total = weights.sum(axis=1, keepdims=True)
    lost = ~(np.abs(total[:, 0]) > 0) | ~np.isfinite(weights).all(axis=1)
    weights[lost], total[lost] = 1.0, spokes.shape[1]
    return np.asarray(weights / total)
