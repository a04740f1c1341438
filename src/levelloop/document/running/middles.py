"""Edits of a mirrored cage at its planes: made on the whole, so that the middle is no boundary, and cut back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, union
from levelloop.core.edit.divide.slicing import slice_planes
from levelloop.core.edit.join.boolean import boolean
from levelloop.core.errors import EditError
from levelloop.core.mesh.directions import flipped
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped, through
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.mesh.selection import NOTHING, Selection, points_of
from levelloop.core.recipe.mirror import mirror
from levelloop.core.tolerance import last_place, settled
from levelloop.core.values import dataclass
from levelloop.core.words import counted
from levelloop.document.part import Part
from levelloop.document.registry import Operation
from levelloop.document.running.editing import edited


def edited_as_mirrored(part: Part, operation: Operation, selection: Selection, values: dict[str, Any]) -> Edit:
    """The operation's edit of a cage that may have a mirror step, whose rim on the planes is no boundary then.

    What meets a plane is made on the whole and cut back, as the operation's `at_middle` says. What only moves points
    leaves those of the rim on their planes, unless nothing is selected: everything may leave them together.
    """
    middle = _middle_of(part)
    if middle is None:
        return edited(part, operation, selection, values)
    if operation.at_middle == "drawn":
        return _on_whole(part, middle, operation, selection, values, with_twins=False)
    if operation.at_middle == "merging":
        return _merged_on_planes(part, middle, operation, selection, values)
    if operation.at_middle not in ("alone", "making") and not _tells_sides(operation, values, middle):
        return _on_whole_where_it_meets(part, middle, operation, selection, values)
    edit = edited(part, operation, selection, values)
    if operation.moves_only:
        moves = len(selection) and edit.mesh.topology is part.mesh.topology
        return _held_on_planes(part.mesh, middle, edit) if moves else edit
    return _beside_planes(part.mesh, middle, edit, operation.at_middle != "making")


def beside_mirror(part: Part, edit: Edit) -> Edit:
    """What was made of a part's cage without its new faces on the planes of a mirror step; says what lies beyond."""
    middle = _middle_of(part)
    return edit if middle is None else _beside_planes(part.mesh, middle, edit, hold=False)


def made_on_whole(part: Part, make: Callable[[Mesh, Callable[[Mesh], Mesh]], Edit]) -> Edit | None:
    """An edit of the whole that a mirror step makes of a cage, cut back to the cage's side; None without such a step.

    make: the whole, and what unites another mesh in part space with its images where it crosses a plane → the edit.
    """
    middle = _middle_of(part)
    if middle is None:
        return None
    whole = mirror(part.mesh, middle.planes, middle.weld)

    def with_images(other: Mesh) -> Mesh:
        for axis in middle.axes:
            beyond = other.points[:, axis] if other.n_points else np.zeros(1)
            if beyond.min() < -middle.near and beyond.max() > middle.near:
                across = other.with_points(other.points * np.where(np.arange(3) == axis, -1.0, 1.0))
                image = flipped(across, np.ones(other.n_faces, dtype=np.bool_))[0]
                other = boolean(other, image, "union").mesh
        return other

    done = make(whole.mesh, with_images)
    # Its faces come from two cages; of these only the mesh is kept.
    own = replace(done, origin=identity(done.mesh))
    return _cut_back(part, middle, own, own)


def clipped(part: Part) -> Edit:
    """The cage cut at the planes of the part's mirror step, without what lies beyond. Raises EditError without one."""
    middle = _middle_of(part, crossing=True)
    if middle is None:
        raise EditError(f"“{part.name}” has no mirror step whose planes its cage could be clipped at.")
    if not (part.mesh.points[:, middle.axes] * middle.sides < -middle.near).any():
        raise EditError(f"Nothing of “{part.name}” lies beyond the mirror's planes.")
    edit = Edit(part.mesh, NOTHING, identity(part.mesh))
    done = _cut_back(part, middle, edit, edit)
    return replace(done, message=f"{counted(done.mesh.n_faces, 'face is', 'faces are')} left on this side.")


# Helpers


@dataclass(frozen=True, eq=False)
class _Middle:
    """Where a mirrored cage meets its images: the planes with the cage's side of each, and its rim on them.

    near: how far from a plane is on it, mm; rim: the boundary's points on a plane (n,), told apart by axis (n, planes).
    """

    planes: str
    weld: float
    near: float
    sides: Floats
    rim: Booleans
    on: Booleans

    @property
    def axes(self) -> list[int]:
        return ["xyz".index(plane) for plane in self.planes]

    def only(self, columns: list[int]) -> _Middle:
        """Some of the planes."""
        on = self.on[:, columns]
        planes = "".join(self.planes[column] for column in columns)
        return replace(self, planes=planes, sides=self.sides[columns], on=on, rim=np.asarray(on.any(axis=1)))

    def met_by(self, points: Integers) -> _Middle:
        """The planes that points lie on, all where none does: what is made one is not made one with farther images."""
        columns = np.flatnonzero(self.on[points].any(axis=0)).tolist()
        return self.only(columns) if columns else self


def _middle_of(part: Part, crossing: bool = False) -> _Middle | None:
    """None without a mirror step, behind steps that make another cage of it, and where the cage crosses a plane.

    crossing: also where it does.
    """
    guarded = _planes(part)
    mesh = part.mesh
    if guarded is None or mesh.n_points == 0:
        return None
    planes, weld = guarded
    axes = ["xyz".index(plane) for plane in planes]
    near = settled(weld, mesh.points, mesh.topology.edges)
    sides = np.sign(mesh.points[:, axes].sum(axis=0))
    if not sides.all() or (not crossing and (mesh.points[:, axes] * sides < -near).any()):
        return None
    on: Booleans = np.asarray(mesh.topology.open_points[:, None] & (np.abs(mesh.points[:, axes]) <= near))
    return _Middle(planes, weld, near, sides, np.asarray(on.any(axis=1)), on)


def _tells_sides(operation: Operation, values: dict[str, Any], middle: _Middle) -> bool:
    """Whether a value means another thing on the other side of one of the planes."""
    given = [(parameter, values.get(parameter.name)) for parameter in operation.parameters]
    return any(parameter.tells_sides(value, axis) for parameter, value in given for axis in middle.axes)


def _on_whole_where_it_meets(
    part: Part, middle: _Middle, operation: Operation, selection: Selection, values: dict[str, Any]
) -> Edit:
    """The edit with the twins of what is selected where that meets a plane, else of the cage alone.

    What the cage alone is refused may still be done together with its image: a bridge from one to the other.
    """
    mesh = part.mesh
    told = ""
    if operation.at_middle == "closing" and selection.kind == "edges":
        # On the whole these are no boundary, and nothing can become one across them.
        on_planes = np.zeros(len(selection), dtype=np.bool_)
        for column in range(len(middle.axes)):
            on_planes |= middle.on[mesh.topology.edges[selection.indices], column].all(axis=1)
        if on_planes.any():
            if on_planes.all():
                raise EditError("Edges on the mirror's plane lie in the middle of the whole; they stay.")
            assert selection.backwards is not None
            selection = Selection("edges", selection.indices[~on_planes], selection.backwards[~on_planes])
            told = f"{counted(int(on_planes.sum()), 'edge', 'edges')} on the mirror's plane left out."
    one_face = operation.at_middle == "closing" and operation.in_turn and selection.kind == "points"
    if one_face or not (middle.rim.any() or operation.at_middle == "closing"):
        # A face through picked points is one of this side, not one across the middle.
        return edited(part, operation, selection, values)
    if len(selection) == 0 or _meets(mesh, middle, operation, selection):
        met = middle if operation.at_middle == "local" else middle.met_by(points_of(mesh.topology, selection))
        edit = _on_whole(part, met, operation, selection, values)
    else:
        try:
            edit = edited(part, operation, selection, values)
        except EditError as alone:
            edit = _with_its_image(part, middle, operation, selection, values, alone)
    return replace(edit, message=" ".join(filter(None, (edit.message, told))))


def _meets(mesh: Mesh, middle: _Middle, operation: Operation, selection: Selection) -> bool:
    """Whether what is selected has a point on a plane, or for what looks around itself a face beside it has."""
    chosen = points_of(mesh.topology, selection)
    if operation.at_middle != "local":
        return bool(middle.rim[chosen].any())
    faces = mesh.topology.faces_of_points(chosen)
    return bool(middle.rim[mesh.topology.corners[mesh.topology.corners_of_faces(faces)]].any())


def _with_its_image(
    part: Part,
    middle: _Middle,
    operation: Operation,
    selection: Selection,
    values: dict[str, Any],
    alone: EditError,
) -> Edit:
    """What only the whole can do. Raises the complaint about the cage alone where the whole cannot either."""
    if operation.at_middle != "closing":
        raise alone
    away = np.abs(part.mesh.points[points_of(part.mesh.topology, selection)][:, middle.axes]).min(axis=0)
    for column in np.argsort(away, kind="stable").tolist():
        try:
            return _on_whole(part, middle.only([column]), operation, selection, values)
        except EditError:
            continue
    raise alone


def _on_whole(
    part: Part,
    middle: _Middle,
    operation: Operation,
    selection: Selection,
    values: dict[str, Any],
    with_twins: bool = True,
) -> Edit:
    """The edit of the whole, cut back to the cage's side."""
    whole = mirror(part.mesh, middle.planes, middle.weld)
    chosen = NOTHING if len(selection) == 0 else _in_whole(part.mesh, whole, selection, with_twins)
    done = edited(replace(part, mesh=whole.mesh), operation, chosen, values)
    if operation.moves_only:
        return _moved_back(part.mesh, middle, whole, done, selection)
    return _cut_back(part, middle, whole, done)


def _in_whole(mesh: Mesh, whole: Edit, selection: Selection, with_twins: bool) -> Selection:
    """What is selected where the whole has it, and its twins after it; edges keep the point they were picked from."""
    origin = whole.origin.of(selection.kind)
    order = np.argsort(origin, kind="stable")
    first = np.searchsorted(origin[order], selection.indices)
    count = np.searchsorted(origin[order], selection.indices, side="right") - first
    rounds = range(int(count.max(initial=1)) if with_twins else 1)
    picked = [np.flatnonzero(count > turn) for turn in rounds]
    indices = np.concatenate([order[first[some] + turn] for turn, some in zip(rounds, picked, strict=True)])
    if selection.backwards is None:
        return Selection(selection.kind, indices)
    lower = whole.origin.points[whole.mesh.topology.edges[indices, 0]]
    some = np.concatenate(picked)
    exchanged = lower != mesh.topology.edges[selection.indices[some], 0]
    return Selection("edges", indices, selection.backwards[some] ^ exchanged)


def _merged_on_planes(
    part: Part, middle: _Middle, operation: Operation, selection: Selection, values: dict[str, Any]
) -> Edit:
    """Points that become one: it lies on every plane that one of them lies on, wherever the last one is."""
    mesh = part.mesh
    target = values.get("target")
    chosen = union(points_of(mesh.topology, selection), [] if target is None else [target])
    if (chosen >= mesh.n_points).any():
        return edited(part, operation, selection, values)
    points = mesh.points.copy()
    for column, axis in enumerate(middle.axes):
        if middle.on[chosen, column].any():
            points[chosen, axis] = 0.0
    return edited(replace(part, mesh=mesh.with_points(points)), operation, selection, values)


def _beside_planes(mesh: Mesh, middle: _Middle, edit: Edit, hold: bool) -> Edit:
    """The edit without new faces on a plane, told what lies beyond one.

    hold: points that come from the rim stay on its planes.
    """
    if edit.mesh.topology is mesh.topology:
        return edit
    told = [edit.message]
    points = edit.mesh.points.copy()
    source = edit.origin.points
    beyond = np.zeros(edit.mesh.n_faces, dtype=np.bool_)
    known = np.isin(edit.origin.faces, np.flatnonzero(_walls(mesh, middle)))
    for column, axis in enumerate(middle.axes):
        if hold:
            points[(source >= 0) & middle.on[source, column], axis] = 0.0
    held = edit.mesh.with_points(points)
    walls = _walls(held, middle) & ~known
    if edit.mesh.n_faces:
        off = np.asarray((points[:, middle.axes] * middle.sides < -middle.near).any(axis=1))
        beyond = np.logical_or.reduceat(off[held.topology.corners], held.topology.face_offsets[:-1])
    if beyond.any():
        number = int(beyond.sum())
        told.append(
            f"{counted(number, 'face lies', 'faces lie')} beyond the mirror's plane; clip takes off what is there."
        )
    edit = replace(edit, mesh=held, message=" ".join(filter(None, told)))
    if not walls.any() or walls.all():
        return edit
    bare, origin = drop_faces(held, walls, keep_unattached=False)
    return replace(edit, mesh=bare, selection=mapped(edit.selection, origin), origin=through(edit.origin, origin))


def _walls(mesh: Mesh, middle: _Middle) -> Booleans:
    """Faces that lie in a plane: (m,)."""
    result = np.zeros(mesh.n_faces, dtype=np.bool_)
    for axis in middle.axes if mesh.n_faces else ():
        flat = np.abs(mesh.points[mesh.topology.corners, axis]) <= middle.near
        result |= np.logical_and.reduceat(flat, mesh.topology.face_offsets[:-1])
    return result


def _held_on_planes(mesh: Mesh, middle: _Middle, edit: Edit) -> Edit:
    """A move of the cage whose points on the planes of the part's mirror step stay on them, and how many were held."""
    points, held = edit.mesh.points.copy(), np.zeros(mesh.n_points, dtype=np.bool_)
    for column, axis in enumerate(middle.axes):
        on = middle.on[:, column]
        held |= on & (np.abs(points[:, axis]) > middle.near)
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
        if step.enabled and step.key not in ("smooth", "weld", "hold", "true_size"):
            return None
    return None


def _moved_back(mesh: Mesh, middle: _Middle, whole: Edit, done: Edit, selection: Selection) -> Edit:
    """The cage with its points where the whole's went; those on a plane stay on it."""
    origin = whole.origin.points
    known, first = np.unique(origin, return_index=True)
    points = mesh.points.copy()
    points[known[known >= 0]] = done.mesh.points[first[known >= 0]]
    for column, axis in enumerate(middle.axes):
        points[middle.on[:, column], axis] = 0.0
    return Edit(mesh.with_points(points), selection, identity(mesh), done.message)


def _cut_back(part: Part, middle: _Middle, whole: Edit, done: Edit) -> Edit:
    """What of the whole lies on the cage's side of every plane; faces across one are split along it."""
    # A part that stands elsewhere has been there and back, and rounded there: nearer to a plane is on it.
    slack = 10.0 * max(last_place(done.mesh.points), last_place(part.to_world(done.mesh).points))
    edit = replace(done, origin=through(whole.origin, done.origin))
    chosen = done.selection
    for axis, side in zip(middle.axes, middle.sides.tolist(), strict=True):
        points = edit.mesh.points.copy()
        points[np.abs(points[:, axis]) <= slack, axis] = 0.0
        flat = edit.mesh.with_points(points)
        if not (points[:, axis] * side < 0).any():
            edit = replace(edit, mesh=flat)
            continue
        every = Selection("faces", np.arange(flat.n_faces))
        cut = slice_planes(flat, every, "xyz"[axis], (0.0,), "front" if side > 0 else "back")
        chosen = mapped(chosen, cut.origin)
        edit = Edit(cut.mesh, chosen, through(edit.origin, cut.origin), done.message)
    walls = _walls(edit.mesh, middle)
    if walls.any():
        # What was folded onto a plane would lie on its own image.
        bare, dropped = drop_faces(edit.mesh, walls, keep_unattached=False)
        chosen, edit = mapped(chosen, dropped), Edit(bare, NOTHING, through(edit.origin, dropped))
    if edit.mesh.n_faces == 0:
        raise EditError("Nothing would be left on this side of the mirror.")
    return Edit(edit.mesh, chosen, edit.origin, done.message)
