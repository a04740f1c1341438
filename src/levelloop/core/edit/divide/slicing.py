"""Cutting through by planes: edges where the planes meet the faces, sides taken away, caps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of, ranges, runs_of
from levelloop.core.edit.divide.divide_faces import (
    Figure,
    divide_by_chords,
    divide_by_figures,
    then,
    with_points_on_edges,
)
from levelloop.core.errors import EditError
from levelloop.core.geometry.plane_figures import area, cells, connected, flat_axes, inside
from levelloop.core.geometry.planes import as_plane
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import face_centres, face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.mesh.selection import Selection, faces_of
from levelloop.core.progress import pieces
from levelloop.core.tolerance import last_place


def slice_planes(
    mesh: Mesh,
    selection: Selection,
    plane: Any = "x",
    offsets: Sequence[float] = (0.0,),
    keep: str = "both",
    fill: bool = False,
) -> Edit:
    """Cuts the selected faces and wires, or all, where planes go through them.

    plane: "x", "y", "z" or (point, normal); offsets: mm along its normal, one cut each. keep: "both", "front"
    (beyond the last plane) or "back" (before the first); fill: closes what a side taken away leaves open. Selected
    after: the new edges. Raises EditError for no offset, an unknown side to keep, or where no plane goes through.
    """
    point, normal = as_plane(plane)
    steps = sorted(float(offset) for offset in offsets)
    if not steps or not np.isfinite(steps).all():
        raise EditError("A slice needs at least one offset.")
    topology = mesh.topology
    low, high = np.sort(((mesh.points - point) @ normal)[topology.edges], axis=1).T
    check_fits(mesh.n_faces + int((np.searchsorted(steps, high) - np.searchsorted(steps, low)).clip(0).sum()))
    # The edges that the last slice has left selected hold no face: then all is meant.
    found = faces_of(topology, selection)
    if selection.kind == "edges":
        inside = selection.mask(topology)[topology.corner_edge]
        whole = np.logical_and.reduceat(inside, topology.face_offsets[:-1]) if mesh.n_faces else inside
        found = np.flatnonzero(whole)
    faces = Selection("faces", found if len(found) else np.arange(mesh.n_faces))
    picked = (
        selection.mask(topology) & topology.wire_edges if selection.kind == "edges" else topology.wire_edges & False
    )
    wires = Selection("edges", np.flatnonzero(picked if picked.any() or len(found) else topology.wire_edges))
    edit = Edit(mesh, faces, identity(mesh))
    slack = max(last_place(mesh.points), 1e-12 * float(np.abs(mesh.points - point).max(initial=0.0)))
    new_edges = Selection("edges", np.zeros(0, dtype=np.int64))
    for step in pieces(steps):
        once = _sliced(edit.mesh, edit.selection, wires, point + step * normal, normal, slack)
        wires = mapped(wires, once.origin)
        both = np.concatenate((mapped(new_edges, once.origin).indices, once.selection.indices))
        new_edges = Selection("edges", both)
        chosen = mapped(edit.selection, once.origin)
        edit = then(edit, Edit(once.mesh, chosen, once.origin))
    is_cut = len(new_edges) > 0 or edit.mesh.n_points > mesh.n_points
    if keep not in ("both", "front", "back"):
        raise EditError(f"A slice keeps both, front or back, not “{keep}”.")
    if keep != "both":
        side = point + (steps[-1] if keep == "front" else steps[0]) * normal
        edit, new_edges = _one_side(edit, new_edges, side, normal if keep == "front" else -normal, slack, fill)
    if not is_cut and edit.mesh.n_faces == mesh.n_faces and edit.mesh.n_edges == mesh.n_edges:
        raise EditError("No plane goes through these faces.")
    told = f"{len(new_edges):,} new edges."
    return Edit(edit.mesh, new_edges, edit.origin, told)


# Helpers


def _sliced(mesh: Mesh, faces: Selection, wires: Selection, point: Floats, normal: Floats, slack: float) -> Edit:
    """One cut; selected after it: its edges."""
    topology = mesh.topology
    chosen = faces.mask(topology)
    height = (mesh.points - point) @ normal
    height[np.abs(height) <= slack] = 0.0
    ends = height[topology.edges]
    touched = np.zeros(topology.n_edges, dtype=np.bool_)
    touched[topology.corner_edge[chosen[topology.corner_face]]] = True
    touched[wires.indices] = True
    cut = np.flatnonzero((ends[:, 0] * ends[:, 1] < 0) & touched)
    ratios = ends[cut, 0] / (ends[cut, 0] - ends[cut, 1])
    edit, new = with_points_on_edges(mesh, cut, ratios)
    on = np.concatenate((height == 0.0, np.ones(len(new), dtype=np.bool_)))
    points = edit.mesh.points.copy()
    # Exactly onto the plane, whatever rounding did.
    points[new] -= ((points[new] - point) @ normal)[:, None] * normal
    edit = Edit(edit.mesh.with_points(points), edit.selection, edit.origin)
    return then(edit, _chords(edit.mesh, mapped(faces, edit.origin).mask(edit.mesh.topology), on, normal))


def _chords(mesh: Mesh, chosen: Booleans, on: Booleans, normal: Floats) -> Edit:
    """Faces split between their corners on the plane."""
    topology = mesh.topology
    corner = np.flatnonzero(on[topology.corners] & chosen[topology.corner_face])
    count = np.bincount(topology.corner_face[corner], minlength=mesh.n_faces)
    plain = corner[count[topology.corner_face[corner]] == 2].reshape(-1, 2)
    gap = plain[:, 1] - plain[:, 0]
    size = topology.face_sizes[topology.corner_face[plain[:, 0]]]
    plain = plain[(gap > 1) & (gap < size - 1)]
    edit = divide_by_chords(mesh, topology.corner_face[plain[:, 0]], plain[:, 0], plain[:, 1])
    several = np.flatnonzero(count > 2)
    figures = []
    for face in several.tolist():
        segments = _segments_through(mesh, face, on, normal)
        if len(segments):
            figures.append(Figure(face, segments))
    if not figures:
        return edit
    # Split faces keep the place of their first half, and these were not among them.
    place = np.full(mesh.n_faces, -1, dtype=np.int64)
    place[edit.origin.faces[::-1]] = np.arange(edit.mesh.n_faces)[::-1]
    figures = [Figure(int(place[figure.face]), figure.segments) for figure in figures]
    more = divide_by_figures(edit.mesh, figures, np.zeros(0, dtype=np.int64))
    both = np.concatenate((mapped(edit.selection, more.origin).indices, more.selection.indices))
    return then(edit, Edit(more.mesh, Selection("edges", both), more.origin))


def _segments_through(mesh: Mesh, face: int, on: Booleans, normal: Floats) -> Integers:
    """The pieces of the cut that lie inside a face with more than two corners on it: (s, 2) points."""
    rim = mesh.topology.face(face)
    facing = face_normals(mesh.topology, mesh.points, np.array([face]))[0]
    if not facing.any():
        # A face without area has nothing to divide.
        return np.zeros((0, 2), dtype=np.int64)
    axes = flat_axes(facing)
    places = (mesh.points[rim] - mesh.points[rim[0]]) @ axes.T
    way = axes @ np.cross(normal, np.cross(axes[0], axes[1]))
    here = np.flatnonzero(on[rim])
    order = here[np.argsort(places[here] @ way)]
    found = []
    for a, b in zip(order[:-1].tolist(), order[1:].tolist(), strict=True):
        beside = abs(a - b) in (1, len(rim) - 1)
        if not beside and inside(places, 0.5 * (places[a] + places[b])):
            found.append((int(rim[a]), int(rim[b])))
    return np.array(found, dtype=np.int64).reshape(-1, 2)


def _one_side(
    edit: Edit, new_edges: Selection, point: Floats, normal: Floats, slack: float, fill: bool
) -> tuple[Edit, Selection]:
    """What lies in front of a plane, capped where it was open before."""
    mesh = edit.mesh
    behind = edit.selection.mask(mesh.topology) & ((face_centres(mesh.topology, mesh.points) - point) @ normal < -slack)
    ends = (mesh.points[mesh.topology.edges] - point) @ normal
    gone = mesh.topology.wire_edges & (ends.mean(axis=1) < -slack)
    if not behind.any() and not gone.any():
        return edit, new_edges
    # What only wires behind the plane hang on goes with them.
    left = mesh.topology.edges[~gone & (mesh.topology.edge_face_count > 0) | mesh.topology.wire_edges & ~gone]
    loose = mask_of(mesh.topology.edges[gone].ravel(), mesh.n_points) & ~mask_of(left.ravel(), mesh.n_points)
    bare, origin = drop_faces(mesh, behind, keep_unattached=False, drop_points=loose, drop_edges=gone)
    kept = mapped(new_edges, origin)
    once = then(edit, Edit(bare, mapped(edit.selection, origin), origin))
    if not fill:
        return once, kept
    capped = _capped(bare, point, normal, slack)
    return then(once, Edit(capped.mesh, mapped(once.selection, capped.origin), capped.origin)), mapped(
        kept, capped.origin
    )


def _capped(mesh: Mesh, point: Floats, normal: Floats, slack: float) -> Edit:
    """The mesh with faces over its open edges in a plane; holes in what is capped stay holes."""
    topology = mesh.topology
    flat = np.abs((mesh.points - point) @ normal) <= slack
    edges = np.flatnonzero(topology.open_edges & flat[topology.edges].all(axis=1))
    corner = topology.edge_corners[topology.edge_offsets[edges]]
    follower = np.full(mesh.n_points, -1, dtype=np.int64)
    # A cap runs against the faces beside it.
    follower[topology.corner_end[corner]] = topology.corners[corner]
    on = np.flatnonzero((follower >= 0) | mask_of(topology.corners[corner], mesh.n_points))
    number = np.full(mesh.n_points, -1, dtype=np.int64)
    number[on] = np.arange(len(on))
    links = np.where(follower[on] >= 0, number[follower[on]], -1)
    if len(on) == 0 or len(distinct(links[links >= 0])) < np.count_nonzero(links >= 0):
        return Edit(mesh, Selection("faces", np.zeros(0, np.int64)), identity(mesh))
    members, offsets, closed = runs_of(links)
    loops = [
        on[members[a:b]]
        for a, b, whole in zip(offsets[:-1].tolist(), offsets[1:].tolist(), closed.tolist(), strict=True)
        if whole
    ]
    axes = flat_axes(-normal)
    builder = MeshBuilder(mesh)
    rings = _caps([loop for loop in loops if len(loop) > 2], mesh.points @ axes.T)
    for ring in rings:
        builder.faces(ring[None])
    return builder.edit()


def _caps(loops: list[Integers], places: Floats) -> list[Integers]:
    """Rings of points that cover what lies inside loops and outside the loops within them."""
    depth = [sum(inside(places[other], places[loop[0]]) for other in loops if other is not loop) for loop in loops]
    rings = []
    for loop, level in zip(loops, depth, strict=True):
        if level % 2:
            continue
        holes = [
            other
            for other, deep in zip(loops, depth, strict=True)
            if deep == level + 1 and inside(places[loop], places[other[0]])
        ]
        rings += [loop] if not holes else _with_holes(loop, holes, places)
    return rings


def _with_holes(loop: Integers, holes: list[Integers], places: Floats) -> list[Integers]:
    used = np.concatenate((loop, *holes))
    sizes = np.array([len(loop), *(len(hole) for hole in holes)])
    start = np.repeat(np.concatenate(([0], np.cumsum(sizes)[:-1])), sizes)
    step = ranges(np.zeros(len(sizes), dtype=np.int64), sizes)
    segments = np.stack((np.arange(len(used)), start + (step + 1) % np.repeat(sizes, sizes)), axis=1)
    whole = connected(places[used], segments, places[loop])
    if whole is None:
        return [loop]
    filled = {frozenset(hole.tolist()) for hole in holes}
    rings = [used[ring] for ring in cells(places[used], whole)]
    return [ring for ring in rings if frozenset(ring.tolist()) not in filled and area(places[ring]) > 0]
