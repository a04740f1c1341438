"""Symmetric editing: which point is whose twin across a plane, and edits that are made on both sides."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.mesh.directions import flipped
from levelloop.core.mesh.faces import face_centres
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, mapped, through
from levelloop.core.mesh.selection import Selection, combine
from levelloop.core.mesh.topology import Topology


def twins_by_place(points: Floats, axis: int, tolerance: float) -> Integers:
    """The point across the plane through the origin from each, itself on the plane, −1 where there is none: (n,).

    axis: 0, 1, 2; tolerance: mm. Twins are each other's nearest.
    """
    from scipy.spatial import cKDTree

    if len(points) == 0:
        return np.zeros(0, dtype=np.int64)
    across = points.copy()
    across[:, axis] *= -1.0
    apart, nearest = cKDTree(points).query(across)
    own = np.arange(len(points))
    twin = np.where((apart <= tolerance) & (nearest[nearest] == own), nearest, -1)
    on_plane = np.abs(points[:, axis]) <= tolerance
    return np.where(on_plane, own, twin)


def twins_by_flow(mesh: Mesh, edge: int) -> Integers:
    """The twin of each point by connectivity alone, from an edge in the middle on: (n,), −1 where the sides differ.

    For meshes that are posed. Raises EditError where the edge has no two faces that agree in direction.
    """
    topology = mesh.topology
    corner = int(topology.edge_pair[edge, 0])
    other = int(topology.twin[corner]) if corner >= 0 else -1
    if other < 0:
        raise EditError("Symmetry by flow starts from an edge in the middle, with a face on both sides.")
    # A half-edge and its mirror run in opposite directions: what follows the one comes before the other.
    mirror = np.full(topology.n_corners, -1, dtype=np.int64)
    mirror[corner], mirror[other] = other, corner
    front = np.array([corner, other])
    while len(front):
        back = mirror[front]
        steps = (
            (topology.next_corner[front], topology.previous_corner[back]),
            (topology.twin[front], topology.twin[back]),
        )
        reached = []
        for here, there in steps:
            fits = (here >= 0) & (there >= 0)
            fits[fits] = mirror[here[fits]] < 0
            here, first = np.unique(here[fits], return_index=True)
            mirror[here] = there[fits][first]
            reached.append(here)
        front = np.concatenate(reached)
    twin = np.full(mesh.n_points, -1, dtype=np.int64)
    known = np.flatnonzero(mirror >= 0)
    twin[topology.corners[known]] = topology.corner_end[mirror[known]]
    own = np.arange(mesh.n_points)
    return np.where((twin >= 0) & (twin[twin] == own), twin, -1)


def select_twins(mesh: Mesh, selection: Selection, axis: str = "x", tolerance: float = 0.01) -> Selection:
    """The selection and what lies across the plane from it; elements are found by their middles."""
    if selection.kind == "points":
        middles = mesh.points
    elif selection.kind == "edges":
        middles = mesh.points[mesh.topology.edges].mean(axis=1)
    else:
        middles = face_centres(mesh.topology, mesh.points)
    twin = twins_by_place(middles, "xyz".index(axis), tolerance)[selection.indices]
    return combine(selection, Selection(selection.kind, twin[twin >= 0]), add=True)


def twins_of(topology: Topology, selection: Selection, twin: Integers) -> Selection:
    """What lies across the plane from a selection, in its order; elements without a twin are left out.

    twin: (n,) of points. Edges keep their direction by it; a face's twin has its edges the other way around.
    """
    chosen = selection.indices
    if selection.kind == "points":
        across = twin[chosen]
        return Selection("points", across[across >= 0])
    if selection.kind == "edges":
        ends = topology.edges[chosen]
        if selection.backwards is not None:
            ends = np.where(selection.backwards[:, None], ends[:, ::-1], ends)
        pairs = twin[ends]
        edges = topology.find_edges(pairs)
        there = edges >= 0
        return Selection("edges", edges[there], topology.edges[edges[there], 0] != pairs[there, 0])
    first = topology.face_offsets[chosen]
    start, end = twin[topology.corners[first]], twin[topology.corner_end[first]]
    edge = topology.find_edges(np.stack((start, end), axis=1))
    sides = topology.edge_pair[edge]
    runs = np.where(sides >= 0, topology.corners[sides] == end[:, None], False) & (edge >= 0)[:, None]
    corner = np.where(runs[:, 0], sides[:, 0], sides[:, 1])
    return Selection("faces", topology.corner_face[corner[runs.any(axis=1)]])


def on_both_sides(
    mesh: Mesh,
    selection: Selection,
    axis: int,
    twin: Integers,
    run: Callable[[Mesh, Selection], Edit],
    in_turn: bool,
    tells_sides: bool = False,
) -> Edit:
    """An edit that changes faces, made on the selection and on its twins.

    in_turn: one side after the other, the second on the mesh as a mirror shows it, for edits that make one thing of
    all that is selected; tells_sides: the same for edits whose numbers mean another thing on the other side; else both
    at once.
    """
    others = twins_of(mesh.topology, selection, twin)
    if len(combine(selection, others, add=True)) == len(selection) and not tells_sides:
        return run(mesh, selection)
    if not in_turn and not tells_sides:
        return run(mesh, combine(selection, others, add=True))
    first = run(mesh, selection)
    second = run(_in_the_mirror(first.mesh, axis), mapped(others, first.origin))
    chosen = mapped(first.selection, second.origin)
    return Edit(
        _in_the_mirror(second.mesh, axis),
        combine(chosen, second.selection, add=chosen.kind == second.selection.kind),
        through(first.origin, second.origin),
        first.message,
    )


def _in_the_mirror(mesh: Mesh, axis: int) -> Mesh:
    """The mesh mirrored across a plane through the origin, facing outward again; every element keeps its number."""
    points = mesh.points.copy()
    points[:, axis] *= -1.0
    return flipped(mesh.with_points(points), np.ones(mesh.n_faces, dtype=np.bool_))[0]


def made_symmetric(before: Mesh, edit: Edit, axis: int, twin: Integers) -> tuple[Edit, int]:
    """The edit, which moved points only, made on the other side too; and how many moved points have no twin.

    Points that are their own twin stay on the plane. Where both of a pair moved, the one on the positive side leads.
    """
    points = edit.mesh.points.copy()
    moved = (points != before.points).any(axis=1)
    own = np.arange(len(points))
    middle = moved & (twin == own)
    points[middle, axis] = 0.0
    paired = moved & (twin >= 0) & (twin != own)
    leads = paired & (~moved[twin] | (before.points[:, axis] > 0))
    sources = np.flatnonzero(leads)
    across = points[sources]
    across[:, axis] *= -1.0
    points[twin[sources]] = across
    lone = int((moved & (twin < 0)).sum())
    return replace(edit, mesh=edit.mesh.with_points(points)), lone
