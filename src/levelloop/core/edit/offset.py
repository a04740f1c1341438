"""Moving points so that several planes through each of them move by given distances."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, sum_by

# Where planes fold back on each other the exact offset runs to infinity; it stops at this many distances.
LONGEST = 6.0


def meet_planes(normals: Floats, distances: Floats, label: Integers, count: int) -> Floats:
    """For each label the shortest move that carries each of its planes by its distance: (count, 3).

    normals: (r, 3) unit, zero ones are ignored; distances: (r,) mm; label: (r,). Exact where the planes
    allow it, else by least squares; the pseudo-inverse of the normal equations (Penrose 1955).
    """
    columns = [sum_by(label, normals * normals[:, i : i + 1], count) for i in range(3)]
    matrix = np.stack(columns, axis=1)
    wanted = sum_by(label, normals * distances[:, None], count)
    values, vectors = np.linalg.eigh(matrix)
    usable = values > 1e-9 * np.maximum(values[:, 2:3], 1e-300)
    in_frame = np.einsum("nji,nj->ni", vectors, wanted)
    solved = np.divide(in_frame, values, out=np.zeros_like(values), where=usable)
    moves = np.einsum("nij,nj->ni", vectors, solved)
    largest = np.zeros(count)
    np.maximum.at(largest, label, np.abs(distances))
    length = np.linalg.norm(moves, axis=1)
    limit = LONGEST * largest
    shorten = np.divide(limit, length, out=np.ones(count), where=length > np.maximum(limit, 1e-300))
    return np.asarray(moves * shorten[:, None])
