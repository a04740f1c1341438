"""Hold: support loops beside edges, so that the smooth surface turns there with a given radius."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Floats, Integers, mask_of
from levelloop.core.edit.hold.arc import GAP, arc_profile
from levelloop.core.edit.hold.by_loops import cut_beside, few, held_by_loops, largest_fit, spaced
from levelloop.core.edit.hold.radius import crease_weight, creased_radius, support_distance, tip_radius
from levelloop.core.edit.hold.turns import (
    LEAST_FOLD,
    Sides,
    Turns,
    directions,
    held_edges,
    on_corners,
    settled_supports,
    sides_of,
    turning_corners,
    turns_of,
    undone,
)
from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import edge_folds
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped, through
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.tags import SHARPNESS_NEVER_FADES
from levelloop.core.words import counted


def hold(
    mesh: Mesh,
    selection: Selection,
    radius: float = 1.0,
    distance: float | None = None,
    sides: Sides = "both",
    by: Literal["loops", "crease"] = "loops",
    fill: Literal["tip", "arc"] = "tip",
    moves: bool = True,
) -> Edit:
    """Puts support loops on both sides of the selected edges, so that the smooth surface turns there with a radius.

    radius: mm at the tip of the turn; distance: mm of the supports from the edge, square to it, instead of a radius.
    sides: of the edges as they were picked. by: "crease" gives the edges the crease weight for that radius instead of
    loops. fill: "arc" moves the edges themselves in, so that the turn follows a true arc of that radius. moves: loops
    that hold there already are moved instead of adding others. Where the next loop lies more than three supports
    beyond, a spacing loop is added. Selected after: the support loops; with a crease the edges. Raises EditError where
    an edge is open, has no fold, or the faces beside are too narrow: then with the largest radius that fits.
    """
    edges, held = held_edges(mesh, selection, sides)
    what, given = ("radius", radius) if distance is None else ("distance", distance)
    if not given > 0:
        raise EditError(f"A {what} to hold is above 0 mm.")
    if by not in ("loops", "crease"):
        raise EditError(f"Edges are held by loops or by a crease, not by “{by}”.")
    if by == "crease":
        if distance is not None:
            raise EditError("A crease is set by a radius, not by a distance.")
        return _creased(mesh, edges, radius)
    if fill == "arc":
        if distance is not None or sides != "both":
            raise EditError("An arc has a radius, and both its sides.")
        return _as_arc(mesh, edges, radius)

    def settle(cage: Mesh, there: Integers) -> tuple[Turns, Floats]:
        if distance is None:
            return settled_supports(cage, there, lambda angle: support_distance(radius, angle))
        turns = turns_of(cage, there, distance)
        return turns, np.full(len(turns.half), distance)

    done = held_by_loops(mesh, edges, held, settle, what, given, moves)
    return replace(done.edit, message=done.told(radius if distance is None else None))


def loose_radius(mesh: Mesh, edges: Integers) -> Floats:
    """The radius at the tip that each edge turns with as the cage is, without its crease: (n,) mm, both ends' smaller.

    Infinite where nothing turns.
    """
    turns = turns_of(mesh, edges)
    first, second = _to_next_loops(mesh, turns)
    radius = tip_radius(first, second)
    topology = mesh.topology
    least = np.full(topology.n_edges, np.inf)
    np.minimum.at(least, topology.corner_edge[turns.half], radius)
    return np.asarray(least[edges])


def told_radius(mesh: Mesh, edges: Integers, weight: float) -> str:
    """With which radius edges of a crease weight turn on the limit surface, in a sentence; empty where none turns."""
    topology = mesh.topology
    pair = topology.edge_pair[edges]
    plain = (topology.edge_face_count[edges] == 2) & (pair >= 0).all(axis=1)
    plain[plain] = topology.twin[pair[plain, 0]] == pair[plain, 1]
    turning = edges[plain & (edge_folds(topology, mesh.points)[edges] >= LEAST_FOLD)]
    if len(turning) == 0 or weight <= 0:
        return ""
    if weight >= SHARPNESS_NEVER_FADES:
        return "Sharp edges: no radius at any level."
    try:
        radius = creased_radius(loose_radius(mesh, turning), weight)
    except EditError:
        # Square to the run, as smoothing leaves it, one of them lies flat.
        return ""
    if not np.isfinite(radius).all():
        return ""
    low, high = float(radius.min()), float(radius.max())
    said = few(low) if high - low < 5e-3 * high else f"{few(low)} to {few(high)}"
    level = int(np.ceil(weight))
    return f"Turns with {said} mm at the limit; sharp below level {level}."


# Helpers


def _as_arc(mesh: Mesh, edges: Integers, radius: float) -> Edit:
    """The edges held as an arc: each moved in, with a loop and a support on both sides."""
    topology = mesh.topology
    degree = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    if (degree > 2).any():
        meet = counted(int((degree > 2).sum()), "point", "points")
        raise EditError(f"ByLoops edges meet at {meet}; an arc has no corner: hold them by their tip there.")
    turns, support = settled_supports(mesh, edges, lambda angle: radius * arc_profile(angle)[3])
    depth, along, inwards, _ = arc_profile(turns.angle)
    own = directions(turns.across)
    other = own[np.arange(len(own)) ^ 3]
    inner = directions(other - np.einsum("ij,ij->i", own, other)[:, None] * own)
    ends = (degree == 1) & ~topology.open_points
    here = np.where(turns.at_end, topology.corner_end[turns.half], topology.corners[turns.half])
    moves = ~ends[here]
    loop = undone(mesh, edges, turns, radius * (along[:, None] * own + inwards[:, None] * inner))
    tip = undone(mesh, edges, turns, radius * depth[:, None] * directions(own + other))
    held = mask_of(turns.half, topology.n_corners)
    near, off = on_corners(mesh, turns, support)
    turn = turning_corners(topology, edges)
    cut = cut_beside(mesh, held, near, off, turn)
    if cut is None:
        raise largest_fit(
            lambda share: cut_beside(mesh, held, share * near, share * off, turn) is not None, "radius", radius
        )
    edit, _ = cut
    edit = spaced(mesh, edit, held, near, off, GAP * radius / float(support.min()))
    # The loops between supports and edges, which are then put where the profile has them.
    kept = edit.mesh.topology.find_edges(topology.edges[edges])
    if (kept < 0).any():
        raise EditError("Other loops cross these edges; hold them by their tip.")
    beside = turns_of(edit.mesh, kept)
    halves = on_corners(edit.mesh, beside, np.full(len(beside.half), 0.5 * float(support.min())))
    all_held = mask_of(beside.half, edit.mesh.topology.n_corners)
    beneath = cut_beside(edit.mesh, all_held, *halves, turning_corners(edit.mesh.topology, kept))
    if beneath is None:
        raise EditError("Between these edges and their supports there is no room for an arc; hold them by their tip.")
    second, _ = beneath
    made = second.mesh
    found = sides_of(made, made.topology.find_edges(topology.edges[edges]))
    # The two half-edges of an edge may come in the other order now.
    order = np.arange(len(turns.half))
    order ^= np.where((found.point[0::4] == here[0::4]).repeat(4), 0, 2)
    order, moved = order[moves[order]], np.flatnonzero(moves[order])
    total, count = np.zeros((made.n_points, 3)), np.zeros(made.n_points)
    for target, place in ((found.loop, loop), (found.point, tip)):
        np.add.at(total, target[moved], mesh.points[here[order]] + place[order])
        np.add.at(count, target[moved], 1.0)
    put = np.flatnonzero(count)
    points = made.points.copy()
    points[put] = total[put] / count[put, None]
    both = np.concatenate((mapped(edit.selection, second.origin).indices, second.selection.indices))
    done = Edit(made.with_points(points), Selection("edges", both), through(edit.origin, second.origin))
    return replace(done, message=_arc_told(support, radius))


def _arc_told(support: Floats, radius: float) -> str:
    low, high = float(support.min()), float(support.max())
    said = few(low) if high - low < 1e-3 * high else f"{few(low)} to {few(high)}"
    return f"Supports at {said} mm; within {few(0.005 * radius)} mm of the arc."


def _creased(mesh: Mesh, edges: Integers, radius: float) -> Edit:
    free = loose_radius(mesh, edges)
    wide = radius > free * (1.0 + 1e-9)
    if wide.any():
        raise EditError(
            f"{counted(int(wide.sum()), 'edge turns', 'edges turn')} tighter than that already, "
            f"with {few(float(free[wide].min()))} mm; a crease only tightens."
        )
    creases = mesh.creases.copy()
    creases[edges] = crease_weight(free, radius)
    told = f"Crease weights from {few(float(creases[edges].min()))} to {few(float(creases[edges].max()))}."
    return Edit(replace(mesh, crease_sharpness=creases), Selection("edges", edges), identity(mesh), told)


def _to_next_loops(mesh: Mesh, turns: Turns) -> tuple[Floats, Floats]:
    """From each end of a half-edge to the next loop on its side and on the other one, square to the edge: (h, 3)."""
    topology, points = mesh.topology, mesh.points
    following, before = topology.next_corner[turns.half], topology.previous_corner[turns.half]
    rung = np.where(turns.at_end, following, before)
    length = np.linalg.norm(points[topology.corner_end[rung]] - points[topology.corners[rung]], axis=1)
    start, end = points[topology.corners[turns.half]], points[topology.corner_end[turns.half]]
    along = directions(end - start)
    side = np.where(turns.at_end[:, None], 1.0, -1.0) * (
        points[topology.corner_end[rung]] - points[topology.corners[rung]]
    )
    square = side - np.einsum("ij,ij->i", side, along)[:, None] * along
    share = np.linalg.norm(square, axis=1) / np.maximum(length, 1e-300)
    to = turns.across * (share * length)[:, None]
    return to, to[np.arange(len(to)) ^ 3]
