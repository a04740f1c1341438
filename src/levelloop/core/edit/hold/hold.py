"""Hold: support loops beside edges, so that the smooth surface turns there with a given radius."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of
from levelloop.core.edit.hold.arc import GAP, arc_profile
from levelloop.core.edit.hold.lines import divided, laid_out, room
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
    slid,
    turning_corners,
    turns_of,
    undone,
)
from levelloop.core.errors import EditError
from levelloop.core.limits import check_fits
from levelloop.core.mesh.faces import concave_faces, edge_folds, face_areas
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped, through
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.tags import SHARPNESS_NEVER_FADES
from levelloop.core.mesh.topology import Topology
from levelloop.core.words import counted

BISECTIONS = 10
NEAR = 0.4  # of the way to the next loop: nearer than that a loop is there to hold
UNLIKE = 3.0  # times as far as it should be: that far away a loop was not put there to hold
ROOMY = 1.2  # times: a little farther than that a spacing loop is not worth it
FLAT = 10.0  # degrees of a loop that holds
SPACING = 3.0  # supports; a next loop farther beyond the support than that lets the turn tighten beside its tip


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
    if distance is None:
        turns, values = settled_supports(mesh, edges, lambda angle: support_distance(radius, angle))
    else:
        turns = turns_of(mesh, edges, distance)
        values = np.full(len(turns.half), distance)
    near, off = on_corners(mesh, turns, values)
    told = radius if distance is None else None
    moved, by_half = edges[:0], held
    if moves:
        mesh, held, moved = _with_loops_moved(mesh, edges, held, turns, values)
    if not held.any():
        edit = Edit(mesh, Selection("edges", distinct(moved)), identity(mesh))
        edit = spaced(mesh, edit, by_half, near, off, SPACING)
        return replace(edit, message=f"The loops that were there were moved. {told_of(turns, near, off, told, 0)}")
    edit, ended = cut_beside(mesh, held, near, off, turning_corners(mesh.topology, edges), what, given)
    edit = spaced(mesh, edit, held, near, off, SPACING)
    also = "Loops that were there were moved. " if len(moved) else ""
    kept = mapped(Selection("edges", distinct(moved)), edit.origin).indices
    loops = Selection("edges", distinct(np.concatenate((edit.selection.indices, kept))))
    return replace(edit, selection=loops, message=also + told_of(turns, near, off, told, ended))


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
    said = _few(low) if high - low < 5e-3 * high else f"{_few(low)} to {_few(high)}"
    level = int(np.ceil(weight))
    return f"Turns with {said} mm at the limit; sharp below level {level}."


# Helpers


def _as_arc(mesh: Mesh, edges: Integers, radius: float) -> Edit:
    """The edges held as an arc: each moved in, with a loop and a support on both sides."""
    topology = mesh.topology
    degree = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    if (degree > 2).any():
        meet = counted(int((degree > 2).sum()), "point", "points")
        raise EditError(f"Held edges meet at {meet}; an arc has no corner: hold them by their tip there.")
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
    edit, _ = cut_beside(mesh, held, near, off, turning_corners(topology, edges), "radius", radius)
    edit = spaced(mesh, edit, held, near, off, GAP * radius / float(support.min()))
    # The loops between supports and edges, which are then put where the profile has them.
    kept = edit.mesh.topology.find_edges(topology.edges[edges])
    if (kept < 0).any():
        raise EditError("Other loops cross these edges; hold them by their tip.")
    beside = turns_of(edit.mesh, kept)
    halves = on_corners(edit.mesh, beside, np.full(len(beside.half), 0.5 * float(support.min())))
    all_held = mask_of(beside.half, edit.mesh.topology.n_corners)
    second, _ = cut_beside(edit.mesh, all_held, *halves, turning_corners(edit.mesh.topology, kept), "radius", radius)
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
    said = _few(low) if high - low < 1e-3 * high else f"{_few(low)} to {_few(high)}"
    return f"Supports at {said} mm; within {_few(0.005 * radius)} mm of the arc."


def _with_loops_moved(
    mesh: Mesh, edges: Integers, held: Booleans, turns: Turns, values: Floats
) -> tuple[Mesh, Booleans, Integers]:
    """The mesh with loops slid to where they hold, which half-edges still need one, and the edges of what was slid.

    A loop is there to hold an edge on one side where it lies near all along it, does not fold itself, and has room.
    """
    topology = mesh.topology
    sides = sides_of(mesh, edges)
    folds = edge_folds(topology, mesh.points)
    there = (sides.support >= 0) & (folds[np.maximum(sides.support, 0)] < FLAT)
    there &= (sides.distance <= NEAR * sides.behind) & (values < sides.distance + 0.999 * sides.behind)
    there &= sides.distance <= UNLIKE * values
    # By half-edge: entries come in pairs, its start and its end.
    fits = there.reshape(-1, 2).all(axis=1) & held[turns.half[::2]]
    # A loop that several edges share is slid where it serves them all.
    point = np.unique(sides.loop[np.repeat(held[turns.half[::2]] & ~fits, 2)])
    fits &= ~np.isin(sides.loop, point).reshape(-1, 2).any(axis=1)
    if not fits[held[turns.half[::2]]].all():
        # Spacing loops are for what is cut anew: where one would be needed a loop is not moved alone.
        gap = sides.distance + sides.behind - values
        fits &= (gap <= ROOMY * SPACING * values).reshape(-1, 2).all(axis=1)
    if not fits.any():
        return mesh, held, np.zeros(0, dtype=np.int64)
    chosen = np.repeat(fits, 2)
    slid_mesh = mesh.with_points(slid(mesh, sides, values, chosen))
    left = held.copy()
    left[turns.half[chosen]] = False
    return slid_mesh, left, sides.support[chosen]


def cut_beside(
    mesh: Mesh, held: Booleans, near: Floats, off: Floats, turn: Booleans, what: str, given: float
) -> tuple[Edit, int]:
    """The mesh with lines beside half-edges. Raises EditError where they do not fit, with what would."""
    lines = laid_out(mesh, held, near, off, turn)
    check_fits(mesh.n_faces + 4 * int(lines.beside.sum()))
    if room(mesh, lines) >= 1.0:
        done = divided(mesh, lines)
        if not _folds(mesh, done[0]):
            return done
    low, high = 0.0, min(1.0, room(mesh, lines))
    for _ in range(BISECTIONS):
        middle = 0.5 * (low + high)
        tried = laid_out(mesh, held, middle * near, middle * off, turn)
        fits = room(mesh, tried) >= 1.0 and not _folds(mesh, divided(mesh, tried)[0])
        low, high = (middle, high) if fits else (low, middle)
    most = _few(given * low)
    raise EditError(f"The faces beside are too narrow for that; the largest {what} that fits is {most} mm.")


def _folds(mesh: Mesh, edit: Edit) -> bool:
    """Whether a face that was convex has got a piece that is not: loops have gone beyond each other."""
    concave = concave_faces(edit.mesh.topology, edit.mesh.points)
    return bool((concave & ~concave_faces(mesh.topology, mesh.points)[edit.origin.faces]).any())


def spaced(mesh: Mesh, edit: Edit, held: Booleans, near: Floats, off: Floats, times: float) -> Edit:
    """The edit with another loop where the next one lies farther than so many supports beyond a support."""
    topology, made = mesh.topology, edit.mesh
    new = made.topology
    wanted = np.zeros((2, new.n_corners))
    distance = np.maximum(near, off)
    # The face beyond a support: it has the support's edge as a side, and a strip from a face held there across it.
    source = edit.origin.faces[new.corner_face]
    is_line = mask_of(edit.selection.indices, new.n_edges)[new.corner_edge]
    twin = new.twin
    largest = np.zeros(topology.n_faces)
    np.maximum.at(largest, topology.corner_face[held], distance[held])
    first_new = mesh.n_points
    beside = np.zeros(new.n_corners, dtype=np.bool_)
    # In a quad any of its sides, of another face all of them: that is inset once more.
    quad = new.face_sizes == 4
    inset = ~quad & np.logical_and.reduceat(is_line, new.face_offsets[:-1])
    candidates = np.flatnonzero(is_line & (quad | inset)[new.corner_face] & (twin >= 0))
    # The strip on the other side of the support touches an edge of the cage that is held.
    across = new.next_corner[new.next_corner[np.maximum(twin[candidates], 0)]]
    old_edge = edit.origin.edges[new.corner_edge[across]]
    held_edges_mask = mask_of(topology.corner_edge[held], topology.n_edges)
    candidates = candidates[(old_edge >= 0) & held_edges_mask[old_edge]]
    reach = times * largest[source[twin[candidates]]]
    before, after = new.previous_corner[candidates], new.next_corner[candidates]
    lengths = np.linalg.norm(made.points[new.corner_end] - made.points[new.corners], axis=1)
    face = new.corner_face[candidates]
    around = np.bincount(new.corner_face, lengths, new.n_faces)
    half_width = 2.0 * face_areas(new, made.points) / np.maximum(around, 1e-300)
    deep = np.where(quad[face], np.minimum(lengths[before], lengths[after]), half_width[face])
    roomy = deep > ROOMY * reach
    beside[candidates[roomy & (reach > 0)]] = True
    if not beside.any():
        return edit
    wanted[:, candidates] = reach
    ring_turn = beside & beside[new.previous_corner]
    turn = ring_turn & _inner_corner(new, edit, first_new)
    try:
        lines = laid_out(made, beside, wanted[0], wanted[1], turn)
    except EditError:
        return edit
    crossed = mask_of(np.flatnonzero(lines.cut) // 2, new.n_edges)
    old = edit.origin.edges
    across_held = crossed & (old >= 0) & (held_edges_mask & _bent(mesh, held_edges_mask))[np.maximum(old, 0)]
    if room(made, lines) < 1.0 or across_held.any():
        # A loop that only rounds what lies beside is not worth one through the turn.
        return edit
    more, _ = divided(made, lines)
    if _folds(made, more):
        return edit
    chosen = mapped(edit.selection, more.origin)
    return Edit(more.mesh, chosen, through(edit.origin, more.origin))


def _bent(mesh: Mesh, held: Booleans) -> Booleans:
    """Held edges with an end where their run goes on in another direction: another point there would flatten it."""
    topology, points = mesh.topology, mesh.points
    ends = topology.edges[held]
    way = directions(points[ends[:, 1]] - points[ends[:, 0]])
    degree = np.bincount(ends.ravel(), minlength=topology.n_points)
    away = np.zeros((topology.n_points, 3))
    np.add.at(away, ends[:, 0], way)
    np.add.at(away, ends[:, 1], -way)
    turning = (degree == 2) & (np.linalg.norm(away, axis=1) > np.radians(LEAST_FOLD))
    return np.asarray(turning[topology.edges].any(axis=1))


def _inner_corner(topology: Topology, edit: Edit, first_new: int) -> Booleans:
    """Corners at points inside old faces where two supports met and ended."""
    inner = np.zeros(topology.n_points, dtype=np.bool_)
    inner[first_new:] = edit.origin.points[first_new:] < 0
    return np.asarray(inner[topology.corners] & (topology.valence[topology.corners] == 3))


def _creased(mesh: Mesh, edges: Integers, radius: float) -> Edit:
    free = loose_radius(mesh, edges)
    wide = radius > free * (1.0 + 1e-9)
    if wide.any():
        raise EditError(
            f"{counted(int(wide.sum()), 'edge turns', 'edges turn')} tighter than that already, "
            f"with {_few(float(free[wide].min()))} mm; a crease only tightens."
        )
    creases = mesh.creases.copy()
    creases[edges] = crease_weight(free, radius)
    told = f"Crease weights from {_few(float(creases[edges].min()))} to {_few(float(creases[edges].max()))}."
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


def told_of(turns: Turns, near: Floats, off: Floats, radius: float | None, ended: int) -> str:
    """What a hold did, in sentences: how far off its supports lie, the radius if one is wanted, where runs ended."""
    distances = np.where(turns.at_end, off[turns.half], near[turns.half])
    low, high = float(distances.min()), float(distances.max())
    said = _few(low) if high - low < 1e-3 * high else f"{_few(low)} to {_few(high)}"
    told = f"Supports at {said} mm."
    if radius is None:
        tips = tip_radius(turns.across, turns.across[np.arange(len(turns.half)) ^ 3])
        told += f" They give {_few(float(tips.min()))} to {_few(float(tips.max()))} mm at the tip."
    else:
        recess = float((2.0 / 3.0 * radius / np.tan(turns.angle / 2.0) ** 2).max())
        told += f" The edge recedes by up to {_few(recess)} mm."
    if ended:
        told += f" The loops ended at {counted(ended, 'face', 'faces')} with other than four sides."
    return told


def _few(value: float) -> str:
    return f"{value:.3g}"
