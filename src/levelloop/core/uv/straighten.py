"""Islands that are grids of quads laid out as rectangles."""

from __future__ import annotations

from collections import deque
from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, Integers, distinct
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection
from levelloop.core.uv.islands import Island, faces_meant, island_uv, uv_cuts, uv_islands
from levelloop.core.words import counted


def straighten_uv(mesh: Mesh, selection: Selection) -> Edit:
    """Makes rectangles of the islands of selected faces, or of all, that are grids of quads; others stay.

    A row is as high as its edges are long on average, a column as wide; the rectangle lies where the island lay, turned
    to the nearest right angle, as large as it was. Raises EditError where no island is a grid.
    """
    if mesh.uv is None:
        raise EditError("There is no UV to straighten yet; unwrap first.")
    faces = faces_meant(mesh, selection, uv_cuts(mesh))
    uv = mesh.uv.copy()
    islands = uv_islands(mesh, faces)
    straight = 0
    for island in islands:
        grid = grid_of(island)
        if grid is None:
            continue
        flat = _rectangle(mesh.points[island.point], island_uv(mesh, island), grid)
        uv[island.corners] = flat[island.topology.corners]
        straight += 1
    if straight == 0:
        raise EditError("None of the islands is a grid of quads with four corners.")
    told = f"{counted(straight, 'island is', 'islands are')} straight now."
    left = len(islands) - straight
    if left:
        told += f" {counted(left, 'is no grid and stays', 'are no grids and stay')}."
    return Edit(replace(mesh, uv=uv), selection, identity(mesh), told)


def grid_of(island: Island) -> Integers | None:
    """The column and row of each place of an island that is a grid of quads: (v, 2); None where it is none."""
    flat = island.topology
    if (flat.face_sizes != 4).any() or not island.is_disc:
        return None
    quads = flat.corners.reshape(-1, 4)
    at = np.full((flat.n_points, 2), np.iinfo(np.int64).min)
    # From face to face: which corner of the next lies at which of this one's is known over the edge between.
    steps = np.array([(0, 0), (1, 0), (1, 1), (0, 1)])
    turn = np.zeros(flat.n_faces, dtype=np.int64)
    origin = np.zeros((flat.n_faces, 2), dtype=np.int64)
    known = np.zeros(flat.n_faces, dtype=np.bool_)
    known[0] = True
    waiting = deque([0])
    while waiting:
        face = waiting.popleft()
        for corner in range(4):
            place = origin[face] + steps[(corner + turn[face]) % 4]
            point = quads[face, corner]
            if at[point, 0] == np.iinfo(np.int64).min:
                at[point] = place
            elif (at[point] != place).any():
                return None
        for corner in range(4):
            twin = int(flat.twin[4 * face + corner])
            if twin < 0 or known[twin // 4]:
                continue
            other, there = divmod(twin, 4)
            # The edge runs the other way there: its first corner is this one's second.
            side = (corner + turn[face]) % 4
            turn[other] = (side + 2 - there) % 4
            first = origin[face] + steps[(side + 1) % 4]
            origin[other] = first - steps[(there + turn[other]) % 4]
            known[other] = True
            waiting.append(other)
    at -= at.min(axis=0)
    columns, rows = at.max(axis=0) + 1
    number = at[:, 0] * rows + at[:, 1]
    if len(distinct(number)) != flat.n_points or columns * rows != flat.n_points:
        return None
    return at


# Helpers


def _rectangle(points: Floats, before: Floats, grid: Integers) -> Floats:
    columns, rows = grid.max(axis=0) + 1
    place = np.zeros((columns, rows), dtype=np.int64)
    place[grid[:, 0], grid[:, 1]] = np.arange(len(grid))
    across = np.linalg.norm(points[place[1:]] - points[place[:-1]], axis=2).mean(axis=1)
    along = np.linalg.norm(points[place[:, 1:]] - points[place[:, :-1]], axis=2).mean(axis=0)
    x, y = np.concatenate(([0.0], np.cumsum(across))), np.concatenate(([0.0], np.cumsum(along)))
    flat = np.stack((x[grid[:, 0]], y[grid[:, 1]]), axis=1)
    # As large as it was, its middle where it was, its columns along the axis they were nearest to.
    away, was = flat - 0.5 * flat.max(axis=0), before - 0.5 * (before.min(axis=0) + before.max(axis=0))
    size = np.sqrt((was**2).sum() / max(float((away**2).sum()), 1e-300))
    best = max(
        (np.array([[c, s], [-s, c]]) for c, s in ((1, 0), (0, 1), (-1, 0), (0, -1))),
        key=lambda turn: float(((away @ turn) * was).sum()),
    )
    return np.asarray(size * (away @ best) + 0.5 * (before.min(axis=0) + before.max(axis=0)))
