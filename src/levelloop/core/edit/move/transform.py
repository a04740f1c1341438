"""Moving points without changing who touches whom: move, rotate, scale, along normals."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers, box_of, connected_labels, mask_of, sum_by
from levelloop.core.errors import EditError
from levelloop.core.geometry.offset import even_offsets, told_off
from levelloop.core.geometry.planes import as_direction, as_vector
from levelloop.core.mesh.directions import flipped
from levelloop.core.mesh.faces import face_normals, point_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped
from levelloop.core.mesh.selection import NOTHING, Selection, faces_of, points_of
from levelloop.core.select.soft_range import Soft, soft_weights


def move(
    mesh: Mesh,
    selection: Selection,
    by: Any = (0.0, 0.0, 0.0),
    from_point: Any = None,
    to_point: Any = None,
    frame: Any = None,
    **soft: Any,
) -> Edit:
    """Moves the selected elements, or all where none are selected, by (x, y, z) mm.

    from_point, to_point: (x, y, z) mm, instead of by: what is at the one comes to the other. frame: three
    directions that by counts along instead of the world's, or "normal" (see selection_frame). soft: soft_range,
    soft_shape, along_surface, soft_centre, soft_radii: what follows around (see Soft). Raises EditError for one of
    two points alone.
    """
    offset = as_vector(by) @ _frame(mesh, selection, frame)
    if (from_point is None) != (to_point is None):
        raise EditError("A move from point to point needs both points.")
    if from_point is not None:
        offset = as_vector(to_point) - as_vector(from_point)
    chosen, weights = _chosen_softly(mesh, selection, soft)
    return _placed(mesh, selection, chosen, mesh.points[chosen] + weights[:, None] * offset)


def rotate(
    mesh: Mesh,
    selection: Selection,
    angle: float,
    axis: Any = "z",
    pivot: Any = "middle",
    frame: Any = None,
    **soft: Any,
) -> Edit:
    """Turns the selected elements, or all, by degrees about an axis through the pivot, counter-clockwise.

    pivot: "middle" of the selection's box, "each" connected piece, "origin", the "last" element picked, or (x, y, z);
    frame: what the axis is one of, as for move; soft as for move.
    Rodrigues' rotation formula (Rodrigues 1840).
    """
    chosen, weights = _chosen_softly(mesh, selection, soft)
    direction = as_direction(axis) @ _frame(mesh, selection, frame)
    radians = np.radians(angle) * weights[:, None]
    centre = _pivots(mesh, chosen, selection, pivot)
    local = mesh.points[chosen] - centre
    turned = (
        local * np.cos(radians)
        + np.cross(direction, local) * np.sin(radians)
        + direction * (local @ direction)[:, None] * (1.0 - np.cos(radians))
    )
    return _placed(mesh, selection, chosen, centre + turned)


def scale(
    mesh: Mesh, selection: Selection, factors: Any = 1.0, pivot: Any = "middle", frame: Any = None, **soft: Any
) -> Edit:
    """Scales the selected elements, or all, by one factor or (x, y, z) about the pivot; frame, soft as for move.

    0 flattens. A negative product would turn faces inside out; those that moved as a whole are flipped back. Raises
    EditError for factors that are not finite.
    """
    chosen, weights = _chosen_softly(mesh, selection, soft)
    by = np.full(3, float(factors)) if np.ndim(factors) == 0 else as_vector(factors)
    if not np.isfinite(by).all():
        raise EditError("Scale factors must be finite numbers.")
    centre = _pivots(mesh, chosen, selection, pivot)
    shares = 1.0 + weights[:, None] * (by - 1.0)
    axes = _frame(mesh, selection, frame)
    local = (mesh.points[chosen] - centre) @ axes.T
    edit = _placed(mesh, selection, chosen, centre + (local * shares) @ axes)
    if np.prod(by) >= 0:
        return edit
    moved = faces_of(mesh.topology, Selection("points", chosen[weights == 1]))
    if len(moved) == 0:
        return edit
    new_mesh, origin = flipped(edit.mesh, mask_of(moved, mesh.n_faces))
    plural = "face was" if len(moved) == 1 else "faces were"
    return Edit(
        new_mesh,
        mapped(selection, origin),
        origin,
        f"{len(moved)} mirrored {plural} turned outward again.",
    )


def pivot_place(mesh: Mesh, selection: Selection, pivot: Any) -> Floats:
    """Where a pivot is: the "origin", the "middle" of what is selected, or of all, or (x, y, z): (3,).

    Raises EditError for an unknown pivot, or the middle of nothing.
    """
    if not isinstance(pivot, str):
        return as_vector(pivot)
    if pivot == "origin":
        return np.zeros(3)
    if pivot == "middle":
        if mesh.n_points == 0:
            raise EditError("An empty cage has no middle to be the pivot.")
        return middle_of_box(mesh.points[points_of(mesh.topology, selection)] if len(selection) else mesh.points)
    raise EditError(f"“{pivot}” is no pivot here; use origin, middle, anchor or a place.")


def selection_frame(mesh: Mesh, selection: Selection) -> Floats:
    """Three directions of a selection, rows of (3, 3): its mean normal last, the first level where that can be.

    Where the normals cancel out, those of the world.
    """
    if selection.kind == "faces" or not len(selection):
        normals = face_normals(mesh.topology, mesh.points)
        chosen = selection.indices if len(selection) else np.arange(mesh.n_faces)
    else:
        normals, chosen = point_normals(mesh.topology, mesh.points), points_of(mesh.topology, selection)
    normal = normals[chosen].sum(axis=0)
    length = float(np.linalg.norm(normal))
    if length < 1e-6 * max(len(chosen), 1):
        return np.eye(3)
    normal = normal / length
    level = np.cross((0.0, 0.0, 1.0), normal)
    first = level if np.linalg.norm(level) > 1e-6 else np.array([1.0, 0.0, 0.0])
    first = first / np.linalg.norm(first)
    return np.stack((first, np.cross(normal, first), normal))


def slant(
    mesh: Mesh, selection: Selection, by: Any, along: Any = "z", pivot: Any = "middle", among: Mesh | None = None
) -> Edit:
    """Slants the selected elements, or all: over their extent along a direction they move by (x, y, z) mm in all.

    What is level with the pivot stays in place. among: what they are slanted together with, themselves included: its
    extent and its middle count. Raises EditError where there is no extent along the direction.
    """
    chosen, _ = _chosen_softly(mesh, selection, {})
    direction = as_direction(along)
    if among is None:
        centre, reach = _pivots(mesh, chosen, selection, pivot), mesh.points[chosen] @ direction
    else:
        centre, reach = pivot_place(among, NOTHING, pivot), among.points @ direction
    height = (mesh.points[chosen] - centre) @ direction
    extent = float(np.ptp(reach))
    if extent == 0:
        raise EditError("What is selected has no extent along that direction; there is nothing to slant.")
    return _placed(mesh, selection, chosen, mesh.points[chosen] + (height / extent)[:, None] * as_vector(by))


def place(
    mesh: Mesh,
    selection: Selection,
    x: float | None = None,
    y: float | None = None,
    z: float | None = None,
    by: Any = "middle",
) -> Edit:
    """Puts the selected elements, or all, at x, y and z mm; None leaves that coordinate.

    by: what comes there: the "middle", "bottom" or "top" of the box around them, or (x, y, z).
    """
    chosen, _ = _chosen_softly(mesh, selection, {})
    held = _held(mesh.points[chosen], by)
    target = np.array([own if wanted is None else wanted for own, wanted in zip(held, (x, y, z), strict=True)])
    return _placed(mesh, selection, chosen, mesh.points[chosen] + (target - held))


def resize(mesh: Mesh, selection: Selection, size: Any) -> Edit:
    """Gives the box around the selected elements, or all, a size about its middle.

    size: (x, y, z) mm; None: in proportion with those given. Raises EditError for no size, one below 0, or an axis
    without extent.
    """
    chosen, _ = _chosen_softly(mesh, selection, {})
    points = mesh.points[chosen]
    extent = np.ptp(points, axis=0)
    factors = np.full(3, np.nan)
    for axis, wanted in enumerate(size):
        if wanted is None:
            continue
        if wanted < 0:
            raise EditError("A size cannot be below 0.")
        if extent[axis] == 0:
            raise EditError(f"There is no extent along {'xyz'[axis]} to resize.")
        factors[axis] = wanted / extent[axis]
    given = factors[np.isfinite(factors)]
    if len(given) == 0:
        raise EditError("To resize, give at least one of the three sizes.")
    # In proportion with several sizes that differ: their mean, as volumes go.
    factors[~np.isfinite(factors)] = float(np.prod(given) ** (1.0 / len(given)))
    middle = middle_of_box(points)
    return _placed(mesh, selection, chosen, middle + (points - middle) * factors)


def align(mesh: Mesh, selection: Selection, to: Mesh | None, axes: str = "xyz", side: str = "middle") -> Edit:
    """Brings the box around the selected elements, or all, level with that of another mesh.

    axes: along which; side: their "middle", "low" or "high" sides. Raises EditError without another part that has
    points, or for unknown axes.
    """
    if to is None or to.n_points == 0:
        raise EditError("To align, name another part that is not empty.")
    if not axes or set(axes) - set("xyz"):
        raise EditError(f'"{axes}" names no axes; write x, y, z or several of them.')
    chosen, _ = _chosen_softly(mesh, selection, {})
    ours, theirs = mesh.points[chosen], to.points
    offset = _side(theirs, side) - _side(ours, side)
    offset[[axis not in axes for axis in "xyz"]] = 0.0
    return _placed(mesh, selection, chosen, ours + offset)


def move_along_normals(mesh: Mesh, selection: Selection, distance: float, keep_wall: bool = False) -> Edit:
    """Moves the selected elements, or all, along their normals by mm.

    keep_wall: each face moves by exactly the distance where the faces around a point allow it.
    """
    chosen, _ = _chosen_softly(mesh, selection, {})
    topology = mesh.topology
    if keep_wall:
        normals = face_normals(topology, mesh.points)[topology.corner_face]
        directions, off = even_offsets(normals, topology.corners, mesh.n_points)
        edit = _placed(mesh, selection, chosen, mesh.points[chosen] + distance * directions[chosen])
        return replace(edit, message=told_off(off[chosen], distance))
    directions = point_normals(topology, mesh.points)
    return _placed(mesh, selection, chosen, mesh.points[chosen] + distance * directions[chosen])


def middle_of_box(points: Floats) -> Floats:
    """The middle of the points' bounding box: (3,)."""
    low, high = box_of(points)
    return 0.5 * (low + high)


# Helpers


def _chosen_softly(mesh: Mesh, selection: Selection, soft: dict[str, Any]) -> tuple[Integers, Floats]:
    """The points that move, and how much of the move each makes. Hidden ones never do unless they are selected."""
    chosen = points_of(mesh.topology, selection) if len(selection) else np.flatnonzero(~mesh.hidden_points)
    if len(chosen) == 0:
        raise EditError("There is nothing to move; the cage is empty.")
    around = Soft(
        float(soft.get("soft_range") or 0.0),
        soft.get("soft_shape") or "bell",
        bool(soft.get("along_surface")),
        soft.get("soft_centre"),
        soft.get("soft_radii"),
    )
    if around.range <= 0 and around.radii is None:
        return chosen, np.ones(len(chosen))
    weights = soft_weights(mesh, chosen, around)
    moving = np.flatnonzero(weights)
    if len(moving) == 0:
        raise EditError("The soft range reaches no point; make it larger, or move its centre.")
    return moving, weights[moving]


def _side(points: Floats, side: str) -> Floats:
    if side == "middle":
        return middle_of_box(points)
    return np.asarray(points.min(axis=0) if side == "low" else points.max(axis=0))


def _held(points: Floats, by: Any) -> Floats:
    if not isinstance(by, str):
        return as_vector(by)
    held = middle_of_box(points)
    if by in ("bottom", "top"):
        held[2] = points[:, 2].min() if by == "bottom" else points[:, 2].max()
    elif by != "middle":
        raise EditError(f'"{by}" is no place of the part; use middle, bottom, top or (x, y, z).')
    return held


def _placed(mesh: Mesh, selection: Selection, chosen: Integers, places: Floats) -> Edit:
    points = mesh.points.copy()
    points[chosen] = places
    if not np.isfinite(places).all():
        raise EditError("That would put points at infinity; use a smaller number.")
    return Edit(mesh.with_points(points), selection, identity(mesh))


def _frame(mesh: Mesh, selection: Selection, frame: Any) -> Floats:
    """The three directions that numbers count along, rows of (3, 3)."""
    if frame is None or (isinstance(frame, str) and frame == "world"):
        return np.eye(3)
    if isinstance(frame, str) and frame == "normal":
        return selection_frame(mesh, selection)
    try:
        axes = np.stack([as_direction(axis) for axis in frame])
    except (TypeError, ValueError) as error:
        raise EditError(f"{frame!r} are no axes; use world, part, normal or three directions.") from error
    if axes.shape != (3, 3) or np.abs(axes @ axes.T - np.eye(3)).max() > 1e-6:
        raise EditError("Axes are three directions square to each other.")
    return axes


def _pivots(mesh: Mesh, chosen: Integers, selection: Selection, pivot: Any) -> Floats:
    """The pivot of each chosen point: (c, 3), or one for all: (3,). What follows softly has no say in it."""
    points = mesh.points[points_of(mesh.topology, selection) if len(selection) else chosen]
    if not isinstance(pivot, str):
        return as_vector(pivot)
    if pivot == "origin":
        return np.zeros(3)
    if pivot == "middle":
        return middle_of_box(points)
    if pivot == "last":
        last = Selection(selection.kind, selection.indices[-1:]) if len(selection) else selection
        return middle_of_box(mesh.points[points_of(mesh.topology, last)] if len(last) else points)
    if pivot != "each":
        raise EditError(f'"{pivot}" is no pivot; use middle, each, last, origin or a place.')
    topology = mesh.topology
    inside = mask_of(chosen, mesh.n_points)[topology.edges].all(axis=1)
    _, labels = connected_labels(topology.edges[inside], mesh.n_points)
    points = mesh.points[chosen]
    names, piece = np.unique(labels[chosen], return_inverse=True)
    middles = sum_by(piece, points, len(names)) / np.bincount(piece)[:, None]
    return np.asarray(middles[piece])
