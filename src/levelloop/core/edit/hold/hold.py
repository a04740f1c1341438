"""Hold: support loops beside edges, so that the smooth surface turns there with a given radius."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, mask_of
from levelloop.core.edit.hold.arc import GAP, arc_profile
from levelloop.core.edit.hold.lines import divided, laid_out, room
from levelloop.core.edit.hold.radius import crease_weight, creased_radius, support_distance, tip_radius
from levelloop.core.errors import EditError
from levelloop.core.limits import check_fits
from levelloop.core.mesh.faces import concave_faces, edge_folds, face_areas
from levelloop.core.mesh.mesh import SHARPNESS_NEVER_FADES, Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped, through
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.words import counted

Sides = Literal["both", "left", "right"]
ROUNDS = 12
BISECTIONS = 10
LEAST_FOLD = 1.0  # degrees; less turns too little to have a radius worth holding
SPACING = 3.0  # supports; a next loop farther beyond the support than that lets the turn tighten beside its tip


@dataclass(frozen=True, eq=False)
class Turns:
    """Held half-edges at each of their ends, as the smooth surface meets them there.

    half: (h,) corners of the half-edges, at_end: (h,) whether it is their end or their start; across: (h, 3) from there
    to the support on that side, square to the run, as smoothing along the run leaves it; angle: (h,) the inner angle
    between both sides, radians.
    """

    half: Integers
    at_end: Booleans
    across: Floats
    angle: Floats


def hold(
    mesh: Mesh,
    selection: Selection,
    radius: float = 1.0,
    distance: float | None = None,
    sides: Sides = "both",
    by: Literal["loops", "crease"] = "loops",
    fill: Literal["tip", "arc"] = "tip",
) -> Edit:
    """Puts support loops on both sides of the selected edges, so that the smooth surface turns there with a radius.

    radius: mm at the tip of the turn; distance: mm of the supports from the edge, square to it, instead of a radius.
    sides: of the edges as they were picked. by: "crease" gives the edges the crease weight for that radius instead of
    loops. fill: "arc" moves the edges themselves in, so that the turn follows a true arc of that radius. Where the next
    loop lies more than three supports beyond, a spacing loop is added. Selected after: the support loops; with a crease
    the edges. Raises EditError where an edge is open, has no fold, or the faces beside are too narrow: then with the
    largest radius that fits.
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
        turns, values = _settled(mesh, edges, lambda angle: support_distance(radius, angle))
    else:
        turns = _turns(mesh, edges, distance)
        values = np.full(len(turns.half), distance)
    near, off = _on_corners(mesh, turns, values)
    edit, ended = _cut(mesh, held, near, off, _turning(mesh.topology, edges), what, given)
    edit = _spaced(mesh, edit, held, near, off, SPACING)
    return replace(edit, message=_told(turns, near, off, radius if distance is None else None, ended))


def loose_radius(mesh: Mesh, edges: Integers) -> Floats:
    """The radius at the tip that each edge turns with as the cage is, without its crease: (n,) mm, both ends' smaller.

    Infinite where nothing turns.
    """
    turns = _turns(mesh, edges)
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


def held_edges(mesh: Mesh, selection: Selection, sides: Sides) -> tuple[Integers, Booleans]:
    """The edges, and their half-edges on the wanted sides: (k,)."""
    topology = mesh.topology
    if selection.kind != "edges" or len(selection) == 0:
        raise EditError("To hold, select edges.")
    if sides not in ("both", "left", "right"):
        raise EditError(f"Sides are both, left or right, not “{sides}”.")
    edges = selection.indices
    faces = topology.edge_face_count[edges]
    if (faces == 0).any():
        raise EditError("Wires have no surface that could be held.")
    if (faces == 1).any():
        raise EditError(
            f"{counted(int((faces == 1).sum()), 'edge is', 'edges are')} open: a boundary is as sharp as it gets."
        )
    pair = topology.edge_pair[edges]
    if (faces > 2).any() or (topology.twin[pair[:, 0]] != pair[:, 1]).any():
        raise EditError("More than two faces, or faces that disagree, meet at these edges; mend that first.")
    held = np.zeros(topology.n_corners, dtype=np.bool_)
    assert selection.backwards is not None
    # The half-edge that runs the way an edge was picked has its face on the left.
    forward = (topology.corner_slot[pair] & 1 == 1) == selection.backwards[:, None]
    for side, column in (("left", forward), ("right", ~forward)):
        if sides in ("both", side):
            held[pair[column]] = True
    return edges, held


@dataclass(frozen=True, eq=False)
class BothSides:
    """The next loops beside edges, at each end of their half-edges, in the order of Turns.

    point, loop: (h,) the edge's end and the loop's point that an edge leads to from there; way: (h, 3) along it, for
    1 mm square to the edge; distance: (h,) mm square to it, reach: (h,) mm what smoothing along the run leaves of it;
    behind: (h,) mm from the loop to the one after it; support: (h,) the loop's edge across the face, −1 where the face
    is no quad.
    """

    point: Integers
    loop: Integers
    way: Floats
    distance: Floats
    reach: Floats
    behind: Floats
    support: Integers


def sides_of(mesh: Mesh, edges: Integers) -> BothSides:
    """The loops beside edges. Raises EditError where an edge lies on a flat."""
    topology, points = mesh.topology, mesh.points
    turns = _turns(mesh, edges)
    following, before = topology.next_corner[turns.half], topology.previous_corner[turns.half]
    point = np.where(turns.at_end, topology.corners[following], topology.corners[turns.half])
    loop = np.where(turns.at_end, topology.corner_end[following], topology.corners[before])
    along = _unit(points[topology.corner_end[turns.half]] - points[topology.corners[turns.half]])
    side = points[loop] - points[point]
    square = np.linalg.norm(side - np.einsum("ij,ij->i", side, along)[:, None] * along, axis=1)
    lengths = np.linalg.norm(points[topology.edges[:, 1]] - points[topology.edges[:, 0]], axis=1)
    quad = topology.face_sizes[topology.corner_face[turns.half]] == 4
    opposite = topology.next_corner[following]
    support = np.where(quad, topology.corner_edge[opposite], -1)
    beyond = np.where(quad, topology.twin[opposite], -1)
    sides = (topology.next_corner[np.maximum(beyond, 0)], topology.previous_corner[np.maximum(beyond, 0)])
    behind = np.where(beyond >= 0, np.minimum(*(lengths[topology.corner_edge[side]] for side in sides)), 0.0)
    reach = np.linalg.norm(_turns(mesh, edges, square).across, axis=1)
    way = side / np.maximum(square, 1e-300)[:, None]
    return BothSides(point, loop, way, square, reach, behind, support)


# Helpers


def _turning(topology: Topology, edges: Integers) -> Booleans:
    """Corners at which a run of held edges turns within a face: there are no more than these two at the point."""
    held = mask_of(edges, topology.n_edges)
    at_point = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    both = held[topology.corner_edge] & held[topology.corner_edge[topology.previous_corner]]
    return np.asarray(both & (at_point[topology.corners] == 2))


def _turns(mesh: Mesh, edges: Integers, distance: Floats | float = 1.0) -> Turns:
    """How the surface meets every half-edge of the edges at both ends, with supports at distances square to them.

    distance: mm, one or one per entry of the result. Raises EditError where nothing turns.
    """
    topology = mesh.topology
    pair = topology.edge_pair[edges]
    half = np.repeat(pair.ravel(), 2)
    at_end = np.tile([False, True], pair.size)
    across = _across(mesh, half, at_end, edges) * np.broadcast_to(distance, half.shape)[:, None]
    smooth = _along_run(topology, edges, half, at_end, across)
    along = _tangents(mesh, edges, half, at_end)
    square = smooth - np.einsum("ij,ij->i", smooth, along)[:, None] * along
    # Entries come edge by edge: its two half-edges, each at both ends; one's end is where the other starts.
    other = np.arange(len(half)) ^ 3
    cosine = np.einsum("ij,ij->i", _unit(square), _unit(square[other]))
    angle = np.arccos(np.clip(cosine, -1.0, 1.0))
    folds = np.degrees(np.pi - angle).reshape(-1, 4).max(axis=1)
    flat = int((folds < LEAST_FOLD).sum())
    if flat:
        raise EditError(f"{counted(flat, 'edge lies', 'edges lie')} on a flat: there is nothing to hold.")
    # A nearly flat end of an edge that folds at its other end goes by that.
    widest = angle.reshape(-1, 4).min(axis=1).repeat(4)
    angle = np.where(np.degrees(np.pi - angle) < LEAST_FOLD, widest, angle)
    return Turns(half, at_end, square, np.maximum(angle, np.radians(5.0)))


def _tangents(mesh: Mesh, edges: Integers, half: Integers, at_end: Booleans) -> Floats:
    """The direction of the run at each end of half-edges: (h, 3); their own where it ends or branches there."""
    topology, points = mesh.topology, mesh.points
    ends = topology.edges[edges]
    at_point = np.bincount(ends.ravel(), minlength=topology.n_points)
    others = np.zeros((topology.n_points, 3))
    for end in (0, 1):
        np.add.at(others, ends[:, end], points[ends[:, 1 - end]])
    here = np.where(at_end, topology.corner_end[half], topology.corners[half])
    there = np.where(at_end, topology.corners[half], topology.corner_end[half])
    # The sum of both neighbours less this one is the other one.
    beyond = np.where((at_point[here] == 2)[:, None], others[here] - points[there], points[here])
    return _unit(points[there] - beyond)


def _across(mesh: Mesh, half: Integers, at_end: Booleans, edges: Integers) -> Floats:
    """From each end of half-edges into their face, along the next side, for 1 mm square to the edge: (h, 3)."""
    topology, points = mesh.topology, mesh.points
    held = mask_of(edges, topology.n_edges)
    following, before = topology.next_corner[half], topology.previous_corner[half]
    here = np.where(at_end, topology.corners[following], topology.corners[half])
    there = np.where(at_end, topology.corner_end[following], topology.corners[before])
    along = _unit(
        np.where(at_end, -1.0, 1.0)[:, None] * (points[topology.corner_end[half]] - points[topology.corners[half]])
    )
    side = _unit(points[there] - points[here])
    # Where the run turns within this face its lines meet on the way between its two edges.
    at_point = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    next_side = topology.corner_edge[np.where(at_end, following, before)]
    turns = held[next_side] & (at_point[here] == 2)
    side = np.where(turns[:, None], _unit(side + along), side)
    square = side - np.einsum("ij,ij->i", side, along)[:, None] * along
    length = np.linalg.norm(square, axis=1, keepdims=True)
    return np.asarray(side / np.maximum(length, 0.1))


def _along_run(topology: Topology, edges: Integers, half: Integers, at_end: Booleans, across: Floats) -> Floats:
    """What smoothing along the run leaves of directions at its points: (before + 4 · own + after) / 6.

    Where a run ends, or more than two of its edges meet, they stay as they are.
    """
    at_point = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    number = np.full((topology.n_corners, 2), -1, dtype=np.int64)
    number[half, at_end.astype(np.int64)] = np.arange(len(half))
    here = np.where(at_end, topology.corner_end[half], topology.corners[half])
    # Beyond the point the run goes on along the first held edge met when turning around it through this face.
    beyond = _next_held(topology, edges, half, at_end)
    own_other = number[half, 1 - at_end.astype(np.int64)]
    fits = (at_point[here] == 2) & (beyond >= 0)
    target = number[np.maximum(beyond, 0), at_end.astype(np.int64)]
    fits &= target >= 0
    result = across.copy()
    result[fits] = (across[own_other[fits]] + 4.0 * across[fits] + across[target[fits]]) / 6.0
    return result


def _next_held(topology: Topology, edges: Integers, half: Integers, at_end: Booleans) -> Integers:
    """The half-edge with which the run goes on beyond an end of each, on the same side: (h,), −1 for none."""
    held = mask_of(edges, topology.n_edges)
    result = np.full(len(half), -1, dtype=np.int64)
    # Onwards: the side after this one, and while that is not held, across it and on.
    here = np.where(at_end, topology.next_corner[half], topology.previous_corner[half])
    rows = np.arange(len(half))
    for _ in range(64):
        found = held[topology.corner_edge[here]]
        result[rows[found]] = here[found]
        rows, here = rows[~found], here[~found]
        across = topology.twin[here]
        rows, across = rows[across >= 0], across[across >= 0]
        if len(rows) == 0:
            break
        here = np.where(at_end[rows], topology.next_corner[across], topology.previous_corner[across])
    return result


def _settled(mesh: Mesh, edges: Integers, wanted: Callable[[Floats], Floats]) -> tuple[Turns, Floats]:
    """The supports of half-edges at both their ends, and how far they lie on the faces, square to the edge: (h,) mm.

    wanted: from inner angles to how far the supports are once smoothing along the run has drawn them in. What it leaves
    of one depends on those beside it, so a few rounds are taken.
    """
    turns = _turns(mesh, edges)
    values = wanted(turns.angle)
    for _ in range(ROUNDS):
        turns = _turns(mesh, edges, values)
        left = np.maximum(np.linalg.norm(turns.across, axis=1), 1e-3 * values)
        values = values * wanted(turns.angle) / left
    return _turns(mesh, edges, values), values


def _on_corners(mesh: Mesh, turns: Turns, values: Floats) -> tuple[Floats, Floats]:
    """Distances of half-edges' starts and ends, by corner: (k,), (k,)."""
    near, off = np.zeros((2, mesh.topology.n_corners))
    near[turns.half[~turns.at_end]] = values[~turns.at_end]
    off[turns.half[turns.at_end]] = values[turns.at_end]
    return near, off


def _as_arc(mesh: Mesh, edges: Integers, radius: float) -> Edit:
    """The edges held as an arc: each moved in, with a loop and a support on both sides."""
    topology = mesh.topology
    degree = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    if (degree > 2).any():
        meet = counted(int((degree > 2).sum()), "point", "points")
        raise EditError(f"Held edges meet at {meet}; an arc has no corner: hold them by their tip there.")
    turns, support = _settled(mesh, edges, lambda angle: radius * arc_profile(angle)[3])
    depth, along, inwards, _ = arc_profile(turns.angle)
    own = _unit(turns.across)
    other = own[np.arange(len(own)) ^ 3]
    inner = _unit(other - np.einsum("ij,ij->i", own, other)[:, None] * own)
    ends = (degree == 1) & ~topology.open_points
    here = np.where(turns.at_end, topology.corner_end[turns.half], topology.corners[turns.half])
    moves = ~ends[here]
    loop = _undone(mesh, edges, turns, radius * (along[:, None] * own + inwards[:, None] * inner))
    tip = _undone(mesh, edges, turns, radius * depth[:, None] * _unit(own + other))
    held = mask_of(turns.half, topology.n_corners)
    near, off = _on_corners(mesh, turns, support)
    edit, _ = _cut(mesh, held, near, off, _turning(topology, edges), "radius", radius)
    edit = _spaced(mesh, edit, held, near, off, GAP * radius / float(support.min()))
    # The loops between supports and edges, which are then put where the profile has them.
    kept = edit.mesh.topology.find_edges(topology.edges[edges])
    if (kept < 0).any():
        raise EditError("Other loops cross these edges; hold them by their tip.")
    beside = _turns(edit.mesh, kept)
    halves = _on_corners(edit.mesh, beside, np.full(len(beside.half), 0.5 * float(support.min())))
    all_held = mask_of(beside.half, edit.mesh.topology.n_corners)
    second, _ = _cut(edit.mesh, all_held, *halves, _turning(edit.mesh.topology, kept), "radius", radius)
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


def _undone(mesh: Mesh, edges: Integers, turns: Turns, wanted: Floats) -> Floats:
    """Offsets that are the wanted ones once smoothing along the run has drawn them in: (h, 3)."""
    offset = wanted
    for _ in range(2 * ROUNDS):
        offset = offset + wanted - _along_run(mesh.topology, edges, turns.half, turns.at_end, offset)
    return offset


def _cut(
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


def _spaced(mesh: Mesh, edit: Edit, held: Booleans, near: Floats, off: Floats, times: float) -> Edit:
    """The edit with another loop where the next one lies farther than so many supports beyond a support."""
    topology, made = mesh.topology, edit.mesh
    new = made.topology
    wanted = np.zeros((2, new.n_corners))
    distance = np.maximum(near, off)
    # The face beyond a support: it has the support's edge as a side, and comes from a face held there.
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
    reach = times * largest[source[candidates]]
    before, after = new.previous_corner[candidates], new.next_corner[candidates]
    lengths = np.linalg.norm(made.points[new.corner_end] - made.points[new.corners], axis=1)
    face = new.corner_face[candidates]
    around = np.bincount(new.corner_face, lengths, new.n_faces)
    half_width = 2.0 * face_areas(new, made.points) / np.maximum(around, 1e-300)
    deep = np.where(quad[face], np.minimum(lengths[before], lengths[after]), half_width[face])
    roomy = deep > 1.2 * reach
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
    way = _unit(points[ends[:, 1]] - points[ends[:, 0]])
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
    along = _unit(end - start)
    side = np.where(turns.at_end[:, None], 1.0, -1.0) * (
        points[topology.corner_end[rung]] - points[topology.corners[rung]]
    )
    square = side - np.einsum("ij,ij->i", side, along)[:, None] * along
    share = np.linalg.norm(square, axis=1) / np.maximum(length, 1e-300)
    to = turns.across * (share * length)[:, None]
    return to, to[np.arange(len(to)) ^ 3]


def _told(turns: Turns, near: Floats, off: Floats, radius: float | None, ended: int) -> str:
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


def _unit(vectors: Floats) -> Floats:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-300))
