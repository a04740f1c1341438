"""The nearest places on a surface."""

from __future__ import annotations

from typing import Any
from weakref import finalize

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.lazy import lazy
from levelloop.core.mesh.faces import face_normals, triangles
from levelloop.core.mesh.mesh import Mesh

LARGEST = 1e45  # mm; what a search multiplies of more is no number


def closest_places(mesh: Mesh, places: Floats) -> tuple[Floats, Floats]:
    """For each place the nearest one on the mesh, and the normal of the face there: (p, 3), (p, 3).

    Raises EditError for a mesh without faces.
    """
    if mesh.n_faces == 0:
        raise EditError("There is no surface to lie on; the part has no faces.")
    flat, face = triangles(mesh.topology, mesh.points, mesh.diagonal)
    triangle, found = Triangles(mesh.points, flat).nearest(places)
    return found, face_normals(mesh.topology, mesh.points)[face[triangle]]


def closest_triangles(corners: Floats, places: Floats) -> tuple[Integers, Floats]:
    """For each place the nearest triangle of (t, 3, 3), and the nearest place on it: (p,), (p, 3)."""
    return Triangles(corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3)).nearest(places)


class Triangles:
    """Triangles that are searched again and again. points: (n, 3); corners: (t, 3) of these."""

    def __init__(self, points: Floats, corners: Integers) -> None:
        self.points, self.corners = np.ascontiguousarray(points), np.ascontiguousarray(corners)
        self.places = points[corners]

    def nearest(self, places: Floats) -> tuple[Integers, Floats]:
        """For each place the nearest triangle, and the nearest place on it: (p,), (p, 3).

        Places that are no numbers, or larger than LARGEST, are given any triangle and its first corner. Raises
        EditError where there is no triangle of numbers.
        """
        if len(places) == 0:
            return np.zeros(0, dtype=np.int64), np.zeros((0, 3))
        own, (tree,) = self._search
        triangle, found = np.full(len(places), own[0]), np.tile(self.places[own[0], 0], (len(places), 1))
        usable = np.flatnonzero(_usable(places))
        if len(usable):
            _, nearest, on = tree.squared_distance(self.points, self.corners[own], places[usable])
            triangle[usable], found[usable] = own[np.asarray(nearest).reshape(-1)], np.asarray(on).reshape(-1, 3)
        return triangle, found

    @lazy
    def _search(self) -> tuple[Integers, list[Any]]:
        """The triangles that are numbers and the tree over them: the library takes whatever it gets for numbers."""
        import igl

        own = np.flatnonzero(_usable(self.points)[self.corners].all(axis=1))
        if len(own) == 0:
            raise EditError("There is no surface to search; no face has corners that are numbers.")
        tree = igl.AABB()
        tree.init(self.points, self.corners[own])
        kept = [tree]
        # Let go of when the program ends, even where this one is not: the library complains of trees that outlive it.
        finalize(self, kept.clear)
        return own, kept


def weights_in_triangle(places: Floats, corners: Floats) -> Floats:
    """Barycentric coordinates (k, 3) of places (k, 3) that lie in triangles (k, 3, 3), within their rims."""
    a = corners[:, 0]
    one, two, to = corners[:, 1] - a, corners[:, 2] - a, places - a
    normal = np.cross(one, two)
    square = np.maximum((normal**2).sum(axis=1), 1e-300)
    v = np.clip((np.cross(to, two) * normal).sum(axis=1) / square, 0.0, 1.0)
    w = np.clip((np.cross(one, to) * normal).sum(axis=1) / square, 0.0, 1.0)
    u = np.clip(1.0 - v - w, 0.0, 1.0)
    total = u + v + w
    return np.asarray(np.stack((u, v, w), axis=1) / total[:, None])


def face_distances(mesh: Mesh, place: Floats) -> Floats:
    """How far each face is from a place: (m,) mm, over its triangles."""
    flat, face = triangles(mesh.topology, mesh.points, mesh.diagonal)
    found = _on_triangles(np.broadcast_to(place, (len(flat), 3)), *(mesh.points[flat[:, n]] for n in range(3)))
    distance = np.full(mesh.n_faces, np.inf)
    np.minimum.at(distance, face, np.linalg.norm(found - place, axis=1))
    return distance


def on_side(p: Floats, a: Floats, b: Floats) -> Floats:
    """The nearest place to p on each line from a to b: (n, 3)."""
    way = b - a
    ratio = ((p - a) * way).sum(axis=-1) / np.maximum((way**2).sum(axis=-1), 1e-300)
    return np.asarray(a + np.clip(ratio, 0.0, 1.0)[..., None] * way)


# Helpers


def _usable(places: Floats) -> Booleans:
    """Places that can be searched for: (n,)."""
    return np.asarray((np.abs(places) < LARGEST).all(axis=1))


def _on_triangles(p: Floats, a: Floats, b: Floats, c: Floats) -> Floats:
    """The nearest place on each triangle: inside by barycentric coordinates, else on the nearest side."""
    normal = np.cross(b - a, c - a)
    area = np.maximum((normal**2).sum(axis=-1), 1e-300)
    inside = p - normal * (((p - a) * normal).sum(axis=-1) / area)[..., None]
    u = (np.cross(c - b, inside - b) * normal).sum(axis=-1)
    v = (np.cross(a - c, inside - c) * normal).sum(axis=-1)
    w = (np.cross(b - a, inside - a) * normal).sum(axis=-1)
    sides = np.stack([on_side(p, one, other) for one, other in ((a, b), (b, c), (c, a))], axis=-2)
    best = np.linalg.norm(sides - p[..., None, :], axis=-1).argmin(axis=-1)
    on_rim = np.take_along_axis(sides, best[..., None, None], axis=-2)[..., 0, :]
    within = (u >= 0) & (v >= 0) & (w >= 0) & (area > 1e-300)
    return np.asarray(np.where(within[..., None], inside, on_rim))
