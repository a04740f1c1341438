"""A pole slid to a neighbour's place: the lines through it come along over the surface."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, mask_of
from levelloop.core.errors import EditError
from levelloop.core.geometry.skin import Skin
from levelloop.core.mesh.faces import edge_folds, face_vectors
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection

SHARP = 40.0  # degrees: an edge that folds more is a feature of the form, and stays


def move_pole(mesh: Mesh, selection: Selection, reach: int = 4) -> Edit:
    """Slides a pole to the place of a neighbouring point, over the surface; the points around follow.

    Selected are the pole and the neighbour, or the pole alone: then it goes towards where the surface turns least.
    reach: how many rings of points follow, less and less (the smoothest displacement, a biharmonic one). What lies
    on an open, creased or sharply folded edge stays. Selected after: the pole. Raises EditError where the form
    would change, or there is no room.
    """
    pole, onto = _asked(mesh, selection)
    stays = _features(mesh)
    if stays[pole]:
        raise EditError("The pole lies on an open, creased or sharply folded edge; off it the form would change.")
    near = _within(mesh, np.array([pole, onto]), reach)
    free = near & ~stays
    free[[pole, onto]] = True
    if stays[onto]:
        raise EditError("The neighbour lies on an open, creased or sharply folded edge, where it would have to stay.")
    wanted = mesh.points[onto] - mesh.points[pole]
    points = mesh.points + _smoothest(mesh, free, pole, wanted)
    others = np.flatnonzero(free & (np.arange(mesh.n_points) != pole))
    points[others] = Skin(mesh, is_round=True).nearest(points[others])[0]
    points[pole] = mesh.points[onto]
    before, after = (face_vectors(mesh.topology, places) for places in (mesh.points, points))
    if (np.einsum("ij,ij->i", before, after) < 0.02 * np.einsum("ij,ij->i", before, before)).any():
        raise EditError("There is no room to slide it there; let more rings follow, or move it in smaller steps.")
    return Edit(mesh.with_points(points), Selection("points", np.array([pole])), identity(mesh))


# Helpers


def _asked(mesh: Mesh, selection: Selection) -> tuple[int, int]:
    """The pole and the neighbour that it slides to."""
    topology = mesh.topology
    chosen = selection.indices if selection.kind == "points" else np.zeros(0, dtype=np.int64)
    if len(chosen) not in (1, 2):
        raise EditError("To move a pole, select it and a neighbouring point.")
    inner = (topology.valence != 4) & ~topology.open_points & (topology.point_face_count > 0)
    poles = [int(point) for point in chosen if inner[point]]
    if not poles:
        raise EditError("Neither of the points is a pole." if len(chosen) == 2 else "The point is no pole.")
    pole = poles[0]
    beside = topology.edges[(topology.edges == pole).any(axis=1)]
    neighbours = beside[beside != pole]
    if len(chosen) == 2:
        onto = int(chosen[0] if chosen[1] == pole else chosen[1])
        if onto not in neighbours:
            raise EditError("The points are no neighbours; a pole slides along one edge at a time.")
        return pole, onto
    turns = _turns(mesh)
    return pole, int(min(neighbours, key=lambda point: (round(float(turns[point]), 6), int(point))))


def _turns(mesh: Mesh) -> Floats:
    """How far the surface turns around each point: the largest fold of its edges, degrees; features turn most."""
    fold = edge_folds(mesh.topology, mesh.points)
    result = np.zeros(mesh.n_points)
    np.maximum.at(result, mesh.topology.edges.ravel(), np.repeat(fold, 2))
    result[_features(mesh)] += 180.0
    return result


def _features(mesh: Mesh) -> Booleans:
    """The points on open, creased or sharply folded edges: (n,)."""
    topology = mesh.topology
    sharp = topology.open_edges | topology.wire_edges | (mesh.creases > 0)
    sharp |= edge_folds(topology, mesh.points) > SHARP
    return mask_of(topology.edges[sharp].ravel(), mesh.n_points) | (mesh.corner_sharpness > 0)


def _within(mesh: Mesh, start: Integers, rings: int) -> Booleans:
    """The points within so many edges of some: (n,)."""
    near = mask_of(start, mesh.n_points)
    edges = mesh.topology.edges
    for _ in range(rings):
        touched = near[edges].any(axis=1)
        near[edges[touched].ravel()] = True
    return near


def _smoothest(mesh: Mesh, free: Booleans, pole: int, wanted: Floats) -> Floats:
    """The displacement of all points whose Laplacian is least, of the pole as wanted and nought where not free."""
    edges = mesh.topology.edges
    rows = free.copy()
    rows[edges[free[edges].any(axis=1)].ravel()] = True
    number = np.cumsum(rows) - 1
    inside = rows[edges].all(axis=1)
    a, b = number[edges[inside, 0]], number[edges[inside, 1]]
    count = int(rows.sum())
    laplacian = np.zeros((count, count))
    np.add.at(laplacian, (a, b), -1.0)
    np.add.at(laplacian, (b, a), -1.0)
    laplacian[np.arange(count), np.arange(count)] = -laplacian.sum(axis=1)
    laplacian /= np.maximum(laplacian.diagonal(), 1.0)[:, None]
    at = number[pole]
    unknown = number[free & (np.arange(mesh.n_points) != pole)]
    found, *_ = np.linalg.lstsq(laplacian[:, unknown], -np.outer(laplacian[:, at], wanted), rcond=None)
    result = np.zeros((mesh.n_points, 3))
    result[np.flatnonzero(rows)[unknown]] = found
    result[pole] = wanted
    return result
