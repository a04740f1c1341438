"""Moving points so that several planes through each of them move by given distances."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, sum_by
from levelloop.core.words import counted

# Where planes fold back on each other the exact offset runs to infinity; it stops at this many distances.
LONGEST = 6.0
FOLDED = 0.05  # cosine: planes further than that from their mean fold back
STRAYS = 1.25  # times as far as planes so near to their mean need
WORTH_SAYING = 1e-6  # of the distance


def even_offsets(normals: Floats, label: Integers, count: int) -> tuple[Floats, Floats]:
    """For each label the move that carries each of its planes by 1 mm outward: (count, 3), and how far off it is.

    normals: (r, 3) unit; label: (r,). Exact where planes meet near; where they are nearly one plane and meet only far
    away, along their mean as far as is best. The second is the largest error of any plane, in mm: (count,).
    """
    moves = meet_planes(normals, np.ones(len(normals)), label, count)
    mean = sum_by(label, normals, count)
    mean /= np.maximum(np.linalg.norm(mean, axis=1, keepdims=True), 1e-300)
    cosine = np.einsum("ij,ij->i", normals, mean[label])
    least = np.full(count, np.inf)
    np.minimum.at(least, label, cosine)
    # Planes all within an angle of their mean are met within 1 / cos of it where they meet at all.
    least[np.isinf(least)] = 0.0  # without planes
    astray = (least > FOLDED) & (np.linalg.norm(moves, axis=1) * least > STRAYS)
    square = sum_by(label, cosine**2, count)
    along = np.divide(sum_by(label, cosine, count), square, out=np.zeros(count), where=square > 0)
    moves[astray] = (along[:, None] * mean)[astray]
    off = np.zeros(count)
    np.maximum.at(off, label, np.abs(np.einsum("ij,ij->i", normals, moves[label]) - 1.0) * normals.any(axis=1))
    return moves, off


def told_off(off: Floats, distance: float) -> str:
    """What is to be said of walls that could not be exact, in a sentence; nothing where all are.

    off: (n,) errors for 1 mm.
    """
    wrong = off > WORTH_SAYING
    if not wrong.any() or distance == 0:
        return ""
    where = counted(int(wrong.sum()), "point")
    return f"At {where} no exact wall is near; it is off by up to {abs(distance) * float(off.max()):.3g} mm there."


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
