"""Selecting where a property holds: "faces where sides > 4"."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.geometry.closest import face_distances, on_side
from levelloop.core.geometry.planes import as_direction, as_plane, as_vector
from levelloop.core.mesh.faces import (
    edge_folds,
    edge_lengths,
    face_areas,
    face_normals,
    flatness,
    point_normals,
    unit,
)
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import KINDS, Kind, Selection, convert, select_mask
from levelloop.core.tolerance import Automatic, settled


def select_where(mesh: Mesh, kind: Kind, **conditions: Any) -> Selection:
    """The elements of a kind for which every condition holds.

    sides, valence: a number or ">4", "<4"; open: bool; crease_over, angle_over (degrees), flatness_over (mm):
    numbers; material: a name; normal: direction, within degrees; plane, within_distance mm;
    box: (low, high), element wholly inside; along: direction, within degrees; near: a place, count nearest;
    length mm, area mm²: a number or ">2"; uneven_over: the most that a face's area and a neighbour's differ by, as a
    ratio; on: the name of a set. any_of: several such conditions, one of which holds; none_of: none of which holds.
    Raises EditError for a condition that does not fit the kind.
    """
    if kind not in KINDS:
        raise EditError(f'There are no "{kind}"; select points, edges or faces.')
    given = {name: value for name, value in conditions.items() if value is not None}
    try:
        within, count = float(given.pop("within", 1.0)), int(given.pop("count", 1))
    except (TypeError, ValueError, OverflowError) as error:
        raise EditError("How near, and how many, are numbers.") from error
    either, neither = given.pop("any_of", None), given.pop("none_of", ())
    within_distance = settled(given.pop("within_distance", Automatic(1e-6)), mesh.points, mesh.topology.edges)
    if not given and not either and not neither:
        raise EditError("Selecting by a property needs at least one condition, such as sides > 4.")
    mask = np.ones({"points": mesh.n_points, "edges": mesh.n_edges, "faces": mesh.n_faces}[kind], dtype=np.bool_)
    for name, value in given.items():
        condition = _CONDITIONS.get((kind, name))
        if condition is None:
            fitting = ", ".join(sorted(known for of, known in _CONDITIONS if of == kind))
            raise EditError(f'{kind.capitalize()} have no property "{name}"; they have {fitting}.')
        tolerance = within_distance if name == "plane" else count if name == "near" else within
        try:
            mask &= condition(mesh, value, tolerance)
        except (TypeError, ValueError) as error:
            raise EditError(f'"{value}" is no value for {name}.') from error
    if either is not None:
        mask &= np.logical_or.reduce([_mask(mesh, kind, one) for one in either] or [np.zeros_like(mask)])
    for one in neither:
        mask &= ~_mask(mesh, kind, one)
    return select_mask(kind, mask)


def element_near(mesh: Mesh, kind: Kind, named: Mapping[str, Any]) -> int | tuple[int, int]:
    """The number of the element nearest to {"near": place}, of an edge its ends; {"near": (from, to)} directs it.

    Raises EditError where the points nearest to the two places are no edge's ends.
    """
    if set(named) != {"near"}:
        raise EditError('An element is named by its number or as {"near": [x, y, z]}.')
    place = named["near"]
    if mesh.n_points == 0:
        raise EditError(f"There are no {kind} to be near to.")
    if kind == "edges" and isinstance(place, list | tuple) and len(place) == 2:
        a, b = (int(select_where(mesh, "points", near=end).indices[0]) for end in place)
        return a, b
    found = select_where(mesh, kind, near=place).indices
    if not len(found):
        raise EditError(f"There are no {kind} to be near to.")
    a, b = mesh.topology.edges[found[0]].tolist() if kind == "edges" else (0, 0)
    return (a, b) if kind == "edges" else int(found[0])


def _mask(mesh: Mesh, kind: Kind, conditions: Any) -> Booleans:
    if not isinstance(conditions, Mapping):
        raise EditError('Write conditions as an object, such as {"sides": 4}.')
    return select_where(mesh, kind, **conditions).mask(mesh.topology)


# One function per condition: (mesh, value, tolerance) → mask over the elements of its kind.


_COMPARISONS: Mapping[str, Callable[[Any, Any], Booleans]] = {
    "<": np.less,
    ">": np.greater,
    "=": np.equal,
    "<=": np.less_equal,
    ">=": np.greater_equal,
}
ALIKE = 1e-9  # sizes that differ by less than this share are equal


def comparison(value: Any) -> tuple[str, str]:
    """The sign and the number of ">4", "<= 2.5" or 4. Raises EditError where it is neither."""
    found = re.fullmatch(r"\s*(<=|>=|<|>|=)?\s*(\S.*?)\s*", str(value))
    if not found or isinstance(value, bool):
        raise _no_comparison(value)
    return found.group(1) or "=", found.group(2)


def _signed(value: Any) -> tuple[str, float]:
    sign, number = comparison(value)
    try:
        found = float(number)
    except ValueError as error:
        raise _no_comparison(value) from error
    if not np.isfinite(found):
        raise _no_comparison(value)
    return sign, found


def _no_comparison(value: Any) -> EditError:
    return EditError(f'"{value}" is no comparison; write 4, ">4" or "<4".')


def _compare(numbers: Integers, value: Any) -> Booleans:
    sign, number = _signed(value)
    if number != int(number):
        raise EditError(f'"{value}" is no whole number.')
    return _COMPARISONS[sign](numbers, int(number))


def _compare_sizes(sizes: Floats, value: Any) -> Booleans:
    sign, number = _signed(value)
    if sign == "=":
        return np.isclose(sizes, number, rtol=ALIKE, atol=0.0)
    return _COMPARISONS[sign](sizes, number)


def _nearest(distance: Floats, count: float) -> Booleans:
    """The nearest few; those as near as the last one of them do not come with it: the first by number do."""
    if count < 1:
        raise EditError(f"Select at least one that is near, not {count:g}.")
    mask = np.zeros(len(distance), dtype=np.bool_)
    mask[np.argsort(distance, kind="stable")[: int(count)]] = True
    return mask


def _points_near(mesh: Mesh, value: Any, count: float) -> Booleans:
    return _nearest(np.linalg.norm(mesh.points - as_vector(value), axis=1), count)


def _edges_near(mesh: Mesh, value: Any, count: float) -> Booleans:
    ends = mesh.points[mesh.topology.edges]
    foot = on_side(as_vector(value)[None], ends[:, 0], ends[:, 1])
    return _nearest(np.linalg.norm(foot - as_vector(value), axis=1), count)


def _faces_near(mesh: Mesh, value: Any, count: float) -> Booleans:
    return _nearest(face_distances(mesh, as_vector(value)), count)


def _uneven(mesh: Mesh, value: Any, _: float) -> Booleans:
    topology = mesh.topology
    area = face_areas(topology, mesh.points)
    two = topology.edge_faces[topology.edge_face_count == 2]
    one, other = area[two].T
    low, high = np.minimum(one, other), np.maximum(one, other)
    uneven = high > float(value) * low
    mask = np.zeros(mesh.n_faces, dtype=np.bool_)
    mask[two[uneven]] = True
    return mask


def _on_set(kind: Kind) -> Callable[[Mesh, Any, float], Booleans]:
    def of(mesh: Mesh, value: Any, _: float) -> Booleans:
        for named in mesh.sets:
            if named.name == value:
                return convert(mesh.topology, Selection(named.kind, named.indices), kind).mask(mesh.topology)
        raise EditError(f"There is no set “{value}”.")

    return of


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
    ("points", "near"): _points_near,
    ("edges", "near"): _edges_near,
    ("faces", "near"): _faces_near,
    ("edges", "length"): lambda mesh, value, _: _compare_sizes(edge_lengths(mesh.topology, mesh.points), value),
    ("faces", "area"): lambda mesh, value, _: _compare_sizes(face_areas(mesh.topology, mesh.points), value),
    ("faces", "uneven_over"): _uneven,
    **{(kind, "on"): _on_set(kind) for kind in KINDS},
}
