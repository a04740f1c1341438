"""Lines beside edges: every face cut parallel to some of its sides, in quads throughout.

A line runs in a quad beside one of its sides and cuts the two sides next to it, near that side. Where it leaves the
quad it goes on through the next one, as a loop does, until it comes back, or ends at a boundary or at a face that is no
quad, which gets a point more. At a *turn* two lines of one face meet and end instead, and an edge from the corner leads
to where they do: the way an inset turns.
"""

from __future__ import annotations

from functools import cache
from itertools import pairwise

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct
from levelloop.core.errors import EditError
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import edge_lengths
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import select_mask
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass

ROOM = 0.98  # of an edge's length that its cuts may take


@dataclass(frozen=True, eq=False)
class Lines:
    """Where faces are to be cut.

    cut: (2e,) for each end of each edge how far from it the edge is cut, mm, 0 for not; entry 2·edge is near its first
    point. beside: (k,) half-edges with a line in their face; turn: (k,) corners where two lines meet and end; near,
    off: (k,) how far the line beside a half-edge is from it at its start and at its end, square to it, mm.
    """

    cut: Floats
    beside: Booleans
    turn: Booleans
    near: Floats
    off: Floats


def laid_out(mesh: Mesh, held: Booleans, near: Floats, off: Floats, turn: Booleans) -> Lines:
    """The lines beside some half-edges, and what they go on as.

    held: (k,) half-edges to have a line in their face; near, off: (k,) how far it is from them at start and end, square
    to them, mm; turn: (k,) corners where the lines of both sides may meet and end. Raises EditError where a face with
    other than four sides is held on some of its sides only.
    """
    topology = mesh.topology
    before = topology.previous_corner
    turn = turn & held & held[before]
    whole = np.logical_and.reduceat(held, topology.face_offsets[:-1])
    odd = held & ((topology.face_sizes != 4) & ~whole)[topology.corner_face]
    if odd.any():
        count = len(distinct(topology.corner_face[odd]))
        raise EditError(
            f"Beside these edges {count} {'face has' if count == 1 else 'faces have'} other than four sides; "
            "to quads, or an inset, comes first."
        )
    while True:
        lines = _laid_out(mesh, held, near, off, turn)
        # Where a line from elsewhere comes through a turn both lines go on instead.
        through = turn & ((lines.cut[_end_slot(topology, before)] > 0) | (lines.cut[topology.corner_slot] > 0))
        if not through.any():
            return lines
        turn = turn & ~through


def room(mesh: Mesh, lines: Lines) -> float:
    """By how much all distances could grow until two cuts of one edge meet: below 1 they do not fit."""
    topology = mesh.topology
    taken = lines.cut.reshape(-1, 2).copy()
    turning = np.flatnonzero(lines.turn)
    # An inset shortens a side by the cotangent of half the corner's angle.
    angle = np.arctan2(_sines(mesh)[turning], _cosines(mesh)[turning])
    shorter = np.maximum(lines.near[turning], lines.off[topology.previous_corner[turning]]) / np.tan(angle / 2.0)
    ends = taken.reshape(-1)
    for at in (_start_slot(topology, turning), _end_slot(topology, topology.previous_corner[turning])):
        np.maximum.at(ends, at, shorter)
    used = taken.sum(axis=1)
    lengths = edge_lengths(topology, mesh.points)
    some = used > 0
    return float((ROOM * lengths[some] / used[some]).min(initial=np.inf))


def divided(mesh: Mesh, lines: Lines) -> tuple[Edit, int]:
    """The mesh cut along the lines; how many faces with other than four sides a line ended at.

    Selected after: the lines beside what was held and what they went on as.
    """
    topology = mesh.topology
    builder = MeshBuilder(mesh)
    slots = np.flatnonzero(lines.cut > 0)
    edge, far = slots // 2, slots % 2
    ends = topology.edges[edge]
    here, there = mesh.points[ends[np.arange(len(ends)), far]], mesh.points[ends[np.arange(len(ends)), 1 - far]]
    along = there - here
    length = np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
    at_slot = np.full(2 * topology.n_edges, -1, dtype=np.int64)
    at_slot[slots] = builder.points(here + along * (lines.cut[slots][:, None] / length), on_edge=edge)
    both = np.flatnonzero(lines.beside & lines.beside[topology.previous_corner])
    at_inner = np.full(topology.n_corners, -1, dtype=np.int64)
    at_inner[both] = builder.points(_inner_places(mesh, lines, both), in_faces=True)
    touched = np.zeros(topology.n_faces, dtype=np.bool_)
    touched[topology.corner_face[lines.beside]] = True
    cut_edge = np.asarray((lines.cut.reshape(-1, 2) > 0).any(axis=1))
    touched[topology.corner_face[cut_edge[topology.corner_edge]]] = True
    quads = np.flatnonzero(touched & (topology.face_sizes == 4))
    _put_quads(builder, topology, lines, quads, at_slot, at_inner)
    ended = 0
    for face in np.flatnonzero(touched & (topology.face_sizes != 4)).tolist():
        ended += _put_other(builder, topology, lines, face, at_slot, at_inner)
    new_mesh, origin = builder.build()
    # New edges but for those along the old ones.
    is_line = (new_mesh.topology.edges >= mesh.n_points).all(axis=1) & (origin.edges < 0)
    return Edit(new_mesh, select_mask("edges", is_line), origin), ended


# Helpers


def _laid_out(mesh: Mesh, held: Booleans, near: Floats, off: Floats, turn: Booleans) -> Lines:
    topology = mesh.topology
    following, before = topology.next_corner, topology.previous_corner
    sine = _sines(mesh)
    cut = np.full(2 * topology.n_edges, np.inf)
    start = np.flatnonzero(held & ~turn)
    np.minimum.at(cut, _end_slot(topology, before[start]), near[start] / sine[start])
    end = np.flatnonzero(held & ~turn[following])
    np.minimum.at(cut, _start_slot(topology, following[end]), off[end] / sine[following[end]])
    cut[np.isinf(cut)] = 0.0
    _go_on(topology, cut, turn)
    quads = topology.face_sizes[topology.corner_face] == 4
    meets = (cut[_end_slot(topology, before)] > 0) & ~turn | (cut[_start_slot(topology, following)] > 0) & ~turn[
        following
    ]
    beside = held | (quads & meets)
    return Lines(cut, beside, turn, near, off)


def _start_slot(topology: Topology, corners: Integers) -> Integers:
    """The end of a half-edge's edge at which the half-edge starts."""
    return np.asarray(topology.corner_slot[corners])


def _end_slot(topology: Topology, corners: Integers) -> Integers:
    """The end of a half-edge's edge to which the half-edge leads."""
    return np.asarray(topology.corner_slot[corners] ^ 1)


def _sines(mesh: Mesh) -> Floats:
    """The sine of the angle at each corner, kept from vanishing: (k,)."""
    first, second = _sides(mesh)
    return np.asarray(np.maximum(np.linalg.norm(np.cross(first, second), axis=1), 0.1))


def _cosines(mesh: Mesh) -> Floats:
    first, second = _sides(mesh)
    return np.asarray(np.einsum("ij,ij->i", first, second))


def _sides(mesh: Mesh) -> tuple[Floats, Floats]:
    """Unit directions from each corner along its two sides, onwards and back: (k, 3)."""
    topology, points = mesh.topology, mesh.points
    here = points[topology.corners]
    onwards = points[topology.corner_end] - here
    back = points[topology.corners[topology.previous_corner]] - here
    for side in (onwards, back):
        side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-300)
    return onwards, back


def _go_on(topology: Topology, cut: Floats, turn: Booleans) -> None:
    """Cuts what the lines go on through, from quad to quad, at the distance at which they came."""
    following, before = topology.next_corner, topology.previous_corner
    pair = topology.edge_pair
    new = np.flatnonzero(cut > 0)
    while len(new):
        reached, distance = [], []
        for side in (0, 1):
            half = pair[new // 2, side]
            fits = half >= 0
            half, slot = half[fits], new[fits]
            is_quad = topology.face_sizes[topology.corner_face[half]] == 4
            half, slot = half[is_quad], slot[is_quad]
            at_start = topology.corner_slot[half] == slot
            # Near a side's start it is the line beside the side before that ends there, else the one after it.
            line = np.where(at_start, before[half], following[half])
            corner = np.where(at_start, line, following[line])
            other = np.where(at_start, topology.corner_slot[before[line]] ^ 1, topology.corner_slot[following[line]])
            open_ended = ~turn[corner] & (cut[other] == 0)
            reached.append(other[open_ended])
            distance.append(cut[slot[open_ended]])
        slots, distances = np.concatenate(reached), np.concatenate(distance)
        new = distinct(slots)
        nearest = np.full(len(cut), np.inf)
        np.minimum.at(nearest, slots, distances)
        cut[new] = nearest[new]


def _inner_places(mesh: Mesh, lines: Lines, corners: Integers) -> Floats:
    """Where the lines beside both sides of corners cross."""
    topology, points = mesh.topology, mesh.points
    onwards, back = (side[corners] for side in _sides(mesh))
    before, following = topology.previous_corner, topology.next_corner
    here = points[topology.corners[corners]]
    sine = _sines(mesh)[corners][:, None]
    near, off = lines.near[corners], lines.off[before[corners]]
    turned = lines.turn[corners]
    offset = here + (near[:, None] * back + off[:, None] * onwards) / sine
    # Elsewhere between the cuts of the four sides, in the face's own coordinates.
    right, across, left = following[corners], following[following[corners]], before[corners]
    quad = topology.face_sizes[topology.corner_face[corners]] == 4
    p = [points[topology.corners[corner]] for corner in (corners, right, across, left)]
    length = [np.maximum(np.linalg.norm(b - a, axis=1), 1e-300) for a, b in zip(p, [*p[1:], p[0]], strict=True)]
    cut = lines.cut
    slot = topology.corner_slot
    virtual_v, virtual_u = near / sine[:, 0], off / sine[:, 0]
    v0 = np.where(turned, virtual_v, cut[slot[left] ^ 1]) / length[3]
    v1 = cut[slot[right]] / length[1]
    u0 = np.where(turned, virtual_u, cut[slot[corners]]) / length[0]
    u1 = cut[slot[across] ^ 1] / length[2]
    v1, u1 = np.where(v1 > 0, v1, v0), np.where(u1 > 0, u1, u0)
    u = (u0 + (u1 - u0) * v0) / (1.0 - (u1 - u0) * (v1 - v0))
    v = v0 + (v1 - v0) * u
    u, v = u[:, None], v[:, None]
    crossing = (1 - v) * ((1 - u) * p[0] + u * p[1]) + v * ((1 - u) * p[3] + u * p[2])
    return np.where((turned | ~quad)[:, None], offset, crossing)


def _put_quads(
    builder: MeshBuilder, topology: Topology, lines: Lines, quads: Integers, at_slot: Integers, at_inner: Integers
) -> None:
    corner = topology.face_offsets[:-1][quads][:, None] + np.arange(4)
    beside, turn = lines.beside[corner], lines.turn[corner]
    code = (beside * (1 << np.arange(4))).sum(axis=1) + (turn * (16 << np.arange(4))).sum(axis=1)
    named = np.empty((len(quads), 16), dtype=np.int64)
    named[:, :4] = topology.corners[corner]
    named[:, 4:12:2] = at_slot[topology.corner_slot[corner]]
    named[:, 5:12:2] = at_slot[topology.corner_slot[corner] ^ 1]
    named[:, 12:] = at_inner[corner]
    for one in distinct(code).tolist():
        of_kind = np.flatnonzero(code == one)
        cells = np.array(_cells(int(one)))
        faces = named[of_kind][:, cells].reshape(-1, 4)
        builder.split(faces, np.repeat(quads[of_kind], len(cells)))


@cache
def _cells(code: int) -> tuple[tuple[int, int, int, int], ...]:
    """The quads that one is cut into; code: four bits for lines beside its sides, four for turns at its corners.

    Names: 0–3 the corners, 4 + 2i and 5 + 2i the cuts of side i near its start and its end, 12 + i where the lines
    beside the sides at corner i cross.
    """
    line = [bool(code >> i & 1) for i in range(4)]
    turn = [bool(code >> (4 + i) & 1) for i in range(4)]

    def rim(side: int, at_end: bool) -> int:
        corner = (side + at_end) % 4
        return corner if turn[corner] else 4 + 2 * side + at_end

    bottom = [0, *([rim(0, False)] if line[3] else []), *([rim(0, True)] if line[1] else []), 1]
    top = [3, *([rim(2, True)] if line[3] else []), *([rim(2, False)] if line[1] else []), 2]
    rows = [bottom]
    if line[0]:
        rows.append([rim(3, True), *([12] if line[3] else []), *([13] if line[1] else []), rim(1, False)])
    if line[2]:
        rows.append([rim(3, False), *([15] if line[3] else []), *([14] if line[1] else []), rim(1, True)])
    rows.append(top)
    cells = []
    for low, high in pairwise(rows):
        for i in range(len(low) - 1):
            cell = (low[i], low[i + 1], high[i + 1], high[i])
            if len(set(cell)) == 4:
                cells.append(cell)
    return tuple(cells)


def _put_other(
    builder: MeshBuilder, topology: Topology, lines: Lines, face: int, at_slot: Integers, at_inner: Integers
) -> bool:
    """A face with other than four sides: cut on all sides where all are held, else with a point more; whether so."""
    corner = np.arange(topology.face_offsets[face], topology.face_offsets[face + 1])
    ring = topology.corners[corner]
    if lines.beside[corner].all():
        inner, turn = at_inner[corner], lines.turn[corner]
        # At a turn the strips of both sides meet at the corner; elsewhere there is a face of its own between them.
        start = np.where(turn, ring, at_slot[topology.corner_slot[corner]])
        end = np.where(np.roll(turn, -1), np.roll(ring, -1), at_slot[topology.corner_slot[corner] ^ 1])
        strips = np.stack((start, end, np.roll(inner, -1), inner), axis=1)
        cells = np.stack((ring, start, inner, np.roll(end, 1)), axis=1)[~turn]
        builder.replace(np.array([len(inner)]), inner, np.array([face]))
        builder.faces(np.concatenate((strips, cells)), np.full(len(strips) + len(cells), face))
        return False
    out: list[int] = []
    for half, point in zip(corner.tolist(), ring.tolist(), strict=True):
        slot = int(topology.corner_slot[half])
        out += [point, *(int(at_slot[one]) for one in (slot, slot ^ 1) if lines.cut[one] > 0)]
    builder.replace(np.array([len(out)]), np.array(out), np.array([face]))
    return True
