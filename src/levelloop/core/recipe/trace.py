"""Trace: which elements of a recipe's result are the cage's own, and where the cage's edges run on it."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Integers
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Origin, identity, through
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.values import dataclass

NONE = np.zeros(0, dtype=np.int64)


@dataclass(frozen=True, eq=False)
class Trace:
    """Where the elements of a result come from.

    source: for each point, edge and face of the result the cage's that it comes from, −1 for none; copies come from it
    too. own_edges, own_faces: whether it is that one itself or a piece of it, not a copy. points: (n,) where each point
    of the cage is among the result's, −1 where it is gone; chains: (e, c) the result's points along each edge of the
    cage, from edges[:, 0] on; middles: (m,) the point in the middle of each face of the cage, −1 where there is none.
    """

    source: Origin
    own_edges: Booleans
    own_faces: Booleans
    points: Integers
    chains: Integers
    middles: Integers

    def copied_points(self, wanted: Booleans) -> tuple[Integers, Integers]:
        """The result's points that are copies of some of the cage's: which (k,), and what each comes from (k,).

        wanted: (n,) of the cage's points.
        """
        if len(self.own_edges) and self.own_edges.all():
            # Seen at once: this is asked for with every picture of a drag.
            return NONE, NONE
        is_copy = np.append(wanted, False)[self.source.points]
        is_copy[self.points[self.points >= 0]] = False
        copies = np.flatnonzero(is_copy)
        return copies, self.source.points[copies]

    def copied_edges(self, wanted: Booleans) -> tuple[Integers, Integers]:
        """The result's edges that are copies of some of the cage's: which (k,), and what each comes from (k,)."""
        if self.own_edges.all():
            return NONE, NONE
        copies = np.flatnonzero(~self.own_edges & np.append(wanted, False)[self.source.edges])
        return copies, self.source.edges[copies]


def untouched(mesh: Mesh) -> Trace:
    """The trace before any step."""
    return Trace(
        identity(mesh),
        np.ones(mesh.n_edges, dtype=np.bool_),
        np.ones(mesh.n_faces, dtype=np.bool_),
        np.arange(mesh.n_points),
        mesh.topology.edges,
        np.full(mesh.n_faces, -1, dtype=np.int64),
    )


def after_edit(trace: Trace, origin: Origin) -> Trace:
    """The trace after a step that makes faces.

    origin: where its elements come from before the step. Of several that come from one, the first is the cage's own and
    the others are copies.
    """
    number = _firsts(origin.points, len(trace.source.points))

    def moved(points: Integers) -> Integers:
        return np.asarray(np.append(number, -1)[points])

    def own(own_before: Booleans, origins: Integers) -> Booleans:
        first = np.append(_firsts(origins, len(own_before)), -1)
        return np.asarray(np.append(own_before, False)[origins] & (first[origins] == np.arange(len(origins))))

    return Trace(
        through(trace.source, origin),
        own(trace.own_edges, origin.edges),
        own(trace.own_faces, origin.faces),
        moved(trace.points),
        moved(trace.chains),
        moved(trace.middles),
    )


def after_smoothing(trace: Trace, surface: SmoothSurface) -> Trace:
    """The trace after smoothing; points before it keep their numbers."""
    if surface.level == 0:
        return trace
    cage = surface.cage.topology
    n_new = surface.topology.n_points - cage.n_points
    edges = surface.edge_origin
    source = Origin(
        np.concatenate((trace.source.points, np.full(n_new, -1, dtype=np.int64))),
        np.append(trace.source.edges, -1)[edges],
        trace.source.faces[surface.face_origin],
    )
    # The middle of a face of the cage is the point that the first smoothing puts into the face that it is now.
    is_now = _firsts(np.where(trace.own_faces, trace.source.faces, -1), len(trace.middles))
    first_middle = cage.n_points + cage.faces_only.n_edges
    middles = np.where(trace.middles >= 0, trace.middles, np.where(is_now >= 0, first_middle + is_now, -1))
    return Trace(
        source,
        np.append(trace.own_edges, False)[edges],
        trace.own_faces[surface.face_origin],
        trace.points,
        _refined(trace.chains, surface),
        middles,
    )


# Helpers


def _firsts(origins: Integers, count: int) -> Integers:
    """The first element that comes from each of so many old ones: (count,), −1 where none does."""
    first = np.full(count + 1, -1, dtype=np.int64)
    first[origins[::-1]] = np.arange(len(origins))[::-1]  # −1 writes the spare last entry
    return first[:-1]


def _refined(chains: Integers, surface: SmoothSurface) -> Integers:
    """Chains of points with those that smoothing put between them: (e, c) → (e, (c − 1) · 2^level + 1)."""
    topology, fine = surface.cage.topology, surface.edge_chains
    if chains is topology.edges:
        return fine
    starts, ends = chains[:, :-1].ravel(), chains[:, 1:].ravel()
    edge = topology.find_edges(np.stack((starts, ends), axis=1))
    # Where there is no such edge any more the chain goes straight: its start, and its end again and again.
    rows = np.repeat(ends[:, None], fine.shape[1], axis=1)
    rows[:, 0] = starts
    there = np.flatnonzero(edge >= 0)
    found = fine[edge[there]]
    backwards = topology.edges[edge[there], 0] != starts[there]
    found[backwards] = found[backwards, ::-1]
    rows[there] = found
    spans, steps = chains.shape[1] - 1, fine.shape[1] - 1
    rows = rows.reshape(len(chains), spans, steps + 1)
    return np.concatenate((rows[:, :, :-1].reshape(len(chains), spans * steps), rows[:, -1, -1:]), axis=1)
