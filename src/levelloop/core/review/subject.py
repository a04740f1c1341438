"""What a review looks at: a mesh as it leaves the recipe, and what is seen on each of its elements.

What is seen on an element hangs on what lies within a few faces of it. So of a mesh that was reviewed before and edited
since only what lies around the change is looked at again, cut out of it; everything else is known.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field
from functools import wraps

import numpy as np

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers, frozen, inverse_of, mask_of
from levelloop.core.lazy import lazy
from levelloop.core.mesh.alike import Counterparts, Element, reached, unchanged
from levelloop.core.mesh.faces import edge_folds
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.surface.samples import SurfaceSamples, sampled
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.uv.measure import overlapping_faces
from levelloop.core.values import dataclass

LEVEL = 2  # at which the smooth surface is looked at: a quarter of a cage face
REACH = 5  # rings of faces around an element that what is seen on it hangs on, and one more
WORTH = 0.5  # of the faces: where more is to be looked at again, all is

Look = Callable[["Subject"], AnyArray]


@dataclass(frozen=True, eq=False)
class Known:
    """What was seen on each element of a mesh, by who looked."""

    mesh: Mesh
    values: dict[Look, AnyArray] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Subject:
    """One part under review.

    mesh: in the world; is_smoothed: whether it is shown smooth at all; former: what is known of a mesh that this one
    was made of.
    """

    mesh: Mesh
    is_smoothed: bool = True
    former: Known | None = None

    @lazy
    def known(self) -> Known:
        """What has been seen so far."""
        return Known(self.mesh)

    @lazy
    def smooth(self) -> SmoothSurface:
        """The mesh refined to the level that is looked at."""
        return SmoothSurface(self.mesh, LEVEL)

    @lazy
    def surface(self) -> SurfaceSamples:
        """Samples of the limit surface at the points of that level."""
        return sampled(self.smooth, self.mesh.points, directions=True)

    @lazy
    def bend(self) -> Floats:
        """The larger curvature at each sample, whichever way it bends: (n',) 1/mm."""
        return np.maximum(np.abs(self.surface.k1), np.abs(self.surface.k2))

    @lazy
    def shared_uv(self) -> tuple[Integers, Integers]:
        """Faces that lie over others in UV, and those that lie exactly on another one."""
        return overlapping_faces(self.mesh)

    @lazy
    def edge_length(self) -> Floats:
        """The mean length of the edges at each point of the mesh: (n,) mm."""
        topology, points = self.mesh.topology, self.mesh.points
        ends = points[topology.edges]
        length = np.repeat(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1), 2)
        total = np.bincount(topology.edges.ravel(), length, self.mesh.n_points)
        return np.asarray(total / np.maximum(topology.valence, 1))

    @lazy
    def kept(self) -> Counterparts | None:
        """What of the former mesh need not be looked at again; None where that is too little to be worth it."""
        if self.former is None:
            return None
        kept = unchanged(self.mesh, self.former.mesh, REACH)
        return kept if (kept.faces < 0).sum() <= WORTH * self.mesh.n_faces else None

    def known_or(self, look: Look, work_out: Callable[[], AnyArray]) -> AnyArray:
        """What a look sees of each element, worked out where that has not been done: (n, …)."""
        values = self.known.values
        if look not in values:
            values[look] = frozen(work_out())
        return values[look]

    def seen_before(self, look: Look, element: Element) -> tuple[AnyArray, Booleans] | None:
        """What was seen on elements' counterparts, (n, …), and which have none, (n,); None where nothing is known."""
        values = None if self.former is None else self.former.values.get(look)
        if values is None or len(values) == 0 or self.kept is None:
            return None
        counterpart = self.kept.of(element)
        return values[np.maximum(counterpart, 0)], counterpart < 0

    @lazy
    def renewed(self) -> Piece:
        """What is to be looked at again, with what that hangs on."""
        assert self.kept is not None
        return self.around(self.kept.faces < 0, REACH)

    def around(self, faces: Booleans, rings: int) -> Piece:
        """Some faces by themselves, with so many rings of faces around them; faces: (m,)."""
        topology = self.mesh.topology
        points = mask_of(topology.corners[faces[topology.corner_face]], topology.n_points)
        for _ in range(rings - 1):
            points = reached(topology, points)
        chosen = mask_of(topology.corner_face[points[topology.corners]], topology.n_faces)
        mesh, origin = drop_faces(self.mesh, ~chosen, keep_unattached=False)
        corners = topology.corners_of_faces(origin.faces)
        return Piece(Subject(mesh), Counterparts(origin.points, origin.edges, origin.faces, corners))


@dataclass(frozen=True, eq=False)
class Piece:
    """Some faces of a subject as one of their own, and what each of its elements is in the whole."""

    subject: Subject
    origin: Counterparts


def each(element: Element) -> Callable[[Look], Look]:
    """Declares what is seen on each element of a kind, from what lies within REACH rings of faces: (n, …).

    It is worked out once for a subject; of one with a former mesh only around what has changed.
    """

    def declared(look: Look) -> Look:
        @wraps(look)
        def seen(subject: Subject) -> AnyArray:
            return subject.known_or(seen, lambda: _taken_over(subject, element, seen, look))

        return seen

    return declared


@each("faces")
def face_bend(subject: Subject) -> AnyArray:
    """The largest curvature on each face of the mesh: (m,) 1/mm."""
    fine, result = subject.smooth.topology, np.zeros(subject.mesh.n_faces)
    np.maximum.at(result, subject.smooth.face_origin[fine.corner_face], subject.bend[fine.corners])
    return result


@each("edges")
def folds(subject: Subject) -> AnyArray:
    """By how much the cage folds at each edge: (e,) degrees."""
    return edge_folds(subject.mesh.topology, subject.mesh.points)


@each("points")
def point_turn(subject: Subject) -> AnyArray:
    """By how much the surface turns at each point over the length of its edges: (n,) degrees."""
    return np.asarray(np.degrees(subject.bend[: subject.mesh.n_points] * subject.edge_length))


# Helpers


def _taken_over(subject: Subject, element: Element, seen: Look, look: Look) -> AnyArray:
    """What is seen on all elements: what is known of those that are as they were, the others looked at."""
    before = subject.seen_before(seen, element)
    if before is None:
        return np.asarray(look(subject))
    result, again = before
    if again.any():
        piece = subject.renewed
        place = inverse_of(piece.origin.of(element), len(again))[again]
        result[again] = seen(piece.subject)[place]
    return result
