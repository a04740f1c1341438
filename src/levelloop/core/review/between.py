"""Checks between parts: surfaces that go through each other, come nearer than they may, or read as one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from levelloop.core.arrays import Floats, Integers, distinct
from levelloop.core.geometry.closest import closest_places
from levelloop.core.geometry.crossings import crossed_faces
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.faces import face_centres, triangles, turns_around
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.progress import pieces
from levelloop.core.review.flush import STEP, flush_faces
from levelloop.core.words import counted

TOUCH = 1e-4  # of the size of what meets: flush faces go through each other by rounding and by how they are cut up
FEW = 500  # faces between which there is much room: places inside them are looked at too


@dataclass(frozen=True, eq=False)
class Body:
    """A part's surface as it is shown, in the world. origin: (m,) which face of the reviewed mesh each face is of."""

    name: str
    surface: Mesh
    origin: Integers


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
    low = np.array([body.surface.points.min(axis=0) for body in bodies]).reshape(-1, 3)
    high = np.array([body.surface.points.max(axis=0) for body in bodies]).reshape(-1, 3)
    size = np.linalg.norm(high - low, axis=1)
    step = STEP * np.minimum(size[:, None], size[None])
    apart = np.maximum(low[:, None] - high[None], low[None] - high[:, None]).max(axis=2)
    pairs = np.argwhere(np.triu(apart <= np.maximum(clearance or 0.0, step), 1)).tolist()
    found = [_meetings(bodies, one, other, clearance, float(step[one, other])) for one, other in pieces(pairs)]
    return [meeting for of_two in found for meeting in of_two]


# Helpers


def _meetings(bodies: list[Body], one: int, other: int, clearance: float | None, step: float) -> list[Meeting]:
    first, second = bodies[one], bodies[other]
    reach = max(clearance or 0.0, step)
    near, near_faces = _within(first.surface, second.surface, reach)
    far, far_faces = _within(second.surface, first.surface, reach)
    if near.n_faces == 0 or far.n_faces == 0:
        return []
    crossed = crossed_faces(combined([near, far]))
    if len(crossed) == 0:
        # Mirrored surfaces may meet edge on edge all along, or one lie within the other: then places tell.
        crossed = _faces_inside(near, second.surface)
    if len(crossed):
        depth = max(_depth(near, second.surface), _depth(far, first.surface))
        if depth > TOUCH * max(float(np.ptp(near.points, axis=0).max()), float(np.ptp(far.points, axis=0).max())):
            said = f"“{first.name}” goes through “{second.name}”, {depth:.3g} mm deep."
            own = crossed[crossed < near.n_faces]
            if len(own):
                return [_told("crossing", one, first, near, near_faces, own, depth, said)]
            # Where the edges of one go through large faces of the other, these are what is crossed.
            said = f"“{second.name}” goes through “{first.name}”, {depth:.3g} mm deep."
            return [_told("crossing", other, second, far, far_faces, crossed - near.n_faces, depth, said)]
    found = []
    flush, largest = flush_faces(first.surface, second.surface, step)
    if len(flush):
        said = f"“{first.name}” and “{second.name}” are flush at {counted(len(flush), 'face')}."
        found.append(_told("flush", one, first, first.surface, np.arange(first.surface.n_faces), flush, largest, said))
    if clearance is not None:
        found += _too_near(one, first, second.name, near, near_faces, far, clearance)
    return found


def _too_near(
    one: int, first: Body, name: str, near: Mesh, near_faces: Integers, far: Mesh, clearance: float
) -> list[Meeting]:
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
    return [_told("clearance", one, first, near, near_faces, faces[np.argsort(close[faces])], least, said)]


def _faces_inside(mesh: Mesh, other: Mesh) -> Integers:
    """Faces whose middle lies inside a closed surface: (f,)."""
    if other.topology.open_edges.any() or other.hole.any():
        return np.zeros(0, dtype=np.int64)
    middles = face_centres(mesh.topology, mesh.points)
    places, normals = closest_places(other, middles)
    behind = np.flatnonzero(np.einsum("ij,ij->i", middles - places, normals) < 0)
    if len(behind) == 0:
        return behind
    deepest = behind[int(np.linalg.norm(middles[behind] - places[behind], axis=1).argmax())]
    corners = other.points[triangles(other.topology, other.points, other.diagonal)[0]]
    return behind if turns_around(corners, middles[deepest]) > 0.5 else behind[:0]


def _depth(mesh: Mesh, other: Mesh) -> float:
    """How far points of a surface lie behind another one, the farthest of them: mm."""
    points = mesh.points[distinct(mesh.topology.corners)]
    if mesh.n_faces < FEW:
        # Long faces may go through with their corners outside: their middles and those of their sides count too.
        sides = mesh.points[mesh.topology.edges].mean(axis=1)
        points = np.concatenate((points, sides, face_centres(mesh.topology, mesh.points)))
    places, normals = closest_places(other, points)
    off = points - places
    far = np.linalg.norm(off, axis=1)
    # Beside an edge the normal is that of one of its faces, to which what is outside may lie at right angles.
    below = np.einsum("ij,ij->i", off, normals) < -0.5 * far
    return float(far[below].max(initial=0.0))


def _told(
    check: str, one: int, body: Body, near: Mesh, near_faces: Integers, faces: Integers, value: float, said: str
) -> Meeting:
    origin = body.origin[near_faces[faces]]
    _, first = np.unique(origin, return_index=True)
    first.sort()
    at = face_centres(near.topology, near.points)[faces[first]]
    return Meeting(check, one, origin[first], at, value, said)


def _within(mesh: Mesh, other: Mesh, reach: float) -> tuple[Mesh, Integers]:
    """The faces that reach into the box around another mesh, and which these are."""
    low, high = other.points.min(axis=0) - reach, other.points.max(axis=0) + reach
    corner = mesh.points[mesh.topology.corners]
    starts = mesh.topology.face_offsets[:-1]
    lowest, highest = np.minimum.reduceat(corner, starts), np.maximum.reduceat(corner, starts)
    inside = (lowest <= high).all(axis=1) & (highest >= low).all(axis=1) & ~mesh.hole
    return drop_faces(mesh, ~inside, keep_unattached=False)[0], np.flatnonzero(inside)
