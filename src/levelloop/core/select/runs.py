"""Selected elements as runs of points in order: what makes them round, straight or even works on those."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Integers, chain_runs, mask_of
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Selection, outline, points_of
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Run:
    """Points in order; closed where the last leads back to the first."""

    points: Integers
    closed: bool


def runs_of_selection(mesh: Mesh, selection: Selection) -> list[Run]:
    """The runs that selected edges make, selected points along the edges between them, or the outlines of faces.

    Points that no selected edge joins are left out. A run starts where the edge that was picked first points.
    """
    members, offsets, closed = flat_runs(mesh, selection)
    bounds = offsets.tolist()
    return [Run(members[a:b], whole) for a, b, whole in zip(bounds[:-1], bounds[1:], closed.tolist(), strict=True)]


def flat_runs(mesh: Mesh, selection: Selection) -> tuple[Integers, Integers, Booleans]:
    """The same as arrays: points run after run, where each run starts (r + 1,), and which are closed (r,)."""
    topology = mesh.topology
    if selection.kind == "faces":
        selection = outline(topology, selection)
    if selection.kind == "edges":
        edges = np.sort(selection.indices)
    else:
        chosen = mask_of(points_of(topology, selection), mesh.n_points)
        edges = np.flatnonzero(chosen[topology.edges].all(axis=1))
    members, offsets, closed, darts = chain_runs(topology.edges[edges], mesh.n_points)
    if selection.kind != "edges" or selection.backwards is None or len(selection) == 0:
        return members, offsets, closed
    # The edge of each run that was picked first, and whether the run goes the way it was picked.
    picked = np.empty(len(edges), dtype=np.int64)
    picked[np.searchsorted(edges, selection.indices)] = np.arange(len(selection))
    run = np.repeat(np.arange(len(closed)), np.diff(offsets) - ~closed)
    order = np.lexsort((picked[darts // 2], run))
    first = darts[order[np.unique(run[order], return_index=True)[1]]]
    against = (first % 2 == 1) != selection.backwards[picked[first // 2]]
    return _turned(members, offsets, against), offsets, closed


# Helpers


def _turned(members: Integers, offsets: Integers, against: Booleans) -> Integers:
    """The runs with some of them backwards."""
    run = np.repeat(np.arange(len(against)), np.diff(offsets))
    place = np.arange(len(members))
    mirrored = offsets[:-1][run] + offsets[1:][run] - 1 - place
    return np.asarray(members[np.where(against[run], mirrored, place)])
