"""Loops and rings: how edges go on through a mesh, and which of them belong together."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Integers, connected_labels, frozen

if TYPE_CHECKING:
    from levelloop.core.mesh.topology import Topology


def continuation(topology: Topology) -> Integers:
    """As `Topology.continuation` says."""
    edges, n_edges = topology.edges, topology.n_edges
    out, into = topology.corner_edge, topology.corner_edge[topology.previous_corner]
    out_slot = topology.corner_slot
    into_slot = topology.corner_slot[topology.previous_corner] ^ 1
    slots = np.concatenate((out_slot, into_slot))
    others = np.concatenate((into, out)).astype(np.float64)
    beside = np.bincount(slots, weights=others, minlength=2 * n_edges).astype(np.int64)
    meeting = np.bincount(slots, minlength=2 * n_edges)
    slot_edge = np.repeat(np.arange(n_edges), 2)
    slot_point = edges.ravel()
    total = np.bincount(slot_point, weights=slot_edge, minlength=topology.n_points).astype(np.int64)
    regular = (topology.valence == 4) & (topology.point_face_count == 4)
    result = np.full(2 * n_edges, -1, dtype=np.int64)
    inner = regular[slot_point] & (meeting == 2)
    other = (total[slot_point] - slot_edge - beside)[inner]
    # Where faces meet oddly the sum names no edge of the point.
    known = np.clip(other, 0, max(n_edges - 1, 0))
    fits = (other == known) & (edges[known] == slot_point[inner, None]).any(axis=1)
    result[inner] = np.where(fits, other, -1)
    for runs_on in (topology.open_edges, topology.wire_edges):
        slots_on = runs_on[slot_edge]
        count = np.bincount(slot_point[slots_on], minlength=topology.n_points)
        ends = np.bincount(slot_point[slots_on], weights=slot_edge[slots_on], minlength=topology.n_points)
        along = slots_on & (count[slot_point] == 2)
        result[along] = (ends.astype(np.int64)[slot_point] - slot_edge)[along]
    return frozen(result)


def loop_label(topology: Topology) -> Integers:
    """As `Topology.loop_label` says."""
    goes_on = topology.continuation >= 0
    pairs = np.stack((np.flatnonzero(goes_on) // 2, topology.continuation[goes_on]), axis=1)
    return frozen(connected_labels(pairs, topology.n_edges)[1])


def ring_label(topology: Topology) -> Integers:
    """As `Topology.ring_label` says."""
    first = topology.face_offsets[:-1][topology.face_sizes == 4]
    slot = topology.corner_slot
    pairs = []
    for side in (0, 1):
        here, across = slot[first + side], slot[first + side + 2] ^ 1
        pairs += [np.stack((here, across), axis=1), np.stack((here ^ 1, across ^ 1), axis=1)]
    return frozen(connected_labels(np.concatenate(pairs), 2 * topology.n_edges)[1])
