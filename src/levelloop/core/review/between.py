"""Checks between parts: smooth surfaces that go through each other, or come nearer than they may."""

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
from levelloop.core.words import counted

TOUCH = 1e-4  # of the size of what meets: flush faces go through each other by rounding and by how they are cut up


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
    """Every two bodies whose surfaces cross, or come nearer than a clearance, mm; boxes tell which to look at."""
    low = np.array([body.surface.points.min(axis=0) for body in bodies]).reshape(-1, 3)
    high = np.array([body.surface.points.max(axis=0) for body in bodies]).reshape(-1, 3)
    reach = clearance or 0.0
    touch = ((low[:, None] <= high[None] + reach) & (high[:, None] + reach >= low[None])).all(axis=2)
    pairs = np.argwhere(np.triu(touch, 1)).tolist()
    found = [_meeting(bodies, one, other, clearance) for one, other in pieces(pairs)]
    return [meeting for meeting in found if meeting is not None]


# Helpers


def _meeting(bodies: list[Body], one: int, other: int, clearance: float | None) -> Meeting | None:
    first, second = bodies[one], bodies[other]
    reach = clearance or 0.0
    near, near_faces = _within(first.surface, second.surface, reach)
    far, far_faces = _within(second.surface, first.surface, reach)
    if near.n_faces == 0 or far.n_faces == 0:
        return None
    crossed = crossed_faces(combined([near, far]))
    if len(crossed) == 0:
        # Mirrored surfaces may meet edge on edge all along, or one lie within the other: then places tell.
        crossed = _faces_inside(near, second.surface)
    if len(crossed):
        depth = max(
            _depth(near, np.arange(near.n_faces), second.surface), _depth(far, np.arange(far.n_faces), first.surface)
        )
        if depth <= TOUCH * max(float(np.ptp(near.points, axis=0).max()), float(np.ptp(far.points, axis=0).max())):
            return None
        own = crossed[crossed < near.n_faces]
        if len(own) == 0:
            # Where the edges of one go through large faces of the other, these are what is crossed.
            own = crossed - near.n_faces
            one, first, second, near, near_faces = other, second, first, far, far_faces
        said = f"“{first.name}” goes through “{second.name}”, {depth:.3g} mm deep."
        return _told("crossing", one, first, near, near_faces, own, depth, said)
    if clearance is None:
        return None
    used = distinct(near.topology.corners)
    places, _ = closest_places(far, near.points[used])
    apart = np.full(near.n_points, np.inf)
    apart[used] = np.linalg.norm(near.points[used] - places, axis=1)
    close = np.minimum.reduceat(apart[near.topology.corners], near.topology.face_offsets[:-1])
    faces = np.flatnonzero(close < clearance)
    if len(faces) == 0:
        return None
    least = float(close.min())
    said = f"“{first.name}” and “{second.name}” are {least:.3g} mm apart at {counted(len(faces), 'face')}."
    return _told("clearance", one, first, near, near_faces, faces[np.argsort(close[faces])], least, said)


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


def _depth(mesh: Mesh, faces: Integers, other: Mesh) -> float:
    """How far points of faces lie behind another surface, the farthest of them: mm."""
    topology = mesh.topology
    corners = topology.corners_of_faces(faces)
    # Long faces may go through with their corners outside: their middles and those of their sides count too.
    sides = mesh.points[topology.edges[distinct(topology.corner_edge[corners])]].mean(axis=1)
    own = mesh.points[distinct(topology.corners[corners])]
    points = np.concatenate((own, sides, face_centres(topology, mesh.points)[faces]))
    places, normals = closest_places(other, points)
    off = points - places
    below = np.einsum("ij,ij->i", off, normals) < 0
    return float(np.linalg.norm(off, axis=1)[below].max(initial=0.0))


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
