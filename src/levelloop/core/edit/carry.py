"""The one place where tags follow their elements through an edit.

An operation says which old point and face each new one comes from, and which old edge a new point was
put on; creases, corner sharpness and materials follow from that here.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from levelloop.core.arrays import Floats, Integers, frozen
from levelloop.core.mesh import Mesh
from levelloop.core.selection import Kind, Selection
from levelloop.core.topology import Topology


@dataclass(frozen=True, eq=False)
class Origin:
    """For each new point, edge and face the old one it comes from, −1 for none: (n,), (e,), (m,)."""

    points: Integers
    edges: Integers
    faces: Integers

    def of(self, kind: Kind) -> Integers:
        """The origins of one kind of element."""
        origins: Integers = getattr(self, kind)
        return origins


@dataclass(frozen=True, eq=False)
class Edit:
    """What an operation made: the new mesh, what is selected after it, where everything comes from.

    message: what was done, in a sentence, where there is more to say than the operation's own sentence.
    """

    mesh: Mesh
    selection: Selection
    origin: Origin
    message: str = ""


def identity(mesh: Mesh) -> Origin:
    """The origin of an edit that keeps every element."""
    return Origin(np.arange(mesh.n_points), np.arange(mesh.n_edges), np.arange(mesh.n_faces))


def carry(
    old: Mesh,
    topology: Topology,
    points: Floats,
    point_origin: Integers,
    face_origin: Integers,
    on_edge: Integers | None = None,
    joined: tuple[Integers, Integers] | None = None,
) -> tuple[Mesh, Origin]:
    """The new mesh with the old one's tags.

    points: (n, 3); point_origin: (n,), face_origin: (m,), −1 for none; on_edge: (n,) the old edge that a point
    without origin was put on, −1 for none; joined: new point pairs (j, 2) and the old edge (j,) that stands for the run
    of edges each pair's edge replaces. A new edge comes from the old edge between its ends' origins, or from
    the old edge that both its ends lie on.
    """
    edge_origin = _edge_origin(old.topology, topology, point_origin, on_edge)
    if joined is not None and len(joined[1]):
        new_edge = topology.find_edges(joined[0])
        fresh = (new_edge >= 0) & (edge_origin[new_edge] < 0)
        edge_origin[new_edge[fresh]] = joined[1][fresh]
    origin = Origin(frozen(point_origin), frozen(edge_origin), frozen(face_origin))
    mesh = Mesh(
        topology,
        points,
        _taken(old.creases, edge_origin, 0.0),
        _taken(old.corner_sharpness, point_origin, 0.0),
        _taken(old.material, face_origin, -1),
        old.materials,
        old.scheme,
    )
    return mesh, origin


def carry_merged(
    old: Mesh, topology: Topology, points: Floats, point_map: Integers, face_origin: Integers
) -> tuple[Mesh, Origin]:
    """The new mesh where old points became one; the sharpest of edges and points that met stays.

    point_map: (old n,) the new point of each old one, −1 where it is gone.
    """
    kept = np.flatnonzero(point_map >= 0)[::-1]
    point_origin = np.full(len(points), -1, dtype=np.int64)
    point_origin[point_map[kept]] = kept
    corner_sharpness = np.zeros(len(points))
    np.maximum.at(corner_sharpness, point_map[kept], old.corner_sharpness[kept])
    new_edge = topology.find_edges(point_map[old.topology.edges])
    there = np.flatnonzero(new_edge >= 0)[::-1]
    edge_origin = np.full(topology.n_edges, -1, dtype=np.int64)
    edge_origin[new_edge[there]] = there
    creases = np.zeros(topology.n_edges)
    np.maximum.at(creases, new_edge[there], old.creases[there])
    origin = Origin(frozen(point_origin), frozen(edge_origin), frozen(face_origin))
    material = _taken(old.material, face_origin, -1)
    return Mesh(topology, points, creases, corner_sharpness, material, old.materials, old.scheme), origin


def mapped(selection: Selection, origin: Origin) -> Selection:
    """The selection in the new mesh: everything whose origin was selected, picked in the same order."""
    origins = origin.of(selection.kind)
    size = max(int(origins.max(initial=-1)), int(selection.indices.max(initial=-1))) + 1
    rank = np.full(size + 1, -1, dtype=np.int64)
    rank[selection.indices] = np.arange(len(selection))
    new_rank = rank[origins]  # −1 reads the spare last entry
    found = np.flatnonzero(new_rank >= 0)
    order = found[np.argsort(new_rank[found], kind="stable")]
    backwards = None if selection.backwards is None else selection.backwards[new_rank[order]]
    return Selection(selection.kind, order, backwards)


# Helpers


def _taken(values: np.ndarray, origin: Integers, default: float) -> np.ndarray:
    if len(values) == 0:
        return np.full(len(origin), default, dtype=values.dtype)
    return np.where(origin >= 0, values[origin], default).astype(values.dtype)


def _edge_origin(old: Topology, new: Topology, point_origin: Integers, on_edge: Integers | None) -> Integers:
    ends = point_origin[new.edges]
    edge_origin = old.find_edges(ends)
    if on_edge is None or old.n_edges == 0:
        return edge_origin
    first, second = on_edge[new.edges[:, 0]], on_edge[new.edges[:, 1]]
    both = (first >= 0) & (first == second)
    edge_origin[both] = first[both]
    for new_point_edge, end in ((first, ends[:, 1]), (second, ends[:, 0])):
        candidate = np.flatnonzero((new_point_edge >= 0) & (end >= 0))
        old_ends = old.edges[new_point_edge[candidate]]
        touches = (old_ends == end[candidate, None]).any(axis=1)
        edge_origin[candidate[touches]] = new_point_edge[candidate[touches]]
    return edge_origin
