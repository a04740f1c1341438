"""Normals and curvatures where the cage is regular: B-spline derivatives by the same products as the points.

Around a regular face the limit surface is a uniform bicubic B-spline of 16 points, so a sample's derivatives are fixed
combinations of these, the same for all faces. Each sample is taken from one face, one edge or one point of the mesh,
which is where its level keeps it too: what is worked out for a block of faces lands in a few rows of the result.

B-spline weights: de Boor 1978, chapter X.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.surface.jets import Bends, Scratch, cross, dot, put_bends, run_blocks
from levelloop.core.surface.patches import Patches, blocks_of, grid_samples

SAMPLES = 16_384  # looked at together: what is worked out of them stays in the cache
WORTH_THREADS = 50_000  # samples
U, V = 1, 2  # of the place and its derivatives u, v, uu, uv, vv


def regular_normals(patches: Patches, points: Floats) -> Floats:
    """Unit normals at the level's points, (n', 3), wrong at those of irregular faces; points: (n, 3) of the mesh."""
    result = np.empty((3, patches.final.n_points))

    def put(seen: Floats, weights: Floats, rows: slice, scratch: Scratch) -> None:
        su, sv = _jets(seen, weights[[U, V]])
        normal = cross(su, sv, out=result[:, rows])
        length = dot(normal, normal, out=scratch.rows(normal.shape[1])[0])
        np.sqrt(length, out=length)
        normal /= np.maximum(length, np.finfo(np.float64).tiny, out=length)

    _in_blocks(patches, points, put)
    return result.T


def regular_bends(patches: Patches, points: Floats, directions: bool) -> Bends:
    """How the surface bends at the level's points, wrong at those of irregular faces; points: (n, 3) of the mesh."""
    result = Bends.unknown(patches.final.n_points, directions)

    def put(seen: Floats, weights: Floats, rows: slice, scratch: Scratch) -> None:
        jets = _jets(seen, weights)
        target = result.rows(rows)
        target.places.T[:] = jets[0]
        put_bends(target, jets[1:], scratch)

    _in_blocks(patches, points, put)
    return result


# Helpers


def _jets(seen: Floats, weights: Floats) -> Floats:
    """Places or derivatives of blocks of samples: (3, g, 16) and (w, 16, c) → (w, 3, g · c)."""
    return np.asarray(np.matmul(seen, weights[:, None]).reshape(len(weights), 3, -1))


def _in_blocks(patches: Patches, points: Floats, put: Callable[[Floats, Floats, slice, Scratch], None]) -> None:
    """Puts the samples block after block: the points that elements see, their weights, the rows that they fill."""
    columns = np.ascontiguousarray(points.T)
    topology = patches.topology
    counts = blocks_of(topology.n_points, topology.n_edges, topology.n_faces, patches.levels)
    inside, sides, corner = _weights(patches.levels)
    work = []
    for around, blocks, all_weights in (
        (patches.face_controls, counts.in_faces, inside),
        (patches.edge_controls, counts.on_edges, sides),
        (patches.point_controls, ((0, 1),), (corner,)),
    ):
        # The indices are known to be right; "clip" spares the check.
        seen = np.stack([column.take(around, mode="clip") for column in columns])
        for (first, many), weights in zip(blocks, all_weights, strict=True):
            size = max(1, SAMPLES // many)
            for start in range(0, len(around), size):
                part = seen[:, start : start + size]
                rows = slice(first + start * many, first + (start + part.shape[1]) * many)
                work.append((part, weights, rows))

    def block(job: tuple[Floats, Floats, slice], scratch: Scratch) -> None:
        put(*job, scratch)

    run_blocks(block, work, SAMPLES, patches.final.n_points >= WORTH_THREADS)


@cache
def _weights(levels: int) -> tuple[tuple[Floats, ...], tuple[Floats, ...], Floats]:
    """What the sixteen points around a face weigh in place and derivatives at the samples of each block inside it, of
    those along its first side, and at its first corner: (6, 16, c) each.
    """
    where, (inside, side, corner) = grid_samples(levels)
    return (
        tuple(_jet_weights(where, samples) for samples in inside),
        tuple(_jet_weights(where, samples) for samples in side),
        _jet_weights(where, corner),
    )


def _jet_weights(where: Floats, samples: Floats) -> Floats:
    """Weights of grid points where (16, 2), whole numbers 0 … 3, at samples (c, 2) between 1 and 2."""
    share = samples - 1.0
    across = [_cubic(share[:, axis]) for axis in (0, 1)]  # (3 derivatives, 4, c)
    x, y = where.astype(np.int64).T
    orders = ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
    return np.stack([across[0][i][x] * across[1][j][y] for i, j in orders])


def _cubic(t: Floats) -> Floats:
    """The four uniform cubic B-splines on a span, and their first and second derivatives: (3, 4, c)."""
    value = np.stack(((1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3)) / 6.0
    first = np.stack((-((1 - t) ** 2), 3 * t**2 - 4 * t, -3 * t**2 + 2 * t + 1, t**2)) / 2.0
    second = np.stack((1 - t, 3 * t - 2, -3 * t + 1, t))
    return np.stack((value, first, second))
