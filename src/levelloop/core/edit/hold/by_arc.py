"""Edges held as an arc: each moved in, with a loop off the faces and a support on them on both sides.

Where three and more held edges meet, their arcs end at a ball that touches the faces around: the points between them
are moved until the surface follows it.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, inverse_of, mask_of, offsets_from_sizes
from levelloop.core.edit.hold.arc import GAP, arc_profile
from levelloop.core.edit.hold.by_loops import cut_beside, few, largest_fit, spaced
from levelloop.core.edit.hold.turns import (
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
from levelloop.core.mesh.faces import face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, mapped, through
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.samples import sampled
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.values import dataclass
from levelloop.core.words import counted

FINE = 3  # level of the samples that a corner is rounded by
ROUNDS = 6
OFF, TIGHT = 0.02, 0.4  # radii: farther off a ball, or tighter, is no corner of arcs
STEADY = 1e-5  # weight of the points' own moves: what the samples leave open stays as it is


def held_as_arc(mesh: Mesh, selection: Selection, radius: float) -> Edit:
    """Holds edges so that the surface turns along an arc of a radius, mm.

    Selected after: the loops beside. Raises EditError where there is no room, or held edges meet others.
    """
    edges, _ = held_edges(mesh, selection, "both")
    topology = mesh.topology
    degree = np.bincount(topology.edges[edges].ravel(), minlength=topology.n_points)
    balls = np.flatnonzero(degree > 2)
    mixed = balls[(degree != topology.valence)[balls] | topology.open_points[balls]]
    if len(mixed):
        points = counted(len(mixed), "point", "points")
        raise EditError(f"Held edges meet others at {points}; arcs meet where all edges are held, or by their tip.")
    turns, support = settled_supports(mesh, edges, lambda angle: radius * arc_profile(angle)[3])
    edit = _cut_twice(mesh, edges, turns, support, radius)
    made = edit.mesh
    profile = _Profile(mesh, edges, turns, radius, (degree == 1) & ~topology.open_points)
    placed = profile.placed(edit)
    told = f"Supports at {_range(support)} mm; within {few(0.005 * radius)} mm of the arc."
    off, tightest = 0.0, radius
    for corner in balls.tolist():
        placed, here, tight = _rounded(mesh, made, placed, corner, radius)
        off, tightest = max(off, here), min(tightest, tight)
    if off > OFF * radius or tightest < TIGHT * radius:
        raise EditError("Faces at a corner are too sharp for arcs to meet there; hold them by their tip.")
    if len(balls):
        corners = counted(len(balls), "corner is", "corners are")
        told += f" {corners} within {few(off)} mm of a ball, {few(tightest)} mm at the tightest."
    return replace(edit, mesh=made.with_points(placed), message=told)


# Helpers


def _cut_twice(mesh: Mesh, edges: Integers, turns: Turns, support: Floats, radius: float) -> Edit:
    """The mesh with supports, and the loops between them and the edges, which the arc will move off the faces."""
    topology = mesh.topology
    near, off = on_corners(mesh, turns, support)
    turn = turning_corners(topology, edges)
    held = mask_of(turns.half, topology.n_corners)
    cut = cut_beside(mesh, held, near, off, turn)
    if cut is None:
        raise largest_fit(
            lambda share: cut_beside(mesh, held, share * near, share * off, turn) is not None, "radius", radius
        )
    first = spaced(mesh, cut[0], held, near, off, GAP * radius / float(support.min()))
    cage = first.mesh
    kept = np.flatnonzero(mask_of(edges, topology.n_edges)[first.origin.edges] & (first.origin.edges >= 0))
    beside = turns_of(cage, kept)
    loops = on_corners(cage, beside, radius * arc_profile(beside.angle)[1])
    cut = cut_beside(cage, mask_of(beside.half, cage.topology.n_corners), *loops, turning_corners(cage.topology, kept))
    if cut is None:
        raise EditError("Between these edges and their supports there is no room for an arc; hold them by their tip.")
    second = cut[0]
    both = np.concatenate((mapped(first.selection, second.origin).indices, second.selection.indices))
    return Edit(second.mesh, Selection("edges", distinct(both)), through(first.origin, second.origin))


@dataclass(frozen=True, eq=False)
class _Profile:
    """Where an arc has its points, seen from the edge that it replaces, at both ends of each held half-edge.

    ends: (n,) points at which a run ends within the surface: they stay.
    """

    mesh: Mesh
    edges: Integers
    turns: Turns
    radius: float
    ends: Booleans

    def placed(self, edit: Edit) -> Floats:
        """The points of a cage cut along the edges, moved to the arc."""
        made, topology = edit.mesh, self.mesh.topology
        tip, loop = self._offsets()
        kept = np.flatnonzero(mask_of(self.edges, topology.n_edges)[edit.origin.edges] & (edit.origin.edges >= 0))
        found = sides_of(made, kept)
        entry = self._entries(made, edit, kept)
        here = found.point
        stays = np.zeros(made.n_points, dtype=np.bool_)
        is_old = edit.origin.points >= 0
        degree = np.bincount(topology.edges[self.edges].ravel(), minlength=topology.n_points)
        stays[is_old] = (self.ends | (degree > 2))[edit.origin.points[is_old]]
        moved = np.flatnonzero(~stays[here])
        total, count = np.zeros((made.n_points, 3)), np.zeros(made.n_points)
        for target, place in ((found.loop, loop), (here, tip)):
            np.add.at(total, target[moved], made.points[here[moved]] + place[entry[moved]])
            np.add.at(count, target[moved], 1.0)
        points = made.points.copy()
        put = np.flatnonzero(count)
        points[put] = total[put] / count[put, None]
        return points

    def _offsets(self) -> tuple[Floats, Floats]:
        """From each end of a half-edge to the arc's tip and to its loop on that side: (h, 3), (h, 3)."""
        depth, along, inwards, _ = arc_profile(self.turns.angle)
        own = directions(self.turns.across)
        other = own[np.arange(len(own)) ^ 3]
        inner = directions(other - np.einsum("ij,ij->i", own, other)[:, None] * own)
        loop = self.radius * (along[:, None] * own + inwards[:, None] * inner)
        tip = self.radius * depth[:, None] * directions(own + other)
        return undone(self.mesh, self.edges, self.turns, tip), undone(self.mesh, self.edges, self.turns, loop)

    def _entries(self, made: Mesh, edit: Edit, kept: Integers) -> Integers:
        """Which end of which old half-edge each end of a piece's half-edges goes by: the same one, or the nearer."""
        old, new = self.mesh.topology, made.topology
        number = inverse_of(self.edges, old.n_edges)[edit.origin.edges[kept]]
        halves = new.edge_pair[kept]
        entries = np.empty((len(kept), 2, 2), dtype=np.int64)
        pair = old.edge_pair[self.edges][number]
        for side in (0, 1):
            way = made.points[new.corner_end[halves[:, side]]] - made.points[new.corners[halves[:, side]]]
            start = self.mesh.points[old.corners[pair[:, 0]]]
            end = self.mesh.points[old.corner_end[pair[:, 0]]]
            half = (np.einsum("ij,ij->i", way, end - start) < 0).astype(np.int64)
            for at_end in (0, 1):
                corner = halves[:, side]
                point = made.points[new.corner_end[corner] if at_end else new.corners[corner]]
                to_start = np.linalg.norm(point - start, axis=1)
                nearer_end = (np.linalg.norm(point - end, axis=1) < to_start).astype(np.int64)
                # A half-edge's end is where the other one of its edge starts.
                entries[:, side, at_end] = 4 * number + 2 * half + (nearer_end ^ half)
        return entries.reshape(-1)


def _rounded(mesh: Mesh, made: Mesh, points: Floats, corner: int, radius: float) -> tuple[Floats, float, float]:
    """The points with those of the faces around a corner moved so that the surface is rounded there.

    Also how far it is off and the smallest radius there, mm.

    Least squares over samples of the limit surface, each along the shape's normal (Gauss–Newton).
    """
    shape = _RoundedCorner.at(mesh, corner, radius)
    rings = [np.array([corner])]
    for _ in range(4):
        rings.append(_around(made.topology, rings[-1]))
    piece, kept = _cut_out(made, points, rings[3])
    free = inverse_of(kept, made.n_points)[rings[1]]
    surface = SmoothSurface(piece, FINE)
    near = mask_of(inverse_of(kept, made.n_points)[rings[2]], piece.n_points)
    whole = np.logical_and.reduceat(near[piece.topology.corners], piece.topology.face_offsets[:-1])
    of_face = surface.topology.corners_of_faces(np.flatnonzero(whole[surface.face_origin]))
    rows = distinct(surface.topology.corners[of_face])
    weights = np.stack([_response(surface, point)[rows] for point in free.tolist()], axis=1)
    steady = np.sqrt(STEADY * len(rows)) * np.eye(3 * len(free))
    places = piece.points.copy()
    for _ in range(ROUNDS):
        off, normal = shape.off(surface.limit(surface.points(places))[rows])
        matrix = np.concatenate([weights * normal[:, axis, None] for axis in range(3)], axis=1)
        wanted = np.concatenate((-off, np.zeros(3 * len(free))))
        step = np.linalg.lstsq(np.concatenate((matrix, steady)), wanted, rcond=None)[0]
        places[free] += step.reshape(3, -1).T
    points = points.copy()
    points[rings[1]] = places[free]
    off, _ = shape.off(surface.limit(surface.points(places))[rows])
    samples = sampled(surface, places)
    tightest = np.maximum(np.abs(samples.k1), np.abs(samples.k2))[rows].max()
    return points, float(np.abs(off).max()), float(1.0 / max(tightest, 1e-300))


@dataclass(frozen=True, eq=False)
class _RoundedCorner:
    """What lies within a radius of a cone: middle its tip, normals (f, 3) of its faces, ways (f, 3) of its edges.

    side: 1 where the corner is convex, −1 where it is hollow.
    """

    middle: Floats
    normals: Floats
    ways: Floats
    radius: float
    side: float

    @staticmethod
    def at(mesh: Mesh, corner: int, radius: float) -> _RoundedCorner:
        """That of a corner of a cage. Raises EditError where its edges fold both ways."""
        topology, points = mesh.topology, mesh.points
        by_point, offsets = topology.corners_by_point
        around = by_point[offsets[corner] : offsets[corner + 1]]
        normals = face_normals(topology, points, topology.corner_face[around])
        ways = directions(points[topology.corner_end[around]] - points[corner])
        rises = ways @ normals.T
        side = -1.0 if rises.sum() > 0 else 1.0
        if (side * rises > 1e-6).any():
            raise EditError("At a corner held edges fold both ways, which no ball rounds; hold them by their tip.")
        inwards = np.linalg.lstsq(normals, np.full(len(normals), -side * radius), rcond=None)[0]
        return _RoundedCorner(points[corner] + inwards, side * normals, ways, radius, side)

    def off(self, places: Floats) -> tuple[Floats, Floats]:
        """How far places (n, 3) lie outside, and the direction outwards there: (n,), (n, 3)."""
        away = places - self.middle
        height = away @ self.normals.T
        along = np.maximum(away @ self.ways.T, 0.0)
        found = np.concatenate(
            (
                np.zeros((1, *away.shape)),
                np.moveaxis(along[:, :, None] * self.ways, 1, 0),
                np.moveaxis(away[:, None] - height[:, :, None] * self.normals, 1, 0),
            )
        )
        inside = (found @ self.normals.T).max(axis=2) < 1e-9 * self.radius
        far = np.where(inside, np.linalg.norm(away - found, axis=2), np.inf)
        nearest = far.argmin(axis=0)
        every = np.arange(len(away))
        return far[nearest, every] - self.radius, directions(away - found[nearest, every])


def _response(surface: SmoothSurface, point: int) -> Floats:
    """How much each limit point moves as a cage point moves by 1: (n',)."""
    one = np.zeros((surface.cage.n_points, 3))
    one[point] = 1.0
    return np.asarray(surface.limit(surface.points(one))[:, 0])


def _around(topology: Topology, points: Integers) -> Integers:
    """The points of the faces around some, themselves included."""
    faces = topology.faces_of_points(points)
    return distinct(topology.corners[topology.corners_of_faces(faces)])


def _cut_out(mesh: Mesh, points: Floats, around: Integers) -> tuple[Mesh, Integers]:
    """The faces at some points as a mesh of its own, and which points it has."""
    faces = mesh.topology.faces_of_points(around)
    corners = mesh.topology.corners[mesh.topology.corners_of_faces(faces)]
    kept = distinct(corners)
    offsets = offsets_from_sizes(mesh.topology.face_sizes[faces])
    topology = Topology.derived(offsets, inverse_of(kept, mesh.n_points)[corners], len(kept))
    return Mesh(topology, points[kept], scheme=mesh.scheme), kept


def _range(values: Floats) -> str:
    low, high = float(values.min()), float(values.max())
    return few(low) if high - low < 1e-3 * high else f"{few(low)} to {few(high)}"
