"""Smoothing that sees what a later step joins to the mesh: its image in a mirror, the next copy, its own other end."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import field

import numpy as np

from levelloop.core.arrays import Floats, Integers, distinct, mask_of, offsets_from_sizes
from levelloop.core.geometry.near import near_across
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.tolerance import AUTOMATIC, last_place, settled
from levelloop.core.values import dataclass


@dataclass(frozen=True)
class Seen:
    """What smoothing sees besides the mesh itself: images of it, as matrices (4, 4) for row vectors.

    key: two of one key see the same of the same mesh.
    """

    key: Hashable
    images: Callable[[Mesh], Sequence[Floats]] = field(compare=False)


class Surroundings:
    """A mesh among the faces of its images that touch it, smoothed together.

    before: what was made for other points or images; what of it still fits is used again.
    """

    _label: Integers  # which points of the mesh and its images are one
    _kept: Integers  # points that are among what is smoothed
    _whole: SmoothSurface
    _into: Integers  # which point of the whole's surface each point of the mesh's own is

    def __init__(
        self, mesh: Mesh, surface: SmoothSurface, images: Sequence[Floats], before: Surroundings | None = None
    ) -> None:
        self._turned = [bool(np.linalg.det(image[:3, :3]) < 0) for image in images]
        self.surface: SmoothSurface = surface
        pieces = [mesh.points, *(mesh.points @ image[:3, :3] + image[3, :3] for image in images)]
        self._label = label = _joined(mesh, pieces)
        if (
            before is not None
            and before.surface is surface
            and before._turned == self._turned
            and np.array_equal(before._label, label)
        ):
            self._kept, self._whole, self._into = before._kept, before._whole, before._into
        else:
            self._kept, self._whole, self._into = self._built(mesh, surface, label)
        self._places = np.zeros((self._whole.cage.n_points, 3))
        self._places[label[self._kept]] = np.concatenate(pieces)[self._kept]
        # The mesh's own points are where they are, not where an image has them.
        self._places[label[: mesh.n_points]] = mesh.points

    def points(self, limit: bool) -> tuple[Floats, Floats]:
        """The mesh's own smooth points, and the same on the limit surface where asked for: (n', 3) each."""
        raw = self._whole.points(self._places)
        return raw[self._into], (self._whole.limit(raw) if limit else raw)[self._into]

    def _built(self, mesh: Mesh, surface: SmoothSurface, label: Integers) -> tuple[Integers, SmoothSurface, Integers]:
        topology = mesh.topology.faces_only
        count, n = len(self._turned), mesh.n_points
        outlines, sizes = [topology.corners], [topology.face_sizes]
        creases, kept = [topology.corner_edge], [np.arange(n)]
        met = mask_of(label[:n], int(label.max(initial=-1)) + 1)
        for number in range(1, count + 1):
            of_image = label[number * n : (number + 1) * n]
            near = np.flatnonzero(met[of_image])
            # Two rows of faces: what the rim of what is seen looks like does not reach the seam.
            faces = topology.faces_of_points(near)
            faces = topology.faces_of_points(distinct(topology.corners[topology.corners_of_faces(faces)]))
            corners = topology.corners_of_faces(faces)
            if self._turned[number - 1]:
                corners, edge = _backwards(topology, faces)
            else:
                edge = topology.corner_edge[corners]
            outlines.append(topology.corners[corners] + number * n)
            sizes.append(topology.face_sizes[faces])
            creases.append(edge)
            kept.append(distinct(topology.corners[corners]) + number * n)
        whole = Topology(offsets_from_sizes(np.concatenate(sizes)), label[np.concatenate(outlines)], len(met))
        sharpness = np.zeros(whole.n_edges)
        plain = mesh.creases[~mesh.topology.wire_edges] if topology is not mesh.topology else mesh.creases
        np.maximum.at(sharpness, whole.corner_edge, plain[np.concatenate(creases)])
        corner = np.zeros(len(met))
        used = np.concatenate(kept)
        np.maximum.at(corner, label[used], np.tile(mesh.corner_sharpness, count + 1)[used])
        cage = Mesh(whole, np.zeros((len(met), 3)), sharpness, corner, scheme=mesh.scheme)
        around = SmoothSurface(cage, surface.level)
        return used, around, _places_in(surface, around, label[:n])


def mirrored_images(planes: str) -> list[Floats]:
    """The images in mirrors through the origin, and in several of them: matrices (4, 4)."""
    found = [np.eye(4)]
    for plane in planes:
        mirror = np.eye(4)
        mirror["xyz".index(plane), "xyz".index(plane)] = -1.0
        found += [image @ mirror for image in found]
    return found[1:]


def neighbouring_images(step: Floats) -> list[Floats]:
    """The copy before and the copy after, of copies a matrix (4, 4) apart."""
    return [step, np.asarray(np.linalg.inv(step), dtype=np.float64)]


def chained(sets: Sequence[Sequence[Floats]]) -> list[Floats]:
    """The images under one set of images after the other, each once."""
    found = [np.eye(4)]
    for images in sets:
        for image in [before @ image for before in found for image in images]:
            if not any(np.allclose(image, other, rtol=1e-12, atol=1e-12) for other in found):
                found.append(image)
    return found[1:]


# Helpers


def _joined(mesh: Mesh, pieces: Sequence[Floats]) -> Integers:
    """Which points of the mesh and its images are one: (pieces · n,), the mesh's own each for itself."""
    n = mesh.n_points
    rim = np.flatnonzero(mesh.topology.open_points)
    reach = max(settled(AUTOMATIC, mesh.points, mesh.topology.edges), last_place(mesh.points))
    label: Integers = np.arange(n * len(pieces))
    if len(rim) == 0:
        return label
    places = np.concatenate([points[rim] for points in pieces])
    piece = np.repeat(np.arange(len(pieces)), len(rim))
    _, group = near_across(places, piece, reach)
    # Each group by its first member; the mesh's own come first, so that they keep their numbers.
    number = np.concatenate([rim + index * n for index in range(len(pieces))])
    first = np.full(int(group.max()) + 1, len(label))
    np.minimum.at(first, group, number)
    own = number < n
    label[number] = np.where(own, number, first[group])
    return np.unique(label, return_inverse=True)[1]


def _backwards(topology: Topology, faces: Integers) -> tuple[Integers, Integers]:
    """The corners of faces the other way around, and the edge that leaves each of them then."""
    sizes = topology.face_sizes[faces]
    corners = topology.corners_of_faces(faces)
    starts = offsets_from_sizes(sizes)[:-1]
    order = np.repeat(2 * starts + sizes - 1, sizes) - np.arange(len(corners))
    turned = corners[order]
    return turned, topology.corner_edge[topology.previous_corner[turned]]


def _places_in(surface: SmoothSurface, whole: SmoothSurface, points: Integers) -> Integers:
    """Which point of the whole's surface each point of the mesh's own surface is; its faces are the whole's first."""
    for ours, theirs in zip(surface.steps, whole.steps, strict=True):
        inner, outer = ours.parent, theirs.parent
        edges = np.empty(inner.n_edges, dtype=np.int64)
        edges[inner.corner_edge] = outer.corner_edge[: inner.n_corners]
        first = outer.n_points
        points = np.concatenate((points, first + edges, first + outer.n_edges + np.arange(inner.n_faces)))
    return points
