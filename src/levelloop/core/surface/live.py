"""What of a smooth surface follows a few of its cage's points: a piece of the cage around them, smoothed by itself.

The surface on a face is made of the points of the faces that touch it, and of no others: of the faces that touch what a
point belongs to all may change. Their sides are worked out on one of the faces beside them, and one more row around
these is all that this takes.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of, ranges
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.surface.bends import Bends
from levelloop.core.surface.samples import bends_of
from levelloop.core.surface.surface import SmoothSurface

WORTH = 3  # times as many faces as the piece has; in smaller cages all is smoothed as fast


class LivePiece:
    """The part of a surface that some points of its cage carry.

    changed: (n,) which points; faces: (f,) the cage's faces whose surface follows them; points: the surface's points
    that do, ascending; sectors: its sectors that do; edges: the cage's edges whose curves do. wanted: the faces, these
    among them, whose surface is worked out for that, and around: those that this takes.
    """

    def __init__(
        self, surface: SmoothSurface, changed: Booleans, faces: Integers, wanted: Integers, around: Integers
    ) -> None:
        cage = surface.cage
        topology = cage.topology
        self.changed, self.faces = changed, faces
        piece, origin = drop_faces(cage, ~mask_of(around, topology.n_faces), keep_unattached=False)
        self._used = origin.points
        self._surface = SmoothSurface(piece, surface.level, faces=np.searchsorted(around, wanted))
        mine = _corners(topology.face_offsets, self.faces, surface.level)
        its = _corners(piece.topology.face_offsets, np.searchsorted(around, faces), surface.level)
        self.points, first = np.unique(surface.topology.corners[mine], return_index=True)
        self._points = self._surface.topology.corners[its[first]]
        self.sectors, first = np.unique(surface.sectors.of_corner[mine], return_index=True)
        self._sectors = self._surface.sectors.of_corner[its[first]]
        self.edges = distinct(topology.corner_edge[topology.corners_of_faces(self.faces)])

    def covers(self, changed: Booleans) -> bool:
        """Whether all that has moved is among what it was made for."""
        return not bool((changed & ~self.changed).any())

    def moved(self, points: Floats, limit: bool) -> tuple[Floats, Floats, Floats]:
        """Where the piece's points are for the cage's points (n, 3), on the limit surface too, and its normals.

        limit: where they are in the limit is wanted, else the second is the first. Rows are those of `points` and, for
        the normals, `sectors`.
        """
        own, raw = self._raw(points)
        return raw[self._points], self._limit(raw, limit), self._surface.normals(raw, own)[self._sectors]

    def moved_and_bent(self, points: Floats, limit: bool) -> tuple[Floats, Floats, Floats, Floats]:
        """The same, and the largest and smallest curvature at each of `sectors`, 1/mm: (s, 2)."""
        own, raw = self._raw(points)
        found, _ = bends_of(self._surface, own, self._surface.topology.n_points)
        at = self._surface.sectors.point[self._sectors]
        # A point that is one sector faces where its sample does.
        is_one = self._surface.sectors.one_each
        normals = found.normals[at] if is_one else self._surface.normals(raw, own)[self._sectors]
        return raw[self._points], self._limit(raw, limit), normals, _largest_and_smallest(found, at)

    def bends(self, points: Floats) -> Floats:
        """The largest and smallest curvature at each of `sectors`, 1/mm: (s, 2); points: the cage's, wherever put."""
        found, _ = bends_of(self._surface, points[self._used], self._surface.topology.n_points)
        return _largest_and_smallest(found, self._surface.sectors.point[self._sectors])

    def _raw(self, points: Floats) -> tuple[Floats, Floats]:
        own = points[self._used]
        return own, self._surface.points(own)

    def _limit(self, raw: Floats, limit: bool) -> Floats:
        return (self._surface.limit(raw) if limit else raw)[self._points]


def live_piece(
    surface: SmoothSurface, changed: Booleans, bends: bool = False, worth: float = WORTH
) -> LivePiece | None:
    """The piece that some points of a surface's cage carry; None where smoothing all of it is as fast.

    changed: (n,) which points; bends: whether it will be asked how it bends; worth: how many times as many faces the
    cage has at least.
    """
    near = surface.cage.topology.faces_of_points(np.flatnonzero(changed))
    faces = _touching(surface, near)
    # A pole bends as what lies beside it does, on any of its faces.
    wanted = _touching(surface, faces) if bends else faces
    worked_out = _touching(surface, wanted)
    if worth * len(worked_out) > surface.cage.n_faces:
        return None
    return LivePiece(surface, changed, faces, wanted, _touching(surface, worked_out))


# Helpers


def _largest_and_smallest(found: Bends, at: Integers) -> Floats:
    return np.stack((found.k1[at], found.k2[at]), axis=1)


def _touching(surface: SmoothSurface, faces: Integers) -> Integers:
    """The faces of the cage that share a point with some faces: ascending."""
    topology = surface.cage.topology
    return topology.faces_of_points(distinct(topology.corners[topology.corners_of_faces(faces)]))


def _corners(face_offsets: Integers, faces: Integers, level: int) -> Integers:
    """The corners that the corners of some cage faces have become at a level: each the same number, in their order."""
    many = 4**level
    return ranges(many * face_offsets[faces], many * (face_offsets[faces + 1] - face_offsets[faces]))
