"""Soft range: how far around the selection other points follow, and how much."""

from __future__ import annotations

from typing import Literal

import numpy as np

from levelloop.core.arrays import Floats, Integers, distinct, inverse_of, offsets_from_sizes, unique_rows
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_vector
from levelloop.core.mesh.faces import triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass

SoftShape = Literal["bell", "dome", "cone"]
SOFT_SHAPES: tuple[SoftShape, ...] = ("bell", "dome", "cone")


@dataclass(frozen=True)
class Soft:
    """What follows a move: points within a range, mm, less and less by a shape.

    along_surface: the range is measured along the surface; centre: measured from there instead of from the selection;
    radii: a range for each axis, 0 where the axis does not count.
    """

    range: float = 0.0
    shape: SoftShape = "bell"
    along_surface: bool = False
    centre: tuple[float, float, float] | None = None
    radii: tuple[float, float, float] | None = None


def soft_weights(mesh: Mesh, chosen: Integers, soft: Soft) -> Floats:
    """How much of a move each point makes: 1 for the chosen, 0 beyond the range and for hidden points: (n,)."""
    weights = np.zeros(mesh.n_points)
    if soft.range > SHORTEST or soft.radii is not None:
        ratio = _ratios(mesh, chosen, soft)
        near = ratio < 1.0
        weights[near] = falloff(ratio[near], soft.shape)
        weights[mesh.hidden_points] = 0.0
    if soft.centre is None:
        weights[chosen] = 1.0
    return weights


SHORTEST = 1e-12  # mm; a range below it reaches nothing, and what is divided by it overflows


def falloff(ratio: Floats, shape: SoftShape) -> Floats:
    """The share of a move at a ratio of the range, 0 … 1: bell (1 − r²)², dome √(1 − r²), cone 1 − r: (n,).

    >>> falloff(np.array([0.0, 0.5, 1.0]), "cone").tolist()
    [1.0, 0.5, 0.0]
    """
    squares = np.clip(1.0 - ratio * ratio, 0.0, 1.0)
    if shape == "bell":
        return squares * squares
    return np.sqrt(squares) if shape == "dome" else np.clip(1.0 - ratio, 0.0, 1.0)


def distances_along_surface(mesh: Mesh, sources: Integers, reach: float) -> Floats:
    """The shortest way over the surface from any of the sources, mm, infinite beyond the reach: (n,).

    Only faces within the straight reach can matter. By fast marching (Kimmel & Sethian 1998, by potpourri3d): a few per
    cent too far on even faces, up to a seventh on slivers; along edges where faces are too broken for it.
    """
    result = np.full(mesh.n_points, np.inf)
    result[sources] = 0.0
    near = _straight(mesh.points, mesh.points[sources]) <= reach
    corner_near = near[mesh.topology.corners]
    if mesh.n_faces == 0 or not corner_near.any():
        return result
    faces = np.flatnonzero(np.logical_or.reduceat(corner_near, mesh.topology.face_offsets[:-1]))
    corners = mesh.topology.corners[mesh.topology.corners_of_faces(faces)]
    used = distinct(corners)
    number = inverse_of(used, mesh.n_points)
    piece = Topology.derived(offsets_from_sizes(mesh.topology.face_sizes[faces]), number[corners], len(used))
    places = np.ascontiguousarray(mesh.points[used])
    flat, _ = triangles(piece, places, mesh.diagonal[faces])
    starts = number[sources]
    starts = starts[starts >= 0]
    if len(starts):
        found = _over_triangles(places, flat, starts)
        found[found > reach] = np.inf
        result[used] = np.minimum(result[used], found)
    return result


# Helpers


def _ratios(mesh: Mesh, chosen: Integers, soft: Soft) -> Floats:
    """Distance over range of every point."""
    if soft.radii is not None:
        radii = as_vector(soft.radii)
        if (radii < 0).any() or not radii.any():
            raise EditError("Soft radii are lengths, of which at least one is above 0.")
        counts = radii > 0
        scaled = mesh.points[:, counts] / radii[counts]
        from_ = scaled[chosen] if soft.centre is None else (as_vector(soft.centre)[counts] / radii[counts])[None]
        return _straight(scaled, from_)
    if soft.centre is not None:
        if soft.along_surface:
            from_here = np.linalg.norm(mesh.points - as_vector(soft.centre), axis=1)
            nearest = np.array([int(np.argmin(from_here))])
            return distances_along_surface(mesh, nearest, soft.range) / soft.range
        return _straight(mesh.points, as_vector(soft.centre)[None]) / soft.range
    if soft.along_surface:
        return distances_along_surface(mesh, chosen, soft.range) / soft.range
    return _straight(mesh.points, mesh.points[chosen]) / soft.range


def _straight(points: Floats, sources: Floats) -> Floats:
    """The distance of each point from the nearest source."""
    if len(sources) == 1:
        offset = points - sources[0]
        return np.asarray(np.sqrt(np.einsum("ij,ij->i", offset, offset)))
    from scipy.spatial import cKDTree

    return np.asarray(cKDTree(sources).query(points)[0])


def _over_triangles(places: Floats, flat: Integers, sources: Integers) -> Floats:
    """The shortest way from any of the sources over triangles: (n,), infinite where there is none."""
    import potpourri3d  # type: ignore[import-untyped]

    try:
        solver = potpourri3d.MeshFastMarchingDistanceSolver(places, flat)
        found = np.asarray(solver.compute_distance([[(source, [])] for source in sources.tolist()]), dtype=np.float64)
        if np.isfinite(found).any():
            return np.where(np.isfinite(found), np.maximum(found, 0.0), np.inf)
    except (RuntimeError, ValueError):
        # Faces that meet three at an edge, or that have no area.
        pass
    return _along_edges(places, flat, sources)


def _along_edges(places: Floats, flat: Integers, sources: Integers) -> Floats:
    """The shortest way along the triangles' edges (Dijkstra 1959): never shorter than the way over them."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import dijkstra

    pairs = unique_rows(np.sort(np.concatenate((flat[:, :2], flat[:, 1:], flat[:, ::2])), axis=1))[0]
    lengths = np.maximum(np.linalg.norm(places[pairs[:, 0]] - places[pairs[:, 1]], axis=1), 1e-12)
    graph = coo_array((lengths, (pairs[:, 0], pairs[:, 1])), shape=(len(places), len(places))).tocsr()
    return np.asarray(dijkstra(graph, directed=False, indices=sources, min_only=True))
