"""The one place where tags follow their elements through an edit.

An operation says which old point and face each new one comes from, and which old edge a new point was
put on; wires, creases, seams, corner sharpness, materials, holes, UV and named sets follow from that here.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers, distinct, frozen, mask_of
from levelloop.core.mesh.mean_value import values_inside
from levelloop.core.mesh.mesh import Mesh, NamedSet, UVSet
from levelloop.core.mesh.selection import Kind, Selection
from levelloop.core.mesh.tags import DIAGONAL, MATERIAL, TAGS, Tag
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Origin:
    """For each new point, edge and face the old one it comes from, −1 for none: (n,), (e,), (m,)."""

    points: Integers
    edges: Integers
    faces: Integers

    def of(self, kind: Kind) -> Integers:
        """The origins of one kind of element: (n,)."""
        origins: Integers = getattr(self, kind)
        return origins


@dataclass(frozen=True, eq=False)
class Edit:
    """What an operation made: the new mesh, what is selected after it, where everything comes from.

    message: what was done, in a sentence, where there is more to say than the operation's own sentence. became: which
    point each of those that were welded, or left, became, −1 for none; None where nothing was welded.
    """

    mesh: Mesh
    selection: Selection
    origin: Origin
    message: str = ""
    became: Integers | None = None


def identity(mesh: Mesh) -> Origin:
    """The origin of an edit that keeps every element."""
    every = mesh.topology.every
    return Origin(every[: mesh.n_points], every[: mesh.n_edges], every[: mesh.n_faces])


def carry(
    old: Mesh,
    topology: Topology,
    points: Floats,
    point_origin: Integers,
    face_origin: Integers,
    on_edge: Integers | None = None,
    joined: tuple[Integers, Integers] | None = None,
    corner_origin: Integers | None = None,
    placed: Booleans | None = None,
    wires: Integers | None = None,
) -> tuple[Mesh, Origin]:
    """The new mesh with the old one's tags.

    points: (n, 3); point_origin: (n,), face_origin: (m,), −1 for none; on_edge: (n,) the old edge that a point
    without origin was put on, −1 for none; joined: new point pairs (j, 2) and the old edge (j,) that stands for the run
    of edges each pair's edge replaces. A new edge comes from the old edge between its ends' origins, or from
    the old edge that both its ends lie on. UV: corner_origin: (k,) the old corner of each new one where the operation
    knows it; placed: (n,) new points whose UV is that of the place in the old face where they lie. wires: (w, 2) the
    old ones that stay, all where not given.
    """
    topology = _with_wires(topology, old.topology.wires if wires is None else wires, old.n_points, point_origin)
    edge_origin = _edge_origin(old.topology, topology, point_origin, on_edge)
    if joined is not None and len(joined[1]):
        new_edge = topology.find_edges(joined[0])
        fresh = (new_edge >= 0) & (edge_origin[new_edge] < 0)
        edge_origin[new_edge[fresh]] = joined[1][fresh]
    origin = Origin(frozen(point_origin), frozen(edge_origin), frozen(face_origin))
    every = _every_uv(old)
    if every is not None:
        every = _carried_uv(old, every, topology, points, origin, corner_origin, placed)
    values: dict[str, Any] = {
        tag.name: tag.taken(getattr(old, tag.name), origin.of(tag.on))
        for tag in TAGS
        if getattr(old, tag.name) is not None
    }
    if old.n_faces == 0 and old.materials:
        # What is made of wires is of what they are said to be of.
        values[MATERIAL.name] = np.zeros(topology.n_faces, dtype=MATERIAL.type)
    sets = tuple(NamedSet(kept.name, kept.kind, _members(kept, old, origin)) for kept in old.sets)
    return _tagged(old, topology, points, origin, values, every, sets), origin


def carry_merged(
    old: Mesh, topology: Topology, points: Floats, point_map: Integers, face_origin: Integers, corner_origin: Integers
) -> tuple[Mesh, Origin]:
    """The new mesh where old points became one; the sharpest of edges and points that met stays.

    point_map: (old n,) the new point of each old one, −1 where it is gone; corner_origin: (k,) the old corners that
    stayed.
    """
    kept = np.flatnonzero(point_map >= 0)[::-1]
    if len(old.topology.wires):
        ends = point_map[old.topology.wires]
        topology = topology.with_wires(ends[(ends >= 0).all(axis=1)])
    point_origin = np.full(len(points), -1, dtype=np.int64)
    point_origin[point_map[kept]] = kept
    new_edge = topology.find_edges(point_map[old.topology.edges])
    there = np.flatnonzero(new_edge >= 0)[::-1]
    edge_origin = np.full(topology.n_edges, -1, dtype=np.int64)
    edge_origin[new_edge[there]] = there
    origin = Origin(frozen(point_origin), frozen(edge_origin), frozen(face_origin))

    def merged(tag: Tag, values: AnyArray) -> AnyArray:
        if tag.on == "points":
            return tag.merged(values[kept], point_map[kept], len(points))
        if tag.on == "edges":
            return tag.merged(values[there], new_edge[there], topology.n_edges)
        return tag.taken(values, face_origin)

    def of_set(named: NamedSet) -> Integers:
        if named.kind == "faces":
            return _members(named, old, origin)
        to = point_map if named.kind == "points" else new_edge
        members = to[named.indices]
        return distinct(members[members >= 0])

    values: dict[str, Any] = {
        tag.name: merged(tag, getattr(old, tag.name)) for tag in TAGS if getattr(old, tag.name) is not None
    }
    every = _every_uv(old)
    every = None if every is None else every[corner_origin]
    sets = tuple(NamedSet(named.name, named.kind, of_set(named)) for named in old.sets)
    return _tagged(old, topology, points, origin, values, every, sets), origin


def through(first: Origin, second: Origin) -> Origin:
    """The origins of two edits, one after the other."""

    def both(one: Integers, other: Integers) -> Integers:
        return np.where(other >= 0, np.append(one, -1)[other], -1)

    return Origin(both(first.points, second.points), both(first.edges, second.edges), both(first.faces, second.faces))


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


def without_members(mesh: Mesh, gone: Mapping[Kind, Booleans]) -> Mesh:
    """The mesh with some elements in no named set: those whose place in it another inherits. gone: masks by kind."""
    sets = tuple(
        NamedSet(named.name, named.kind, named.indices[~gone[named.kind][named.indices]])
        if named.kind in gone
        else named
        for named in mesh.sets
    )
    return replace(mesh, sets=sets)


# Helpers


def _tagged(
    old: Mesh,
    topology: Topology,
    points: Floats,
    origin: Origin,
    values: dict[str, Any],
    every: Floats | None,
    sets: tuple[NamedSet, ...],
) -> Mesh:
    """A mesh like the old one, with what its tags became; every: all its UV, as `_every_uv` has them."""
    values[DIAGONAL.name] = _diagonals(old, topology, origin, values[DIAGONAL.name])
    if every is not None:
        own = 0 if old.uv is None else 2
        values["uv"] = np.ascontiguousarray(every[:, :2]) if own else None
        values["uv_sets"] = tuple(
            UVSet(kept.name, np.ascontiguousarray(every[:, own + 2 * number : own + 2 * number + 2]))
            for number, kept in enumerate(old.uv_sets)
        )
    return replace(old, topology=topology, points=points, sets=sets, normals=None, **values)


def _every_uv(mesh: Mesh) -> Floats | None:
    """All UV that a mesh has side by side, those kept beside its own last: (k, 2 · sets); None where it has none."""
    found = [*([mesh.uv] if mesh.uv is not None else ()), *(kept.uv for kept in mesh.uv_sets)]
    return np.concatenate(found, axis=1) if found else None


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


def _with_wires(topology: Topology, wires: Integers, n_old: int, point_origin: Integers) -> Topology:
    """The topology with old wires between the first points that come from their ends."""
    if len(wires) == 0:
        return topology
    number = np.full(n_old + 1, -1, dtype=np.int64)
    number[point_origin[::-1]] = np.arange(len(point_origin))[::-1]  # −1 writes the spare last entry
    ends = number[wires]
    both = np.concatenate((topology.wires, ends[(ends >= 0).all(axis=1)]))
    return topology.with_wires(both)


def _members(named: NamedSet, old: Mesh, origin: Origin) -> Integers:
    """The new elements that come from those of a set."""
    origins = origin.of(named.kind)
    chosen = np.append(mask_of(named.indices, old.count(named.kind)), False)  # −1 reads the spare last entry
    return np.flatnonzero(chosen[origins])


def _diagonals(old: Mesh, topology: Topology, origin: Origin, taken: Integers) -> Integers:
    """The diagonals of quads that are still the same quads, from the same first corner."""
    chosen = np.flatnonzero(taken)
    if len(chosen) == 0:
        return taken
    before = origin.faces[chosen]
    first = topology.corners[topology.face_offsets[chosen]]
    same = origin.points[first] == old.topology.corners[old.topology.face_offsets[before]]
    taken[chosen[~same | (topology.face_sizes[chosen] != 4)]] = 0
    return taken


def _carried_uv(
    old: Mesh,
    uv: Floats,
    topology: Topology,
    points: Floats,
    origin: Origin,
    corner_origin: Integers | None,
    placed: Booleans | None,
) -> Floats:
    """UV for the new corners: of the same point in the same face; or of its place in the face; or of the point."""
    before = old.topology
    source = np.full(topology.n_corners, -1, dtype=np.int64) if corner_origin is None else corner_origin.copy()
    face = origin.faces[topology.corner_face]
    point = origin.points[topology.corners]
    if placed is not None:
        point = np.where(placed[topology.corners], -1, point)
    key = before.corner_face * before.n_points + before.corners
    order = np.argsort(key, kind="stable")
    missing = np.flatnonzero((source < 0) & (face >= 0) & (point >= 0))
    if len(missing) and len(key):
        wanted = face[missing] * before.n_points + point[missing]
        found = order[np.minimum(np.searchsorted(key, wanted, sorter=order), len(key) - 1)]
        source[missing] = np.where(key[found] == wanted, found, -1)
    by_point, offsets = before.corners_by_point
    missing = np.flatnonzero((source < 0) & (point >= 0))
    missing = missing[np.diff(offsets)[point[missing]] > 0]
    source[missing] = by_point[offsets[point[missing]]]
    result = np.zeros((topology.n_corners, uv.shape[1]))
    result[source >= 0] = uv[source[source >= 0]]
    missing = np.flatnonzero((source < 0) & (face >= 0))
    result[missing] = values_inside(before, old.points, uv, face[missing], points[topology.corners[missing]])
    return result
