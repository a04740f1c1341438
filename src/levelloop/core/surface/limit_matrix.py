"""Where cage points land in the limit, as a sparse matrix: rows of the limit masks times the rules of refinement."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Integers
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.surface.limit import dart_rings
from levelloop.core.surface.surface import HIGHEST_LEVEL, SmoothSurface

if TYPE_CHECKING:
    from scipy.sparse import csr_array


def limit_matrix(mesh: Mesh) -> csr_array:
    """The weights of cage points in the limit places of cage points: (n, n). Masks: see limit.limit_points."""
    from scipy.sparse import csr_array

    fading = np.concatenate((mesh.creases, mesh.corner_sharpness))
    fading = fading[(fading > 0) & (fading < 10)]
    # Masks hold once all faces are quads and no sharpness fades any more.
    level = min(max(1, int(np.ceil(fading.max(initial=0.0)))), HIGHEST_LEVEL)
    surface = SmoothSurface(mesh, level)
    topology, around = surface.topology, surface.sectors
    n, count = mesh.n_points, topology.n_points
    rows: list[Integers] = []
    columns: list[Integers] = []
    weights: list[np.ndarray] = []

    def put(row: Integers, column: Integers, weight: np.ndarray) -> None:
        rows.append(row)
        columns.append(column)
        weights.append(np.broadcast_to(weight, row.shape))

    stays = (around.corner_points | (topology.point_face_count == 0))[:n]
    crease = around.crease_points[:n] & ~stays
    darts = np.zeros(n, dtype=np.bool_)
    for ring in dart_rings(topology, around):
        own = ring.points < n
        darts[ring.points[own]] = True
        put(
            np.repeat(ring.points[own], ring.places.shape[1]),
            ring.places[own].ravel(),
            np.tile(ring.masks[0], int(own.sum())),
        )
    smooth = ~(stays | crease | darts)
    fixed = np.flatnonzero(stays)
    put(fixed, fixed, np.ones(1))
    bent = np.flatnonzero(crease)
    put(bent, bent, np.array(4.0 / 6.0))
    ends = topology.edges[around.is_sharp]
    for a, b in ((ends[:, 0], ends[:, 1]), (ends[:, 1], ends[:, 0])):
        own = (a < n) & np.append(crease, np.zeros(count - n, dtype=np.bool_))[a]
        put(a[own], b[own], np.array(1.0 / 6.0))
    valence = np.maximum(topology.valence, 1).astype(np.float64)
    whole = valence * (valence + 5.0)
    is_smooth = np.append(smooth, np.zeros(count - n, dtype=np.bool_))
    free = np.flatnonzero(smooth)
    put(free, free, valence[free] ** 2 / whole[free])
    for a, b in ((topology.edges[:, 0], topology.edges[:, 1]), (topology.edges[:, 1], topology.edges[:, 0])):
        own = is_smooth[a]
        put(a[own], b[own], 4.0 / whole[a[own]])
    opposite = topology.corners[topology.next_corner[topology.next_corner]]
    own = is_smooth[topology.corners]
    put(topology.corners[own], opposite[own], 1.0 / whole[topology.corners[own]])
    masks = csr_array((np.concatenate(weights), (np.concatenate(rows), np.concatenate(columns))), shape=(n, count))
    return csr_array(masks @ surface.stencils)
