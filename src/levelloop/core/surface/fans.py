"""Faces that poles alone make irregular: all samples of what becomes of them by one small matrix for each valence.

Refined once, such a face is four faces with one pole each, or none: the surface on each is made of the 2n + 8 points
around it, n the pole's valence (Stam 1998, section 3), by weights that are the same for all of that valence. They are
read off a fan of n faces refined by the rules themselves; at the pole they are those of the limit and its tangents.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, gathered, group_order, inverse_of, mask_of
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.bends import ORDERS, SAMPLES
from levelloop.core.surface.jets import DERIVATIVES, rings_of
from levelloop.core.surface.limit import sector_places, sectors, tangent_masks
from levelloop.core.surface.refine import Sharp, cut_out, refine
from levelloop.core.values import dataclass

CONTROLS = 16  # points around a face whose points are regular
# Those of them, as controls() has them, that carry the side that starts at the face's corner, and the corner itself.
ON_SIDE = np.array([0, 1, 2, 3, 4, 5, 6, 7, 10, 11, 12, 13])
AT_CORNER = np.array([0, 1, 2, 3, 4, 5, 10, 11, 12])
# Which they are of those from the face's first corner on, for each of its corners: (4, 16).
TURNED = np.stack(
    [
        np.concatenate([np.roll(ring, -turn * len(ring) // 4) for ring in np.split(np.arange(16), (4, 12))])
        for turn in range(4)
    ]
)
HIGHEST_VALENCE = 12  # of poles with weights of their own; those of higher ones would take longer than they save


@dataclass(frozen=True, eq=False)
class FanWeights:
    """What the 2n + 8 points around a face with one pole weigh in its samples at a level, the pole's the first.

    places: (s, 2n + 8) in the level's points; jets: (6, s, 2n + 8) in derivatives and limit places, as in ORDERS, no
    second derivatives at the pole. corners: (s,) which of the corners of what became of the face each sample is.
    """

    places: Floats
    jets: Floats
    corners: Integers


@dataclass(frozen=True, eq=False)
class Family:
    """Faces with a pole of one valence: the points around them, (2n + 8, f), and the samples that they are to give.

    own: (t,) which of all samples (s, f), counted row after row, and targets: (t,) their numbers among the points.
    """

    around: Integers
    weights: FanWeights
    own: Integers
    targets: Integers


class Fans:
    """Some faces of a mesh whose points are all smooth and inner, and what becomes of them at a level.

    topology, sharp: of the mesh; faces: (f,) those; levels: how often it is refined, at least twice; final: the
    connectivity then.
    """

    def __init__(self, topology: Topology, sharp: Sharp, faces: Integers, levels: int, final: Topology) -> None:
        self.faces = faces
        around = topology.faces_of_points(distinct(topology.corners.reshape(-1, 4)[faces]))
        piece, self._used, local = cut_out(topology, around, sharp)
        self._step = refine(piece, local)
        child = self._step.child
        here = (4 * inverse_of(around, topology.n_faces)[faces][:, None] + np.arange(4)).ravel()
        # The child of corner c is face c and starts at c's point.
        valence = piece.valence[piece.corners[here]]
        mine = (4 * faces[:, None] + np.arange(4)).ravel()
        found = []
        for n in distinct(valence).tolist():
            chosen = valence == n
            weights = fan_weights(n, levels - 1)
            block = 4**levels * mine[chosen]
            numbers = final.corners[block + weights.corners[:, None]]
            found.append((fan_controls(child, 4 * here[chosen], n), weights, numbers))
        # A sample on the side of two faces is given by one of them, so that it is the same whoever comes first.
        _, first = np.unique(np.concatenate([numbers.ravel() for _, _, numbers in found]), return_index=True)
        is_first = mask_of(first, sum(numbers.size for _, _, numbers in found))
        ends = np.cumsum([numbers.size for _, _, numbers in found])
        owned = [np.flatnonzero(part) for part in np.split(is_first, ends[:-1])]
        self.families = [
            part
            for (around, weights, numbers), own in zip(found, owned, strict=True)
            for part in _in_groups(Family(around, weights, own, numbers.ravel()[own]))
        ]
        is_pole = (topology.valence != 4) & mask_of(topology.corners.reshape(-1, 4)[faces].ravel(), topology.n_points)
        self.pole_corners = np.flatnonzero(is_pole[topology.corners])

    def columns(self, points: Floats) -> Floats:
        """The points that families are made of, for the mesh's points (n, d): (d, n')."""
        return np.ascontiguousarray(self._step.points(points[self._used]).T)

    def places(self, points: Floats) -> list[Floats]:
        """Where the samples of each family lie, in the order of their targets, for the mesh's points (n, d): (d, t)."""
        columns = self.columns(points)
        found = []
        for family in self.families:
            all_samples = family.weights.places @ gathered(columns, family.around)
            found.append(all_samples.reshape(len(columns), -1).take(family.own, axis=1, mode="clip"))
        return found


def fan_points(topology: Topology, sharp: Sharp) -> Booleans:
    """Inner points of one closed fan of 3 to 12 faces with nothing sharp at them: (n,)."""
    smooth: Booleans = (topology.valence == topology.point_face_count) & (topology.valence >= 3)
    smooth &= topology.valence <= HIGHEST_VALENCE
    smooth[topology.edges[sharp.edges]] = False
    smooth[sharp.points] = False
    # Where neighbouring faces disagree about direction there are no twins to walk over.
    smooth[topology.corners[topology.twin < 0]] = False
    smooth[topology.corner_end[topology.twin < 0]] = False
    # Two fans may share a point: then one of them comes round before all faces are met.
    corner = np.flatnonzero(smooth[topology.corners] & (topology.valence[topology.corners] >= 6))
    here = corner
    for turns in range(1, HIGHEST_VALENCE - 2):
        here = topology.around[here]
        point = topology.corners[corner]
        smooth[point[(here == corner) & (turns < topology.valence[point])]] = False
    return smooth


def regular_points(topology: Topology, sharp: Sharp) -> Booleans:
    """Inner points of four quads with nothing sharp at them: (n,)."""
    return np.asarray(fan_points(topology, sharp) & (topology.valence == 4))


def controls(topology: Topology, corners: Integers) -> Integers:
    """The sixteen points around the faces of corners: (c, 16).

    The face's own four from that corner on, then for each side the two beyond it, the nearer to the side's start first,
    then the four beyond its points.
    """
    result = np.empty((len(corners), 16), dtype=np.int64)
    twin, following, before = topology.twin, topology.next_corner, topology.previous_corner
    here = corners
    for side in range(4):
        result[:, side] = topology.corners[here]
        across = twin[here]
        beyond = following[across]
        result[:, 4 + 2 * side] = topology.corner_end[beyond]
        result[:, 5 + 2 * side] = topology.corners[before[across]]
        result[:, 12 + side] = topology.corners[before[twin[beyond]]]
        here = following[here]
    return result


def fan_controls(topology: Topology, corners: Integers, n: int) -> Integers:
    """The points around faces whose corners, these (f,), are at points of valence n, the others regular: (2n + 8, f).

    The point itself, then for each face of its fan the edge neighbour and the opposite point, then those beyond the
    face's other two sides.
    """
    result = np.empty((2 * n + 8, len(corners)), dtype=np.int64)
    result[0] = topology.corners[corners]
    here = corners
    for face in range(n):
        after = topology.next_corner[here]
        result[1 + 2 * face] = topology.corners[after]
        result[2 + 2 * face] = topology.corners[topology.next_corner[after]]
        here = topology.around[here]
    result[1 + 2 * n :] = controls(topology, corners)[:, [6, 7, 8, 9, 13, 14, 15]].T
    return result


@cache
def fan_weights(n: int, levels: int) -> FanWeights:
    """The weights of faces with a pole of valence n, so many levels further."""
    fan = _fan(n)
    none = np.zeros(0, dtype=np.int64)
    rim = np.flatnonzero(fan.open_edges)
    topology, sharp = fan, Sharp(rim, np.full(len(rim), np.inf), none, np.zeros(0))
    around = fan_controls(fan, np.array([0]), n)[:, 0]
    values = np.zeros((fan.n_points, len(around)))
    # For small valences a point is met twice around the face; what it weighs is told once.
    points, first = np.unique(around, return_index=True)
    values[points, first] = 1.0
    for _ in range(levels):
        step = refine(topology, sharp)
        values = step.points(values)
        topology, sharp = step.child, step.sharp
    # What the first face has become are the first faces, and its first corner, the pole, is their first corner.
    points, corners = np.unique(topology.corners[: 4 * 4**levels], return_index=True)
    fans = sectors(topology, sharp)
    rings = rings_of(topology, fans, mask_of(points, topology.n_points)[fans.point])
    jets = np.zeros((len(ORDERS), len(points), len(around)))
    jets[:, np.searchsorted(points, rings.inner[:, 0])] = np.einsum("op,spc->osc", DERIVATIVES[0], values[rings.inner])
    if n != 4:
        # Nothing sharp is near: a point is one sector, and the pole is the first.
        sector = fans.of_corner[:1]
        jets[:2, 0] = np.einsum("tnk,nkc->tc", tangent_masks(n), values[_ring(topology, n)])
        jets[-1, 0] = sector_places(topology, fans, values, sector)[0]
    return FanWeights(values[points], jets, corners)


# Helpers


def _in_groups(family: Family) -> Iterator[Family]:
    """The same faces in groups of at most so many samples, and points around them, as are looked at together."""
    points, faces = family.around.shape
    size = max(1, SAMPLES // max(len(family.weights.corners), points))
    row, face = np.divmod(family.own, faces)
    order, offsets = group_order(face // size, -(-faces // size))
    for group, start in enumerate(range(0, faces, size)):
        chosen = order[offsets[group] : offsets[group + 1]]
        around = family.around[:, start : start + size]
        own = row[chosen] * around.shape[1] + face[chosen] - start
        yield Family(around, family.weights, own, family.targets[chosen])


def _fan(n: int) -> Topology:
    """A point, number 0, and n sectors of two by two quads around it, the first face at it the first of all."""
    sector = np.arange(n)[:, None]
    after = (sector + 1) % n
    # Of each sector the two points on its first side, then the four inside, row after row.
    first = 1 + 6 * sector
    near, far, a, b, c, d = (first + i for i in range(6))
    side_near, side_far = 1 + 6 * after, 2 + 6 * after
    pole = np.zeros_like(sector)
    quads = ((pole, near, a, side_near), (near, far, b, a), (side_near, a, c, side_far), (a, b, d, c))
    corners = np.stack([np.concatenate(quad, axis=1) for quad in quads], axis=1)
    return Topology(np.arange(0, 16 * n + 1, 4), corners.ravel(), 1 + 6 * n)


def _ring(topology: Topology, n: int) -> Integers:
    """The edge neighbour and the opposite point of each face around the first corner's point: (n, 2)."""
    result, here = np.empty((n, 2), dtype=np.int64), 0
    for face in range(n):
        after = int(topology.next_corner[here])
        result[face] = topology.corners[after], topology.corners[topology.next_corner[after]]
        here = int(topology.around[here])
    return result
