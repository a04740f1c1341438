"""Checks between parts: surfaces that go through each other, come nearer than they may, or read as one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from weakref import WeakKeyDictionary

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of
from levelloop.core.geometry.closest import closest_places
from levelloop.core.geometry.crossings import crossing_faces
from levelloop.core.lazy import lazy
from levelloop.core.mesh.faces import face_centres, point_normals, triangles, turns_around
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.progress import pieces
from levelloop.core.review.flush import STEP, Flats, flats_of, flush_faces
from levelloop.core.words import counted

TOUCH = 1e-4  # of the size of what meets: flush faces go through each other by rounding and by how they are cut up
AT_FIRST = 64  # points whose depth is looked at together; four times as many each time after
FEW = 500  # faces between which there is much room: places inside them are looked at too


@dataclass(frozen=True, eq=False)
class Body:
    """A part's surface as it is shown, in the world. origin: (m,) which face of the reviewed mesh each face is of."""

    name: str
    surface: Mesh
    origin: Integers

    @lazy
    def face_boxes(self) -> tuple[Floats, Floats]:
        """The lowest and the highest corner of the box around each face: (m, 3), (m, 3)."""
        topology = self.surface.topology
        corner = self.surface.points[topology.corners]
        starts = topology.face_offsets[:-1]
        return np.minimum.reduceat(corner, starts), np.maximum.reduceat(corner, starts)

    @lazy
    def box(self) -> tuple[Floats, Floats]:
        """The lowest and the highest corner of the box around all of it."""
        return self.surface.points.min(axis=0), self.surface.points.max(axis=0)

    @lazy
    def met(self) -> WeakKeyDictionary[Body, tuple[float | None, list[Meeting]]]:
        """What was found between it and others, with the clearance that was asked for; as long as these are there."""
        return WeakKeyDictionary()

    @lazy
    def flats(self) -> Flats:
        """The planes in which a good part of it lies."""
        return flats_of(self.surface)

    def within(self, low: Floats, high: Floats) -> Integers:
        """The faces that reach into a box: (f,)."""
        lowest, highest = self.face_boxes
        meets = (lowest <= high).all(axis=1) & (highest >= low).all(axis=1)
        return np.flatnonzero(meets & ~self.surface.hole)

    def only(self, faces: Integers) -> Mesh:
        """Some of its faces as a mesh."""
        return drop_faces(self.surface, ~mask_of(faces, self.surface.n_faces), keep_unattached=False)[0]


@dataclass(frozen=True, eq=False)
class Meeting:
    """Two bodies that meet: which, faces of the first's reviewed mesh, where, how deep or how near, and a sentence."""

    check: str
    first: int
    faces: Integers
    at: Floats
    value: float
    message: str


def meetings(bodies: list[Body], clearance: float | None = None) -> list[Meeting]:
    """Every two bodies whose surfaces cross, come nearer than a clearance, mm, or lie flush.

    Boxes tell which to look at.
    """
    low = np.array([body.box[0] for body in bodies]).reshape(-1, 3)
    high = np.array([body.box[1] for body in bodies]).reshape(-1, 3)
    size = np.linalg.norm(high - low, axis=1)
    step = STEP * np.minimum(size[:, None], size[None])
    apart = np.maximum(low[:, None] - high[None], low[None] - high[:, None]).max(axis=2)
    pairs = np.argwhere(np.triu(apart <= np.maximum(clearance or 0.0, step), 1)).tolist()
    found = []
    for one, other in pieces(pairs):
        first, second = bodies[one], bodies[other]
        known = first.met.get(second)
        if known is None or known[0] != clearance:
            known = clearance, _meetings((first, second), clearance, float(step[one, other]))
            first.met[second] = known
        found += [replace(meeting, first=(one, other)[meeting.first]) for meeting in known[1]]
    return found


# Helpers


def _meetings(bodies: tuple[Body, Body], clearance: float | None, step: float) -> list[Meeting]:
    """What is found between two; the first of a meeting is 0 or 1."""
    first, second = bodies
    near_faces, far_faces = _near(first, second, max(clearance or 0.0, step))
    if len(near_faces) == 0 or len(far_faces) == 0:
        return []
    near, far = first.only(near_faces), second.only(far_faces)
    own, its = crossing_faces(near, far)
    if len(own) == 0 and len(its) == 0:
        # Mirrored surfaces may meet edge on edge all along, or one lie within the other: then places tell.
        own = _faces_inside(near, far, second)
    if len(own) or len(its):
        least = TOUCH * max(float(np.ptp(near.points, axis=0).max()), float(np.ptp(far.points, axis=0).max()))
        depth = max(_depth(near, far, second, least), _depth(far, near, first, least))
        if depth > least:
            if len(own):
                said = f"“{first.name}” goes through “{second.name}”, {depth:.3g} mm deep."
                return [_told("crossing", 0, first, near, near_faces, own, depth, said)]
            said = f"“{second.name}” goes through “{first.name}”, {depth:.3g} mm deep."
            return [_told("crossing", 1, second, far, far_faces, its, depth, said)]
    found = []
    flush, largest = flush_faces(first.surface, first.flats, second.surface, second.flats, step)
    if len(flush):
        said = f"“{first.name}” and “{second.name}” are flush at {counted(len(flush), 'face')}."
        found.append(_told("flush", 0, first, first.surface, np.arange(first.surface.n_faces), flush, largest, said))
    if clearance is not None:
        found += _too_near(first, second.name, near, near_faces, far, clearance)
    return found


def _near(first: Body, second: Body, reach: float) -> tuple[Integers, Integers]:
    """The faces of each that reach into the box around those of the other that do so in turn."""
    low, high = second.box
    mine = first.within(low - reach, high + reach)
    its = mine
    for _ in range(2):
        if len(mine) == 0:
            return mine, its
        low, high = (edge[mine] for edge in first.face_boxes)
        its = second.within(low.min(axis=0) - reach, high.max(axis=0) + reach)
        if len(its) == 0:
            return mine, its
        low, high = (edge[its] for edge in second.face_boxes)
        mine = first.within(low.min(axis=0) - reach, high.max(axis=0) + reach)
    return mine, its


def _too_near(first: Body, name: str, near: Mesh, near_faces: Integers, far: Mesh, clearance: float) -> list[Meeting]:
    used = distinct(near.topology.corners)
    places, _ = closest_places(far, near.points[used])
    apart = np.full(near.n_points, np.inf)
    apart[used] = np.linalg.norm(near.points[used] - places, axis=1)
    close = np.minimum.reduceat(apart[near.topology.corners], near.topology.face_offsets[:-1])
    faces = np.flatnonzero(close < clearance)
    if len(faces) == 0:
        return []
    least = float(close.min())
    said = f"“{first.name}” and “{name}” are {least:.3g} mm apart at {counted(len(faces), 'face')}."
    return [_told("clearance", 0, first, near, near_faces, faces[np.argsort(close[faces])], least, said)]


def _faces_inside(mesh: Mesh, there: Mesh, body: Body) -> Integers:
    """Faces whose middle lies inside a closed body, of which some faces are there: (f,)."""
    other = body.surface
    if other.topology.open_edges.any() or other.hole.any():
        return np.zeros(0, dtype=np.int64)
    middles = face_centres(mesh.topology, mesh.points)
    behind = np.flatnonzero(_perhaps_behind(there, middles)[0])
    least = TOUCH * float(np.ptp(mesh.points, axis=0).max())
    deepest, _ = _deepest(body, there, middles[behind], least)
    if deepest < 0:
        return behind[:0]
    corners = other.points[triangles(other.topology, other.points, other.diagonal)[0]]
    return behind if turns_around(corners, middles[behind[deepest]]) > 0.5 else behind[:0]


def _depth(mesh: Mesh, there: Mesh, body: Body, least: float) -> float:
    """How far points of a surface lie behind another one, the farthest of them: mm, or anything up to least."""
    points = mesh.points[distinct(mesh.topology.corners)]
    if mesh.n_faces < FEW:
        # Long faces may go through with their corners outside: their middles and those of their sides count too.
        sides = mesh.points[mesh.topology.edges].mean(axis=1)
        points = np.concatenate((points, sides, face_centres(mesh.topology, mesh.points)))
    return _deepest(body, there, points, least)[1]


def _deepest(body: Body, there: Mesh, points: Floats, least: float) -> tuple[int, float]:
    """Which of the points lies farthest behind a body, −1 where none does by more than the least, and how far: mm.

    there: those of the body's faces that are near. No place is farther from a surface than from its nearest corner:
    those that may lie deepest are looked at first, and no more of them than it takes.
    """
    behind, most = _perhaps_behind(there, points)
    order = np.flatnonzero(behind)
    order = order[np.argsort(-most[order], kind="stable")]
    deepest, depth, done, many = -1, least, 0, AT_FIRST
    while done < len(order) and most[order[done]] > depth:
        some = order[done : done + many]
        places, normals = closest_places(_around(body, points[some], float(most[some].max())), points[some])
        off = points[some] - places
        far = np.linalg.norm(off, axis=1)
        # Beside an edge the normal is that of one of its faces, to which what is outside may lie at right angles.
        far[np.einsum("ij,ij->i", off, normals) >= -0.5 * far] = 0.0
        if far.max() > depth:
            deepest, depth = int(some[far.argmax()]), float(far.max())
        done, many = done + many, 4 * many
    return deepest, depth


def _perhaps_behind(there: Mesh, points: Floats) -> tuple[Booleans, Floats]:
    """Points that are not plainly before the nearest corner of a mesh, and how far that is: (n,), (n,) mm."""
    from scipy.spatial import cKDTree

    far, corner = cKDTree(there.points, balanced_tree=False, compact_nodes=False).query(points)
    normals = point_normals(there.topology, there.points)
    return np.einsum("ij,ij->i", points - there.points[corner], normals[corner]) < 0.5 * far, far


def _around(body: Body, places: Floats, reach: float) -> Mesh:
    """The faces of a body that are so near to some places that others cannot be nearer."""
    return body.only(body.within(places.min(axis=0) - reach, places.max(axis=0) + reach))


def _told(
    check: str, one: int, body: Body, near: Mesh, near_faces: Integers, faces: Integers, value: float, said: str
) -> Meeting:
    origin = body.origin[near_faces[faces]]
    _, first = np.unique(origin, return_index=True)
    first.sort()
    at = face_centres(near.topology, near.points)[faces[first]]
    return Meeting(check, one, origin[first], at, value, said)
