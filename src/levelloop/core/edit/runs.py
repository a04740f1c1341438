"""Selected elements as runs of points in order: what makes them round, straight or even works on those."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from levelloop.core.arrays import Integers, chains, mask_of
from levelloop.core.mesh import Mesh
from levelloop.core.selection import Selection, outline, points_of


@dataclass(frozen=True, eq=False)
class Run:
    """Points in order; closed where the last leads back to the first."""

    points: Integers
    closed: bool


def runs_of_selection(mesh: Mesh, selection: Selection) -> list[Run]:
    """The runs that selected edges make, selected points along the edges between them, or the outlines of faces.

    Points that no selected edge joins are left out. A run starts where the edge that was picked first points.
    """
    topology = mesh.topology
    if selection.kind == "faces":
        selection = outline(topology, selection)
    if selection.kind == "edges":
        edges = np.sort(selection.indices)
    else:
        chosen = mask_of(points_of(topology, selection), mesh.n_points)
        edges = np.flatnonzero(chosen[topology.edges].all(axis=1))
    runs = [Run(members, closed) for members, closed in chains(topology.edges[edges], mesh.n_points)]
    if selection.kind != "edges" or selection.backwards is None or len(selection) == 0:
        return runs
    return [_as_picked(run, selection, topology.edges) for run in runs]


# Helpers


def _as_picked(run: Run, selection: Selection, ends: Integers) -> Run:
    """The run in the direction in which the first of its edges was picked."""
    place = {int(point): number for number, point in enumerate(run.points)}
    assert selection.backwards is not None
    for edge, backwards in zip(selection.indices.tolist(), selection.backwards.tolist(), strict=True):
        a, b = ends[edge][::-1] if backwards else ends[edge]
        if int(a) in place and int(b) in place:
            step = place[int(b)] - place[int(a)]
            forward = step == 1 or (run.closed and step == 1 - len(run.points))
            return run if forward else Run(run.points[::-1].copy(), run.closed)
    return run
