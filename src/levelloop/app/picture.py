"""Picture: what a part looks like as arrays, ready to be uploaded and picked; made in any thread."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from levelloop.core.arrays import Floats, Integers
from levelloop.core.errors import LevelLoopError
from levelloop.core.forms.curves import path_of
from levelloop.core.measure.faces import corner_normals, face_areas, face_centres, face_normals, triangles
from levelloop.core.mesh import Mesh
from levelloop.core.subdivision.surface import SmoothSurface
from levelloop.document.document import Part

Singles = NDArray[np.float32]

# Level shown where a part's level is the limit: dense enough to hide the facets.
LIMIT_SHOWN_AT = 3
CURVE_STEPS = 12  # lines between two points of a smooth curve


@dataclass(frozen=True, eq=False)
class Picture:
    """A part at the level it is shown at; places in the world.

    places: (n', 3) shown points, cage points first. vertices: (v, 6) place and normal; indices: (t, 3);
    triangle_face: (t,) the cage face of each triangle. chains: (e, c) shown points along each cage edge.
    """

    part: Part
    level: int
    surface: SmoothSurface
    places: Floats
    vertices: Singles
    indices: NDArray[np.uint32]
    triangle_face: Integers
    chains: Integers

    @property
    def n_shown_faces(self) -> int:
        """Faces of the surface shown."""
        return self.surface.topology.n_faces

    @cached_property
    def cage_places(self) -> Floats:
        """Where the cage's points are shown: (n, 3)."""
        return self.places[: self.part.mesh.n_points]

    @cached_property
    def edge_middles(self) -> Floats:
        """Where the middle of each cage edge is shown: (e, 3)."""
        count = self.chains.shape[1]
        middles = self.places[self.part.mesh.topology.edges].mean(axis=1)
        if count % 2:
            curved = ~self.part.mesh.topology.wire_edges
            middles[curved] = self.places[self.chains[curved, count // 2]]
        return np.asarray(middles)

    @cached_property
    def face_middles(self) -> Floats:
        """Where the middle of each cage face is shown: (m, 3)."""
        mesh = self.part.mesh
        if self.level == 0:
            return face_centres(mesh.topology, self.places)
        # The face point of level 1 keeps its number at every level after.
        first = mesh.n_points + mesh.topology.faces_only.n_edges
        return self.places[first : first + mesh.n_faces]

    def segments(self, edges: Integers | None = None) -> Singles:
        """The lines along cage edges, all or some: (s, 2, 3)."""
        chains = self.chains if edges is None else self.chains[edges]
        lines = np.stack((chains[:, :-1], chains[:, 1:]), axis=2).reshape(-1, 2)
        return self.places[lines].astype(np.float32)

    def face_vertices(self, faces: Integers) -> Singles:
        """The triangles of some cage faces, as places: (3t, 3)."""
        chosen = np.zeros(self.part.mesh.n_faces, dtype=np.bool_)
        chosen[faces] = True
        return np.ascontiguousarray(self.vertices[self.indices[chosen[self.triangle_face]].ravel(), :3])

    @cached_property
    def normal_lines(self) -> Singles:
        """A short line from the middle of each shown cage face along its normal: (m, 2, 3)."""
        mesh = self.part.to_world(self.part.mesh)
        shown = np.flatnonzero(~mesh.hidden)
        if len(shown) == 0:
            return np.zeros((0, 2, 3), dtype=np.float32)
        start = self.face_middles[shown]
        length = 0.5 * np.sqrt(np.median(face_areas(mesh.topology, mesh.points)[shown]))
        end = start + length * face_normals(mesh.topology, mesh.points, shown)
        return np.stack((start, end), axis=1).astype(np.float32)

    @cached_property
    def curve_lines(self) -> Singles:
        """The line of a smooth curve through its points: (s, 2, 3); nothing for other parts."""
        mesh = self.part.mesh
        if mesh.curve != "smooth" or mesh.n_faces or not len(mesh.topology.wires):
            return np.zeros((0, 2, 3), dtype=np.float32)
        try:
            path = path_of(mesh)
        except LevelLoopError:
            return np.zeros((0, 2, 3), dtype=np.float32)
        on = path.at(np.linspace(0.0, path.spans, path.spans * CURVE_STEPS + 1))
        if not self.part.in_place:
            on = on @ self.part.transform[:3, :3] + self.part.transform[3, :3]
        return np.stack((on[:-1], on[1:]), axis=1).astype(np.float32)

    def extent(self) -> Floats:
        """The points that frame the part: (n, 3)."""
        return self.cage_places


def shown_level(part: Part, smooth: bool) -> int:
    """The level a part is shown at."""
    if not smooth:
        return 0
    return max(part.level, LIMIT_SHOWN_AT) if part.limit else part.level


def make_picture(part: Part, smooth: bool, old: Picture | None = None, level: int | None = None) -> Picture:
    """The picture of a part, at its own level or another, from the old picture's surface where that still fits."""
    level = shown_level(part, smooth) if level is None else level
    mesh = part.mesh
    if old is not None and old.level == level and old.surface.fits(mesh):
        surface = old.surface
    else:
        surface = SmoothSurface(mesh, level, like=old.surface if old is not None else None)
    local = surface.points(mesh.points)
    if level == 0:
        places = part.to_world(mesh).points
        shown, face = triangles(mesh.topology, places, mesh.diagonal)
        solid = ~(mesh.hole | mesh.hidden)[face]
        shown, face = shown[solid], face[solid]
        corners = places[shown.ravel()]
        vertices = np.concatenate((corners, _cage_normals(mesh, places, shown, face)), axis=1)
        indices = np.arange(3 * len(shown), dtype=np.uint32).reshape(-1, 3)
        return Picture(part, 0, surface, places, vertices.astype(np.float32), indices, face, mesh.topology.edges)
    normals = surface.normals(local)
    if part.limit:
        local = surface.limit(local)
    places = local
    if not part.in_place:
        places = local @ part.transform[:3, :3] + part.transform[3, :3]
        normals = normals @ np.linalg.inv(part.transform[:3, :3]).T
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    sectors = surface.sectors
    vertices = np.concatenate((places[sectors.point], normals), axis=1).astype(np.float32)
    shown = ~(surface.left_out | mesh.hidden[surface.face_origin])
    quad = sectors.of_corner.reshape(-1, 4)[shown].astype(np.uint32)
    indices = np.stack((quad[:, [0, 1, 2]], quad[:, [0, 2, 3]]), axis=1).reshape(-1, 3)
    face = np.repeat(surface.face_origin[shown], 2)
    return Picture(part, level, surface, places, vertices, indices, face, surface.edge_chains)


def _cage_normals(mesh: Mesh, places: Floats, shown: Integers, face: Integers) -> Floats:
    """The normal at each corner of the triangles of a cage: that of its face, or shaded over soft edges: (3t, 3)."""
    topology = mesh.topology
    if mesh.soft is None or not mesh.soft.any():
        return np.repeat(face_normals(topology, places)[face], 3, axis=0)
    key = topology.corner_face * topology.n_points + topology.corners
    order = np.argsort(key)
    wanted = (face[:, None] * topology.n_points + shown).ravel()
    return corner_normals(topology, places, mesh.soft)[order[np.searchsorted(key, wanted, sorter=order)]]


def dashed(segments: Singles, count: int) -> Singles:
    """Each segment in that many dashes, with gaps between: (s, 2, 3) → (s · count, 2, 3)."""
    start, along = segments[:, :1], segments[:, 1:] - segments[:, :1]
    ratio = (np.arange(count)[:, None] + np.array([0.2, 0.8])) / count
    return np.ascontiguousarray(
        (start[:, None] + ratio[None, :, :, None] * along[:, None]).reshape(-1, 2, 3), dtype=np.float32
    )
