"""Fans: the corners around each point in order, and the boundaries that run through them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Booleans, Integers, frozen, inverse_of, mask_of, offsets_from_sizes, ranges, runs_of

if TYPE_CHECKING:
    from levelloop.core.mesh.topology import Topology

_LONGEST_WALK = 32  # corners of a fan up to which fans are walked step by step


def point_rings(topology: Topology) -> tuple[Integers, Integers, Booleans]:
    """As `Topology.point_rings` says."""
    around, n_corners = topology.around, topology.n_corners
    slots = offsets_from_sizes(topology.point_face_count)
    members = np.empty(n_corners, dtype=np.int64)
    is_start = np.zeros(n_corners + 1, dtype=np.bool_)
    is_closed = np.zeros(n_corners, dtype=np.bool_)
    # Nearly every point has one short fan: all of them are walked at once, from the first corner or the gap.
    start = np.full(topology.n_points, -1, dtype=np.int64)
    start[topology.corners[::-1]] = np.arange(n_corners)[::-1]
    first = np.flatnonzero(~mask_of(around[around >= 0], n_corners))
    start[topology.corners[first]] = first
    point = np.flatnonzero(start >= 0)
    here, length = start[point], np.zeros(topology.n_points, dtype=np.int64)
    for step in range(_LONGEST_WALK):
        members[slots[point] + np.minimum(step, topology.point_face_count[point] - 1)] = here
        length[point] += 1
        here = around[here]
        ended = (here < 0) | (here == start[point])
        is_closed[slots[point[ended & (here >= 0)]]] = True
        point, here = point[~ended], here[~ended]
        if len(point) == 0:
            break
    whole = length == topology.point_face_count
    whole[point] = False
    is_start[slots[:-1][whole & (length > 0)]] = True
    # Long fans, and points where several touch, one run after the other.
    rest = np.flatnonzero(~whole[topology.corners])
    place = inverse_of(rest, n_corners)
    runs, offsets, closed = runs_of(np.where(around[rest] >= 0, place[around[rest]], -1))
    order = np.argsort(topology.corners[rest[runs[offsets[:-1]]]], kind="stable")
    sizes = np.diff(offsets)[order]
    # Sorted by their points, they fill the slots of those points from first to last.
    left = np.flatnonzero(~whole)
    target = ranges(slots[left], topology.point_face_count[left])
    members[target] = rest[runs[ranges(offsets[:-1][order], sizes)]]
    begins = target[offsets_from_sizes(sizes)[:-1]]
    is_start[begins], is_closed[begins] = True, closed[order]
    is_start[-1] = True
    starts = np.flatnonzero(is_start)
    return frozen(members), frozen(starts), frozen(is_closed[starts[:-1]])


def boundary_chains(topology: Topology) -> tuple[Integers, Integers, Booleans]:
    """As `Topology.boundary_chains` says."""
    open_corners = np.flatnonzero(topology.open_edges[topology.corner_edge])
    place = inverse_of(open_corners, topology.n_corners)
    corners, offsets, closed = topology.point_rings
    first, last = corners[offsets[:-1][~closed]], corners[offsets[1:][~closed] - 1]
    # An open fan is entered along the half-edge before its last corner and left along its first one.
    into, out = place[topology.previous_corner[last]], place[first]
    successor = np.full(len(open_corners), -1, dtype=np.int64)
    both = (into >= 0) & (out >= 0)
    successor[into[both]] = out[both]
    members, starts, is_closed = runs_of(successor)
    return frozen(open_corners[members]), frozen(starts), frozen(is_closed)
