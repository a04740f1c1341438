"""The normals that are shown, for files that keep normals."""

from __future__ import annotations

from levelloop.core.arrays import Floats
from levelloop.core.mesh.faces import corner_normals
from levelloop.core.mesh.mesh import Mesh


def shown_normals(mesh: Mesh) -> Floats:
    """The unit normal at each corner as the view shows it: (k, 3).

    A smooth surface's own, of its limit; else round over soft edges and hard over the others.
    """
    if mesh.normals is not None:
        return mesh.normals
    return corner_normals(mesh.topology, mesh.points, mesh.soft_edges)
