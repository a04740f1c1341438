"""Edges slid along the edges beside them, and points nudged by a brush."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, mask_of, sum_by
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_vector
from levelloop.core.measure.beside import left_of
from levelloop.core.mesh.faces import point_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection, points_of
from levelloop.core.select.runs import flat_runs
from levelloop.core.select.soft_range import falloff

NudgeMode = Literal["push", "smooth", "swell"]
NUDGE_MODES: tuple[NudgeMode, ...] = ("push", "smooth", "swell")


def slide(
    mesh: Mesh,
    selection: Selection,
    ratio: float | None = None,
    distance: float | None = None,
    keep_shape: bool = False,
) -> Edit:
    """Slides selected edges along the edges that lead away from them; positive to the left of the direction picked.

    ratio: −1 … 1 of each of those edges; distance: mm along each; keep_shape: all points go as far as the shortest
    allows, so that the run keeps its shape. Points with no edge on that side stay. Raises EditError for anything
    but edges with faces, a ratio and a distance both, or a way past the next loop.
    """
    if selection.kind != "edges" or len(selection) == 0:
        raise EditError("To slide, select edges.")
    if (ratio is None) == (distance is None):
        raise EditError("A slide is by a ratio or by a distance, one of the two.")
    amount = float(ratio if ratio is not None else distance or 0.0)
    if ratio is not None and abs(amount) > 1:
        raise EditError("A slide's ratio lies between −1 and 1.")
    left = amount >= 0
    if mesh.n_faces == 0:
        raise EditError("Edges slide over the faces beside them; this part has none.")
    target, moves = _beside(mesh, selection, left)
    chosen = np.flatnonzero(moves)
    if len(chosen) == 0:
        raise EditError(f"There is no edge to slide along on the {'left' if left else 'right'}.")
    along = target[chosen] - mesh.points[chosen]
    length = np.linalg.norm(along, axis=1)
    size = abs(amount)
    if ratio is not None:
        share = np.full(len(chosen), size)
        if keep_shape:
            share = size * length.min() / np.maximum(length, 1e-300)
    else:
        if keep_shape and size > length.min():
            raise EditError(f"A slide by {size:g} mm passes the next loop; the shortest way is {length.min():.4g} mm.")
        share = np.minimum(size / np.maximum(length, 1e-300), 1.0)
    points = mesh.points.copy()
    points[chosen] += along * share[:, None]
    return Edit(mesh.with_points(points), selection, identity(mesh))


def nudge(
    mesh: Mesh,
    selection: Selection,
    path: Sequence[Any],
    mode: NudgeMode = "push",
    radius: float = 10.0,
    strength: float = 0.5,
) -> Edit:
    """Moves points near a path like a brush: along it, towards their neighbours' mean, or along their normals.

    path: (x, y, z) mm, one stamp each; radius: mm, with the bell falloff; strength: 0 … 1. Only selected points
    move where some are selected; hidden ones never do. Raises EditError without a path, or for a radius that is not
    above 0.
    """
    stamps = np.array([as_vector(place) for place in path])
    if len(stamps) == 0 or (mode == "push" and len(stamps) < 2):
        raise EditError("A nudge needs a path: one place, or two to push.")
    if radius <= 0:
        raise EditError("A nudge needs a radius above 0.")
    allowed = ~mesh.hidden_points
    if len(selection):
        allowed &= mask_of(points_of(mesh.topology, selection), mesh.n_points)
    points = mesh.points.copy()
    for number, stamp in enumerate(stamps):
        ratio = np.linalg.norm(points - stamp, axis=1) / radius
        near = np.flatnonzero((ratio < 1) & allowed)
        weight = (strength * falloff(ratio[near], "bell"))[:, None]
        if mode == "push":
            if number + 1 < len(stamps):
                points[near] += weight * (stamps[number + 1] - stamp)
        elif mode == "swell":
            # A tenth of the radius for each stamp at full strength.
            points[near] += 0.1 * radius * weight * point_normals(mesh.topology, points)[near]
        else:
            points[near] += weight * (_means(mesh, points) - points)[near]
    return Edit(mesh.with_points(points), selection, identity(mesh))


# Helpers


def _beside(mesh: Mesh, selection: Selection, left: bool) -> tuple[Floats, Booleans]:
    """For points of the selected runs where the edges beside them lead, and which points have one: (n, 3), (n,)."""
    members, offsets, closed = flat_runs(mesh, selection)
    following = np.arange(1, len(members) + 1)
    following[offsets[1:] - 1] = offsets[:-1]
    goes_on = np.ones(len(members), dtype=np.bool_)
    goes_on[offsets[1:][~closed] - 1] = False
    directed = np.stack((members, members[following]), axis=1)[goes_on]
    places, count = left_of(mesh, directed if left else directed[:, ::-1])
    return places, count > 0


def _means(mesh: Mesh, points: Floats) -> Floats:
    """The mean of each point's neighbours."""
    ends = mesh.topology.edges
    total = sum_by(ends[:, 0], points[ends[:, 1]], mesh.n_points) + sum_by(
        ends[:, 1], points[ends[:, 0]], mesh.n_points
    )
    return np.asarray(total / np.maximum(mesh.topology.valence, 1)[:, None])
