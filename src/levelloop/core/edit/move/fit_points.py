"""Points brought into shape: round, flat, straight, even, relaxed, or onto another loop."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers, connected_labels, distinct, mask_of, sum_by
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_direction
from levelloop.core.mesh.faces import flatness
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection, points_of
from levelloop.core.progress import pieces
from levelloop.core.select.runs import Run, runs_of_selection
from levelloop.core.tolerance import last_place
from levelloop.core.words import counted


def make_round(mesh: Mesh, selection: Selection, diameter: float | None = None, equal_spacing: bool = True) -> Edit:
    """Puts each selected run or loop on a circle in its mean plane; for faces their outlines.

    diameter: mm of the circle, the fitted one where None; equal_spacing: equal angles, else each point keeps its
    own. Points that no edge joins are taken as one loop around their middle. Circle by least squares (Kåsa 1976).
    Raises EditError for fewer than three points in a row, or a diameter that is not above 0.
    """
    points = mesh.points.copy()
    runs = runs_of_selection(mesh, selection) or [_around_middle(mesh, points_of(mesh.topology, selection))]
    for run in runs:
        if len(run.points) < 3:
            raise EditError("A circle needs at least three points in a row.")
        places = points[run.points]
        centre, normal = fitted_plane(places)
        if not run.closed:
            centre = places.mean(axis=0)
        first, second = _frame(normal)
        flat = np.stack(((places - centre) @ first, (places - centre) @ second), axis=1)
        middle, radius = fitted_circle(flat)
        if diameter is not None:
            if diameter <= 0:
                raise EditError("The diameter must be above 0.")
            radius = diameter / 2
        angle = np.arctan2(flat[:, 1] - middle[1], flat[:, 0] - middle[0])
        if equal_spacing:
            angle = _even_angles(angle, run.closed)
        points[run.points] = (
            centre
            + (middle[0] + radius * np.cos(angle))[:, None] * first
            + (middle[1] + radius * np.sin(angle))[:, None] * second
        )
    return _moved(mesh, selection, points)


def flatten(mesh: Mesh, selection: Selection, normal: Any = "fitted") -> Edit:
    """Puts the selected points on one plane through their middle: the mean plane, or one square to a direction.

    Of faces each connected group gets a mean plane of its own. Says how far faces beside them are off flat then.
    """
    chosen = _at_least(mesh, selection, 3 if normal == "fitted" else 1, "To flatten")
    is_fitted = isinstance(normal, str) and normal == "fitted"
    groups = [chosen]
    if is_fitted and selection.kind == "faces":
        groups = _connected_groups(mesh, selection)
    points = mesh.points.copy()
    for group in groups:
        centre, direction = fitted_plane(points[group])
        if not is_fitted:
            direction = as_direction(normal)
        points[group] -= ((points[group] - centre) @ direction)[:, None] * direction
    return replace(_moved(mesh, selection, points), message=_left_unflat(mesh, points, chosen))


def straighten(mesh: Mesh, selection: Selection, even: bool = False) -> Edit:
    """Puts each selected run on the line between its ends; points without edges between them on their mean line.

    even: with equal distances. Raises EditError for a closed loop, or ends on one place.
    """
    points = mesh.points.copy()
    runs = runs_of_selection(mesh, selection)
    if not runs:
        chosen = _at_least(mesh, selection, 3, "To straighten")
        centre = points[chosen].mean(axis=0)
        along = np.linalg.svd(points[chosen] - centre, full_matrices=False)[2][0]
        reach = (points[chosen] - centre) @ along
        if even:
            order = np.argsort(reach)
            reach[order] = np.linspace(reach.min(), reach.max(), len(reach))
        points[chosen] = centre + reach[:, None] * along
        return _moved(mesh, selection, points)
    if all(run.closed for run in runs):
        raise EditError("A closed loop has no ends to straighten between; take one edge out of the selection.")
    for run in runs:
        if run.closed or len(run.points) < 3:
            continue
        places = points[run.points]
        start, along = places[0], places[-1] - places[0]
        length = float(np.linalg.norm(along))
        if length <= last_place(places):
            raise EditError("The two ends of the run lie on each other; there is no line between them.")
        ratio = np.linspace(0, 1, len(places)) if even else np.clip((places - start) @ along / length**2, 0.0, 1.0)
        points[run.points] = start + ratio[:, None] * along
    return _moved(mesh, selection, points)


def even_out(mesh: Mesh, selection: Selection) -> Edit:
    """Spaces the points of each selected run or loop equally along the line they make; ends stay.

    Raises EditError for fewer than three points in a row.
    """
    runs = runs_of_selection(mesh, selection)
    if not any(len(run.points) >= 3 for run in runs):
        raise EditError("To even out, select a run of at least three points in a row.")
    points = mesh.points.copy()
    for run in runs:
        if len(run.points) < 3:
            continue
        points[run.points] = resampled(points[run.points], run.closed, len(run.points))
    return _moved(mesh, selection, points)


def relax(mesh: Mesh, selection: Selection, times: int = 3, strength: float = 0.3, keep_outline: bool = True) -> Edit:
    """Moves the selected points, or all, towards the mean of their neighbours, some times over.

    strength: 0 … 1 of the way each time; keep_outline: points on open edges stay, else they go along the boundary.
    """
    topology = mesh.topology
    chosen = points_of(topology, selection) if len(selection) else np.arange(mesh.n_points)
    ends = topology.edges
    rim = topology.open_points
    moves = mask_of(chosen, mesh.n_points) & (topology.valence > 0)
    if keep_outline:
        moves &= ~rim
    # At the boundary only its own edges pull.
    both_ways = np.concatenate((ends, ends[:, ::-1]))
    along_rim = np.concatenate((topology.open_edges, topology.open_edges))
    both_ways = both_ways[~rim[both_ways[:, 0]] | along_rim]
    count = np.maximum(np.bincount(both_ways[:, 0], minlength=mesh.n_points), 1)[:, None]
    points = mesh.points.copy()
    for _ in pieces(range(times)):
        mean = sum_by(both_ways[:, 0], points[both_ways[:, 1]], mesh.n_points) / count
        points[moves] += strength * (mean - points)[moves]
    return _moved(mesh, selection, points)


def match_loop(mesh: Mesh, selection: Selection, target: Floats, closed: bool) -> Edit:
    """Puts the selected run or loop on a line of points, at equal shares of its length.

    target: (t, 3) mm, closed or open as the selection must be. A loop starts where it is nearest. Raises EditError
    for more than one run, or a closed one and one with ends.
    """
    runs = runs_of_selection(mesh, selection)
    if len(runs) != 1:
        raise EditError(f"To match a loop, select one run or loop of edges; these are {len(runs)}.")
    run = runs[0]
    if run.closed != closed:
        raise EditError("A closed loop matches a closed loop, and a run with two ends another such.")
    places = mesh.points[run.points]
    lines = [target, target[::-1]]
    if closed:
        lines = [_started_at(line, places[0]) for line in lines]
    tried = [resampled(line, closed, len(places)) for line in lines]
    wanted = min(tried, key=lambda line: float(np.square(line - places).sum()))
    points = mesh.points.copy()
    points[run.points] = wanted
    return _moved(mesh, selection, points)


def fitted_plane(places: Floats) -> tuple[Floats, Floats]:
    """The middle of points and the unit normal of their mean plane, by singular values: (3,), (3,)."""
    centre = places.mean(axis=0)
    return centre, np.linalg.svd(places - centre, full_matrices=True)[2][2]


def fitted_circle(flat: Floats) -> tuple[Floats, float]:
    """Middle and radius of the circle nearest to (n, 2) points, by linear least squares (Kåsa 1976).

    Raises EditError for points on one line.
    """
    system = np.concatenate((2.0 * flat, np.ones((len(flat), 1))), axis=1)
    solved, _, rank, _ = np.linalg.lstsq(system, np.einsum("ij,ij->i", flat, flat), rcond=1e-9)
    if rank < 3:
        raise EditError("These points lie on one line; no circle fits them.")
    middle = solved[:2]
    return middle, float(np.sqrt(max(solved[2] + middle @ middle, 0.0)))


def resampled(places: Floats, closed: bool, count: int) -> Floats:
    """So many points at equal distances along a line of points, from its first on: (count, 3)."""
    line = np.concatenate((places, places[:1])) if closed else places
    steps = np.linalg.norm(np.diff(line, axis=0), axis=1)
    reached = np.concatenate(([0.0], np.cumsum(steps)))
    wanted = np.linspace(0.0, reached[-1], count + 1)[:-1] if closed else np.linspace(0.0, reached[-1], count)
    return np.stack([np.interp(wanted, reached, line[:, axis]) for axis in range(3)], axis=1)


# Helpers


def _moved(mesh: Mesh, selection: Selection, points: Floats) -> Edit:
    return Edit(mesh.with_points(points), selection, identity(mesh))


def _at_least(mesh: Mesh, selection: Selection, count: int, verb: str) -> Integers:
    chosen = points_of(mesh.topology, selection)
    if len(chosen) < count:
        raise EditError(f"{verb}, select at least {count} point{'s' if count > 1 else ''}.")
    return chosen


def _connected_groups(mesh: Mesh, selection: Selection) -> list[Integers]:
    """The points of each group of selected faces that hang together at points."""
    topology = mesh.topology
    corners = topology.corners_of_faces(selection.indices)
    first = np.repeat(
        topology.corners[topology.face_offsets[selection.indices]], topology.face_sizes[selection.indices]
    )
    _, label = connected_labels(np.stack((first, topology.corners[corners]), axis=1), mesh.n_points)
    points = distinct(topology.corners[corners])
    order = np.argsort(label[points], kind="stable")
    ends = np.flatnonzero(np.diff(label[points][order])) + 1
    return np.split(points[order], ends)


def _left_unflat(mesh: Mesh, points: Floats, moved: Integers) -> str:
    """How many faces that were flat are not so any more, in a sentence; nothing where none are."""
    topology = mesh.topology
    beside = topology.faces_of_points(moved)
    size = np.linalg.norm(np.ptp(points[moved], axis=0))
    before, after = flatness(topology, mesh.points)[beside], flatness(topology, points)[beside]
    bent = (after > 1e-6 * max(float(size), 1e-300)) & (after > before * (1 + 1e-9))
    if not bent.any():
        return ""
    who = counted(int(bent.sum()), "face beside is", "faces beside are")
    return f"{who} less flat now, by up to {after[bent].max():.3g} mm."


def _frame(normal: Floats) -> tuple[Floats, Floats]:
    helper = np.eye(3)[int(np.argmin(np.abs(normal)))]
    first = np.cross(normal, helper)
    first /= np.linalg.norm(first)
    return first, np.cross(normal, first)


def _around_middle(mesh: Mesh, chosen: Integers) -> Run:
    """Loose points in order around their middle."""
    if len(chosen) < 3:
        raise EditError("To make round, select at least three points.")
    centre, normal = fitted_plane(mesh.points[chosen])
    first, second = _frame(normal)
    local = mesh.points[chosen] - centre
    return Run(chosen[np.argsort(np.arctan2(local @ second, local @ first))], True)


def _even_angles(angle: Floats, closed: bool) -> Floats:
    """Equal steps around, in the direction the angles run, as near to them as can be."""
    unrolled = np.unwrap(angle)
    count = len(angle)
    if not closed:
        return np.linspace(unrolled[0], unrolled[-1], count)
    turn = 2.0 * np.pi / count
    if unrolled[-1] < unrolled[0]:
        turn = -turn
    steps = turn * np.arange(count)
    offset = np.angle(np.exp(1j * (angle - steps)).mean())
    return np.asarray(steps + offset)


def _started_at(line: Floats, place: Floats) -> Floats:
    """A closed line of points that starts where it is nearest to a place."""
    along = np.roll(line, -1, axis=0) - line
    squares = np.maximum(np.einsum("ij,ij->i", along, along), 1e-300)
    ratio = np.clip(np.einsum("ij,ij->i", place - line, along) / squares, 0.0, 1.0)
    nearest = line + ratio[:, None] * along
    first = int(np.argmin(np.linalg.norm(nearest - place, axis=1)))
    return np.concatenate((nearest[first : first + 1], np.roll(line, -(first + 1), axis=0)))
