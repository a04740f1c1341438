"""The nearest places on a surface."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.measure.faces import face_normals, triangles
from levelloop.core.mesh import Mesh

NEAREST = 24  # triangles looked at for each place, by how near their middles are
ALL_BELOW = 50_000  # pairs of place and triangle of which every one is looked at


def closest_places(mesh: Mesh, places: Floats) -> tuple[Floats, Floats]:
    """For each place the nearest one on the mesh, and the normal of the face there: (p, 3), (p, 3).

    Point to triangle by regions (Ericson 2005, 5.1.5), over the triangles whose middles are nearest.
    """
    flat, face = triangles(mesh.topology, mesh.points, mesh.diagonal)
    corners = mesh.points[flat]
    if len(flat) * len(places) <= ALL_BELOW:
        near = np.broadcast_to(np.arange(len(flat)), (len(places), len(flat)))
    else:
        from scipy.spatial import cKDTree

        near = cKDTree(corners.mean(axis=1)).query(places, k=NEAREST)[1]
    found = _on_triangles(places[:, None], *(corners[near][:, :, corner] for corner in range(3)))
    best = np.linalg.norm(found - places[:, None], axis=2).argmin(axis=1)
    rows = np.arange(len(places))
    chosen: Integers = face[near[rows, best]]
    return found[rows, best], face_normals(mesh.topology, mesh.points)[chosen]


# Helpers


def _on_triangles(p: Floats, a: Floats, b: Floats, c: Floats) -> Floats:
    """The nearest place on each triangle: inside by barycentric coordinates, else on the nearest side."""
    normal = np.cross(b - a, c - a)
    area = np.maximum((normal**2).sum(axis=-1), 1e-300)
    inside = p - normal * (((p - a) * normal).sum(axis=-1) / area)[..., None]
    u = (np.cross(c - b, inside - b) * normal).sum(axis=-1)
    v = (np.cross(a - c, inside - c) * normal).sum(axis=-1)
    w = (np.cross(b - a, inside - a) * normal).sum(axis=-1)
    sides = np.stack([_on_side(p, one, other) for one, other in ((a, b), (b, c), (c, a))], axis=-2)
    best = np.linalg.norm(sides - p[..., None, :], axis=-1).argmin(axis=-1)
    on_side = np.take_along_axis(sides, best[..., None, None], axis=-2)[..., 0, :]
    within = (u >= 0) & (v >= 0) & (w >= 0) & (area > 1e-300)
    return np.asarray(np.where(within[..., None], inside, on_side))


def _on_side(p: Floats, a: Floats, b: Floats) -> Floats:
    way = b - a
    ratio = ((p - a) * way).sum(axis=-1) / np.maximum((way**2).sum(axis=-1), 1e-300)
    return np.asarray(a + np.clip(ratio, 0.0, 1.0)[..., None] * way)
