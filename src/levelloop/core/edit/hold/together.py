"""Several groups of edges held at once, each with its radius: in any order the same."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.edit.hold.by_loops import held_by_loops
from levelloop.core.edit.hold.radius import support_distance
from levelloop.core.edit.hold.turns import Sides, Turns, held_edges, settled_supports
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection
from levelloop.core.values import dataclass
from levelloop.core.words import counted


@dataclass(frozen=True, eq=False)
class Held:
    """Edges to be held on some sides with a radius, mm."""

    edges: Selection
    radius: float
    sides: Sides = "both"


def hold_together(mesh: Mesh, groups: Sequence[Held]) -> Edit:
    """Puts support loops beside all groups of edges at once, so that each turns with its radius.

    Where an edge is in two groups the smaller radius wins; creases of held edges are left out; both are said. Selected
    after: the support loops. Raises EditError as hold does.
    """
    topology = mesh.topology
    radius = np.full(topology.n_edges, np.inf)
    held = np.zeros(topology.n_corners, dtype=np.bool_)
    twice = np.zeros(topology.n_edges, dtype=np.bool_)
    for group in groups:
        if not group.radius > 0:
            raise EditError("A radius to hold is above 0 mm.")
        edges, sides = held_edges(mesh, group.edges, group.sides)
        twice[edges] |= np.isfinite(radius[edges]) & (radius[edges] != group.radius)
        radius[edges] = np.minimum(radius[edges], group.radius)
        held |= sides
    edges = np.flatnonzero(np.isfinite(radius))
    creased = int((mesh.creases[edges] > 0).sum())
    if creased:
        weights = mesh.creases.copy()
        weights[edges] = 0.0
        mesh = mesh.with_creases(weights)
    # Entries come edge by edge: two half-edges, each at both ends.
    wanted = np.repeat(radius[edges], 4)
    largest = float(wanted.max())

    def settle(cage: Mesh, there: Integers) -> tuple[Turns, Floats]:
        return settled_supports(cage, there, lambda angle: support_distance(wanted, angle))

    done = held_by_loops(mesh, edges, held, settle, "radius", largest, moves=False)
    said = [done.told(largest if wanted.min() == largest else None)]
    if twice.any():
        said.append(f"{counted(int(twice.sum()), 'edge has', 'edges have')} two radii; the smaller one holds.")
    if creased:
        said.append(f"The {counted(creased, 'crease')} of held edges {'is' if creased == 1 else 'are'} left out.")
    return replace(done.edit, message=" ".join(said))
