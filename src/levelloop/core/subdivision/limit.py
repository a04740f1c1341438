"""Where surface points and normals go in the limit, on a surface that is all quads.

Around a point the faces form *sectors*: fans between sharp edges, or one closed fan where there are none.
A point has one limit place and one normal for each sector, so that a crease shows two sides.

Masks: Halstead, Kass & DeRose 1993 (smooth points); DeRose, Kass & Truong 1998 (creases);
Biermann, Levin & Zorin 2000, section 3 (tangents of open and creased fans).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, offsets_from_sizes, ranges, sum_by
from levelloop.core.measure.faces import face_vectors, unit
from levelloop.core.mesh import SHARPNESS_NEVER_FADES
from levelloop.core.topology import Topology


@dataclass(frozen=True, eq=False)
class Sectors:
    """Fans of corners around points, each in counter-clockwise order.

    point: (s,) the point of each sector; closed: (s,) whether its fan closes; corners: (c,) and offsets (s + 1,)
    the fans; of_corner: (k,) the sector of each corner; corner_points: (n,) points that stay where they are;
    crease_points: (n,) points that move along a sharp curve.
    """

    point: Integers
    closed: Booleans
    corners: Integers
    offsets: Integers
    of_corner: Integers
    corner_points: Booleans
    crease_points: Booleans
    is_sharp: Booleans


def sectors(topology: Topology, creases: Floats, corner_sharpness: Floats) -> Sectors:
    """The sectors of an all-quad surface. creases: (e,); sharpness that fades counts as smooth in the limit."""
    sharp = (topology.edge_face_count != 2) | (creases >= SHARPNESS_NEVER_FADES)
    n = topology.n_points
    sharp_at = np.bincount(topology.edges[sharp].ravel(), minlength=n)
    corner_point = (corner_sharpness >= SHARPNESS_NEVER_FADES) | (sharp_at >= 3) | (topology.point_face_count <= 1)
    crease_point = ~corner_point & (sharp_at == 2)
    # A single sharp edge ends in a smooth point: it divides nothing there.
    divides = sharp[topology.corner_edge] & (sharp_at >= 2)[topology.corners]
    around = topology.around.copy()
    into = topology.corner_edge[topology.previous_corner]
    stops = sharp[into] & (sharp_at >= 2)[topology.corners]
    around[stops] = -1
    first_of_point = np.zeros(topology.n_corners, dtype=np.bool_)
    has_start = np.zeros(n, dtype=np.bool_)
    starts_fan = divides | (topology.twin < 0)
    has_start[topology.corners[starts_fan]] = True
    lone = np.flatnonzero(~has_start[topology.corners])
    _, index = np.unique(topology.corners[lone], return_index=True)
    first_of_point[lone[index]] = True
    start = np.flatnonzero(starts_fan | first_of_point)
    sizes, chunks, owners = np.zeros(len(start), dtype=np.int64), [], []
    here, owner = start, np.arange(len(start))
    closed = np.zeros(len(start), dtype=np.bool_)
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
    of_corner = np.empty(topology.n_corners, dtype=np.int64)
    of_corner[corners] = np.repeat(np.arange(len(start)), sizes)
    return Sectors(topology.corners[start], closed, corners, offsets, of_corner, corner_point, crease_point, sharp)


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
    return result


def sector_normals(topology: Topology, around: Sectors, points: Floats) -> Floats:
    """The unit limit normal of each sector: (s, 3)."""
    normals = np.zeros((len(around.point), 3))
    size = np.diff(around.offsets)
    # Fans of one size and kind share their masks; there are few kinds.
    kind = 2 * size + around.closed
    for of_kind in np.unique(kind).tolist():
        chosen = np.flatnonzero(kind == of_kind)
        fan = around.corners[around.offsets[chosen][:, None] + np.arange(of_kind // 2)]
        after = topology.next_corner[fan]
        e, f = points[topology.corners[after]], points[topology.corners[topology.next_corner[after]]]
        if of_kind % 2:
            normals[chosen] = _closed_normals(e, f)
        else:
            last = points[topology.corners[topology.previous_corner[fan[:, -1]]]]
            point = around.point[chosen]
            normals[chosen] = _open_normals(points[point], e, f, last, around.corner_points[point])
    lengths = np.linalg.norm(normals, axis=1)
    weak = np.flatnonzero(~(lengths > 1e-12 * np.maximum(lengths.max(initial=0.0), 1e-300)))
    if len(weak):
        normals[weak] = _mean_normals(topology, around, points, weak)
    return unit(normals)


# Helpers


def _closed_normals(e: Floats, f: Floats) -> Floats:
    """Across fans that close: e, f (s, n, 3) edge neighbours and opposite points, in order."""
    n = e.shape[1]
    angle = 2.0 * np.pi * np.arange(n) / n
    turn = 2.0 * np.pi / n
    spread = 1.0 + np.cos(turn) + np.cos(np.pi / n) * np.sqrt(2.0 * (9.0 + np.cos(turn)))
    first = np.tensordot(e, spread * np.cos(angle), (1, 0))
    first += np.tensordot(f, np.cos(angle) + np.cos(angle + turn), (1, 0))
    second = np.tensordot(e, spread * np.sin(angle), (1, 0))
    second += np.tensordot(f, np.sin(angle) + np.sin(angle + turn), (1, 0))
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
