"""True size: the cage adjusted so that the smooth surface has the typed size, or passes the cage's own points."""

from __future__ import annotations

from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection, points_of
from levelloop.core.select.runs import runs_of_selection
from levelloop.core.surface.limit_matrix import limit_matrix
from levelloop.core.surface.surface import SmoothSurface

FINE = (
    3  # the level at which rings and boxes of the smooth surface are measured: between its points it is flatter still
)
MET = 1e-4  # mm; places nearer than that are met


def true_size(
    mesh: Mesh,
    selection: Selection,
    diameter: float | None = None,
    size: Any = None,
    through: str | None = None,
) -> Edit:
    """Adjusts the cage so that its smooth surface has a size.

    diameter: mm, the mean of the smooth ring along the selected loop, which alone moves; with faces or nothing selected
    the part's rings about their common axis, all scaled about it so that the middle one has it. size: (x, y, z) mm of
    the box around the smooth surface, None in proportion. through: "points": the surface passes the places of the
    selected points, or all, with the smallest moves that do it. One of the three. Raises EditError where it cannot.
    """
    given = [what for what in (diameter, size, through) if what is not None]
    if len(given) != 1:
        raise EditError("True size takes one of a diameter, a size, or through the points.")
    if mesh.n_faces == 0:
        raise EditError("True size is of a smooth surface; this part has no faces.")
    if diameter is not None:
        if not diameter > 0:
            raise EditError("A diameter is above 0 mm.")
        if selection.kind == "edges" and len(selection):
            return _ring_to(mesh, selection, diameter)
        return _part_to(mesh, selection, diameter)
    if size is not None:
        return _box_to(mesh, selection, size)
    if through != "points":
        raise EditError(f"A surface passes through “points”, not “{through}”.")
    return _through_points(mesh, selection)


# Helpers


def _ring_to(mesh: Mesh, selection: Selection, diameter: float) -> Edit:
    runs = runs_of_selection(mesh, selection)
    if len(runs) != 1 or not runs[0].closed:
        raise EditError("For a true diameter select one closed loop, faces, or nothing for the whole part.")
    ring = runs[0].points
    centre = mesh.points[ring].mean(axis=0)
    surface = SmoothSurface(mesh, FINE)
    chain = _chain(surface, mesh, selection.indices)
    points = mesh.points.copy()
    for _ in range(4):
        # How far the smooth ring is out goes with how far the cage's is: straight lines, so this comes in at once.
        now = _mean_diameter(surface, points, chain)[0]
        more = points.copy()
        more[ring] = centre + 1.01 * (points[ring] - centre)
        rise = (_mean_diameter(surface, more, chain)[0] - now) / 0.01
        if not rise > 1e-9 * now:
            raise EditError("This loop has no ring around it whose diameter could be set.")
        factor = 1.0 + (diameter - now) / rise
        if not 1e-3 < factor < 1e3:
            raise EditError("That diameter is too far from what the loops beside this one allow.")
        points[ring] = centre + factor * (points[ring] - centre)
    return _done(mesh, selection, points, surface, chain)


def _part_to(mesh: Mesh, selection: Selection, diameter: float) -> Edit:
    axis, centre, ring_edges = _middle_ring(mesh)
    surface = SmoothSurface(mesh, FINE)
    chain = _chain(surface, mesh, ring_edges)
    factor = diameter / _mean_diameter(surface, mesh.points, chain)[0]
    off = mesh.points - centre
    along = (off @ axis)[:, None] * axis
    points = centre + along + factor * (off - along)
    return _done(mesh, selection, points, surface, chain)


def _done(mesh: Mesh, selection: Selection, points: Floats, surface: SmoothSurface, chain: Integers) -> Edit:
    mean, low, high = _mean_diameter(surface, points, chain)
    told = f"The smooth ring is {mean:.6g} mm across, from {low:.5g} to {high:.5g} mm."
    return Edit(mesh.with_points(points), selection, identity(mesh), told)


def _chain(surface: SmoothSurface, mesh: Mesh, edges: Integers) -> Integers:
    """The fine surface's points along some edges, each once."""
    return distinct(surface.edge_chains[edges].ravel())


def _mean_diameter(surface: SmoothSurface, points: Floats, chain: Integers) -> tuple[float, float, float]:
    """Mean, smallest and largest distance across of the limit ring, by its distances from its middle."""
    ring = surface.limit(surface.points(points))[chain]
    far = 2.0 * np.linalg.norm(ring - ring.mean(axis=0), axis=1)
    return float(far.mean()), float(far.min()), float(far.max())


def _middle_ring(mesh: Mesh) -> tuple[Floats, Floats, Integers]:
    """The common axis of a part's parallel rings, a place on it, and the edges of the ring in the middle.

    Of the coordinate and the principal axes the one around which points at equal heights are most evenly far.
    """
    centre = 0.5 * (mesh.points.min(axis=0) + mesh.points.max(axis=0))
    off = mesh.points - mesh.points.mean(axis=0)
    principal = np.linalg.svd(off, full_matrices=False)[2]
    best: tuple[float, Floats, Floats, Integers] | None = None
    for axis in (*np.eye(3), *principal):
        found = _rings_about(mesh, axis, centre)
        if found is not None and (best is None or found[0] < best[0] - 1e-9):
            best = (found[0], axis, centre, found[1])
    if best is None or best[0] > 0.05:
        raise EditError("This part has no rings around one axis; select a closed loop.")
    return best[1], best[2], best[3]


def _rings_about(mesh: Mesh, axis: Floats, centre: Floats) -> tuple[float, Integers] | None:
    """How unevenly far the rings square to an axis are from it, and the edges of the middle one; None without rings."""
    height = (mesh.points - centre) @ axis
    reach = np.linalg.norm(mesh.points - centre - height[:, None] * axis, axis=1)
    size = float(np.ptp(mesh.points, axis=0).max())
    edges = mesh.topology.edges
    level = (np.abs(height[edges[:, 0]] - height[edges[:, 1]]) < 1e-6 * size) & (
        np.abs(reach[edges[:, 0]] - reach[edges[:, 1]]) < 0.05 * size
    )
    level &= reach[edges].min(axis=1) > 1e-6 * size
    where = np.round(height[edges[level]].mean(axis=1) / (1e-5 * size)).astype(np.int64)
    chosen = np.flatnonzero(level)
    rings = []
    for row in distinct(where).tolist():
        own = chosen[where == row]
        outer = own[_outermost(reach[edges[own]].mean(axis=1), size)]
        points, degree = np.unique(edges[outer], return_counts=True)
        if len(outer) >= 3 and (degree == 2).all():
            far = reach[points]
            rings.append((float(far.std() / far.mean()), abs(row), row, outer))
    if not rings:
        return None
    middle = min(rings, key=lambda ring: (ring[1], ring[2]))
    return float(np.mean([ring[0] for ring in rings])), middle[3]


def _outermost(reach: Floats, size: float) -> Booleans:
    return np.asarray(reach > reach.max() - 0.05 * size)


def _box_to(mesh: Mesh, selection: Selection, size: Any) -> Edit:
    surface = SmoothSurface(mesh, FINE)
    shown = surface.limit(surface.points(mesh.points))
    used = shown[distinct(surface.topology.corners)]
    low, high = used.min(axis=0), used.max(axis=0)
    factors = np.full(3, np.nan)
    for axis, wanted in enumerate(size):
        if wanted is None:
            continue
        if not wanted > 0:
            raise EditError("A true size is above 0 mm along each axis.")
        if high[axis] - low[axis] <= 0:
            raise EditError(f"The surface has no extent along {'xyz'[axis]}.")
        factors[axis] = wanted / (high[axis] - low[axis])
    given = factors[np.isfinite(factors)]
    if len(given) == 0:
        raise EditError("Give at least one of the three sizes.")
    factors[~np.isfinite(factors)] = float(np.prod(given) ** (1.0 / len(given)))
    centre = 0.5 * (low + high)
    points = centre + (mesh.points - centre) * factors
    shown_size = " × ".join(f"{value:.6g}" for value in (high - low) * factors)
    return Edit(mesh.with_points(points), selection, identity(mesh), f"The smooth surface is {shown_size} mm.")


def _through_points(mesh: Mesh, selection: Selection) -> Edit:
    from scipy.sparse.linalg import lsqr

    chosen = points_of(mesh.topology, selection) if len(selection) else np.arange(mesh.n_points)
    chosen = chosen[mesh.topology.point_face_count[chosen] > 0]
    if len(chosen) == 0:
        raise EditError("None of these points is on a surface.")
    masks = limit_matrix(mesh)
    missing = mesh.points[chosen] - (masks @ mesh.points)[chosen]
    small = masks[chosen][:, chosen]
    # The smallest moves that do it; where the masks are singular (a plain box) the nearest they can.
    moves = np.stack(
        [lsqr(small, missing[:, axis], atol=1e-14, btol=1e-14, conlim=0.0, iter_lim=5000)[0] for axis in range(3)],
        axis=1,
    )
    points = mesh.points.copy()
    points[chosen] += moves
    left = np.linalg.norm((masks @ points)[chosen] - mesh.points[chosen], axis=1)
    worst = float(left.max())
    count = int((left <= MET).sum())
    told = f"The surface passes {count:,} of {len(chosen):,} points"
    told += (
        "."
        if worst <= MET
        else f"; the farthest is {worst:.3g} mm off, and no smooth surface of this cage comes nearer."
    )
    return Edit(mesh.with_points(points), selection, identity(mesh), told)
