"""Taking edges, points or faces out, so that what lay on both sides becomes one face."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Integers, connected_labels, cycles, distinct, mask_of, offsets_from_sizes
from levelloop.core.edit.build.curve_points import take_out_of_wires
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, Origin, carry
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology, compact
from levelloop.core.words import counted


def take_out(mesh: Mesh, selection: Selection, two_edge_points: bool = True) -> Edit:
    """Takes edges out and joins the faces beside them; for points all their edges, for faces those between them.

    two_edge_points: also take out points that are left with two edges. Points of wires go, and what was on both sides
    of them is joined. Selected after: the joined faces.
    Raises EditError where nothing lies on both sides, or where a face would get a hole.
    """
    topology = mesh.topology
    if len(selection) == 0:
        raise EditError("To take out, select edges, points or faces.")
    if selection.kind == "points" and not topology.point_face_count[selection.indices].any():
        return take_out_of_wires(mesh, selection.indices)
    gone = _edges_to_go(topology, selection)
    corner_gone = gone[topology.corner_edge]
    pairs = topology.edge_faces[gone]
    n_groups, group = connected_labels(pairs, topology.n_faces)
    touched = np.zeros(topology.n_faces, dtype=np.bool_)
    touched[pairs.ravel()] = True
    follower = _followers(topology, touched, corner_gone)
    member = np.flatnonzero(touched[topology.corner_face] & ~corner_gone)
    place = np.full(topology.n_corners, -1, dtype=np.int64)
    place[member] = np.arange(len(member))
    order, offsets = cycles(place[follower[member]])
    outline = member[order]
    cycle_group = group[topology.corner_face[outline[offsets[:-1]]]]
    touched_groups = distinct(group[touched])
    if len(cycle_group) != len(touched_groups):
        raise EditError("Taking these out would leave a face with a hole in it, or none at all; keep one edge across.")
    corners = topology.corners[outline]
    drop = np.zeros(mesh.n_points, dtype=np.bool_)
    if two_edge_points or selection.kind == "points":
        drop = _left_with_two(mesh, gone, selection, two_edge_points)
    # A face keeps at least three of its corners.
    cycle = np.repeat(np.arange(len(offsets) - 1), np.diff(offsets))
    left = np.bincount(cycle[~drop[corners]], minlength=len(offsets) - 1)
    kept_faces = np.flatnonzero(~touched)
    too_small = left < 3
    if len(kept_faces):
        remaining = np.add.reduceat((~drop[topology.corners]).astype(np.int64), topology.face_offsets[:-1])
        small_faces = kept_faces[remaining[kept_faces] < 3]
        drop[topology.corners[topology.corners_of_faces(small_faces)]] = False
    drop[corners[too_small[cycle]]] = False
    keep_corner = ~drop[corners]
    sizes = np.bincount(cycle[keep_corner], minlength=len(offsets) - 1)
    if (sizes < 3).any():
        raise EditError("Taking these out would leave a face with fewer than three corners; take out less.")
    joined_first = np.zeros(n_groups, dtype=np.int64)
    faces = np.flatnonzero(touched)[::-1]
    joined_first[group[faces]] = faces
    runs = _joined_runs(mesh, drop, gone)
    return _rebuilt(mesh, topology, kept_faces, drop, sizes, outline[keep_corner], joined_first[cycle_group], runs)


# Helpers


def _edges_to_go(topology: Topology, selection: Selection) -> Booleans:
    gone = np.zeros(topology.n_edges, dtype=np.bool_)
    if selection.kind == "edges":
        gone[selection.indices] = True
    elif selection.kind == "points":
        gone[mask_of(selection.indices, topology.n_points)[topology.edges].any(axis=1)] = True
    else:
        chosen = mask_of(selection.indices, topology.n_faces)
        faces = topology.edge_faces
        gone = chosen[faces].all(axis=1) & (faces[:, 1] >= 0)
    inner = np.zeros(topology.n_edges, dtype=np.bool_)
    inner[topology.corner_edge[topology.twin >= 0]] = True
    faces = topology.edge_faces
    gone &= inner & (faces[:, 0] != faces[:, 1])
    if not gone.any():
        raise EditError("Nothing to take out: none of the selected has a face on both sides, facing the same way.")
    return gone


def _followers(topology: Topology, touched: Booleans, corner_gone: Booleans) -> Integers:
    """The half-edge that follows each one around its joined face."""
    follower = topology.next_corner.copy()
    pending = np.flatnonzero(touched[topology.corner_face] & ~corner_gone & corner_gone[follower])
    # Each pass steps over one more taken-out edge. It ends: walking around a point comes back to the
    # half-edge it started beside, which stays.
    while len(pending):
        follower[pending] = topology.next_corner[topology.twin[follower[pending]]]
        pending = pending[corner_gone[follower[pending]]]
    return follower


def _left_with_two(mesh: Mesh, gone: Booleans, selection: Selection, two_edge_points: bool) -> Booleans:
    """Points on taken-out edges that have no more than two edges left."""
    topology = mesh.topology
    lost = np.bincount(topology.edges[gone].ravel(), minlength=mesh.n_points)
    remaining = topology.valence - lost
    drop = (lost > 0) & (remaining <= (2 if two_edge_points else 0))
    if selection.kind == "points":
        chosen = mask_of(selection.indices, mesh.n_points)
        drop = (drop & two_edge_points) | (chosen & (lost > 0) & (remaining <= 2))
    return drop


def _joined_runs(mesh: Mesh, drop: Booleans, gone: Booleans) -> tuple[Integers, Integers]:
    """Runs of edges through dropped points: their ends (r, 2), and the least sharp edge of each run (r,).

    A crease that a loop had cut in two is one crease again, as sharp as the softer of its parts.
    """
    topology = mesh.topology
    left = np.flatnonzero(~gone & drop[topology.edges].any(axis=1))
    ends = topology.edges[left]
    dropped = drop[ends]
    # Dropped points joined by what is left are one run; the edges with one end that stays are its two ends.
    _, label = connected_labels(ends[dropped.all(axis=1)], mesh.n_points)
    run = label[np.where(dropped[:, 0], ends[:, 0], ends[:, 1])]
    softest = left[np.lexsort((mesh.creases[left], run))]
    runs, first = np.unique(np.sort(run), return_index=True)
    outer = np.flatnonzero(~dropped.all(axis=1))
    outer = outer[np.argsort(run[outer], kind="stable")]
    has_two = np.bincount(np.searchsorted(runs, run[outer]), minlength=len(runs)) == 2
    outer = outer[has_two[np.searchsorted(runs, run[outer])]]
    stays = np.where(dropped[outer, 0], ends[outer, 1], ends[outer, 0])
    return stays.reshape(-1, 2), softest[first[has_two]]


def _rebuilt(
    mesh: Mesh,
    topology: Topology,
    kept_faces: Integers,
    drop: Booleans,
    joined_sizes: Integers,
    joined_outline: Integers,
    joined_origin: Integers,
    runs: tuple[Integers, Integers],
) -> Edit:
    kept_corner = topology.corners_of_faces(kept_faces)
    keeps = ~drop[topology.corners[kept_corner]]
    face = np.repeat(np.arange(len(kept_faces)), topology.face_sizes[kept_faces])
    kept_sizes = np.bincount(face[keeps], minlength=len(kept_faces))
    corner_origin = np.concatenate((kept_corner[keeps], joined_outline))
    corners = topology.corners[corner_origin]
    sizes = np.concatenate((kept_sizes, joined_sizes))
    used = mask_of(np.concatenate((corners, topology.wires.ravel())), mesh.n_points) | (topology.valence == 0)
    number = compact(used)
    new_topology = Topology.derived(offsets_from_sizes(sizes), number[corners], int(used.sum()))
    new_mesh, origin = carry(
        mesh,
        new_topology,
        mesh.points[used],
        np.flatnonzero(used),
        np.concatenate((kept_faces, joined_origin)),
        joined=(number[runs[0]], runs[1]),
        corner_origin=corner_origin,
    )
    joined = np.arange(len(kept_faces), len(sizes))
    return Edit(new_mesh, Selection("faces", joined), origin, _left_odd(mesh, new_mesh, origin))


def _left_odd(old: Mesh, new: Mesh, origin: Origin) -> str:
    """The faces with other than four sides that were made, by their sides, in a sentence; nothing for none."""
    before = old.topology.face_sizes[origin.faces]
    sizes = new.topology.face_sizes
    first = np.zeros(new.n_faces, dtype=np.bool_)
    first[np.unique(origin.faces, return_index=True)[1]] = True
    made = (sizes != 4) & ((sizes != before) | ~first)
    sides, numbers = np.unique(sizes[made], return_counts=True)
    if len(sides) == 0:
        return ""
    words = [f"{counted(int(number), 'face')} with {side} sides" for side, number in zip(sides, numbers, strict=True)]
    listed = words[0] if len(words) == 1 else ", ".join(words[:-1]) + " and " + words[-1]
    return f"It left {listed}."
