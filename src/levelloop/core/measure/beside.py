"""What lies beside a run of edges."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, mask_of, sum_by
from levelloop.core.mesh.mesh import Mesh


def left_of(mesh: Mesh, directed: Integers) -> tuple[Floats, Integers]:
    """Where the edges lead that leave a run of edges on its left, seen from outside.

    directed: (r, 2) point pairs in the run's direction. Returns for each point the mean of those edges' far ends, zero
    where there are none (n, 3), and how many there are (n,).
    """
    topology = mesh.topology
    corner = _corners_along(mesh, directed)
    corner = corner[corner >= 0]
    in_run = mask_of(topology.corner_edge[corner], topology.n_edges)
    before, after = topology.previous_corner[corner], topology.next_corner[corner]
    # At its start the edge before leads away, at its end the edge after, unless it is part of the run itself.
    start, end = ~in_run[topology.corner_edge[before]], ~in_run[topology.corner_edge[after]]
    owners = np.concatenate((topology.corners[corner[start]], topology.corner_end[corner[end]]))
    targets = np.concatenate((topology.corners[before[start]], topology.corner_end[after[end]]))
    count = np.bincount(owners, minlength=mesh.n_points)
    mean = sum_by(owners, mesh.points[targets], mesh.n_points) / np.maximum(count, 1)[:, None]
    return mean, count


# Helpers


def _corners_along(mesh: Mesh, directed: Integers) -> Integers:
    """The corner whose half-edge runs along each directed pair, −1 where there is none."""
    topology = mesh.topology
    edge = topology.find_edges(directed)
    pair = topology.edge_pair[edge]
    along = np.where(pair >= 0, topology.corners[pair] == directed[:, :1], False) & (edge >= 0)[:, None]
    return np.where(along[:, 0], pair[:, 0], np.where(along[:, 1], pair[:, 1], -1))
