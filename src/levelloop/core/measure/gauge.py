"""The loop gauge: what the loop through an edge is like, where it ends and why, how tight its supports turn it."""

from __future__ import annotations

from dataclasses import field

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.measure.beside import left_of
from levelloop.core.measure.turn import LoopTurn, loop_turn
from levelloop.core.mesh.faces import edge_lengths
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class LoopGauge:
    """A loop: its edges, whether it closes, its length in mm, and in words why each end is one.

    supports: for each side (left, right) the shortest and longest distance to the next loop, mm, or None where there
    is none; radius: the smallest and largest radius of the smooth turn over the loop, mm, by its tightest place, tip:
    the same at its tip; None where it is flat, has no support on a side, or is creased; crease: its smallest and
    largest crease weight, None for none; turn: how the surface turns along it, None where that was not looked at;
    points: its points, from one end to the other.
    """

    edges: Integers
    closed: bool
    length: float
    ends: tuple[str, ...]
    supports: tuple[tuple[float, float] | None, tuple[float, float] | None]
    radius: tuple[float, float] | None
    tip: tuple[float, float] | None = None
    crease: tuple[float, float] | None = None
    turn: LoopTurn | None = None
    points: Integers = field(default_factory=lambda: np.zeros(0, dtype=np.int64))

    @property
    def radii(self) -> tuple[Integers, Floats]:
        """The points along the loop at which it is known how it turns, and the tightest radius at each, mm."""
        if self.turn is None:
            return self.points[:0], np.zeros(0)
        known = np.isin(self.points, self.turn.points)
        order = np.argsort(self.turn.points)
        at = order[np.searchsorted(self.turn.points[order], self.points[known])]
        return self.points[known], self.turn.tightest[at]


def loop_gauge(mesh: Mesh, edge: int, most: int = 1_000_000) -> LoopGauge:
    """The gauge of the loop that an edge lies on.

    most: edges of a loop whose surface is looked at, which takes long; of longer ones the radius is that at the tip by
    |a u − b v|³ / (8 a b sin θ), for supports at distances a, b along unit directions u, v with the angle θ between
    them: a uniform cubic B-spline's radius at the tip of a turn, from its control points.
    """
    topology = mesh.topology
    slots, closed = _walk(topology, edge)
    edges = slots // 2
    starts = topology.edges[edges, slots & 1]
    points = starts if closed else np.append(starts, topology.edges[edges[-1], 1 - (slots[-1] & 1)])
    ends = () if closed else tuple(_why(topology, point) for point in _end_points(topology, slots))
    left, right, radius = _supports(mesh, slots)
    length = float(edge_lengths(topology, mesh.points)[edges].sum())
    weights = mesh.creases[edges]
    if weights.any():
        # A crease turns tighter than its supports say.
        crease = (float(weights.min()), float(weights.max()))
        return LoopGauge(edges, closed, length, ends, (left, right), None, None, crease, points=points)
    turn = loop_turn(mesh, edges) if len(edges) <= most else None
    if turn is None:
        return LoopGauge(edges, closed, length, ends, (left, right), radius, radius, points=points)
    spans = _span(turn.tightest), _span(turn.tip)
    return LoopGauge(edges, closed, length, ends, (left, right), *spans, turn=turn, points=points)


def tip_radii(one: Floats, other: Floats) -> Floats:
    """The radius at the tip of smooth turns from the offsets of their supports, (n, 3) each: (n,), infinite if flat."""
    product = np.linalg.norm(np.cross(one, other), axis=1)
    flat = product <= 1e-6 * np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1)
    # |a u − b v|³ / (8 a b sin θ), with a b sin θ the length of the cross product.
    cubes = np.linalg.norm(one - other, axis=1) ** 3
    return np.asarray(np.where(flat, np.inf, cubes / (8.0 * np.where(flat, 1.0, product))))


# Helpers


def _span(radii: Floats) -> tuple[float, float] | None:
    turning = radii[np.isfinite(radii)]
    return (float(turning.min()), float(turning.max())) if len(turning) else None


def _walk(topology: Topology, edge: int) -> tuple[Integers, bool]:
    """The loop as directed edges in order, 2·edge where it runs from the edge's first point, and whether it closes.

    Walked edge by edge: one loop, once after the pointer has rested, and it may cross itself.
    """
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
    ends = mesh.topology.edges[slots // 2]
    directed = np.where((slots & 1)[:, None] == 0, ends, ends[:, ::-1])
    sides = [left_of(mesh, pairs) for pairs in (directed, directed[:, ::-1])]
    reach = []
    for places, count in sides:
        there = np.flatnonzero(count)
        apart = np.linalg.norm(places[there] - mesh.points[there], axis=1)
        reach.append((float(apart.min()), float(apart.max())) if len(there) else None)
    both = np.flatnonzero((sides[0][1] > 0) & (sides[1][1] > 0))
    radii = tip_radii(*(places[both] - mesh.points[both] for places, _ in sides))
    radii = radii[np.isfinite(radii)]
    return reach[0], reach[1], (float(radii.min()), float(radii.max())) if len(radii) else None
