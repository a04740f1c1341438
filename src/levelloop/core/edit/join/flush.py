"""Where faces of two cages lie on each other: what is left of that plane is divided anew, by their real edges alone."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import field
from itertools import pairwise

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, distinct, unique_rows
from levelloop.core.geometry.near import near_groups
from levelloop.core.geometry.plane_figures import area, cells, connected, flat_axes, inside, turn_of
from levelloop.core.mesh.faces import face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.progress import pieces
from levelloop.core.tolerance import last_place
from levelloop.core.values import dataclass

SAME_PLANE = 1e-7  # of a unit normal, and of the size of both for the distance from the origin
MOST_SIDES = 1_500  # of one plane: every one is compared with every other, and finer planes stay as they are


@dataclass
class Flush:
    """What was divided anew: rings of points and their old faces, triangles used up, points put in, and onto what.

    points: those of the solid, of_solid in number, and those that were added.
    """

    points: Floats
    of_solid: int
    rings: list[Integers] = field(default_factory=list)
    origins: list[int] = field(default_factory=list)
    used: list[int] = field(default_factory=list)
    inserted: dict[tuple[int, int], list[int]] = field(default_factory=dict)

    def with_inserted(self, ring: Integers) -> Integers:
        """A ring with the points that were put onto its sides: (n,)."""
        out: list[int] = []
        for a, b in zip(ring.tolist(), np.roll(ring, -1).tolist(), strict=True):
            out.append(a)
            out += self.inserted.get((a, b), [])
        return np.array(out, dtype=np.int64)


def divided_anew(both: Mesh, n_first: int, points: Floats, triangle: Integers, face_of: Integers, turned: int) -> Flush:
    """The triangles of planes in which faces of both cages overlap as cells between their edges; of both the first's.

    both: the two cages as one mesh, the first with n_first faces; points, triangle, face_of: the solid; turned: from
    which face on they run the other way around now. Planes that cannot be divided so stay as they are.
    """
    flush = Flush(points, len(points))
    normals = face_normals(both.topology, both.points)
    normals[turned:] *= -1.0
    first = both.points[both.topology.corners[both.topology.face_offsets[:-1]]]
    size = max(float(np.ptp(both.points, axis=0).max()), 1e-300)
    distance = np.einsum("ij,ij->i", first - both.points.mean(axis=0), normals) / size
    key = np.round(np.column_stack((normals, distance)) / (10 * SAME_PLANE)).astype(np.int64)
    _, plane = unique_rows(key)
    plane = plane.ravel()
    left = distinct(face_of)
    of_first = distinct(plane[left[left < n_first]])
    of_second = distinct(plane[left[left >= n_first]])
    for one in pieces(distinct(of_first[np.isin(of_first, of_second)]).tolist()):
        faces = np.flatnonzero((plane == one) & normals.any(axis=1))
        mine, theirs = faces[faces < n_first], faces[faces >= n_first]
        if int(both.topology.face_sizes[faces].sum()) > MOST_SIDES or not len(mine) or not len(theirs):
            continue
        if _overlap(both, mine, theirs):
            chosen = np.flatnonzero(plane[face_of] == one)
            _divide(flush, both, faces, normals[faces[0]], triangle, chosen)
    return flush


# Helpers


def _overlap(both: Mesh, mine: Integers, theirs: Integers) -> bool:
    """Whether the boxes around any two faces share more than a side."""
    boxes = []
    for faces in (mine, theirs):
        corners = both.points[both.topology.corners[both.topology.corners_of_faces(faces)]]
        starts = np.concatenate(([0], np.cumsum(both.topology.face_sizes[faces])[:-1]))
        boxes.append((np.minimum.reduceat(corners, starts), np.maximum.reduceat(corners, starts)))
    (low, high), (other_low, other_high) = boxes
    shared = np.minimum(high[:, None], other_high) - np.maximum(low[:, None], other_low)
    least = 1e-9 * float(np.ptp(both.points, axis=0).max())
    return bool(((shared > least).sum(axis=2) >= 2).any())


def _divide(flush: Flush, both: Mesh, faces: Integers, normal: Floats, triangle: Integers, chosen: Integers) -> None:
    axes = flat_axes(normal)
    base = flush.points[triangle[chosen[0], 0]]
    flat = triangle[chosen]
    start, end = flat.ravel(), np.roll(flat, -1, axis=1).ravel()
    count = len(flush.points)
    rim = ~np.isin(start * count + end, end * count + start)
    outline = np.stack((start[rim], end[rim]), axis=1)
    topology = both.topology
    corners = topology.corners_of_faces(faces)
    sides = topology.edges[distinct(topology.corner_edge[corners])]
    if len(outline) + len(sides) > MOST_SIDES:
        return
    # All places of the figure, each once: those of the solid first.
    known = distinct(outline)
    old = distinct(sides)
    places = (np.concatenate((flush.points[known], both.points[old])) - base) @ axes.T
    near = 100.0 * last_place(np.concatenate((flush.points[known], both.points[old])))
    segments = np.concatenate((np.searchsorted(known, outline), len(known) + np.searchsorted(old, sides)))
    places, segments, is_rim = _crossed(places, segments, np.arange(len(segments)) < len(outline), near)
    corner = (flush.points[flat] - base) @ axes.T
    middle = places[segments].mean(axis=1)
    segments = segments[is_rim | _in_triangles(middle, corner, near)]
    used, number = np.unique(segments, return_inverse=True)
    places, segments = places[used], number.reshape(-1, 2)
    if np.bincount(segments.ravel()).min() < 2:
        return
    if connected_labels(segments, len(places))[0] > 1:
        # A hole in the middle of one cell.
        largest = max(cells(places, segments), key=lambda ring: area(places[ring]))
        tied = connected(places, segments, places[largest])
        if tied is None:
            return
        segments = tied
    numbers = _numbers(flush, places, known, base, axes, near)
    rings, origins, covered = [], [], 0.0
    for ring in cells(places, segments):
        inner = _place_within(places[ring])
        if not _in_triangles(inner[None], corner, near)[0]:
            continue
        under = [face for face in faces.tolist() if inside((both.points[topology.face(face)] - base) @ axes.T, inner)]
        if not under:
            return
        rings.append(numbers[ring])
        origins.append(under[0])
        covered += area(places[ring])
    meant = float(turn_of(corner[:, 0], corner[:, 1], corner[:, 2]).sum()) / 2.0
    if abs(covered - meant) > 1e-6 * meant:
        return
    _insert(flush, outline, numbers, places, (flush.points[outline] - base) @ axes.T, near)
    flush.rings += rings
    flush.origins += origins
    flush.used += chosen.tolist()


def _crossed(places: Floats, segments: Integers, is_rim: Booleans, near: float) -> tuple[Floats, Integers, Booleans]:
    """The figure with a place wherever segments meet: places, segments between them, each once, which are rim."""
    a, b = places[segments[:, 0]], places[segments[:, 1]]
    way = b - a
    across = way[:, None, 0] * way[None, :, 1] - way[:, None, 1] * way[None, :, 0]
    from_a = a[None, :] - a[:, None]
    length = np.linalg.norm(way, axis=1)
    meets = np.abs(across) > 1e-9 * length[:, None] * length[None, :]
    safe = np.where(meets, across, 1.0)
    s = (from_a[..., 0] * way[None, :, 1] - from_a[..., 1] * way[None, :, 0]) / safe
    t = (from_a[..., 0] * way[:, None, 1] - from_a[..., 1] * way[:, None, 0]) / safe
    slack = near / np.maximum(length, near)
    meets &= (s > -slack[:, None]) & (s < 1 + slack[:, None]) & (t > -slack[None, :]) & (t < 1 + slack[None, :])
    i, j = np.nonzero(np.triu(meets, 1))
    crossing = a[i] + s[i, j][:, None] * way[i]
    every = np.concatenate((places, crossing))
    # Those put together count as the first of them, which is one of the solid's where there is one.
    _, group = near_groups(np.column_stack((every, np.zeros(len(every)))), near)
    first = np.full(int(group.max()) + 1, len(every))
    np.minimum.at(first, group, np.arange(len(every)))
    every, target = every[first], group
    # Every place on a segment cuts it.
    pairs: dict[tuple[int, int], bool] = defaultdict(bool)
    for number, (one, other) in enumerate(target[segments].tolist()):
        if one == other:
            continue
        off, long = every - a[number], float(length[number])
        along = off @ way[number] / long
        beside = np.abs(off[:, 0] * way[number, 1] - off[:, 1] * way[number, 0]) / long
        here = np.flatnonzero((beside <= near) & (along > -near) & (along < long + near))
        for before, after in pairwise(here[np.argsort(along[here], kind="stable")].tolist()):
            pairs[min(before, after), max(before, after)] |= bool(is_rim[number])
    found = np.array(sorted(pairs), dtype=np.int64).reshape(-1, 2)
    return every, found, np.array([pairs[a, b] for a, b in found.tolist()], dtype=np.bool_)


def _in_triangles(places: Floats, corners: Floats, slack: float) -> Booleans:
    """Whether each place lies in one of the triangles (t, 3, 2), counter-clockwise: (n,)."""
    result = np.ones((len(places), len(corners)), dtype=np.bool_)
    for side in range(3):
        a, b = corners[:, side], corners[:, (side + 1) % 3]
        way = b - a
        off = places[:, None] - a[None]
        turn = way[None, :, 0] * off[..., 1] - way[None, :, 1] * off[..., 0]
        result &= turn >= -slack * np.linalg.norm(way, axis=1)[None]
    return np.asarray(result.any(axis=1))


def _place_within(ring: Floats) -> Floats:
    """A place inside a polygon: beside the middle of its longest side."""
    way = np.roll(ring, -1, axis=0) - ring
    length = np.linalg.norm(way, axis=1)
    side = int(length.argmax())
    inward = np.array([-way[side, 1], way[side, 0]]) / length[side]
    step = length[side]
    middle = ring[side] + way[side] / 2.0
    for _ in range(40):
        step /= 4.0
        if inside(ring, middle + step * inward):
            return np.asarray(middle + step * inward)
    return np.asarray(middle)


def _numbers(flush: Flush, places: Floats, known: Integers, base: Floats, axes: Floats, near: float) -> Integers:
    """The number of the solid's point at each place; where there is none it is added, once for all planes it is on."""
    normal = np.cross(axes[0], axes[1])
    added = np.arange(flush.of_solid, len(flush.points))
    known = np.concatenate((known, added[np.abs((flush.points[added] - base) @ normal) <= near]))
    flat = (flush.points[known] - base) @ axes.T
    far = np.linalg.norm(places[:, None] - flat[None], axis=2)
    closest = far.argmin(axis=1)
    numbers = known[closest]
    new = np.flatnonzero(far[np.arange(len(places)), closest] > 2.0 * near)
    numbers[new] = len(flush.points) + np.arange(len(new))
    flush.points = np.concatenate((flush.points, base + places[new] @ axes))
    return np.asarray(numbers)


def _insert(flush: Flush, outline: Integers, numbers: Integers, places: Floats, ends: Floats, near: float) -> None:
    """Notes which places lie on the sides of the outline, for the faces on its other side."""
    for (a, b), (one, other) in zip(outline.tolist(), ends, strict=True):
        way = other - one
        length = float(np.linalg.norm(way))
        off = places - one
        along = off @ way / length
        on = np.abs(off[:, 0] * way[1] - off[:, 1] * way[0]) / length <= 2.0 * near
        on &= (along > 2.0 * near) & (along < length - 2.0 * near)
        middle = [int(n) for n in numbers[np.flatnonzero(on)[np.argsort(along[on])]] if n not in (a, b)]
        if middle:
            flush.inserted[b, a] = middle[::-1]
