"""Where surface points and normals go in the limit, on a surface that is all quads.

Around a point the faces form *sectors*: fans between sharp edges, or one closed fan where there are none.
A point has one limit place and one normal for each sector, so that a crease shows two sides.

Masks: Halstead, Kass & DeRose 1993 (smooth points); DeRose, Kass & Truong 1998 (creases);
Biermann, Levin & Zorin 2000, section 3 (tangents of open and creased fans).
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache

import numpy as np

from levelloop.core.arrays import (
    Booleans,
    Floats,
    Integers,
    cycles,
    distinct,
    frozen,
    inverse_of,
    mask_of,
    offsets_from_sizes,
    ranges,
    sum_by,
)
from levelloop.core.lazy import lazy
from levelloop.core.mesh.faces import face_vectors, unit
from levelloop.core.mesh.mesh import Scheme
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.refine import Sharp, Step, cut_out, refine
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Sectors:
    """Fans of corners around points, each in counter-clockwise order.

    point: (s,) the point of each sector, in ascending order; closed: (s,) whether its fan closes; corners: (c,) and
    offsets (s + 1,) the fans; of_corner: (k,) the sector of each corner; corner_points: (n,) points that stay as they
    are; crease_points: (n,) points that move along a sharp curve; is_sharp: (e,) edges that never fade; darts: (d,)
    those of them that end inside, in a smooth point.
    """

    point: Integers
    closed: Booleans
    corners: Integers
    offsets: Integers
    of_corner: Integers
    corner_points: Booleans
    crease_points: Booleans
    is_sharp: Booleans
    darts: Integers

    @lazy
    def one_each(self) -> bool:
        """Whether each point is one sector, of its own number."""
        count = len(self.corner_points)
        return len(self.point) == count and bool((self.point == np.arange(count)).all())


def sectors(topology: Topology, sharp: Sharp) -> Sectors:
    """The sectors of an all-quad surface; sharpness that fades counts as smooth, as it is in the limit."""
    never = np.zeros(topology.n_edges, dtype=np.bool_)
    never[sharp.edges[np.isinf(sharp.edge_sharpness)]] = True
    n = topology.n_points
    sharp_at = np.bincount(topology.edges[never].ravel(), minlength=n)
    corner_point = sharp_at >= 3
    corner_point[sharp.points[np.isinf(sharp.point_sharpness)]] = True
    crease_point = ~corner_point & (sharp_at == 2)
    # A single sharp edge ends in a smooth point: it divides nothing there.
    divides = never[topology.corner_edge] & (sharp_at >= 2)[topology.corners]
    around = topology.around.copy()
    into = topology.corner_edge[topology.previous_corner]
    around[never[into] & (sharp_at >= 2)[topology.corners]] = -1
    starts_fan = divides | (topology.twin < 0)
    has_start = np.zeros(n, dtype=np.bool_)
    has_start[topology.corners[starts_fan]] = True
    # A closed fan starts at the first of its corners.
    lone = np.flatnonzero(~has_start[topology.corners])
    first = np.full(n, -1, dtype=np.int64)
    first[topology.corners[lone[::-1]]] = lone[::-1]
    start = np.sort(np.concatenate((np.flatnonzero(starts_fan), first[first >= 0])))
    corners, sizes, closed = _fans(around, start)
    if len(corners) < topology.n_corners:
        # A point may have a closed fan beside others: what was not reached goes round by itself.
        rest = np.flatnonzero(~mask_of(corners, topology.n_corners))
        members, runs = cycles(inverse_of(rest, topology.n_corners)[around[rest]])
        start = np.sort(np.concatenate((start, rest[members[runs[:-1]]])))
        corners, sizes, closed = _fans(around, start)
    offsets = offsets_from_sizes(sizes)
    order = np.argsort(topology.corners[start], kind="stable")
    corners = corners[ranges(offsets[:-1][order], sizes[order])]
    start, sizes, closed = start[order], sizes[order], closed[order]
    offsets = offsets_from_sizes(sizes)
    of_corner = np.empty(topology.n_corners, dtype=np.int64)
    of_corner[corners] = np.repeat(np.arange(len(start)), sizes)
    dart = np.flatnonzero(never)
    dart = dart[(sharp_at[topology.edges[dart]] == 1).any(axis=1)]
    return Sectors(
        topology.corners[start], closed, corners, offsets, of_corner, corner_point, crease_point, never, dart
    )


def _fans(around: Integers, start: Integers) -> tuple[Integers, Integers, Booleans]:
    """Corners fan after fan from their starts on, how many each has, and which come back to their start."""
    sizes = np.zeros(len(start), dtype=np.int64)
    closed = np.zeros(len(start), dtype=np.bool_)
    chunks, owners = [], []
    here, owner = start, np.arange(len(start))
    while len(here):
        chunks.append(here)
        owners.append(owner)
        sizes[owner] += 1
        onwards = around[here]
        closed[owner[onwards == start[owner]]] = True
        goes_on = (onwards >= 0) & (onwards != start[owner])
        here, owner = onwards[goes_on], owner[goes_on]
    offsets = offsets_from_sizes(sizes)
    corners = np.empty(int(offsets[-1]), dtype=np.int64)
    for step, (chunk, chunk_owner) in enumerate(zip(chunks, owners, strict=True)):
        corners[offsets[chunk_owner] + step] = chunk
    return corners, sizes, closed


@dataclass(frozen=True, eq=False)
class Unsettled:
    """Points whose masks do not hold yet, and the piece of surface around them refined until they do.

    points: (u,) those points; used: (p,) the surface's points that the piece consists of; rounds: its refinements, each
    with the points of it that the next one needs; topology, around: the piece's at the end and its sectors; own: (u,)
    the points' numbers in it; corners: (c,) surface corners at those points, the piece's corner 4i is what became of
    corner i.
    """

    points: Integers
    used: Integers
    rounds: tuple[tuple[Step, Integers], ...]
    topology: Topology
    around: Sectors
    own: Integers
    corners: Integers

    def local_points(self, points: Floats) -> Floats:
        """The piece's points at its end, from the surface's: (p', 3)."""
        local = points[self.used]
        for step, needed in self.rounds:
            local = step.points(local)[needed]
        return local

    def settled(self, points: Floats) -> tuple[Floats, Floats]:
        """Limit places (u, 3) and limit normals of their corners (c, 3), from the surface's points."""
        local = self.local_points(points)
        refined = 4 * np.arange(len(self.corners))
        normals = sector_normals(self.topology, self.around, local)[self.around.of_corner[refined]]
        return limit_points(self.topology, self.around, local)[self.own], normals


def unsettled(topology: Topology, sharp: Sharp, scheme: Scheme) -> Unsettled | None:
    """Points with sharpness that still fades or with other faces than quads around; None where there are none.

    What the ring of a point becomes depends on that ring alone, so only the faces around those points are refined,
    as often as the highest sharpness there takes, and of what they become only those at the points go on.
    """
    fading_edges = sharp.edges[np.isfinite(sharp.edge_sharpness)]
    fading_points = sharp.points[np.isfinite(sharp.point_sharpness)]
    odd_faces = np.flatnonzero(topology.face_sizes != 4)
    odd = topology.corners[topology.corners_of_faces(odd_faces)]
    points = distinct(np.concatenate((topology.edges[fading_edges].ravel(), fading_points, odd)))
    points = points[topology.point_face_count[points] > 0]
    if len(points) == 0:
        return None
    highest = max(
        float(sharp.edge_sharpness[np.isfinite(sharp.edge_sharpness)].max(initial=0.0)),
        float(sharp.point_sharpness[np.isfinite(sharp.point_sharpness)].max(initial=0.0)),
        1.0,
    )
    piece, used, local = cut_out(topology, topology.faces_of_points(points), sharp)
    corners = topology.corners_of_faces(topology.faces_of_points(points))
    own = np.searchsorted(used, points)
    here = np.flatnonzero(np.isin(piece.corners, own))
    at_them = corners[here]
    rounds: list[tuple[Step, Integers]] = []
    for _ in range(int(np.ceil(highest))):
        step = refine(piece, local, scheme.triangles == "smooth", creases=scheme.creases)
        # The child of corner c is face c and starts at c's point.
        piece, needed, local = cut_out(step.child, here, step.sharp)
        rounds.append((step, needed))
        own = np.searchsorted(needed, own)
        here = 4 * np.arange(len(here))
    return Unsettled(points, used, tuple(rounds), piece, sectors(piece, local), own, at_them)


def limit_points(topology: Topology, around: Sectors, points: Floats) -> Floats:
    """Where each point lands on the limit surface: (n, 3).

    Smooth: (n²·v + 4Σe + Σf) / (n(n+5)) (Halstead, Kass & DeRose 1993); crease: (4v + a + b) / 6; corner: v.
    """
    n = topology.n_points
    ends = topology.edges
    edge_sum, face_sum = np.zeros((n, 3)), np.zeros((n, 3))
    opposite = topology.corners[topology.next_corner[topology.next_corner]]
    for axis in range(3):
        coordinate = points[:, axis]
        edge_sum[:, axis] = np.bincount(ends[:, 0], coordinate[ends[:, 1]], n)
        edge_sum[:, axis] += np.bincount(ends[:, 1], coordinate[ends[:, 0]], n)
        face_sum[:, axis] = np.bincount(topology.corners, coordinate[opposite], n)
    valence = np.maximum(topology.valence, 1)[:, None].astype(np.float64)
    result = (valence**2 * points + 4.0 * edge_sum + face_sum) / (valence * (valence + 5.0))
    sharp_ends = ends[around.is_sharp]
    along = np.zeros((n, 3))
    np.add.at(along, sharp_ends[:, 0], points[sharp_ends[:, 1]])
    np.add.at(along, sharp_ends[:, 1], points[sharp_ends[:, 0]])
    crease = around.crease_points
    result[crease] = (4.0 * points[crease] + along[crease]) / 6.0
    stays = around.corner_points | (topology.point_face_count == 0)
    result[stays] = points[stays]
    for ring in dart_rings(topology, around):
        result[ring.points] = np.einsum("k,skd->sd", ring.masks[0], points[ring.places])
    return result


def sector_normals(topology: Topology, around: Sectors, points: Floats, some: Integers | None = None) -> Floats:
    """The unit limit normal of each sector: (s, 3); some: of these only, zero for the others."""
    normals = np.zeros((len(around.point), 3))
    for of_kind, chosen in _by_kind(around, some):
        fan = around.corners[around.offsets[chosen][:, None] + np.arange(of_kind // 2)]
        after = topology.next_corner[fan]
        e, f = points[topology.corners[after]], points[topology.corners[topology.next_corner[after]]]
        if of_kind % 2:
            normals[chosen] = _closed_normals(e, f)
        else:
            last = points[topology.corners[topology.previous_corner[fan[:, -1]]]]
            point = around.point[chosen]
            normals[chosen] = _open_normals(points[point], e, f, last, around.corner_points[point])
    for ring in dart_rings(topology, around):
        tangents = [np.einsum("k,skd->sd", mask, points[ring.places]) for mask in ring.masks[1:]]
        normals[ring.sectors] = np.cross(*tangents)
    found = normals if some is None else normals[some]
    lengths = np.linalg.norm(found, axis=1)
    weak = np.flatnonzero(~(lengths > 1e-12 * np.maximum(lengths.max(initial=0.0), 1e-300)))
    if len(weak):
        found[weak] = _mean_normals(topology, around, points, weak if some is None else some[weak])
    if some is None:
        return unit(normals)
    normals[:] = 0.0
    normals[some] = unit(found)
    return normals


def sector_places(topology: Topology, around: Sectors, points: Floats, some: Integers) -> Floats:
    """Where the points of some sectors land on the limit surface: (t, 3), by the masks of limit_points."""
    places = points[around.point].copy()
    for of_kind, chosen in _by_kind(around, some):
        n = of_kind // 2
        fan = around.corners[around.offsets[chosen][:, None] + np.arange(n)]
        after = topology.next_corner[fan]
        point = around.point[chosen]
        v, e = points[point], points[topology.corners[after]]
        if of_kind % 2:
            f = points[topology.corners[topology.next_corner[after]]]
            places[chosen] = (n * n * v + 4.0 * e.sum(axis=1) + f.sum(axis=1)) / (n * (n + 5.0))
            continue
        last = points[topology.corners[topology.previous_corner[fan[:, -1]]]]
        bent = around.crease_points[point]
        places[chosen] = np.where(bent[:, None], (4.0 * v + e[:, 0] + last) / 6.0, v)
    for ring in dart_rings(topology, around):
        places[ring.sectors] = np.einsum("k,skd->sd", ring.masks[0], points[ring.places])
    return np.asarray(places[some])


def tangent_masks(n: int) -> Floats:
    """What is around a smooth point of n ≥ 3 faces weighs in two tangents, whose cross product faces outwards.

    (2, n, 2): for each tangent and face, counter-clockwise, the edge neighbour where it starts and the opposite point.
    Halstead, Kass & DeRose 1993, section 3.
    """
    turn = 2.0 * np.pi / n
    angle = turn * np.arange(n)
    spread = 1.0 + np.cos(turn) + np.cos(np.pi / n) * np.sqrt(2.0 * (9.0 + np.cos(turn)))
    waves = np.stack((np.cos(angle), np.sin(angle)))
    return np.stack((spread * waves, waves + np.roll(waves, -1, axis=1)), axis=2)


# Helpers


def _by_kind(around: Sectors, some: Integers | None) -> Iterator[tuple[int, Integers]]:
    """Sectors, or some of them, by kind: twice their size, and one more where they close. Each kind has its masks."""
    kind = 2 * np.diff(around.offsets) + around.closed
    of_all = np.arange(len(kind)) if some is None else some
    for of_kind in distinct(kind[of_all]).tolist():
        yield of_kind, of_all[kind[of_all] == of_kind]


def _closed_normals(e: Floats, f: Floats) -> Floats:
    """Across fans that close: e, f (s, n, 3) edge neighbours and opposite points, in order."""
    n = e.shape[1]
    if n == 2:
        # All of a 2-valent point's neighbourhood shrinks alike; the plane is that of its edges and its faces.
        return np.cross(e[:, 0] - e[:, 1], f[:, 0] - f[:, 1])
    first, second = (
        np.einsum("n,snd->sd", mask[:, 0], e) + np.einsum("n,snd->sd", mask[:, 1], f) for mask in tangent_masks(n)
    )
    return np.cross(first, second)


def _open_normals(v: Floats, e: Floats, f: Floats, last: Floats, is_corner: Booleans) -> Floats:
    """Across fans between sharp edges: the first sharp edge leads to e[:, 0], the last one to last."""
    k = e.shape[1]
    at_corner = np.cross(e[:, 0] - v, last - v)
    if k == 1:
        return at_corner
    theta = np.pi / k
    angle = theta * np.arange(k)
    ratio = (np.cos(theta) + 1.0) / np.sin(theta)
    across = 4.0 * ratio * (np.cos(theta) - 1.0) * v - ratio * (1.0 + 2.0 * np.cos(theta)) * (e[:, 0] + last)
    across += np.tensordot(e, 4.0 * np.sin(angle), (1, 0))
    across += np.tensordot(f, np.sin(angle) + np.sin(angle + theta), (1, 0))
    along_crease = np.cross(e[:, 0] - last, across)
    # A corner's fan may turn by more than half a circle; then its edges' plane faces the wrong way.
    turned = np.einsum("ij,ij->i", at_corner, along_crease) <= 0
    return np.where((is_corner & ~turned)[:, None], at_corner, along_crease)


def _mean_normals(topology: Topology, around: Sectors, points: Floats, chosen: Integers) -> Floats:
    """The area-weighted mean of each fan's faces, where the masks say nothing."""
    size = np.diff(around.offsets)[chosen]
    fan = around.corners[ranges(around.offsets[chosen], size)]
    vectors = face_vectors(topology, points)[topology.corner_face[fan]]
    return sum_by(np.repeat(np.arange(len(chosen)), size), vectors, len(chosen))


@dataclass(frozen=True, eq=False)
class _DartRing:
    """Darts of one valence: points (s,), their sectors (s,), the ring's points (s, 2n + 1), masks (3, 2n + 1)."""

    points: Integers
    sectors: Integers
    places: Integers
    masks: Floats


def dart_rings(topology: Topology, around: Sectors) -> list[_DartRing]:
    """The rings of smooth points in which one edge never fades, each starting at that edge."""
    rings: list[_DartRing] = []
    # Where more than two faces meet no fan closes.
    darts = around.darts[topology.edge_face_count[around.darts] == 2]
    if len(darts) == 0:
        return rings
    sharp_at = np.bincount(topology.edges[around.is_sharp].ravel(), minlength=topology.n_points)
    # A corner at the dart's end whose half-edge runs along the sharp edge.
    corners = np.flatnonzero(np.isin(topology.corner_edge, darts))
    corners = corners[(sharp_at[topology.corners[corners]] == 1) & ~around.corner_points[topology.corners[corners]]]
    sector = around.of_corner[corners]
    keep = around.closed[sector]
    corners, sector = corners[keep], sector[keep]
    size = np.diff(around.offsets)[sector]
    for n in distinct(size).tolist():
        chosen = size == n
        here, fan = corners[chosen], []
        for _ in range(n):
            fan.append(here)
            here = topology.around[here]
        ring = np.stack(fan, axis=1)
        after = topology.next_corner[ring]
        places = np.concatenate(
            (
                topology.corners[ring[:, :1]],
                topology.corners[after],
                topology.corners[topology.next_corner[after]],
            ),
            axis=1,
        )
        rings.append(_DartRing(places[:, 0], sector[chosen], places, _dart_masks(n)))
    return rings


@cache
def _dart_masks(n: int) -> Floats:
    """Limit and two tangent masks of a smooth point with n edges of which the first never fades: (3, 2n + 1).

    The left eigenvectors of its subdivision matrix for eigenvalue 1 and the next two (Halstead, Kass & DeRose 1993,
    section 3, applied to the dart rule of DeRose, Kass & Truong 1998). Order: the point, n edges, n faces.
    """
    matrix = np.zeros((2 * n + 1, 2 * n + 1))
    for i in range(n):
        edge, face = 1 + i, 1 + n + i
        matrix[face, [0, edge, 1 + (i + 1) % n, face]] = 0.25
    for i in range(n):
        edge = 1 + i
        matrix[edge, [0, edge]] = 0.5 if i == 0 else 0.25
        if i:
            matrix[edge] += 0.25 * (matrix[1 + n + i] + matrix[1 + n + i - 1])
    matrix[0, 0] = (n - 2) / n
    matrix[0, 1 : n + 1] = 1 / n**2
    matrix[0] += matrix[n + 1 :].sum(axis=0) / n**2
    values, vectors = np.linalg.eig(matrix.T)
    order = np.argsort(-np.abs(values))[:3]
    masks = np.real(vectors[:, order]).T
    masks[0] /= masks[0].sum()
    # The tangents' order gives the normal its side: on a flat ring it must point up.
    angle = 2.0 * np.pi * np.arange(n) / n
    ring = np.stack((np.cos(angle), np.sin(angle)), axis=1)
    flat = np.concatenate((np.zeros((1, 2)), ring, ring + np.roll(ring, -1, axis=0)))
    first, second = masks[1] @ flat, masks[2] @ flat
    if first[0] * second[1] - first[1] * second[0] < 0:
        masks[2] *= -1.0
    return frozen(masks)
