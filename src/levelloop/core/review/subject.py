"""What a review looks at: a mesh as it leaves the recipe, and its smooth surface, worked out once when a check asks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.lazy import lazy
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.surface.samples import SurfaceSamples, sampled
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.uv.measure import overlapping_faces

LEVEL = 2  # at which the smooth surface is looked at: a quarter of a cage face


@dataclass(frozen=True, eq=False)
class Subject:
    """One part under review. mesh: in the world; is_smoothed: whether it is shown smooth at all."""

    mesh: Mesh
    is_smoothed: bool = True

    @lazy
    def smooth(self) -> SmoothSurface:
        """The mesh refined to the level that is looked at."""
        return SmoothSurface(self.mesh, LEVEL)

    @lazy
    def surface(self) -> SurfaceSamples:
        """Samples of the limit surface at the points of that level."""
        return sampled(self.smooth, self.mesh.points, directions=True)

    @lazy
    def shared_uv(self) -> tuple[Integers, Integers]:
        """Faces that lie over others in UV, and those that lie exactly on another one."""
        return overlapping_faces(self.mesh)

    def turns_at(self, points: Integers) -> Floats:
        """By how much the surface turns at cage points over the length of their edges: (n,) degrees.

        Where the part is not shown smooth a cage has no curvature, and what is not known to be flat is not.
        """
        if not self.is_smoothed:
            return np.full(len(points), np.inf)
        return np.degrees(self.bend[points] * self.edge_length[points])

    @lazy
    def edge_length(self) -> Floats:
        """The mean length of the edges at each point of the mesh: (n,) mm."""
        topology, points = self.mesh.topology, self.mesh.points
        ends = points[topology.edges]
        length = np.repeat(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1), 2)
        total = np.bincount(topology.edges.ravel(), length, self.mesh.n_points)
        return np.asarray(total / np.maximum(topology.valence, 1))

    @lazy
    def face_bend(self) -> Floats:
        """The largest curvature on each face of the mesh: (m,) 1/mm."""
        fine, result = self.smooth.topology, np.zeros(self.mesh.n_faces)
        np.maximum.at(result, self.smooth.face_origin[fine.corner_face], self.bend[fine.corners])
        return result

    @lazy
    def bend(self) -> Floats:
        """The larger curvature at each sample, whichever way it bends: (n',) 1/mm."""
        return np.maximum(np.abs(self.surface.k1), np.abs(self.surface.k2))
