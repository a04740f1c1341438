"""Rings on flats: the outline of a flat with faces inside gets a row of quads of its own, for its supports to lie in.

Points inside a flat say nothing about the form: drawn in with its outline they leave the surface as it is. So a grid or
a fan of faces that would hold supports back makes room for them, as a modeler makes it by an inset.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, difference, distinct, mask_of, one_cycle
from levelloop.core.edit.hold.turns import Turns, directions, sides_of, slid
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import edge_folds, face_normals, face_vectors
from levelloop.core.mesh.mean_value import moved_inside
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass

WITHIN = 0.1  # degrees between the faces of a flat
LEAST_LEFT = 0.02  # of a side of the outline that is left of it in the ring
UPRIGHT = 0.5  # cosine between a face of a flat and the flat: less, and it has turned over


@dataclass(frozen=True, eq=False)
class Flat:
    """A flat with a ring: its faces, the points of its outline in order, the ring's, and those inside it."""

    faces: Integers
    rim: Integers
    ring: Integers
    inside: Integers


@dataclass(frozen=True, eq=False)
class Ringed:
    """The mesh with rings at flats.

    edit: its selection is the rings' edges; edges: the held ones there; held: (k,) its held half-edges; on_flat: (k,)
    those with a ring beside them.
    """

    edit: Edit
    edges: Integers
    held: Booleans
    on_flat: Booleans
    flats: tuple[Flat, ...]

    def placed(self, turns: Turns, values: Floats) -> Mesh | None:
        """The mesh with the rings as far from their outlines as supports are to be; None where one has no room."""
        mesh = self.edit.mesh
        chosen = self.on_flat[turns.half]
        points = slid(mesh, sides_of(mesh, self.edges), values, chosen)
        for flat in self.flats:
            rim, ring = mesh.points[flat.rim], points[flat.ring]
            outer, inner = np.roll(rim, -1, axis=0) - rim, np.roll(ring, -1, axis=0) - ring
            if (np.einsum("ij,ij->i", outer, inner) < LEAST_LEFT * np.einsum("ij,ij->i", outer, outer)).any():
                return None
            if len(flat.inside):
                places = mesh.points[flat.inside]
                points[flat.inside] = places + moved_inside(rim, ring - rim, places)
            normal = face_vectors(mesh.topology, mesh.points, flat.faces).sum(axis=0)
            upright = face_normals(mesh.topology, points, flat.faces) @ directions(normal[None])[0]
            if (upright < UPRIGHT).any():
                return None
        return mesh.with_points(points)


def ringed(mesh: Mesh, edges: Integers, held: Booleans, distance: float) -> Ringed | None:
    """The mesh with a ring at every flat of several faces whose whole outline, one closed run, is held.

    held: (k,) half-edges of the edges; distance: mm, about how far a ring is from its outline. None without such flats.
    """
    topology = mesh.topology
    outlines = _outlines(mesh, held)
    if not outlines:
        return None
    builder = MeshBuilder(mesh)
    place = np.arange(mesh.n_points)
    rings: list[tuple[Integers, Integers, Integers]] = []
    corners = topology.corners.copy()
    for faces, outline in outlines:
        rim = topology.corners[outline]
        here = mesh.points[rim]
        normal = directions(face_vectors(topology, mesh.points, faces).sum(axis=0)[None])[0]
        inward = directions(np.cross(normal, np.roll(here, -1, axis=0) - here))
        between = np.roll(inward, 1, axis=0) + inward
        # Along the bisector, so that both sides are left by the same distance.
        square = np.maximum(np.einsum("ij,ij->i", between, between), 1e-2)
        ring = builder.points(here + between * (2.0 * distance / square)[:, None], in_faces=True)
        place[rim] = ring
        own = topology.corners_of_faces(faces)
        corners[own] = place[corners[own]]
        builder.replace(topology.face_sizes[faces], corners[own], faces)
        quads = np.stack((rim, np.roll(rim, -1), np.roll(ring, -1), ring), axis=1)
        builder.faces(quads, topology.corner_face[outline])
        rings.append((rim, ring, difference(topology.corners[own], rim)))
        place[rim] = rim
    built, origin = builder.build()
    made = built.topology
    rows = np.concatenate([np.stack((ring, np.roll(ring, -1)), axis=1) for _, ring, _ in rings])
    edit = Edit(built, Selection("edges", distinct(made.find_edges(rows))), origin)
    half = np.flatnonzero(held)
    ahead = np.stack((topology.corners[half], topology.corner_end[half]), axis=1)
    new_half = _half_edges(made, ahead)
    on_flat = mask_of(np.concatenate([outline for _, outline in outlines]), topology.n_corners)
    return Ringed(
        edit,
        made.find_edges(topology.edges[edges]),
        mask_of(new_half, made.n_corners),
        mask_of(new_half[on_flat[half]], made.n_corners),
        tuple(Flat(faces, *ring) for (faces, _), ring in zip(outlines, rings, strict=True)),
    )


# Helpers


def _outlines(mesh: Mesh, held: Booleans) -> list[tuple[Integers, Integers]]:
    """The faces of flats whose outline is held, and its half-edges in order."""
    topology = mesh.topology
    inner = (topology.edge_face_count == 2) & (topology.edge_pair >= 0).all(axis=1)
    held_edges = mask_of(topology.corner_edge[held], topology.n_edges)
    joins = inner & ~held_edges & (edge_folds(topology, mesh.points) < WITHIN)
    _, label = connected_labels(topology.corner_face[topology.edge_pair[joins]], topology.n_faces)
    of_corner = label[topology.corner_face]
    is_rim = np.where(topology.twin >= 0, of_corner[topology.twin] != of_corner, True)
    found = []
    for flat in distinct(of_corner[held]).tolist():
        faces = np.flatnonzero(label == flat)
        corners = topology.corners_of_faces(faces)
        outline = corners[is_rim[corners]]
        if len(faces) < 2 or len(outline) == 0:
            # Where all folds are as small, a closed form is one flat without a rim.
            continue
        order = one_cycle(topology.corners[outline], topology.corner_end[outline])
        if order is not None and held[outline].all():
            found.append((faces, outline[order]))
    return found


def _half_edges(topology: Topology, ends: Integers) -> Integers:
    """The half-edges from one point to another: (h, 2) → (h,)."""
    pair = topology.edge_pair[topology.find_edges(ends)]
    return np.where(topology.corners[pair[:, 0]] == ends[:, 0], pair[:, 0], pair[:, 1])
