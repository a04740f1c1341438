"""Moving points without changing who touches whom: move, rotate, scale, along normals."""

from __future__ import annotations

from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers, connected_labels, mask_of, sum_by
from levelloop.core.edit.carry import Edit, identity, mapped
from levelloop.core.edit.offset import meet_planes
from levelloop.core.edit.simple import flipped
from levelloop.core.errors import EditError
from levelloop.core.measure.faces import face_normals, point_normals
from levelloop.core.mesh import Mesh
from levelloop.core.planes import as_direction, as_vector
from levelloop.core.selection import Selection, faces_of, points_of


def move(mesh: Mesh, selection: Selection, by: Any = (0.0, 0.0, 0.0)) -> Edit:
    """Moves the selected elements, or all where none are selected, by (x, y, z) mm."""
    chosen = _chosen(mesh, selection)
    return _placed(mesh, selection, chosen, mesh.points[chosen] + as_vector(by))


def rotate(mesh: Mesh, selection: Selection, angle: float, axis: Any = "z", pivot: Any = "middle") -> Edit:
    """Turns the selected elements, or all, by degrees about an axis through the pivot, counter-clockwise.

    pivot: "middle" of the selection's box, "each" connected piece, "origin" or (x, y, z).
    Rodrigues' rotation formula (Rodrigues 1840).
    """
    chosen = _chosen(mesh, selection)
    direction = as_direction(axis)
    radians = np.radians(angle)
    centre = _pivots(mesh, chosen, pivot)
    local = mesh.points[chosen] - centre
    turned = (
        local * np.cos(radians)
        + np.cross(direction, local) * np.sin(radians)
        + direction * (local @ direction)[:, None] * (1.0 - np.cos(radians))
    )
    return _placed(mesh, selection, chosen, centre + turned)


def scale(mesh: Mesh, selection: Selection, factors: Any = 1.0, pivot: Any = "middle") -> Edit:
    """Scales the selected elements, or all, by one factor or (x, y, z) about the pivot.

    0 flattens. A negative product would turn faces inside out; those that moved as a whole are flipped back.
    """
    chosen = _chosen(mesh, selection)
    by = np.full(3, float(factors)) if np.ndim(factors) == 0 else as_vector(factors)
    if not np.isfinite(by).all():
        raise EditError("Scale factors must be finite numbers.")
    centre = _pivots(mesh, chosen, pivot)
    edit = _placed(mesh, selection, chosen, centre + (mesh.points[chosen] - centre) * by)
    if np.prod(by) >= 0:
        return edit
    moved = faces_of(mesh.topology, Selection("points", chosen))
    if len(moved) == 0:
        return edit
    new_mesh, origin = flipped(edit.mesh, mask_of(moved, mesh.n_faces))
    plural = "face was" if len(moved) == 1 else "faces were"
    return Edit(
        new_mesh,
        mapped(selection, origin),
        origin,
        f"{len(moved)} mirrored {plural} turned outward again.",
    )


def move_along_normals(mesh: Mesh, selection: Selection, distance: float, keep_wall: bool = False) -> Edit:
    """Moves the selected elements, or all, along their normals by mm.

    keep_wall: each face moves by exactly the distance where the faces around a point allow it.
    """
    chosen = _chosen(mesh, selection)
    topology = mesh.topology
    if keep_wall:
        normals = face_normals(topology, mesh.points)[topology.corner_face]
        directions = meet_planes(normals, np.ones(len(normals)), topology.corners, mesh.n_points)
    else:
        directions = point_normals(topology, mesh.points)
    return _placed(mesh, selection, chosen, mesh.points[chosen] + distance * directions[chosen])


def middle_of_box(points: Floats) -> Floats:
    """The middle of the points' bounding box: (3,)."""
    return np.asarray(0.5 * (points.min(axis=0) + points.max(axis=0)))


# Helpers


def _chosen(mesh: Mesh, selection: Selection) -> Integers:
    chosen = points_of(mesh.topology, selection) if len(selection) else np.arange(mesh.n_points)
    if len(chosen) == 0:
        raise EditError("There is nothing to move; the cage is empty.")
    return chosen


def _placed(mesh: Mesh, selection: Selection, chosen: Integers, places: Floats) -> Edit:
    points = mesh.points.copy()
    points[chosen] = places
    if not np.isfinite(places).all():
        raise EditError("That would put points at infinity; use a smaller number.")
    return Edit(mesh.with_points(points), selection, identity(mesh))


def _pivots(mesh: Mesh, chosen: Integers, pivot: Any) -> Floats:
    """The pivot of each chosen point: (c, 3), or one for all: (3,)."""
    points = mesh.points[chosen]
    if not isinstance(pivot, str):
        return as_vector(pivot)
    if pivot == "origin":
        return np.zeros(3)
    if pivot == "middle":
        return middle_of_box(points)
    if pivot != "each":
        raise EditError(f'"{pivot}" is no pivot; use middle, each, origin or a place.')
    topology = mesh.topology
    inside = mask_of(chosen, mesh.n_points)[topology.edges].all(axis=1)
    _, labels = connected_labels(topology.edges[inside], mesh.n_points)
    names, piece = np.unique(labels[chosen], return_inverse=True)
    middles = sum_by(piece, points, len(names)) / np.bincount(piece)[:, None]
    return np.asarray(middles[piece])
