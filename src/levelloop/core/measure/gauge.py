"""The loop gauge: what the loop through an edge is like, where it ends and why, how tight its supports turn it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.measure.faces import edge_lengths
from levelloop.core.mesh import Mesh
from levelloop.core.topology import Topology


@dataclass(frozen=True, eq=False)
class LoopGauge:
    """A loop: its edges, whether it closes, its length in mm, and in words why each end is one.

    supports: for each side (left, right) the shortest and longest distance to the next loop, mm, or None where there
    is none; radius: the smallest and largest radius at the tip of the smooth turn over the loop, mm, None where it is
    flat or has no support on a side.
    """

    edges: Integers
    closed: bool
    length: float
    ends: tuple[str, ...]
    supports: tuple[tuple[float, float] | None, tuple[float, float] | None]
    radius: tuple[float, float] | None


def loop_gauge(mesh: Mesh, edge: int) -> LoopGauge:
    """The gauge of the loop that an edge lies on.

    Radius: |a u − b v|³ / (8 a b sin θ) for supports at distances a, b along unit directions u, v with the angle θ
    between them: a uniform cubic B-spline's radius at the tip of a turn, from its control points.
    """
    topology = mesh.topology
    slots, closed = _walk(topology, edge)
    edges = slots // 2
    ends = () if closed else tuple(_why(topology, point) for point in _end_points(topology, slots))
    left, right, radius = _supports(mesh, slots)
    length = float(edge_lengths(topology, mesh.points)[edges].sum())
    return LoopGauge(edges, closed, length, ends, (left, right), radius)


# Helpers


def _walk(topology: Topology, edge: int) -> tuple[Integers, bool]:
    """The loop as directed edges in order, 2·edge where it runs from the edge's first point, and whether it closes."""
    onwards = topology.continuation

    def run(slot: int) -> list[int]:
        """On from a directed edge until it ends or comes back."""
        found = [slot]
        while True:
            # The end of a directed edge is the far one: entry 1 − direction.
            following = int(onwards[found[-1] ^ 1])
            if following < 0 or following == edge:
                return found
            point = topology.edges[found[-1] // 2, 1 - (found[-1] & 1)]
            found.append(2 * following + int(topology.edges[following, 0] != point))
            if len(found) > topology.n_edges:
                return found

    ahead = run(2 * edge)
    last = topology.edges[ahead[-1] // 2, 1 - (ahead[-1] & 1)]
    if len(ahead) > 2 and last == topology.edges[edge, 0] and int(onwards[ahead[-1] ^ 1]) == edge:
        return np.array(ahead), True
    behind = run(2 * edge + 1)
    return np.array([slot ^ 1 for slot in behind[:0:-1]] + ahead), False


def _end_points(topology: Topology, slots: Integers) -> tuple[int, int]:
    first, last = int(slots[0]), int(slots[-1])
    return int(topology.edges[first // 2, first & 1]), int(topology.edges[last // 2, 1 - (last & 1)])


def _why(topology: Topology, point: int) -> str:
    """Why a loop ends at a point."""
    valence = int(topology.valence[point])
    if topology.open_points[point]:
        return "at the boundary"
    if (topology.edge_face_count[(topology.edges == point).any(axis=1)] > 2).any():
        return "where more than two faces meet"
    return f"at a {valence}-pole" if valence != 4 else "where faces don't match up"


def _supports(
    mesh: Mesh, slots: Integers
) -> tuple[tuple[float, float] | None, tuple[float, float] | None, tuple[float, float] | None]:
    topology, points = mesh.topology, mesh.points
    own = {int(edge) for edge in slots // 2}
    start = topology.edges[slots // 2, slots & 1]
    sides: list[dict[int, Floats]] = [{}, {}]
    for slot in slots.tolist():
        for corner in topology.edge_corners[slice(*topology.edge_offsets[slot // 2 : slot // 2 + 2])].tolist():
            along = topology.corners[corner] == topology.edges[slot // 2, slot & 1]
            before, after = int(topology.previous_corner[corner]), int(topology.next_corner[corner])
            side = sides[0 if along else 1]
            if int(topology.corner_edge[before]) not in own:
                side[int(topology.corners[corner])] = points[topology.corners[before]]
            if int(topology.corner_edge[after]) not in own:
                side[int(topology.corner_end[corner])] = points[topology.corner_end[after]]
    reach = []
    for side in sides:
        apart = [float(np.linalg.norm(place - points[point])) for point, place in side.items()]
        reach.append((min(apart), max(apart)) if apart else None)
    radii = []
    for point in np.unique(start).tolist():
        if point in sides[0] and point in sides[1]:
            radius = tip_radius(sides[0][point] - points[point], sides[1][point] - points[point])
            if radius is not None:
                radii.append(radius)
    return reach[0], reach[1], (min(radii), max(radii)) if radii else None


def tip_radius(one: Floats, other: Floats) -> float | None:
    """The radius at the tip of a smooth turn, from the offsets of its two supports; None where it is flat."""
    product = float(np.linalg.norm(np.cross(one, other)))
    if product < 1e-6 * float(np.linalg.norm(one) * np.linalg.norm(other)) or product == 0:
        return None
    # |a u − b v|³ / (8 a b sin θ), with a b sin θ the length of the cross product.
    return float(np.linalg.norm(one - other) ** 3 / (8.0 * product))
