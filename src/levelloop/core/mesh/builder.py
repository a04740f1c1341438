"""The one builder of edits: points and faces added to a mesh, faces with new outlines, tags following by origin."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, mask_of, offsets_from_sizes, ranges
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, Origin, carry
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology, compact


class MeshBuilder:
    """A mesh while an edit of it is worked out.

    A face that takes an old one's place keeps that place; those that are added come last, all others stay.
    """

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        self.n_points = mesh.n_points
        self._points = [mesh.points]
        self._point_origins: list[Integers] = [np.arange(mesh.n_points)]
        self._on_edge: list[Integers] = [np.full(mesh.n_points, -1, dtype=np.int64)]
        self._placed: list[Booleans] = [np.zeros(mesh.n_points, dtype=np.bool_)]
        self._replaced = np.zeros(mesh.n_faces, dtype=np.bool_)
        self._sizes: list[Integers] = []
        self._corners: list[Integers] = []
        self._face_origins: list[Integers] = []
        self._places: list[Integers] = []
        self._joined: list[tuple[Integers, Integers]] = []
        self.numbers: Integers = np.arange(mesh.n_points)  # of each point in the mesh that was built, −1 for none

    def move(self, points: Floats) -> None:
        """Puts the old points elsewhere: (n, 3)."""
        self._points[0] = points

    def points(
        self,
        places: Floats,
        origin: Integers | None = None,
        on_edge: Integers | None = None,
        in_faces: bool = False,
    ) -> Integers:
        """Adds points (p, 3); returns their numbers (p,).

        origin: (p,) the old point that each comes from; on_edge: (p,) the old edge that it is put on; in_faces: they
        lie in the old faces, and have their UV from there.
        """
        count = len(places)
        none = np.full(count, -1, dtype=np.int64)
        self._points.append(places)
        self._point_origins.append(none if origin is None else origin)
        self._on_edge.append(none if on_edge is None else on_edge)
        self._placed.append(np.full(count, in_faces, dtype=np.bool_))
        self.n_points += count
        return np.arange(self.n_points - count, self.n_points)

    def faces(self, corners: Integers, origin: Integers | None = None) -> None:
        """Adds faces of one size, (f, sides) by point; origin: (f,) the old face that each comes from."""
        if corners.shape[1] < 3:
            return
        sizes = np.full(len(corners), corners.shape[1], dtype=np.int64)
        self.outlines(sizes, corners.ravel(), np.full(len(corners), -1, dtype=np.int64) if origin is None else origin)

    def outlines(self, sizes: Integers, corners: Integers, origin: Integers, in_place: Booleans | None = None) -> None:
        """Adds faces of sizes (f,), their points one face after the other; in_place: (f,) in their origin's place."""
        places = np.full(len(sizes), self.mesh.n_faces, dtype=np.int64)
        if in_place is not None:
            places[in_place] = origin[in_place]
            self._replaced[origin[in_place]] = True
        self._sizes.append(sizes)
        self._corners.append(corners)
        self._face_origins.append(origin)
        self._places.append(places)

    def stand_for(self, pairs: Integers, edges: Integers) -> None:
        """Edges between points (e, 2) that come from old ones (e,), where their ends do not tell."""
        self._joined.append((pairs, edges))

    def replace(self, sizes: Integers, corners: Integers, faces: Integers) -> None:
        """New outlines for old faces (f,), in their place."""
        self.outlines(sizes, corners, faces, np.ones(len(faces), dtype=np.bool_))

    def split(self, corners: Integers, origin: Integers) -> None:
        """Faces of one size (f, sides) in place of old ones; the first of each origin (f,) takes its place."""
        first = np.zeros(len(corners), dtype=np.bool_)
        first[np.unique(origin, return_index=True)[1]] = True
        self.outlines(np.full(len(corners), corners.shape[1], dtype=np.int64), corners.ravel(), origin, first)

    def build(
        self,
        drop_unused: bool = False,
        wires: Integers | None = None,
        more_wires: Integers | None = None,
        in_faces: Integers | None = None,
    ) -> tuple[Mesh, Origin]:
        """The new mesh and where everything comes from.

        drop_unused: points that no face needs any more go. wires: (w, 2) the old ones that stay, all where not given;
        more_wires: (w, 2) new ones. in_faces: old points that no face had, and that now lie in one.
        """
        old = self.mesh.topology
        kept = np.flatnonzero(~self._replaced)
        sizes = np.concatenate((old.face_sizes[kept], *self._sizes))
        corners = np.concatenate((old.corners[old.corners_of_faces(kept)], *self._corners))
        face_origin = np.concatenate((kept, *self._face_origins))
        places = np.concatenate((kept, *self._places))
        order = np.argsort(places, kind="stable")
        starts = offsets_from_sizes(sizes)[:-1]
        ordered, offsets = corners[ranges(starts[order], sizes[order])], offsets_from_sizes(sizes[order])
        points, point_origin = np.concatenate(self._points), np.concatenate(self._point_origins)
        on_edge, placed = np.concatenate(self._on_edge), np.concatenate(self._placed)
        if in_faces is not None:
            placed[in_faces] = True
        self.numbers = np.arange(self.n_points)
        if drop_unused:
            ends = (old.wires if wires is None else wires, more_wires if more_wires is not None else old.wires[:0])
            used = mask_of(np.concatenate((ordered, *(pairs.ravel() for pairs in ends))), self.n_points)
            used[: old.n_points] |= old.valence == 0
            self.numbers = compact(used)
            ordered = self.numbers[ordered]
            points, point_origin, on_edge, placed = points[used], point_origin[used], on_edge[used], placed[used]
        topology = Topology.derived(offsets, ordered, len(points))
        if more_wires is not None and len(more_wires):
            topology = topology.with_wires(self.numbers[more_wires])
        joined = None
        if self._joined:
            pairs, edges = (np.concatenate(column) for column in zip(*self._joined, strict=True))
            joined = self.numbers[pairs], edges
        return carry(
            self.mesh, topology, points, point_origin, face_origin[order], on_edge, joined, placed=placed, wires=wires
        )

    def edit(self, drop_unused: bool = False) -> Edit:
        """The edit with the faces that were added selected."""
        mesh, origin = self.build(drop_unused)
        return Edit(mesh, Selection("faces", np.arange(self.mesh.n_faces, mesh.n_faces)), origin)
