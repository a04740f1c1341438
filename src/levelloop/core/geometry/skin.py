"""A surface as something to lie on: nearest places, where lines meet it, ways over it; rounded as its normals turn."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, sum_by
from levelloop.core.errors import EditError
from levelloop.core.geometry.boxes import BoxTree
from levelloop.core.geometry.closest import Triangles, weights_in_triangle
from levelloop.core.lazy import kept
from levelloop.core.mesh.faces import point_normals, triangles, unit
from levelloop.core.mesh.mesh import Mesh

WALKS = 8  # pieces of the way over a surface that turns away, each at its true length
TURNS_AWAY = np.cos(np.radians(5.0))  # below that a way is walked in pieces


class Skin:
    """A surface by its triangles and the normals at its points: places on it are rounded as the normals turn.

    is_round: whether they are where a mesh has no normals of its own.
    """

    def __init__(self, mesh: Mesh, is_round: bool = False) -> None:
        if mesh.n_faces == 0:
            raise EditError("There is no surface to lie on; the part has no faces.")
        self._triangles = Triangles(mesh.points, triangles(mesh.topology, mesh.points, mesh.diagonal)[0])
        if mesh.normals is None:
            self._normals = point_normals(mesh.topology, mesh.points)
            self._is_round = is_round
        else:
            self._normals = unit(sum_by(mesh.topology.corners, mesh.normals, mesh.n_points))
            self._is_round = True

    def nearest(self, places: Floats) -> tuple[Floats, Floats]:
        """The nearest place on it to each, and the normal there: (n, 3), (n, 3)."""
        triangle, on = self._triangles.nearest(places)
        return self._rounded(triangle, on)

    def along(self, places: Floats, direction: Floats, both: bool) -> tuple[Floats, Floats, Booleans]:
        """Where lines through places meet it first, the normals there, and whether they do: (n, 3), (n, 3), (n,)."""
        frame = _square_to(direction)
        corners, from_ = self._triangles.places @ frame.T, places @ frame.T
        low, high = corners.min(axis=1), corners.max(axis=1)
        low[:, 2] = high[:, 2] = 0.0
        flat = from_ * [1.0, 1.0, 0.0]
        place, triangle = BoxTree(low, high).within(flat, np.full(len(places), 1e-9 * max(np.abs(flat).max(), 1e-300)))
        weights = _weights(flat[place, :2], corners[triangle, :, :2])
        height = np.einsum("kc,kc->k", weights, corners[triangle, :, 2]) - from_[place, 2]
        fits = (weights > -1e-9).all(axis=1) & (both | (height >= 0.0))
        place, triangle, weights, height = place[fits], triangle[fits], weights[fits], height[fits]
        order = np.lexsort((np.abs(height), place))
        found, first = np.unique(place[order], return_index=True)
        best = order[first]
        hit = np.zeros(len(places), dtype=np.bool_)
        hit[found] = True
        result, normals = places.copy(), np.zeros_like(places)
        on = np.einsum("kc,kcj->kj", weights[best], self._triangles.places[triangle[best]])
        result[found], normals[found] = self._rounded(triangle[best], on)
        # What is rounded lies off the line by less than the facets are; along it is what was asked for.
        back = result[found] - places[found]
        result[found] = places[found] + np.einsum("kj,j->k", back, direction)[:, None] * direction
        return result, normals, hit

    def walked(self, start: Floats, normal: Floats, ways: Floats) -> tuple[Floats, Floats]:
        """Where one comes from a place by going ways (n, 3) over it, and the normals there.

        Ways lie in the tangent plane; where the surface turns away they are walked in pieces, each as long as it is.
        """
        places, normals = self.nearest(start + ways)
        if len(ways) == 0 or float((normals @ normal).min()) > TURNS_AWAY:
            return places, normals
        here, up, left = np.broadcast_to(start, ways.shape).copy(), np.broadcast_to(normal, ways.shape), ways
        length = np.linalg.norm(ways, axis=1)[:, None] / WALKS
        for _ in range(WALKS):
            heading = unit(left - up * np.einsum("ij,ij->i", left, up)[:, None])
            step = heading * length
            before = here
            here, up = self.nearest(before + step)
            # As long as it was meant: the chord is put right before the next piece.
            real = np.linalg.norm(here - before, axis=1)[:, None]
            more = np.where(real > 0, length - real, 0.0)
            here, up = self.nearest(here + heading * more)
            left = heading
        return here, up

    def _rounded(self, triangle: Integers, on: Floats) -> tuple[Floats, Floats]:
        """Places on flat triangles put onto the surface that its normals tell of, and the normals.

        Halfway to the tangent planes at the corners: exact on arcs to the second order (after Boubekeur & Alexa 2008).
        """
        corners, numbers = self._triangles.places[triangle], self._triangles.corners[triangle]
        weights = weights_in_triangle(on, corners)
        normals = unit(np.einsum("kc,kcj->kj", weights, self._normals[numbers]))
        if not self._is_round:
            return on, normals
        off = np.einsum("kcj,kcj->kc", on[:, None] - corners, self._normals[numbers])
        planes = on[:, None] - off[..., None] * self._normals[numbers]
        return on + 0.5 * (np.einsum("kc,kcj->kj", weights, planes) - on), normals


def skin_of(mesh: Mesh) -> Skin:
    """The skin of a mesh, kept with it: what lies on a surface is moved more often than the surface."""
    return kept(mesh, "_skin", lambda: Skin(mesh))


# Helpers


def _square_to(direction: Floats) -> Floats:
    """A frame whose third row is a direction: (3, 3)."""
    other = np.eye(3)[int(np.argmin(np.abs(direction)))]
    first = unit(np.cross(direction, other)[None])[0]
    return np.stack((first, np.cross(direction, first), direction))


def _weights(places: Floats, corners: Floats) -> Floats:
    """Barycentric coordinates of places (k, 2) in flat triangles (k, 3, 2)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    area = _cross(b - a, c - a)
    safe = np.where(np.abs(area) > 1e-300, area, np.inf)
    v, w = _cross(places - a, c - a) / safe, _cross(b - a, places - a) / safe
    result = np.stack((1.0 - v - w, v, w), axis=1)
    # A triangle seen on edge holds nothing.
    result[~np.isfinite(safe)] = -1.0
    return np.asarray(result)


def _cross(a: Floats, b: Floats) -> Floats:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0])
