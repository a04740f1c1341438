"""Runs of a cage through its regular points, and how the smooth surface bends along them from point to point."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers, connected_labels, inverse_of
from levelloop.core.lazy import kept, lazy
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.review.subject import Subject, each
from levelloop.core.surface.fans import regular_points
from levelloop.core.surface.refine import sharp_of
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Runs:
    """Passes of runs through points inside, with four quads around and nothing sharp: two for each point.

    A run goes straight on at every such point and stops at all others: poles, creases, boundaries.
    points: (r,) those points. ahead: (4r,) for each way out of a point (four ways, counter-clockwise) the way on which
    the run goes on at the next point, −1 where it stops; corners: (4r,) at which each way leaves its point. bend: (2r,)
    1/mm the curvature along each pass; pass p goes by the ways 2p and 2p + 1 of ways: (2r, 2). step: (4r,) mm to the
    next point, on the smooth surface.
    """

    points: Integers
    ahead: Integers
    corners: Integers
    bend: Floats
    step: Floats

    @lazy
    def ways(self) -> Integers:
        """The two ways of each pass: (2r, 2)."""
        of_pass = np.arange(len(self.bend))
        first = 4 * (of_pass // 2) + of_pass % 2
        return np.stack((first, first + 2), axis=1)

    def pass_of(self, ways: Integers) -> Integers:
        """The pass that a way belongs to; −1 stays: (k,)."""
        return np.where(ways >= 0, 2 * (ways // 4) + ways % 2, -1)

    @lazy
    def spacing(self) -> Floats:
        """How far apart the points of the run are at each pass: (2r,) mm."""
        return np.asarray(self.step[self.ways].mean(axis=1))

    @lazy
    def turn(self) -> Floats:
        """By how much the surface turns at each pass, from halfway to halfway: (2r,) degrees."""
        return np.degrees(self.bend * self.spacing)

    def window(self, passes: Integers, reach: int) -> Integers:
        """The passes around some, from so many before them to so many after: (p, 2 reach + 1), −1 beyond an end."""
        result = np.full((len(passes), 2 * reach + 1), -1, dtype=np.int64)
        result[:, reach] = passes
        for side, sign in ((0, 1), (1, -1)):
            way = self.ways[passes, side]
            for far in range(1, reach + 1):
                way = np.where(way >= 0, self.ahead[way], -1)
                result[:, reach + sign * far] = self.pass_of(way)
        return result

    @lazy
    def length(self) -> Floats:
        """How long the run of each pass is: (2r,) mm."""
        count, label = self._labels
        return np.asarray(np.bincount(label, self.spacing, count)[label])

    @lazy
    def count(self) -> Integers:
        """How many points the run of each pass has: (2r,)."""
        count, label = self._labels
        return np.asarray(np.bincount(label, minlength=count)[label])

    def share(self, found: Booleans) -> Floats:
        """How much of the run of each pass was found: (2r,) → (2r,)."""
        count, label = self._labels
        share = np.bincount(label, found, count) / np.maximum(np.bincount(label, minlength=count), 1)
        return np.asarray(share[label])

    @lazy
    def _labels(self) -> tuple[int, Integers]:
        ways = np.flatnonzero(self.ahead >= 0)
        pairs = np.stack((self.pass_of(ways), self.pass_of(self.ahead[ways])), axis=1)
        return connected_labels(pairs, len(self.bend))


@each("corners")
def bend_along(subject: Subject) -> AnyArray:
    """How the surface bends along the edge that leaves each corner, where a run goes on there: (k,) 1/mm, else 0."""
    ways, surface = _ways(subject), subject.surface
    result = np.zeros(subject.mesh.topology.n_corners)
    places = surface.points[: subject.mesh.n_points]
    way = places[ways.others] - places[ways.points][:, None]
    along = unit((way[:, :2] - way[:, 2:]).reshape(-1, 3))
    twice = np.repeat(ways.points, 2)
    normal = surface.normals[twice]
    along = unit(along - np.einsum("ij,ij->i", along, normal)[:, None] * normal)
    first = np.einsum("ij,ij->i", along, surface.d1[twice]) ** 2
    bend = surface.k1[twice] * first + surface.k2[twice] * (1.0 - first)
    result[ways.corners] = np.tile(bend.reshape(-1, 2), 2)
    return result


@each("edges")
def steps(subject: Subject) -> AnyArray:
    """How far the ends of each edge are apart on the smooth surface: (e,) mm."""
    ends = subject.surface.points[subject.mesh.topology.edges]
    return np.asarray(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1))


def runs_of(subject: Subject) -> Runs:
    """The runs of a part's cage."""
    return kept(subject, "_runs", lambda: _runs(subject))


# Helpers


@dataclass(frozen=True, eq=False)
class _Ways:
    """The ways out of points where runs go on: points (r,), corners (r, 4), counter-clockwise; others (r, 4) there."""

    points: Integers
    corners: Integers
    others: Integers


def _ways(subject: Subject) -> _Ways:
    return kept(subject, "_ways", lambda: _ways_out(subject.mesh))


def _ways_out(mesh: Mesh) -> _Ways:
    topology = mesh.topology
    sharp = sharp_of(topology, mesh.creases, mesh.corner_sharpness, mesh.scheme.boundary)
    quads = np.ones(mesh.n_points, dtype=np.bool_)
    odd = topology.face_sizes != 4
    quads[topology.corners[odd[topology.corner_face]]] = False
    points = np.flatnonzero(regular_points(topology, sharp) & quads)
    by_point, offsets = topology.corners_by_point
    corner = by_point[offsets[points]] if len(points) else np.zeros(0, dtype=np.int64)
    corners = np.empty((len(points), 4), dtype=np.int64)
    for slot in range(4):
        corners[:, slot] = corner
        corner = topology.around[corner]
    return _Ways(points, corners, topology.corner_end[corners])


def _runs(subject: Subject) -> Runs:
    topology, ways = subject.mesh.topology, _ways(subject)
    ahead = _going_on(inverse_of(ways.points, topology.n_points)[ways.others], ways.others, ways.points)
    bend = bend_along(subject)[ways.corners[:, :2].ravel()]
    step = steps(subject)[topology.corner_edge[ways.corners.ravel()]]
    return Runs(ways.points, ahead, ways.corners.ravel(), bend, step)


def _going_on(next_number: Integers, others: Integers, points: Integers) -> Integers:
    """For each way out of a point the way straight on at the next one: (4r,), −1 where that is no regular point."""
    count = len(points)
    there = np.maximum(next_number.ravel(), 0)
    from_point = np.repeat(points, 4)
    if count == 0:
        return np.zeros(0, dtype=np.int64)
    back: Booleans = others[there] == from_point[:, None]
    onwards = 4 * there + (np.argmax(back, axis=1) + 2) % 4
    # Where two ways lead to one point it does not say which one was taken.
    fits = (next_number.ravel() >= 0) & (back.sum(axis=1) == 1)
    return np.where(fits, onwards, -1)
