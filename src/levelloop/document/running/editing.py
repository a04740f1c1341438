"""An operation run on one part: in its own space, by its transform, on both sides of its plane of symmetry."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Integers
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, mapped, through
from levelloop.core.mesh.selection import NOTHING, Selection, combine
from levelloop.core.select.symmetry import made_symmetric, on_both_sides, twins_by_flow, twins_by_place
from levelloop.core.tolerance import settled
from levelloop.document.document import Symmetry
from levelloop.document.part import Part
from levelloop.document.registry import Operation

FARTHEST = 1e15  # mm
FLATTENED = 1e-9  # of the largest stretch: a smaller one is none
SMALLEST = 1e-9  # times its own size that a part may be put to its place at


def edited(part: Part, operation: Operation, selection: Selection, values: dict[str, Any]) -> Edit:
    """The operation's edit in part space; numbers are world space."""
    world: Edit = operation.run(part.to_world(part.mesh), selection, **values)
    if not (np.abs(world.mesh.points) <= FARTHEST).all():
        raise EditError("That would lie farther away than can be reckoned with.")
    if part.in_place:
        return world
    try:
        back = np.linalg.inv(part.transform)
    except np.linalg.LinAlgError as error:
        raise EditError(f"“{part.name}” is scaled to nothing along one axis; it cannot be edited so.") from error
    points = world.mesh.points @ back[:3, :3] + back[3, :3]
    return replace(world, mesh=world.mesh.with_points(points))


def placed_whole(part: Part, operation: Operation, values: dict[str, Any]) -> Part | None:
    """A part moved as a whole by its transform, its cage as it is; None where the operation does not move it so.

    Which transform that is, is read off where the operation brings the part's points.
    """
    world = part.to_world(part.mesh).points
    if len(world) == 0:
        return None
    edit = operation.run(part.to_world(part.mesh), NOTHING, **values)
    moved = edit.mesh.points
    middle = world.mean(axis=0)
    spread = np.linalg.svd(world - middle, full_matrices=False)
    rank = int((spread[1] > 1e-9 * max(float(spread[1][0]), 1e-300)).sum())
    if rank < 2:
        return None
    if rank == 2:
        # A flat part says nothing about its normal: it goes with the other two, by their mean size.
        sides = spread[2][:2]
        turned = np.linalg.lstsq(world - middle, moved - moved.mean(axis=0), rcond=1e-9)[0]
        normal = np.cross(*(sides @ turned))
        size = np.sqrt(max(float(np.linalg.norm(normal)), 1e-300))
        world = np.concatenate((world, [middle + np.cross(*sides)]))
        moved = np.concatenate((moved, [moved.mean(axis=0) + normal / size]))
    by = np.eye(4)
    by[:, :3] = np.linalg.lstsq(np.concatenate((world, np.ones((len(world), 1))), axis=1), moved, rcond=1e-12)[0]
    stretches = np.linalg.svd(by[:3, :3], compute_uv=False)
    if stretches[2] <= FLATTENED * stretches[0]:
        if part.shared:
            raise EditError(
                f"“{part.name}” shares its cage; flattened, all that share it would be. Flatten a duplicate of it."
            )
        # That is the cage's to keep: a place must be one to come back from.
        return None
    if not np.linalg.svd((part.transform @ by)[:3, :3], compute_uv=False)[2] >= SMALLEST:
        raise EditError(f"“{part.name}” would be smaller than can be reckoned with.")
    misses = np.abs(world @ by[:3, :3] + by[3, :3] - moved).max()
    if misses > 1e-6 * max(float(np.abs(moved).max()), 1.0):
        return None
    return replace(part, transform=part.transform @ by)


def mirrored_moves(part: Part, edit: Edit, symmetry: Symmetry) -> Edit:
    """The edit made on both sides of the part's own plane."""
    edit, lone = made_symmetric(part.mesh, edit, "xyz".index(symmetry.axis), twins(part.mesh, symmetry))
    if not lone:
        return edit
    told = f"{lone} {'point has' if lone == 1 else 'points have'} no twin across {symmetry.axis}."
    return replace(edit, message=" ".join(filter(None, (edit.message, told))))


def edited_on_both_sides(
    part: Part,
    operation: Operation,
    selection: Selection,
    values: dict[str, Any],
    symmetry: Symmetry,
    edit: Callable[[Part, Operation, Selection, dict[str, Any]], Edit],
) -> Edit:
    """An operation that changes faces, on the selection and on what lies across the part's own plane from it.

    edit: how each of the two is made.
    """
    axis = "xyz".index(symmetry.axis)

    def run(mesh: Mesh, chosen: Selection) -> Edit:
        return edit(replace(part, mesh=mesh), operation, chosen, values)

    if operation.mirrored is not None:
        return _named_on_both_sides(part, operation, values, axis, twins(part.mesh, symmetry), edit)
    if len(selection) == 0:
        # All of it: both sides are in it already.
        return run(part.mesh, selection)
    sides = any(parameter.tells_sides(values.get(parameter.name), axis) for parameter in operation.parameters)
    both = twins(part.mesh, symmetry)
    return on_both_sides(part.mesh, selection, axis, both, run, operation.in_turn, sides and not operation.in_turn)


def twins(mesh: Mesh, symmetry: Symmetry) -> Integers:
    """The point across the plane from each, −1 where there is none: (n,). Raises EditError."""
    if symmetry.middle is None:
        within = settled(symmetry.tolerance, mesh.points, mesh.topology.edges)
        return twins_by_place(mesh.points, "xyz".index(symmetry.axis), within)
    edge = mesh.topology.find_edges([symmetry.middle])
    if edge[0] < 0:
        raise EditError("The edge in the middle is not there any more; set the symmetry anew.")
    return twins_by_flow(mesh, int(edge[0]))


# Helpers


def _named_on_both_sides(
    part: Part,
    operation: Operation,
    values: dict[str, Any],
    axis: int,
    twin: Integers,
    edit: Callable[[Part, Operation, Selection, dict[str, Any]], Edit],
) -> Edit:
    """An operation that names its elements itself, with them and then with their twins."""
    assert operation.mirrored is not None
    first = edit(part, operation, NOTHING, values)
    to_part = np.linalg.inv(part.transform)
    mirror = np.diag(np.insert(np.ones(3), axis, -1.0))
    other = operation.mirrored(part.mesh, values, twin, to_part @ mirror @ part.transform)
    try:
        if other is None:
            raise EditError("Both sides are the same.")
        second = edit(replace(part, mesh=first.mesh), operation, NOTHING, other)
    except EditError:
        told = "It meets the plane of symmetry, so it was made once."
        return replace(first, message=" ".join(filter(None, (first.message, told))))
    both = combine(mapped(first.selection, second.origin), second.selection, add=True)
    return Edit(second.mesh, both, through(first.origin, second.origin), first.message)
