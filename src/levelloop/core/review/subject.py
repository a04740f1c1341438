"""What a review looks at: a mesh as it leaves the recipe, and its smooth surface, worked out once when a check asks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.lazy import lazy
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.surface.samples import SurfaceSamples, sampled
from levelloop.core.surface.surface import SmoothSurface

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
        return sampled(self.smooth, self.mesh.points)

    @lazy
    def bend(self) -> Floats:
        """The larger curvature at each sample, whichever way it bends: (n',) 1/mm."""
        return np.maximum(np.abs(self.surface.k1), np.abs(self.surface.k2))
