"""Steps onto the surface of another part: points pulled onto it, an ornament laid on it."""

from __future__ import annotations

from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, sum_by
from levelloop.core.errors import EditError
from levelloop.core.geometry.boxes import BoxTree
from levelloop.core.geometry.closest import closest_triangles, weights_in_triangle
from levelloop.core.geometry.planes import as_direction, as_vector, axis_turn
from levelloop.core.mesh.faces import point_normals, triangles, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.words import counted

WALKS = 8  # pieces of the way over a surface that turns away, each at its true length
TURNS_AWAY = np.cos(np.radians(5.0))  # below that a way is walked in pieces


def conform(mesh: Mesh, target: Mesh, direction: Any = "nearest", both: bool = True, offset: float = 0.0) -> Edit:
    """Puts all points onto a surface: to the nearest place, or along a direction.

    both: along the direction and against it, whichever is nearer; else only along. offset: mm off the surface along
    its outward normal. What meets nothing stays, and how much that is is said.
    """
    skin = Skin(target)
    if isinstance(direction, str) and direction == "nearest":
        places, normals = skin.nearest(mesh.points)
        return Edit(mesh.with_points(places + offset * normals), NOTHING, identity(mesh))
    places, normals, hit = skin.along(mesh.points, as_direction(direction), both)
    if not hit.any():
        raise EditError("Nothing of it meets the part along that direction.")
    points = np.where(hit[:, None], places + offset * normals, mesh.points)
    lost = int((~hit).sum())
    told = (
        f"{counted(lost, 'point meets', 'points meet')} nothing and {'stays' if lost == 1 else 'stay'}." if lost else ""
    )
    return Edit(mesh.with_points(points), NOTHING, identity(mesh), told)


def lay_on(
    mesh: Mesh, target: Mesh, at: Any = (0.0, 0.0, 0.0), turn: float = 0.0, size: float = 1.0, lift: float = 0.0
) -> Edit:
    """Lays what stands on the plane z = 0 on a surface, its origin at the place nearest to at, heights along normals.

    x goes along the world's x as it lies in the surface there (y where that is along the normal), turned by so many
    degrees; ways from the middle keep their length, so that nothing is sheared there. lift: mm along the normals.
    """
    if not size > 0:
        raise EditError("The size of what is laid on a part is above 0.")
    skin = Skin(target)
    (middle,), (normal,) = skin.nearest(as_vector(at)[None])
    world = np.eye(3)
    axis = world[1] if abs(float(normal[0])) > np.cos(np.radians(1.0)) else world[0]
    x = unit((axis - normal * float(axis @ normal))[None])[0]
    frame = np.stack((x, np.cross(normal, x), normal))
    local = size * mesh.points @ axis_turn("z", turn).T
    ways = local[:, :2] @ frame[:2]
    places, normals = skin.walked(middle, normal, ways)
    return Edit(mesh.with_points(places + (local[:, 2:] + lift) * normals), NOTHING, identity(mesh))


class Skin:
    """A surface by its triangles and the normals at its points: places on it are rounded as the normals turn."""

    def __init__(self, mesh: Mesh) -> None:
        if mesh.n_faces == 0:
            raise EditError("There is no surface to lie on; the part has no faces.")
        self._flat, _ = triangles(mesh.topology, mesh.points, mesh.diagonal)
        self._points = mesh.points
        if mesh.normals is None:
            self._normals = point_normals(mesh.topology, mesh.points)
            self._is_round = False
        else:
            self._normals = unit(sum_by(mesh.topology.corners, mesh.normals, mesh.n_points))
            self._is_round = True
        self._corners = mesh.points[self._flat]

    def nearest(self, places: Floats) -> tuple[Floats, Floats]:
        """The nearest place on it to each, and the normal there: (n, 3), (n, 3)."""
        triangle, on = closest_triangles(self._corners, places)
        return self._rounded(triangle, on)

    def along(self, places: Floats, direction: Floats, both: bool) -> tuple[Floats, Floats, Booleans]:
        """Where lines through places meet it first, the normals there, and whether they do: (n, 3), (n, 3), (n,)."""
        frame = _square_to(direction)
        corners, from_ = self._corners @ frame.T, places @ frame.T
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
        on = np.einsum("kc,kcj->kj", weights[best], self._corners[triangle[best]])
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
        corners, numbers = self._corners[triangle], self._flat[triangle]
        weights = weights_in_triangle(on, corners)
        normals = unit(np.einsum("kc,kcj->kj", weights, self._normals[numbers]))
        if not self._is_round:
            return on, normals
        off = np.einsum("kcj,kcj->kc", on[:, None] - corners, self._normals[numbers])
        planes = on[:, None] - off[..., None] * self._normals[numbers]
        return on + 0.5 * (np.einsum("kc,kcj->kj", weights, planes) - on), normals


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
