"""Faces by their outlines: dropped, their points merged, cut."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import (
    Booleans,
    Floats,
    Integers,
    mask_of,
    offsets_from_sizes,
    ranges,
)
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Origin, carry, carry_merged
from levelloop.core.mesh.topology import Topology, compact


def without_repeats(sizes: Integers, corners: Integers) -> tuple[Integers, Integers, Integers]:
    """Outlines without points that follow themselves; those left with fewer than 3 are dropped.

    Returns sizes, which corners stayed and which outlines stayed.
    """
    count = len(sizes)
    offsets = offsets_from_sizes(sizes)
    previous = np.arange(-1, len(corners) - 1)
    previous[offsets[:-1]] = offsets[1:] - 1
    keep = corners != corners[previous]
    face = np.repeat(np.arange(count), sizes)
    left = np.bincount(face[keep], minlength=count)
    stays = left >= 3
    return left[stays], np.flatnonzero(keep & stays[face]), np.flatnonzero(stays)


def merge_points(mesh: Mesh, point_map: Integers, points: Floats) -> tuple[Mesh, Origin, Integers]:
    """The mesh whose points are renumbered by a many-to-one map; faces that vanish are dropped.

    point_map: (n,) new number of each point; points: (n', 3). Points of dropped faces that no face uses any
    more go too. Returns the mesh, origins, and the final number of each old point (−1 gone).
    """
    topology = mesh.topology
    renamed = point_map[topology.corners]
    sizes, corner_origin, stays = without_repeats(topology.face_sizes, renamed)
    corners = renamed[corner_origin]
    was_used = mask_of(renamed, len(points))
    is_used = mask_of(np.concatenate((corners, point_map[topology.wires].ravel())), len(points))
    keep = is_used | ~was_used
    number = compact(keep)
    final = number[point_map]
    new_topology = Topology.derived(offsets_from_sizes(sizes), number[corners], int(keep.sum()))
    new_mesh, origin = carry_merged(mesh, new_topology, points[keep], final, stays, corner_origin)
    return new_mesh, origin, final


def drop_faces(
    mesh: Mesh,
    gone: Booleans,
    keep_unattached: bool,
    drop_points: Booleans | None = None,
    drop_edges: Booleans | None = None,
) -> tuple[Mesh, Origin]:
    """The mesh without some faces; points that only they used go too unless kept.

    drop_points: (n,) further points to drop, which no remaining face may use; drop_edges: (e,) wires to drop.
    """
    topology = mesh.topology
    faces = np.flatnonzero(~gone)
    kept = topology.corners_of_faces(faces)
    corners = topology.corners[kept]
    wires = topology.wires
    if drop_edges is not None and len(wires):
        wires = wires[~drop_edges[topology.find_edges(wires)]]
    keep = np.ones(mesh.n_points, dtype=np.bool_)
    if not keep_unattached:
        keep = mask_of(corners, mesh.n_points) | (topology.valence == 0) | mask_of(wires.ravel(), mesh.n_points)
    if drop_points is not None:
        keep &= ~drop_points
    number = compact(keep)
    new_topology = Topology.derived(offsets_from_sizes(topology.face_sizes[faces]), number[corners], int(keep.sum()))
    return carry(mesh, new_topology, mesh.points[keep], np.flatnonzero(keep), faces, corner_origin=kept, wires=wires)


def outline_with_cuts(
    topology: Topology, faces: Integers, cut: Booleans, first_new: Integers, per_edge: int, from_start: Booleans
) -> tuple[Integers, Integers]:
    """The outlines of faces with new points put on their cut edges.

    cut: (e,) edges that are cut; first_new: (e,) number of an edge's first new point; per_edge: points on each;
    from_start: (e,) whether the new points run from edges[e, 0] on. Returns sizes and corners.
    """
    corners = topology.corners_of_faces(faces)
    edge = topology.corner_edge[corners]
    extra = np.where(cut[edge], per_edge, 0)
    out = np.empty(len(corners) + int(extra.sum()), dtype=np.int64)
    slot = offsets_from_sizes(1 + extra)[:-1]
    out[slot] = topology.corners[corners]
    step = ranges(np.zeros(len(corners), dtype=np.int64), extra)
    owner = np.repeat(np.arange(len(corners)), extra)
    with_edge = (topology.corners[corners] == topology.edges[edge, 0]) == from_start[edge]
    place = np.where(with_edge[owner], step, per_edge - 1 - step)
    out[slot[owner] + 1 + step] = first_new[edge[owner]] + place
    face = np.repeat(np.arange(len(faces)), topology.face_sizes[faces])
    return np.bincount(face, weights=1 + extra, minlength=len(faces)).astype(np.int64), out
