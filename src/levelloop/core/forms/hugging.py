"""Curves that stay on a surface between their points too."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.forms.curves import Path, add_curve, path_of
from levelloop.core.geometry.skin import skin_of
from levelloop.core.mesh.mesh import Mesh

NEAR = 1e-3  # of its length: so far a curve may leave the surface
ROUNDS = 7  # of which each halves what is too far off
MOST = 2_000  # points
WITHIN = np.array([0.25, 0.5, 0.75])  # of each stretch, where it is looked at


def hugging(curve: Mesh, surface: Mesh) -> Mesh:
    """A curve with its points put onto a surface, and more of them where it would leave that by a thousandth of itself.

    Both in one space. Raises EditError for what is no curve, or a surface without faces.
    """
    path, skin = path_of(curve), skin_of(surface)
    points, radii = skin.nearest(path.points)[0], path.radii
    for _ in range(ROUNDS):
        path = Path(points, path.closed, radii, path.smooth)
        places = (np.arange(path.spans)[:, None] + WITHIN).ravel()
        on = path.at(places)
        off = np.linalg.norm(on - skin.nearest(on)[0], axis=1).reshape(-1, len(WITHIN)).max(axis=1)
        far = np.flatnonzero(off > NEAR * path.length())
        if len(far) == 0 or len(points) + len(far) > MOST:
            break
        middles: Floats = far + np.float64(0.5)
        points = np.insert(points, far + 1, skin.nearest(path.at(middles))[0], axis=0)
        radii = np.insert(radii, far + 1, path.radius_at(middles))
    return add_curve(points, curve.curve or "straight", path.closed, radii)
