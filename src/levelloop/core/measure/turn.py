"""How the smooth surface turns across a loop: its real radius all along it, and the section where it is tightest."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, distinct, inverse_of, mask_of
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.surface.samples import sampled
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.values import dataclass

LEVEL = 3  # at which the surface beside the loop is looked at
FLAT = 1e-9  # of what a turn within one face would be: less is none
ARC = 17  # places along the true arc


@dataclass(frozen=True, eq=False)
class LoopTurn:
    """How the surface turns across a loop.

    points: (p,) those of the loop at which two edges lead across it; tip: (p,) mm the radius there, tightest: (p,) mm
    the smallest between the loops beside; infinite where it is flat. worst: which of them is tightest. section: (s, 3)
    the surface across the loop there, from one loop beside to the other; arc: (a, 3) the true arc of the tip's radius
    that leads from one end's direction to the other's, none where it does not turn.
    """

    points: Integers
    tip: Floats
    tightest: Floats
    worst: int
    section: Floats
    arc: Floats


def loop_turn(mesh: Mesh, edges: Integers) -> LoopTurn | None:
    """How the surface turns across a loop, edges (e,), by real curvatures; None where no edges lead across it.

    Only the faces around the loop are smoothed.
    """
    topology = mesh.topology
    on_loop = distinct(topology.edges[edges])
    beside = topology.faces_of_points(on_loop)
    around = topology.faces_of_points(distinct(topology.corners[topology.corners_of_faces(beside)]))
    if len(around) == 0:
        return None
    piece, origin = drop_faces(mesh, ~mask_of(around, mesh.n_faces), keep_unattached=False)
    number = inverse_of(origin.points, mesh.n_points)
    loop_edge = mask_of(edges, mesh.n_edges)
    across = np.flatnonzero(mask_of(on_loop, mesh.n_points)[topology.edges].any(axis=1) & ~loop_edge)
    across = across[~topology.wire_edges[across]]
    # Both ends of an edge between two places of the loop lead across it.
    edge, end = np.nonzero(mask_of(on_loop, mesh.n_points)[topology.edges[across]])
    point, edge = topology.edges[across[edge], end], across[edge]
    two = np.bincount(point, minlength=mesh.n_points)[point] == 2
    order = np.argsort(point[two], kind="stable")
    point, edge = point[two][order], edge[two][order]
    if len(point) == 0:
        return None
    surface = SmoothSurface(piece, LEVEL)
    samples = sampled(surface, piece.points, directions=True)
    chains = surface.edge_chains[piece.topology.find_edges(number[topology.edges[edge]])]
    chains = np.where((chains[:, 0] == number[point])[:, None], chains, chains[:, ::-1])
    # From one loop beside over the point to the other: pairs come one after the other.
    lines = np.concatenate((chains[::2, :0:-1], chains[1::2]), axis=1)
    places = samples.points[lines]
    way = unit(np.gradient(places, axis=1).reshape(-1, 3))
    flat = lines.ravel()
    along = np.einsum("ij,ij->i", way, samples.d1[flat]) ** 2
    bend = np.abs(samples.k1[flat] * along + samples.k2[flat] * (1.0 - along)).reshape(lines.shape)
    length = np.linalg.norm(places[:, -1] - places[:, 0], axis=1)
    bend[bend * length[:, None] < FLAT] = 0.0
    with np.errstate(divide="ignore"):
        tip, tightest = 1.0 / bend[:, lines.shape[1] // 2], 1.0 / bend.max(axis=1)
    worst = int(np.argmin(tightest))
    return LoopTurn(point[::2], tip, tightest, worst, places[worst], _true_arc(places[worst], float(tip[worst])))


# Helpers


def _true_arc(section: Floats, radius: float) -> Floats:
    """An arc of a radius between the directions in which a section begins and ends: (a, 3)."""
    one, other = unit((section[[1, -2]] - section[[0, -1]]).reshape(2, 3))
    half = 0.5 * np.arccos(np.clip(-one @ other, -1.0, 1.0))  # of the turn between both
    if not np.isfinite(radius) or half < 1e-6 or np.pi / 2 - half < 1e-6:
        return np.zeros((0, 3))
    # Where both directions meet: nearest to both lines.
    gap = section[-1] - section[0]
    cosine = float(one @ other)
    ahead = (gap @ one - cosine * (gap @ other)) / (1.0 - cosine**2)
    corner = section[0] + ahead * one
    inwards = unit((-(one + other)).reshape(1, 3))[0]
    middle = corner + inwards * radius / np.cos(half)
    outwards, sideways = -inwards, unit((other - one).reshape(1, 3))[0]
    angle = np.linspace(-half, half, ARC)[:, None]
    return np.asarray(middle + radius * (np.cos(angle) * outwards + np.sin(angle) * sideways))
