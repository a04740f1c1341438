"""Balance: the loops beside edges slid until both sides are equally far, so that the turn is as round on both."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from levelloop.core.edit.hold.turns import held_edges, sides_of, slid
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection

Target = Literal["smaller", "larger", "mean"]


def balance(mesh: Mesh, selection: Selection, to: Target = "mean") -> Edit:
    """Slides the loops beside the selected edges along the edges that lead to them, until both sides are equal.

    to: the smaller, the larger or the mean of both distances, each square to the edge. Raises EditError where an edge
    is open or lies on a flat, or where a loop would be pushed beyond the next one.
    """
    if to not in ("smaller", "larger", "mean"):
        raise EditError(f"Sides are balanced to the smaller, larger or mean distance, not “{to}”.")
    edges, _ = held_edges(mesh, selection, "both")
    sides = sides_of(mesh, edges)
    own = sides.distance
    other = own[np.arange(len(own)) ^ 3]
    wanted = {"smaller": np.minimum(own, other), "larger": np.maximum(own, other), "mean": 0.5 * (own + other)}[to]
    if np.allclose(own, wanted, rtol=1e-9, atol=0.0):
        raise EditError("Both sides are equal already.")
    beyond = wanted > own + sides.behind * 0.999
    if beyond.any():
        raise EditError("A loop would be pushed beyond the next one; make room there first, or balance to the smaller.")
    points = slid(mesh, sides, wanted, np.ones(len(wanted), dtype=np.bool_))
    low, high = float(wanted.min()), float(wanted.max())
    told = f"Both sides {low:.3g} mm" + ("." if high - low < 1e-6 * high else f" to {high:.3g} mm.")
    return replace(Edit(mesh.with_points(points), selection, identity(mesh)), message=told)
