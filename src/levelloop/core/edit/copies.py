"""Copies that stay in the part: rows and rings of them, a mirrored side, one slice of many."""

from __future__ import annotations

from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Integers, mask_of
from levelloop.core.edit.carry import Edit, Origin, identity, mapped, through
from levelloop.core.edit.combine import combined
from levelloop.core.edit.outlines import drop_faces, merge_points
from levelloop.core.edit.simple import flipped
from levelloop.core.edit.slicing import slice_planes
from levelloop.core.edit.transform import pivot_place
from levelloop.core.edit.weld import weld as welded
from levelloop.core.errors import EditError
from levelloop.core.mesh import Mesh
from levelloop.core.planes import as_plane, as_vector, axis_turn
from levelloop.core.selection import Selection, points_of, select_all

MOST_FACES = 4_000_000


def array(
    mesh: Mesh,
    selection: Selection,
    count: int = 2,
    move: Any = (0.0, 0.0, 0.0),
    rotate: float = 0.0,
    axis: Any = "z",
    pivot: Any = "origin",
    scale: float = 1.0,
    weld: float | None = None,
) -> Edit:
    """Repeats the selected faces, or all: each copy moved, turned and scaled once more than the one before.

    count: with the original; move: (x, y, z) mm; rotate: degrees about an axis through the pivot; weld: mm within
    which points of the original and its copies become one, None: none do. Selected after: all of them.
    """
    faces = _chosen_faces(mesh, selection, "An array")
    if count * len(faces) > MOST_FACES:
        raise EditError(f"That would be {count * len(faces):,} faces; an array makes at most {MOST_FACES:,}.")
    piece, piece_origin = _piece(mesh, faces)
    centre = pivot_place(mesh, Selection("faces", faces), pivot)
    turn = axis_turn(axis, rotate) @ axis_turn(axis).T
    step, offset = turn.T * scale, as_vector(move)
    copies, places = [], piece.points
    for _ in range(count - 1):
        places = (places - centre) @ step + centre + offset
        copies.append(piece.with_points(places))
    edit = _with_copies(mesh, copies, piece_origin)
    chosen = Selection("faces", np.concatenate((faces, np.arange(mesh.n_faces, edit.mesh.n_faces))))
    if weld is None or count < 2:
        return Edit(edit.mesh, chosen, edit.origin)
    own = np.zeros(mesh.n_points, dtype=np.int64)
    copy_of = np.concatenate((own, np.repeat(np.arange(1, count), piece.n_points)))
    once = welded(edit.mesh, Selection("points", points_of(edit.mesh.topology, chosen)), weld, between=copy_of)
    return Edit(once.mesh, mapped(chosen, once.origin), through(edit.origin, once.origin), once.message)


def mirror_across(
    mesh: Mesh, selection: Selection, plane: Any = "x", keep: str | None = None, weld: float = 0.001
) -> Edit:
    """Makes the selected faces, or all, symmetric: their copy across a plane, welded along it.

    keep: None adds a copy of what is there; "+" or "−" keeps that side, cut at the plane, and replaces the other.
    weld: mm within which points count as on the plane; they are put onto it exactly. Faces that lie in the plane
    would be walls inside and go. Selected after: the new side.
    """
    point, normal = as_plane(plane)
    if keep not in (None, "+", "-", "−"):
        raise EditError(f"Keep is + or −, or nothing to add a copy, not {keep!r}.")
    faces = _chosen_faces(mesh, selection, "A mirror")
    # Points near the plane go onto it first, so that the cut makes no slivers.
    distance = (mesh.points - point) @ normal
    near = mask_of(points_of(mesh.topology, Selection("faces", faces)), mesh.n_points) & (np.abs(distance) <= weld)
    flat = mesh.with_points(mesh.points - (distance * near)[:, None] * normal)
    edit = Edit(flat, Selection("faces", faces), identity(mesh))
    if keep is not None:
        side = "front" if keep == "+" else "back"
        cut = slice_planes(flat, edit.selection, (point, normal), (0.0,), side)
        kept = np.flatnonzero(np.isin(cut.origin.faces, faces))
        edit = Edit(cut.mesh, Selection("faces", kept), cut.origin)
    if len(edit.selection) == 0:
        raise EditError("There is nothing on that side of the plane to mirror.")
    distance = (edit.mesh.points - point) @ normal
    on_plane = np.abs(distance) <= max(1e-9, weld * 1e-3)
    topology = edit.mesh.topology
    walls = np.logical_and.reduceat(on_plane[topology.corners], topology.face_offsets[:-1])
    walls &= edit.selection.mask(topology)
    if walls.any():
        if walls[edit.selection.indices].all():
            raise EditError("All of it lies in the plane; there is nothing to mirror.")
        bare, dropped = drop_faces(edit.mesh, walls, keep_unattached=False)
        edit = Edit(bare, mapped(edit.selection, dropped), through(edit.origin, dropped))
        distance, on_plane = (bare.points - point) @ normal, on_plane[dropped.points]
    piece, piece_origin = _piece(edit.mesh, np.sort(edit.selection.indices))
    across = (piece.points - point) @ normal
    copy = flipped(
        piece.with_points(piece.points - 2.0 * across[:, None] * normal), np.ones(piece.n_faces, dtype=np.bool_)
    )[0]
    both = _with_copies(edit.mesh, [copy], piece_origin)
    # The copies of points on the plane are those points themselves.
    target = np.arange(both.mesh.n_points)
    copied = np.flatnonzero(on_plane[piece_origin.points])
    target[edit.mesh.n_points + copied] = piece_origin.points[copied]
    keeps = target == np.arange(both.mesh.n_points)
    new_mesh, origin, _ = merge_points(both.mesh, (np.cumsum(keeps) - 1)[target], both.mesh.points[keeps])
    chosen = Selection("faces", np.flatnonzero(origin.faces >= edit.mesh.n_faces))
    told = f"{len(copied)} points were welded in the middle." if len(copied) else "Nothing touches the plane."
    return Edit(new_mesh, chosen, through(through(edit.origin, both.origin), origin), told)


def keep_slice(mesh: Mesh, selection: Selection, count: int = 4, axis: Any = "z", pivot: Any = "origin") -> Edit:
    """Keeps one of so many equal slices around an axis, from the first point's direction on, and takes the rest away.

    Selected after: what is left. An array of that count, turned by 360° / count and welded, makes it whole again.
    """
    if count < 2:
        raise EditError("Keep one of at least two slices.")
    if mesh.n_faces == 0:
        raise EditError("There are no faces to keep a slice of.")
    frame = axis_turn(axis)
    centre = pivot_place(mesh, select_all(mesh.topology, "faces"), pivot)
    edit = Edit(mesh, select_all(mesh.topology, "faces"), identity(mesh))
    angles = (0.0, 2.0 * np.pi / count)
    for number, angle in enumerate(angles[: 1 if count == 2 else 2]):
        sign = 1.0 if number == 0 else -1.0
        normal = sign * (frame @ np.array([-np.sin(angle), np.cos(angle), 0.0]))
        cut = slice_planes(edit.mesh, select_all(edit.mesh.topology, "faces"), (centre, normal), (0.0,), "front")
        edit = Edit(cut.mesh, cut.selection, through(edit.origin, cut.origin))
    if edit.mesh.n_faces == 0:
        raise EditError("Nothing lies in that slice; turn the part or choose another axis.")
    return Edit(edit.mesh, select_all(edit.mesh.topology, "faces"), edit.origin)


# Helpers


def _chosen_faces(mesh: Mesh, selection: Selection, who: str) -> Integers:
    if len(selection) and selection.kind != "faces":
        raise EditError(f"{who} takes faces, or nothing for all.")
    faces = np.sort(selection.indices) if len(selection) else np.arange(mesh.n_faces)
    if len(faces) == 0:
        raise EditError(f"{who} needs faces; this part has none.")
    return faces


def _piece(mesh: Mesh, faces: Integers) -> tuple[Mesh, Origin]:
    """Some faces as a mesh of their own, without wires, and where its elements come from."""
    gone: Booleans = np.ones(mesh.n_faces, dtype=np.bool_)
    gone[faces] = False
    bare = ~mask_of(mesh.topology.corners[mesh.topology.corners_of_faces(faces)], mesh.n_points)
    if len(faces) == mesh.n_faces and not bare.any() and not len(mesh.topology.wires):
        return mesh, identity(mesh)
    wires = mesh.topology.wire_edges
    return drop_faces(mesh, gone, keep_unattached=True, drop_points=bare, drop_edges=wires)


def _with_copies(mesh: Mesh, copies: list[Mesh], origin: Origin) -> Edit:
    """The mesh with copies of a piece of it after it; the piece's elements come from the given ones."""
    whole = combined([mesh, *copies])
    points = np.concatenate((np.arange(mesh.n_points), *([origin.points] * len(copies))))
    faces = np.concatenate((np.arange(mesh.n_faces), *([origin.faces] * len(copies))))
    starts = mesh.n_points + np.concatenate(([0], np.cumsum([copy.n_points for copy in copies])))
    pairs = np.concatenate(
        (mesh.topology.edges, *(copy.topology.edges + first for copy, first in zip(copies, starts, strict=False)))
    )
    came_from = np.concatenate((np.arange(mesh.n_edges), *([origin.edges] * len(copies))))
    edges = came_from
    if not np.array_equal(pairs, whole.topology.edges):
        edges = np.full(whole.n_edges, -1, dtype=np.int64)
        edges[whole.topology.find_edges(pairs)] = came_from
    # Names stay with the original: a copy is not meant where a set was kept.
    return Edit(whole, Selection("faces", np.zeros(0, np.int64)), Origin(points, edges, faces))
