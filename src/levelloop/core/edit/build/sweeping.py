"""What is swept through space: revolved about an axis, wound to a helix, pulled or swept along a curve."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of, union
from levelloop.core.edit.build.extrude import lift, region_of
from levelloop.core.edit.build.pipes import pipe, pipe_points
from levelloop.core.edit.build.strips import profile_of, strips_through
from levelloop.core.edit.build.wires import wires_through
from levelloop.core.edit.join.weld import weld as welded
from levelloop.core.edit.move.transform import middle_of_box, pivot_place
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import Path, frames_along, path_of, turned_about
from levelloop.core.geometry.planes import as_direction
from levelloop.core.limits import check_fits
from levelloop.core.mesh.directions import flipped
from levelloop.core.mesh.faces import face_centres, face_vectors
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, mapped, through
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.mesh.selection import Selection, points_of
from levelloop.core.tolerance import AUTOMATIC

MOST_ROWS = 20_000
FADES_TO = 0.02  # of its size; a profile faded to nothing would leave faces without area


def revolve(
    mesh: Mesh,
    selection: Selection,
    angle: float = 360.0,
    steps: int = 16,
    axis: Any = "z",
    pivot: Any = "origin",
    weld: float | None = AUTOMATIC,
) -> Edit:
    """Turns points, edges or faces about an axis through a pivot and joins the places they pass.

    angle: degrees; a full turn closes. steps: rows of faces. weld: mm within which new points become one, as on the
    axis; None: none do. Faces look outward, or agree with those they continue. Selected after: the end, after a
    full turn all new faces. Raises EditError for no angle, more than a full turn, or a full turn in fewer than 3
    steps.
    """
    direction, centre = as_direction(axis), pivot_place(mesh, selection, pivot)
    if angle == 0:
        raise EditError("A revolve needs an angle other than 0°.")
    if abs(angle) > 360.0 + 1e-9:
        raise EditError("A revolve goes around once at most; a helix goes on.")
    closed = abs(abs(angle) - 360.0) < 1e-9
    if closed and steps < 3:
        raise EditError("A full turn needs at least 3 steps.")
    turns = np.radians(angle) * np.arange(1, steps + (0 if closed else 1)) / steps

    def layers(points: Floats) -> list[Floats]:
        return [centre + _turned(points - centre, direction, turn) for turn in turns.tolist()]

    edit = _swept(mesh, selection, layers, steps, closed)
    return _finished(mesh, edit, selection, weld, closed, direction, centre)


def helix(
    mesh: Mesh,
    selection: Selection,
    pitch: float | None = None,
    rise: float | None = None,
    turns: float = 1.0,
    steps: int = 16,
    axis: Any = "z",
    pivot: Any = "origin",
    run_out: float = 0.0,
    weld: float | None = None,
) -> Edit:
    """Winds edges or faces about an axis while they rise along it.

    pitch: mm per turn, or rise: mm in all; where neither is given turns lie against each other. turns: may be a
    fraction, negative ones wind the other way; steps: per turn. run_out: turns over which the profile fades at both
    ends into the radius where it begins. Selected after: the end. Raises EditError for points, no turns, a pitch
    and a rise both, too many rows, or a run-out longer than the helix.
    """
    direction, centre = as_direction(axis), pivot_place(mesh, selection, pivot)
    if selection.kind == "points" or len(selection) == 0:
        raise EditError("To wind a helix, select edges or faces.")
    if turns == 0:
        raise EditError("A helix needs turns other than 0.")
    if pitch is not None and rise is not None:
        raise EditError("A helix has a pitch or a rise, not both.")
    base = mesh.points[points_of(mesh.topology, selection)]
    if rise is None:
        rise = (float(np.ptp((base - centre) @ direction)) if pitch is None else pitch) * abs(turns)
    rows = max(1, round(abs(turns) * steps))
    if rows > MOST_ROWS:
        raise EditError(f"That would be {rows:,} rows; a helix has at most {MOST_ROWS:,}.")
    if run_out < 0 or 2 * run_out > abs(turns) + 1e-9:
        raise EditError(f"The run-out at both ends needs {2 * run_out:g} turns; the helix has {abs(turns):g}.")
    gone = np.arange(0, rows + 1) / rows
    foot = _profile_radius(mesh, selection, direction, centre)
    least = 0.0 if _is_open_profile(mesh, selection) else FADES_TO

    def layers(points: Floats) -> list[Floats]:
        return [one(points, share) for share in gone[1:].tolist()]

    def one(points: Floats, share: float) -> Floats:
        local = points - centre
        if run_out > 0:
            passed = share * abs(turns)
            size = max(min(passed, abs(turns) - passed) / run_out, 0.0)
            local = _drawn_to(local, direction, foot, max(min(size, 1.0), least))
        return centre + _turned(local, direction, 2.0 * np.pi * turns * share) + direction * rise * share

    edit = _swept(mesh, selection, layers, rows, False)
    if run_out > 0:
        # The start fades too.
        moved = edit.mesh.points.copy()
        chosen = points_of(mesh.topology, selection)
        moved[chosen] = one(moved[chosen], 0.0)
        inner = _inner_points(mesh, selection)
        moved[inner] = edit.mesh.points[inner]
        edit = replace(edit, mesh=edit.mesh.with_points(moved))
    return _finished(mesh, edit, selection, weld, False, direction, centre)


def extrude_along(
    mesh: Mesh,
    selection: Selection,
    curve: Any = None,
    steps: int = 8,
    end_scale: float = 1.0,
    twist: float = 0.0,
    even: bool = True,
) -> Edit:
    """Pulls faces, or edges, along a curve; they turn with it.

    curve: a mesh of wires, or points (x, y, z) mm; it counts from its end that is nearer, as it lies. steps: rows;
    end_scale: size of the end; twist: degrees in all; even: rows at equal distances. Selected after: the ends.
    Raises EditError for anything but faces or edges.
    """
    if selection.kind == "points" or len(selection) == 0:
        raise EditError("To extrude along a curve, select faces or edges.")
    path = _near_end_first(_path(curve), mesh.points[points_of(mesh.topology, selection)])
    places = path.places(steps, even)

    def layers(points: Floats) -> list[Floats]:
        return _moved_along(points, path, places, end_scale, twist)[1:]

    return _swept(mesh, selection, layers, steps, False)


def sweep(
    mesh: Mesh,
    selection: Selection,
    curve: Any = None,
    steps: int = 4,
    sides: int = 8,
    caps: str = "open",
    even: bool = True,
) -> Edit:
    """Sweeps selected edges along a curve, or where none are selected a circle by the curve's own radii.

    curve: a mesh of wires or points; this part's own wires where none is given. steps: between two points of the
    curve; sides: of the circle; caps: "open", "face", "quads" or "round"; even: rows at equal distances. Selected
    after: all new faces. Raises EditError without a curve, for too many rows, or a profile of anything but edges.
    """
    if curve is None and not len(mesh.topology.wires):
        raise EditError("A sweep needs a curve: name a part, or give this one wires.")
    path = path_of(mesh) if curve is None else _path(curve)
    rows = path.spans * steps
    if rows > MOST_ROWS:
        raise EditError(f"That would be {rows:,} rows; a sweep has at most {MOST_ROWS:,}.")
    places = path.places(rows, even)
    if selection.kind == "edges" and len(selection):
        if not path.closed:
            path = _near_end_first(path, mesh.points[points_of(mesh.topology, selection)])
            places = path.places(rows, even)
        kept = slice(1, -1) if path.closed else slice(1, None)

        def layers(points: Floats) -> list[Floats]:
            return _moved_along(points, path, places, 1.0, 0.0)[kept]

        edit = _swept(mesh, selection, layers, rows, path.closed)
        new = Selection("faces", np.arange(mesh.n_faces, edit.mesh.n_faces))
        return replace(edit, selection=new)
    if len(selection):
        raise EditError("A sweep takes edges as its profile, or nothing for a round one.")
    return pipe(mesh, path, places, sides, caps)


def follow_pipe(mesh: Mesh, curve: Mesh | None, steps: int, sides: int, caps: str, even: bool) -> Floats:
    """Where the points are that a round sweep makes of a mesh: (n, 3). Raises EditError as that does."""
    path = path_of(mesh if curve is None else curve)
    return np.concatenate((mesh.points, pipe_points(path, path.places(path.spans * steps, even), sides, caps)))


# Helpers


def _path(curve: Any) -> Path:
    if curve is None or (not isinstance(curve, Mesh) and len(curve) == 0):
        raise EditError("Name the part that is the curve, or give its points.")
    return path_of(curve)


def _turned(local: Floats, axis: Floats, angle: float) -> Floats:
    """Rodrigues' rotation formula (Rodrigues 1840), radians."""
    cosine, sine = np.cos(angle), np.sin(angle)
    return np.asarray(local * cosine + np.cross(axis, local) * sine + np.outer(local @ axis, axis) * (1.0 - cosine))


def _swept(mesh: Mesh, selection: Selection, layers: Any, rows: int, closed: bool) -> Edit:
    """Points, edges or faces through so many layers; closed: the last layer is where they began."""
    if len(selection) == 0:
        raise EditError("Select what is to be swept: points, edges or faces.")
    if selection.kind != "faces":
        check_fits(mesh.n_faces + len(selection) * rows)
    if selection.kind == "points":
        base = selection.indices
        return wires_through(mesh, base, layers(mesh.points[base]), closed)
    if selection.kind == "edges":
        edges = np.sort(selection.indices)
        base, first, second = profile_of(mesh, edges)
        return strips_through(mesh, edges, base, first, second, layers(mesh.points[base]), closed)
    region = region_of(mesh.topology, np.sort(selection.indices), False)
    check_fits(mesh.n_faces + int(np.count_nonzero(region.rim)) * rows)
    if not region.rim.any():
        raise EditError("The faces close on themselves; leave out at least one, so that there is a rim.")
    if not closed:
        return lift(mesh, selection, region, layers(mesh.points[region.fan_point]))
    # A full turn: the rim goes around, and the faces themselves are inside of what it makes.
    corners = region.corners[region.rim]
    edges = mesh.topology.corner_edge[corners]
    base, number = np.unique(
        np.concatenate((mesh.topology.corners[corners], mesh.topology.corner_end[corners])), return_inverse=True
    )
    first, second = number[: len(corners)], number[len(corners) :]
    ring = strips_through(mesh, edges, base, second, first, layers(mesh.points[base]), True)
    gone = mask_of(selection.indices, ring.mesh.n_faces)
    new_mesh, origin = drop_faces(ring.mesh, gone, keep_unattached=False)
    return Edit(new_mesh, Selection("faces", np.zeros(0, np.int64)), through(ring.origin, origin))


def _finished(
    old: Mesh, edit: Edit, selection: Selection, weld: float | None, closed: bool, axis: Floats, centre: Floats
) -> Edit:
    """The edit with new points welded, new faces outward, and selected what is to be selected."""
    if weld is not None:
        born = edit.origin.points < 0
        made = np.flatnonzero(born | mask_of(points_of(edit.mesh.topology, edit.selection), edit.mesh.n_points))
        began = np.flatnonzero(mask_of(points_of(old.topology, selection), old.n_points)[edit.origin.points] & ~born)
        both = Selection("points", union(made, began))
        once = welded(edit.mesh, both, weld) if len(both) > 1 else None
        if once is not None:
            message = once.message if once.mesh is not edit.mesh else ""
            edit = Edit(once.mesh, mapped(edit.selection, once.origin), through(edit.origin, once.origin), message)
    new = np.flatnonzero(_new_faces(edit))
    if len(new) and not _is_attached(old, selection):
        # Faces that were swept by themselves turn with what they make.
        own = np.isin(edit.origin.faces, selection.indices) if selection.kind == "faces" else new[:0]
        edit = _outward(edit, union(new, np.flatnonzero(own)), axis, centre)
    if closed and len(new):
        edit = replace(edit, selection=Selection("faces", new))
    return edit


def _new_faces(edit: Edit) -> Booleans:
    """Faces that are not the old ones themselves: the first of each origin is the old face."""
    origin = edit.origin.faces
    new = origin < 0
    seen, first = np.unique(origin, return_index=True)
    again = np.ones(len(origin), dtype=np.bool_)
    again[first[seen >= 0]] = False
    return new | again


def _is_attached(old: Mesh, selection: Selection) -> bool:
    """Whether what was swept continues faces that stay."""
    topology = old.topology
    if selection.kind == "edges":
        return bool((topology.edge_face_count[selection.indices] > 0).any())
    if selection.kind == "points":
        return False
    beside = topology.edge_faces[topology.corner_edge[topology.corners_of_faces(selection.indices)]]
    return not bool(np.isin(beside[beside >= 0], selection.indices).all())


def _outward(edit: Edit, new: Integers, axis: Floats, centre: Floats) -> Edit:
    """The edit with its new faces turned away from the axis, all or none."""
    topology, points = edit.mesh.topology, edit.mesh.points
    local = face_centres(topology, points)[new] - centre
    away = local - np.outer(local @ axis, axis)
    if float(np.einsum("ij,ij->", face_vectors(topology, points)[new], away)) >= 0:
        return edit
    new_mesh, origin = flipped(edit.mesh, mask_of(new, edit.mesh.n_faces))
    return Edit(new_mesh, mapped(edit.selection, origin), through(edit.origin, origin), edit.message)


def _profile_radius(mesh: Mesh, selection: Selection, axis: Floats, centre: Floats) -> float:
    """How far from the axis a profile begins: its open ends, or its broad side."""
    chosen = points_of(mesh.topology, selection)
    local = mesh.points[chosen] - centre
    radius = np.linalg.norm(local - np.outer(local @ axis, axis), axis=1)
    if not _is_open_profile(mesh, selection):
        # A closed profile stands on the side where it is wider along the axis.
        up, slack = local @ axis, 1e-6 * max(float(radius.max()), 1e-9)
        wide = [np.ptp(up[np.abs(radius - end) <= slack]) for end in (radius.min(), radius.max())]
        return float(radius.max() if wide[1] > wide[0] else radius.min())
    count = np.bincount(mesh.topology.edges[selection.indices].ravel(), minlength=mesh.n_points)[chosen]
    return float(radius[count == 1].mean())


def _is_open_profile(mesh: Mesh, selection: Selection) -> bool:
    if selection.kind != "edges":
        return False
    return bool((np.bincount(mesh.topology.edges[selection.indices].ravel()) == 1).any())


def _inner_points(mesh: Mesh, selection: Selection) -> Integers:
    """Points of selected faces that stay where they are: none of the start is left of those inside the region."""
    if selection.kind != "faces":
        return np.zeros(0, dtype=np.int64)
    region = region_of(mesh.topology, np.sort(selection.indices), False)
    return distinct(region.fan_point[~region.loose])


def _drawn_to(local: Floats, axis: Floats, foot: float, size: float) -> Floats:
    """A profile drawn towards a radius about the axis: at size 1 as it is, at 0 all of it there."""
    up = np.outer(local @ axis, axis)
    out = local - up
    radius = np.linalg.norm(out, axis=1, keepdims=True)
    wanted = foot + size * (radius - foot)
    return np.asarray(up + out * np.divide(wanted, radius, out=np.ones_like(radius), where=radius > 1e-12))


def _near_end_first(path: Path, points: Floats) -> Path:
    middle = middle_of_box(points)
    apart = np.linalg.norm(path.points[[0, -1]] - middle, axis=1)
    return path.reversed() if not path.closed and apart[1] < apart[0] else path


def _moved_along(points: Floats, path: Path, places: Floats, end_scale: float, twist: float) -> list[Floats]:
    """Where points go along a path, as they lie to its start: one layer for each place."""
    on = path.at(places)
    frames = frames_along(on, path.closed, path.smooth)
    share = np.linspace(0.0, 1.0, len(places))
    if twist:
        across = turned_about(frames[:, 0], frames[:, 2], np.radians(twist) * share)
        frames = np.stack((across, np.cross(frames[:, 2], across), frames[:, 2]), axis=1)
    local = (points - on[0]) @ frames[0].T
    middle = middle_of_box(points) @ frames[0].T - on[0] @ frames[0].T
    size = 1.0 + (end_scale - 1.0) * share
    return [
        ((local - middle) * scale + middle) @ frame + place
        for place, frame, scale in zip(on, frames, size.tolist(), strict=True)
    ]
