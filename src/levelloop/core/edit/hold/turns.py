"""Turns: how a smooth surface meets edges between the loops beside them, as smoothing along the edges leaves these."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, mask_of
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass
from levelloop.core.words import counted

Sides = Literal["both", "left", "right"]
ROUNDS = 12  # in which distances settle: each leaves less than a third of what was missing
LEAST_FOLD = 1.0  # degrees; less turns too little to have a radius worth holding


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


def held_edges(mesh: Mesh, selection: Selection, sides: Sides) -> tuple[Integers, Booleans]:
    """The edges, and their half-edges on the wanted sides: (k,).

    Raises EditError for anything but inner edges of two faces that agree, or an unknown side.
    """
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


def turns_of(mesh: Mesh, edges: Integers, distance: Floats | float = 1.0) -> Turns:
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
    cosine = np.einsum("ij,ij->i", directions(square), directions(square[other]))
    angle = np.arccos(np.clip(cosine, -1.0, 1.0))
    folds = np.degrees(np.pi - angle).reshape(-1, 4).max(axis=1)
    flat = int((folds < LEAST_FOLD).sum())
    if flat:
        raise EditError(f"{counted(flat, 'edge lies', 'edges lie')} on a flat: there is nothing to hold.")
    # A nearly flat end of an edge that folds at its other end goes by that.
    widest = angle.reshape(-1, 4).min(axis=1).repeat(4)
    angle = np.where(np.degrees(np.pi - angle) < LEAST_FOLD, widest, angle)
    return Turns(half, at_end, square, np.maximum(angle, np.radians(5.0)))


def sides_of(mesh: Mesh, edges: Integers) -> BothSides:
    """The loops beside edges. Raises EditError where an edge lies on a flat."""
    topology, points = mesh.topology, mesh.points
    turns = turns_of(mesh, edges)
    following, before = topology.next_corner[turns.half], topology.previous_corner[turns.half]
    point = np.where(turns.at_end, topology.corners[following], topology.corners[turns.half])
    loop = np.where(turns.at_end, topology.corner_end[following], topology.corners[before])
    along = directions(points[topology.corner_end[turns.half]] - points[topology.corners[turns.half]])
    side = points[loop] - points[point]
    square = np.linalg.norm(side - np.einsum("ij,ij->i", side, along)[:, None] * along, axis=1)
    lengths = np.linalg.norm(points[topology.edges[:, 1]] - points[topology.edges[:, 0]], axis=1)
    quad = topology.face_sizes[topology.corner_face[turns.half]] == 4
    opposite = topology.next_corner[following]
    support = np.where(quad, topology.corner_edge[opposite], -1)
    beyond = np.where(quad, topology.twin[opposite], -1)
    sides = (topology.next_corner[np.maximum(beyond, 0)], topology.previous_corner[np.maximum(beyond, 0)])
    behind = np.where(beyond >= 0, np.minimum(*(lengths[topology.corner_edge[side]] for side in sides)), 0.0)
    reach = np.linalg.norm(turns_of(mesh, edges, square).across, axis=1)
    way = side / np.maximum(square, 1e-300)[:, None]
    return BothSides(point, loop, way, square, reach, behind, support)


def slid(mesh: Mesh, sides: BothSides, wanted: Floats, chosen: Booleans) -> Floats:
    """The points of a mesh with the loops beside edges slid to distances square to them.

    wanted: (h,) mm, chosen: (h,) which of them, in the order of sides. Returns (n, 3).
    """
    places = (mesh.points[sides.point] + sides.way * wanted[:, None])[chosen]
    loop = sides.loop[chosen]
    count = np.bincount(loop, minlength=mesh.n_points)
    total = np.stack([np.bincount(loop, places[:, axis], mesh.n_points) for axis in range(3)], axis=1)
    points = mesh.points.copy()
    moved = np.flatnonzero(count)
    points[moved] = total[moved] / count[moved, None]
    return points


def settled_supports(mesh: Mesh, edges: Integers, wanted: Callable[[Floats], Floats]) -> tuple[Turns, Floats]:
    """The supports of half-edges at both their ends, and how far they lie on the faces, square to the edge: (h,) mm.

    wanted: from inner angles to how far the supports are once smoothing along the run has drawn them in. What it leaves
    of one depends on those beside it, so a few rounds are taken.
    """
    turns = turns_of(mesh, edges)
    values = wanted(turns.angle)
    for _ in range(ROUNDS):
        turns = turns_of(mesh, edges, values)
        left = np.maximum(np.linalg.norm(turns.across, axis=1), 1e-3 * values)
        values = values * wanted(turns.angle) / left
    return turns_of(mesh, edges, values), values


def undone(mesh: Mesh, edges: Integers, turns: Turns, wanted: Floats) -> Floats:
    """Offsets that are the wanted ones once smoothing along the run has drawn them in: (h, 3)."""
    offset = wanted
    for _ in range(2 * ROUNDS):
        offset = offset + wanted - _along_run(mesh.topology, edges, turns.half, turns.at_end, offset)
    return offset


def turning_corners(topology: Topology, edges: Integers) -> Booleans:
    """Corners at which a run of held edges turns within a face: there are no more than these two at the point: (k,)."""
    held = mask_of(edges, topology.n_edges)
    at_point = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    both = held[topology.corner_edge] & held[topology.corner_edge[topology.previous_corner]]
    return np.asarray(both & (at_point[topology.corners] == 2))


def on_corners(mesh: Mesh, turns: Turns, values: Floats) -> tuple[Floats, Floats]:
    """Distances of half-edges' starts and ends, by corner: (k,), (k,)."""
    near, off = np.zeros((2, mesh.topology.n_corners))
    near[turns.half[~turns.at_end]] = values[~turns.at_end]
    off[turns.half[turns.at_end]] = values[turns.at_end]
    return near, off


def directions(vectors: Floats) -> Floats:
    """Vectors (n, 3) of length 1; those without length stay."""
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-300))


# Helpers


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
    return directions(points[there] - beyond)


def _across(mesh: Mesh, half: Integers, at_end: Booleans, edges: Integers) -> Floats:
    """From each end of half-edges into their face, along the next side, for 1 mm square to the edge: (h, 3)."""
    topology, points = mesh.topology, mesh.points
    held = mask_of(edges, topology.n_edges)
    following, before = topology.next_corner[half], topology.previous_corner[half]
    here = np.where(at_end, topology.corners[following], topology.corners[half])
    there = np.where(at_end, topology.corner_end[following], topology.corners[before])
    along = directions(
        np.where(at_end, -1.0, 1.0)[:, None] * (points[topology.corner_end[half]] - points[topology.corners[half]])
    )
    side = directions(points[there] - points[here])
    # Where the run turns within this face its lines meet on the way between its two edges.
    at_point = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    next_side = topology.corner_edge[np.where(at_end, following, before)]
    turns = held[next_side] & (at_point[here] == 2)
    side = np.where(turns[:, None], directions(side + along), side)
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
