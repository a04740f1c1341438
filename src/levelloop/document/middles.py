"""Edits of a mirrored cage at its planes: made on the whole, so that the middle is no boundary, and cut back."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats
from levelloop.core.edit.carry import Edit, identity, mapped, through
from levelloop.core.edit.slicing import slice_planes
from levelloop.core.errors import EditError
from levelloop.core.mesh import Mesh
from levelloop.core.selection import NOTHING, Selection, points_of, select_mask
from levelloop.core.steps.mirror import mirror
from levelloop.core.tolerance import last_place, settled
from levelloop.core.words import counted
from levelloop.document.document import Part
from levelloop.document.editing import edited
from levelloop.document.registry import Operation


def edited_as_mirrored(part: Part, operation: Operation, selection: Selection, values: dict[str, Any]) -> Edit:
    """The operation's edit of a cage that may have a mirror step, whose rim on the planes is no boundary then.

    What is the same on all sides is made on the whole where it meets a plane. What only moves points leaves those of
    the rim on their planes, unless nothing is selected: everything may leave them together.
    """
    edit = _edited_at_middle(part, operation, selection, values)
    if edit is not None:
        return edit
    edit = edited(part, operation, selection, values)
    if operation.moves_only and len(selection) and edit.mesh.topology is part.mesh.topology:
        return _held_on_planes(part, edit)
    return edit


# Helpers


def _edited_at_middle(part: Part, operation: Operation, selection: Selection, values: dict[str, Any]) -> Edit | None:
    """The edit where it meets the planes of the part's mirror step, made with the twins of all that is selected.

    None where it does not meet them, where the operation or its values are not the same on all sides, or where the
    cage crosses a plane itself: then the cage alone is edited.
    """
    guarded = _planes(part)
    if guarded is None or not operation.local:
        return None
    planes, weld = guarded
    mesh = part.mesh
    axes = ["xyz".index(plane) for plane in planes]
    given = [(parameter, values.get(parameter.name)) for parameter in operation.parameters]
    if any(parameter.tells_sides(value, axis) for parameter, value in given for axis in axes):
        return None
    near = settled(weld, mesh.points, mesh.topology.edges)
    sides = np.sign(mesh.points[:, axes].sum(axis=0))
    rim = _rim(mesh, axes, near)
    if not rim.any() or (mesh.points[:, axes] * sides < -near).any() or not sides.all():
        return None
    if len(selection) and not _reaches(mesh, selection, rim):
        return None
    whole = mirror(mesh, planes, weld)
    chosen = NOTHING
    if len(selection):
        of_kind = getattr(whole.origin, selection.kind)
        chosen = select_mask(selection.kind, np.isin(of_kind, selection.indices))
    done = edited(replace(part, mesh=whole.mesh), operation, chosen, values)
    if operation.moves_only:
        return _moved_back(mesh, whole, done, selection, axes, near)
    # A part that stands elsewhere has been there and back, and rounded there.
    slack = 10.0 * max(last_place(done.mesh.points), last_place(part.to_world(done.mesh).points))
    return _cut_back(whole, done, axes, sides, slack)


def _held_on_planes(part: Part, edit: Edit) -> Edit:
    """A move of the cage whose points on the planes of the part's mirror step stay on them, and how many were held."""
    guarded = _planes(part)
    if guarded is None:
        return edit
    planes, weld = guarded
    mesh = part.mesh
    near = settled(weld, mesh.points, mesh.topology.edges)
    points, held = edit.mesh.points.copy(), np.zeros(mesh.n_points, dtype=np.bool_)
    for axis in ("xyz".index(plane) for plane in planes):
        on = _rim(mesh, [axis], near)
        held |= on & (np.abs(points[:, axis]) > near)
        points[on, axis] = np.where(held[on], 0.0, points[on, axis])
    if not held.any():
        return edit
    told = f"{counted(int(held.sum()), 'point stays', 'points stay')} on the mirror's plane."
    return replace(edit, mesh=edit.mesh.with_points(points), message=" ".join(filter(None, (edit.message, told))))


def _planes(part: Part) -> tuple[str, float] | None:
    """The planes of the first mirror step and how near to them is on them; none where more than smoothing is before."""
    for step in part.steps:
        if step.enabled and step.key == "mirror":
            return step.parameters["planes"], step.parameters["weld"]
        if step.enabled and step.key not in ("smooth", "weld"):
            return None
    return None


def _rim(mesh: Mesh, axes: list[int], near: float) -> Booleans:
    """Points of the boundary that lie on a plane: (n,)."""
    return np.asarray(mesh.topology.open_points & (np.abs(mesh.points[:, axes]) <= near).any(axis=1))


def _reaches(mesh: Mesh, selection: Selection, rim: Booleans) -> bool:
    """Whether what is selected, or a face beside it, has a point on a plane."""
    faces = mesh.topology.faces_of_points(points_of(mesh.topology, selection))
    return bool(rim[mesh.topology.corners[mesh.topology.corners_of_faces(faces)]].any())


def _moved_back(mesh: Mesh, whole: Edit, done: Edit, selection: Selection, axes: list[int], near: float) -> Edit:
    """The cage with its points where the whole's went; those on a plane stay on it."""
    origin = whole.origin.points
    known, first = np.unique(origin, return_index=True)
    points = mesh.points.copy()
    points[known[known >= 0]] = done.mesh.points[first[known >= 0]]
    for axis in axes:
        points[_rim(mesh, [axis], near), axis] = 0.0
    return Edit(mesh.with_points(points), selection, identity(mesh), done.message)


def _cut_back(whole: Edit, done: Edit, axes: list[int], sides: Floats, slack: float) -> Edit:
    """What of the whole lies on the cage's side of every plane; faces across one are split along it.

    slack: points nearer to a plane lie on it.
    """
    edit = replace(done, origin=through(whole.origin, done.origin))
    chosen = done.selection
    for axis, side in zip(axes, sides.tolist(), strict=True):
        plane = "xyz"[axis]
        points = edit.mesh.points.copy()
        points[np.abs(points[:, axis]) <= slack, axis] = 0.0
        flat = edit.mesh.with_points(points)
        every = Selection("faces", np.arange(flat.n_faces))
        cut = slice_planes(flat, every, plane, (0.0,), "front" if side > 0 else "back")
        chosen = mapped(chosen, cut.origin)
        edit = Edit(cut.mesh, chosen, through(edit.origin, cut.origin), done.message)
    if edit.mesh.n_faces == 0:
        raise EditError("Nothing would be left on this side of the mirror.")
    return Edit(edit.mesh, chosen, edit.origin, done.message)
