"""Selecting where a property holds: "faces where sides > 4"."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.measure.faces import edge_folds, face_normals, flatness, point_normals, unit
from levelloop.core.mesh import Mesh
from levelloop.core.planes import as_direction, as_plane
from levelloop.core.selection import KINDS, Kind, Selection, select_mask
from levelloop.core.tolerance import Automatic, settled


def select_where(mesh: Mesh, kind: Kind, **conditions: Any) -> Selection:
    """The elements of a kind for which every condition holds.

    sides, valence: a number or ">4", "<4"; open: bool; crease_over, angle_over (degrees), flatness_over (mm):
    numbers; material: a name; normal: direction, within degrees; plane, within_distance mm;
    box: (low, high), element wholly inside; along: direction, within degrees.
    Raises EditError for a condition that does not fit the kind.
    """
    if kind not in KINDS:
        raise EditError(f'There are no "{kind}"; select points, edges or faces.')
    given = {name: value for name, value in conditions.items() if value is not None}
    within = float(given.pop("within", 1.0))
    within_distance = settled(given.pop("within_distance", Automatic(1e-6)), mesh.points, mesh.topology.edges)
    if not given:
        raise EditError("Selecting by a property needs at least one condition, such as sides > 4.")
    mask = np.ones({"points": mesh.n_points, "edges": mesh.n_edges, "faces": mesh.n_faces}[kind], dtype=np.bool_)
    for name, value in given.items():
        condition = _CONDITIONS.get((kind, name))
        if condition is None:
            fitting = ", ".join(sorted(known for of, known in _CONDITIONS if of == kind))
            raise EditError(f'{kind.capitalize()} have no property "{name}"; they have {fitting}.')
        tolerance = within_distance if name == "plane" else within
        try:
            mask &= condition(mesh, value, tolerance)
        except (TypeError, ValueError) as error:
            raise EditError(f'"{value}" is no value for {name}.') from error
    return select_mask(kind, mask)


# One function per condition: (mesh, value, tolerance) → mask over the elements of its kind.


def _compare(numbers: Integers, value: Any) -> Booleans:
    if isinstance(value, str):
        found = re.fullmatch(r"\s*(<=|>=|<|>|=)?\s*(\d+)\s*", value)
        if not found:
            raise EditError(f'"{value}" is no comparison; write 4, ">4" or "<4".')
        sign, number = found.group(1) or "=", int(found.group(2))
        compare: dict[str, Callable[[Integers, int], Booleans]] = {
            "<": np.less,
            ">": np.greater,
            "=": np.equal,
            "<=": np.less_equal,
            ">=": np.greater_equal,
        }
        return compare[sign](numbers, number)
    if isinstance(value, bool) or int(value) != value:
        raise EditError(f'"{value}" is no whole number.')
    return np.asarray(numbers == int(value))


def _faces_open(mesh: Mesh, value: Any, _: float) -> Booleans:
    touching = np.zeros(mesh.n_faces, dtype=np.bool_)
    touching[mesh.topology.edge_faces[mesh.topology.open_edges, 0]] = True
    return np.asarray(touching == bool(value))


def _material(mesh: Mesh, value: Any, _: float) -> Booleans:
    if value not in mesh.materials:
        return np.zeros(mesh.n_faces, dtype=np.bool_)
    return np.asarray(mesh.material == mesh.materials.index(value))


def _facing(normals: Floats, value: Any, within: float) -> Booleans:
    direction = as_direction(value)
    angle = np.degrees(np.arctan2(np.linalg.norm(np.cross(normals, direction), axis=1), normals @ direction))
    return np.asarray((angle <= within + 1e-9) & (np.abs(normals).sum(axis=1) > 0))


def _edge_along(mesh: Mesh, value: Any, within: float) -> Booleans:
    ends = mesh.points[mesh.topology.edges]
    directions = unit(ends[:, 1] - ends[:, 0])
    return _facing(directions, value, within) | _facing(-directions, value, within)


def _points_on_plane(mesh: Mesh, value: Any, within: float) -> Booleans:
    point, normal = as_plane(value)
    return np.asarray(np.abs((mesh.points - point) @ normal) <= within)


def _points_in_box(mesh: Mesh, value: Any, _: float) -> Booleans:
    low, high = np.asarray(value[0], dtype=np.float64), np.asarray(value[1], dtype=np.float64)
    return np.asarray(((mesh.points >= low) & (mesh.points <= high)).all(axis=1))


def _whole_edges(of_points: Callable[[Mesh, Any, float], Booleans]) -> Callable[[Mesh, Any, float], Booleans]:
    def of_edges(mesh: Mesh, value: Any, tolerance: float) -> Booleans:
        return np.asarray(of_points(mesh, value, tolerance)[mesh.topology.edges].all(axis=1))

    return of_edges


def _whole_faces(of_points: Callable[[Mesh, Any, float], Booleans]) -> Callable[[Mesh, Any, float], Booleans]:
    def of_faces(mesh: Mesh, value: Any, tolerance: float) -> Booleans:
        if mesh.n_faces == 0:
            return np.zeros(0, dtype=np.bool_)
        corners = of_points(mesh, value, tolerance)[mesh.topology.corners]
        return np.logical_and.reduceat(corners, mesh.topology.face_offsets[:-1])

    return of_faces


_CONDITIONS: dict[tuple[str, str], Callable[[Mesh, Any, float], Booleans]] = {
    ("faces", "sides"): lambda mesh, value, _: _compare(mesh.topology.face_sizes, value),
    ("points", "valence"): lambda mesh, value, _: _compare(mesh.topology.valence, value),
    ("points", "open"): lambda mesh, value, _: mesh.topology.open_points == bool(value),
    ("edges", "open"): lambda mesh, value, _: mesh.topology.open_edges == bool(value),
    ("faces", "open"): _faces_open,
    ("edges", "crease_over"): lambda mesh, value, _: mesh.creases > float(value),
    ("points", "crease_over"): lambda mesh, value, _: mesh.corner_sharpness > float(value),
    ("faces", "material"): _material,
    ("faces", "normal"): lambda mesh, value, within: _facing(face_normals(mesh.topology, mesh.points), value, within),
    ("points", "normal"): lambda mesh, value, within: _facing(point_normals(mesh.topology, mesh.points), value, within),
    ("points", "plane"): _points_on_plane,
    ("edges", "plane"): _whole_edges(_points_on_plane),
    ("faces", "plane"): _whole_faces(_points_on_plane),
    ("points", "box"): _points_in_box,
    ("edges", "box"): _whole_edges(_points_in_box),
    ("faces", "box"): _whole_faces(_points_in_box),
    ("edges", "angle_over"): lambda mesh, value, _: edge_folds(mesh.topology, mesh.points) > float(value),
    ("faces", "flatness_over"): lambda mesh, value, _: flatness(mesh.topology, mesh.points) > float(value),
    ("edges", "along"): _edge_along,
}
