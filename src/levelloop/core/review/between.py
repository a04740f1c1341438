"""Checks between parts: surfaces that go through each other, come nearer than they may, or read as one."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from levelloop.core.arrays import Floats, Integers, box_of, distinct, group_order, mask_of, offsets_from_sizes, ranges
from levelloop.core.geometry.boxes import BoxTree
from levelloop.core.geometry.closest import Triangles
from levelloop.core.geometry.crossings import crossing_triangles
from levelloop.core.lazy import lazy
from levelloop.core.mesh.faces import over_corners, point_normals, triangles_of, turns_around, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.progress import check, in_two, pieces
from levelloop.core.review.flush import STEP, Flats, flats_of, flush_faces
from levelloop.core.tolerance import last_place
from levelloop.core.values import dataclass
from levelloop.core.words import counted

TOUCH = 1e-4  # of the size of what meets: flush faces go through each other by rounding and by how they are cut up
LONG = 0.1  # of the room that two bodies share: places inside such faces are looked at too, unless there are many
FEW = 500
WORTH_THREADS = 100_000  # points of bodies


@dataclass(frozen=True, eq=False)
class Body:
    """A part's surface as it is shown, in the world, with what finds places on it; worked out once for all it meets.

    origin: (m,) which face of the reviewed mesh each face is of.
    """

    name: str
    surface: Mesh
    origin: Integers

    @lazy
    def box(self) -> tuple[Floats, Floats]:
        """The lowest and the highest corner of the box around all of it."""
        return box_of(self.surface.points)

    @lazy
    def _solid(self) -> Integers:
        return np.flatnonzero(~self.surface.hole)

    def piece(self, faces: Integers) -> tuple[Integers, Triangles]:
        """Some of its faces as triangles, to be searched, and the face of each: (t,)."""
        corners, face = triangles_of(self.surface.topology, self.surface.points, faces, self.surface.diagonal)
        # With points of its own: those of all the surface are many more.
        return face, Triangles(self.surface.points[corners].reshape(-1, 3), np.arange(corners.size).reshape(-1, 3))

    @lazy
    def flats(self) -> Flats:
        """The planes in which a good part of it lies."""
        return flats_of(self.surface)

    @lazy
    def _limits(self) -> tuple[list[Floats], ...]:
        """The lowest and the highest of each face along each axis."""
        topology = self.surface.topology
        rows = np.ascontiguousarray(self.surface.points.T)
        return tuple([over_corners(least, topology, row) for row in rows] for least in (np.minimum, np.maximum))

    @lazy
    def _corners(self) -> tuple[Any, Integers, Floats]:
        """The points of its faces as a tree, which they are, and the normal at each point."""
        from scipy.spatial import cKDTree

        topology = self.surface.topology
        used = np.flatnonzero(mask_of(topology.corners[topology.corners_of_faces(self._solid)], topology.n_points))
        tree = cKDTree(self.surface.points[used], balanced_tree=False, compact_nodes=False)
        return tree, used, point_normals(topology, self.surface.points)

    @property
    def is_ready(self) -> bool:
        """Whether what it is searched by is there."""
        return "_corners" in self.__dict__

    def ready(self) -> None:
        """Works out what it is searched by."""
        check()
        _ = self._limits, self._corners

    @lazy
    def met(self) -> WeakKeyDictionary[Body, tuple[float | None, list[Meeting]]]:
        """What was found between it and others, with the clearance that was asked for; as long as these are there."""
        return WeakKeyDictionary()

    def within(self, low: Floats, high: Floats) -> Integers:
        """The faces that reach into a box: (f,)."""
        faces = self._solid
        for axis, (lowest, highest) in enumerate(zip(*self._limits, strict=True)):
            # Axis by axis: what is apart along one is not looked at along the next.
            faces = faces[(lowest[faces] <= high[axis]) & (highest[faces] >= low[axis])]
        return faces

    def box_of(self, faces: Integers) -> tuple[Floats, Floats]:
        """The lowest and the highest corner of the box around some of its faces."""
        lowest, highest = self._limits
        return np.array([row[faces].min() for row in lowest]), np.array([row[faces].max() for row in highest])

    def boxes(self, faces: Integers) -> tuple[Floats, Floats]:
        """The lowest and the highest corner of the box around each of some faces: (f, 3), (f, 3)."""
        lowest, highest = (np.stack([row[faces] for row in rows], axis=1) for rows in self._limits)
        return lowest, highest

    def along(self, direction: Floats, faces: Integers) -> tuple[Floats, Floats]:
        """How far each of some faces reaches along a direction, the least and the most of its corners: (f,), (f,)."""
        topology = self.surface.topology
        reach = self.surface.points[topology.corners[topology.corners_of_faces(faces)]] @ direction
        starts = offsets_from_sizes(topology.face_sizes[faces])[:-1]
        return np.minimum.reduceat(reach, starts), np.maximum.reduceat(reach, starts)

    def extents(self, faces: Integers) -> Floats:
        """How far each of some faces reaches along the axis along which it does farthest: (f,) mm."""
        low, high = self.boxes(faces)
        return np.asarray((high - low).max(axis=1, initial=0.0))

    def points_of(self, faces: Integers) -> Integers:
        """The points of some of its faces, ascending: (p,)."""
        topology = self.surface.topology
        return distinct(topology.corners[topology.corners_of_faces(faces)])

    def middles_of(self, faces: Integers) -> Floats:
        """The middles of some of its faces: (f, 3)."""
        topology = self.surface.topology
        corners, sizes = topology.corners_of_faces(faces), topology.face_sizes[faces]
        totals = np.add.reduceat(self.surface.points[topology.corners[corners]], offsets_from_sizes(sizes)[:-1])
        return np.asarray(totals / sizes[:, None])

    def turns_around(self, place: Floats) -> float:
        """How often it goes around a place, +1 inside a closed one that faces outward."""
        return turns_around(self.piece(self._solid)[1].places, place)

    def depths(self, places: Floats) -> Floats:
        """How far places lie behind it, 0 before it: (p,) mm."""
        tree, used, normals = self._corners
        result = np.zeros(len(places))
        far, corner = tree.query(places)
        off = places - self.surface.points[used[corner]]
        # The others are plainly before their nearest corner.
        perhaps = np.flatnonzero(np.einsum("ij,ij->i", off, normals[used[corner]]) < 0.5 * far)
        if len(perhaps) == 0:
            return result
        places = places[perhaps]
        reach = far[perhaps].max() * (1.0 + 1e-9) + last_place(places)
        # No place is farther from a surface than from its nearest corner: what is nearer lies in this piece.
        low, high = box_of(places)
        _, piece = self.piece(self.within(low - reach, high + reach))
        triangle, found = piece.nearest(places)
        off = places - found
        far = np.linalg.norm(off, axis=1)
        corners = piece.places[triangle]
        normals = unit(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
        # Beside an edge the normal is that of one of its faces, to which what is outside may lie at right angles.
        behind = np.einsum("ij,ij->i", off, normals) < -0.5 * far
        result[perhaps[behind]] = far[behind]
        return result


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
    fresh = [bodies[one] for one in distinct(np.array(pairs, dtype=np.int64)).tolist() if not bodies[one].is_ready]
    if sum(body.surface.n_points for body in fresh) >= WORTH_THREADS:
        # What each is searched by has nothing to do with the others, and is made of few, long calls.
        in_two(fresh, _make_ready)
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


def _make_ready(bodies: Iterable[Body]) -> None:
    for body in bodies:
        body.ready()


def _meetings(bodies: tuple[Body, Body], clearance: float | None, step: float) -> list[Meeting]:
    """What is found between two; the first of a meeting is 0 or 1."""
    first, second = bodies
    near, far = _near(first, second, max(clearance or 0.0, step))
    if len(near) == 0 or len(far) == 0:
        return []
    own, other = _crossing(first, near, second, far)
    if len(own) == 0 and len(other) == 0:
        # Mirrored surfaces may meet edge on edge all along, or one lie within the other: then places tell.
        own = _faces_inside(first, near, second)
    if len(own) or len(other):
        sizes = [high - low for low, high in (first.box_of(near), second.box_of(far))]
        depth = max(_depth(first, near, second), _depth(second, far, first))
        if depth > TOUCH * max(float(size.max()) for size in sizes):
            if len(own):
                said = f"“{first.name}” goes through “{second.name}”, {depth:.3g} mm deep."
                return [_told("crossing", 0, first, own, depth, said)]
            said = f"“{second.name}” goes through “{first.name}”, {depth:.3g} mm deep."
            return [_told("crossing", 1, second, other, depth, said)]
    found = []
    flush, largest = flush_faces(first.surface, first.flats, second.surface, second.flats, step)
    if len(flush):
        said = f"“{first.name}” and “{second.name}” are flush at {counted(len(flush), 'face')}."
        found.append(_told("flush", 0, first, flush, largest, said))
    if clearance is not None:
        found += _too_near(first, near, second, far, clearance)
    return found


def _near(first: Body, second: Body, reach: float) -> tuple[Integers, Integers]:
    """The faces of each that reach into the box around those of the other that do so in turn.

    And as far along the line between both: what meets askew shares a box that is much larger than what meets.
    """
    low, high = second.box
    mine = first.within(low - reach, high + reach)
    its = mine
    for _ in range(2):
        if len(mine) == 0:
            return mine, its
        low, high = first.box_of(mine)
        its = second.within(low - reach, high + reach)
        if len(its) == 0:
            return mine, its
        low, high = second.box_of(its)
        mine = first.within(low - reach, high + reach)
    if len(mine) == 0:
        return mine, its
    between = np.add(*second.box) - np.add(*first.box)
    way: Floats = between / max(float(np.linalg.norm(between)), 1e-300)
    start, end = (second.surface.points @ way).min(), (first.surface.points @ way).max()
    mine = mine[first.along(way, mine)[1] >= start - reach]
    return mine, its[second.along(way, its)[0] <= end + reach]


def _crossing(first: Body, near: Integers, second: Body, far: Integers) -> tuple[Integers, Integers]:
    """Those of some faces of each that go through the other: (f,), (g,), ascending."""
    # Boxes of faces first: of most that are near nothing else needs to be known.
    meets, met = BoxTree(*first.boxes(near)).meeting(BoxTree(*second.boxes(far)))
    mine, its = distinct(meets), distinct(met)
    (own, one), (other, two) = first.piece(near[mine]), second.piece(far[its])
    # Every triangle of each of two faces with every one of the other.
    (order, starts), (its_order, its_starts) = (
        group_order(np.searchsorted(faces, face), len(faces)) for faces, face in ((near[mine], own), (far[its], other))
    )
    left, right = np.searchsorted(mine, meets), np.searchsorted(its, met)
    counts, its_counts = np.diff(starts)[left], np.diff(its_starts)[right]
    pairs = counts * its_counts
    place, width = ranges(np.zeros(len(pairs), dtype=np.int64), pairs), np.repeat(its_counts, pairs)
    triangles = order[np.repeat(starts[left], pairs) + place // width]
    its_triangles = its_order[np.repeat(its_starts[right], pairs) + place % width]
    crossed, its_crossed = crossing_triangles(one.places, two.places, triangles, its_triangles)
    return distinct(own[crossed]), distinct(other[its_crossed])


def _too_near(first: Body, near: Integers, second: Body, far: Integers, clearance: float) -> list[Meeting]:
    used = first.points_of(near)
    points, topology = first.surface.points[used], first.surface.topology
    # What is nearer than the clearance is among these faces.
    apart = np.linalg.norm(points - second.piece(far)[1].nearest(points)[1], axis=1)
    corners = np.searchsorted(used, topology.corners[topology.corners_of_faces(near)])
    close = np.minimum.reduceat(apart[corners], offsets_from_sizes(topology.face_sizes[near])[:-1])
    chosen = np.flatnonzero(close < clearance)
    if len(chosen) == 0:
        return []
    least = float(close.min())
    said = f"“{first.name}” and “{second.name}” are {least:.3g} mm apart at {counted(len(chosen), 'face')}."
    return [_told("clearance", 0, first, near[chosen[np.argsort(close[chosen])]], least, said)]


def _faces_inside(first: Body, near: Integers, second: Body) -> Integers:
    """Those of some faces of one body whose middle lies inside another, closed one: (f,)."""
    if second.surface.topology.open_edges.any() or second.surface.hole.any():
        return near[:0]
    middles = first.middles_of(near)
    depths = second.depths(middles)
    deepest = int(depths.argmax())
    low, high = first.box_of(near)
    if depths[deepest] <= TOUCH * float((high - low).max()) or second.turns_around(middles[deepest]) <= 0.5:
        return near[:0]
    return near[depths > 0]


def _depth(body: Body, near: Integers, other: Body) -> float:
    """How far places on some faces of a body lie behind another one, the farthest of them: mm."""
    surface, topology = body.surface, body.surface.topology
    places = surface.points[body.points_of(near)]
    low, high = other.box
    # What lies outside the box around the other lies behind nothing of it.
    places = places[((places > low) & (places < high)).all(axis=1)]
    long = near[body.extents(near) > LONG * (np.minimum(high, body.box[1]) - np.maximum(low, body.box[0])).max()]
    if len(long) < FEW:
        # Long faces may go through with their corners outside: their middles and those of their sides count too.
        edges = distinct(topology.corner_edge[topology.corners_of_faces(long)])
        sides = surface.points[topology.edges[edges]].mean(axis=1)
        places = np.concatenate((places, sides, body.middles_of(long)))
    return float(other.depths(places).max(initial=0.0))


def _told(check: str, one: int, body: Body, faces: Integers, value: float, said: str) -> Meeting:
    origin = body.origin[faces]
    _, first = np.unique(origin, return_index=True)
    first.sort()
    return Meeting(check, one, origin[first], body.middles_of(faces[first]), value, said)
