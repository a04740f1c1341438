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
    wanted = sum_by(label, normals * distances[:, None], count)
    trace = columns[0][:, 0] + columns[1][:, 1] + columns[2][:, 2]
    safe = np.maximum(trace, 1e-300)
    # One direction only, by far the most usual: there the answer is a quotient.
    squares = sum(np.einsum("ij,ij->i", column, column) for column in columns)
    single = squares >= trace * trace * (1.0 - 1e-12)
    moves = wanted / safe[:, None]
    # Three directions well apart: Cramer's rule. The rest, with two or nearly two, by eigenvectors.
    cofactors = (
        np.cross(columns[1], columns[2]), np.cross(columns[2], columns[0]), np.cross(columns[0], columns[1])
    )  # fmt: skip
    determinant = np.einsum("ij,ij->i", columns[0], cofactors[0])
    plain = ~single & (determinant > 1e-3 * safe**3)
    for axis in range(3):
        moves[plain, axis] = np.einsum("ij,ij->i", wanted[plain], cofactors[axis][plain]) / determinant[plain]
    rest = np.flatnonzero(~single & ~plain)
    moves[rest] = _by_eigenvectors(np.stack([column[rest] for column in columns], axis=1), wanted[rest])
    largest = np.zeros(count)
    np.maximum.at(largest, label, np.abs(distances))
    length = np.linalg.norm(moves, axis=1)
    limit = LONGEST * largest
    shorten = np.divide(limit, length, out=np.ones(count), where=length > np.maximum(limit, 1e-300))
    return np.asarray(moves * shorten[:, None])


def _by_eigenvectors(matrix: Floats, wanted: Floats) -> Floats:
    """The pseudo-inverse of each symmetric matrix (n, 3, 3) times its vector (n, 3)."""
    values, vectors = np.linalg.eigh(matrix)
    usable = values > 1e-9 * np.maximum(values[:, 2:3], 1e-300)
    in_frame = np.einsum("nji,nj->ni", vectors, wanted)
    solved = np.divide(in_frame, values, out=np.zeros_like(values), where=usable)
    return np.asarray(np.einsum("nij,nj->ni", vectors, solved))
