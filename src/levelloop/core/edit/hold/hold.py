"""Hold: support loops beside edges, so that the smooth surface turns there with a given radius."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.edit.hold.by_arc import held_as_arc
from levelloop.core.edit.hold.by_loops import few, held_by_loops
from levelloop.core.edit.hold.radius import crease_weight, creased_radius, support_distance, tip_radius
from levelloop.core.edit.hold.turns import (
    LEAST_FOLD,
    Sides,
    Turns,
    directions,
    held_edges,
    settled_supports,
    turns_of,
)
from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import edge_folds
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
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
        return held_as_arc(mesh, selection, radius)

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
