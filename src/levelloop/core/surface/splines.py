"""Normals and curvatures where the cage is regular: B-spline derivatives by the same products as the points.

Around a regular face the limit surface is a uniform bicubic B-spline of 16 points, so a sample's derivatives are fixed
combinations of these, the same for all faces. Each sample is taken from one face, one edge or one point of the mesh,
which is where its level keeps it too: what is worked out for a block of faces lands in a few rows of the result.

B-spline weights: de Boor 1978, chapter X.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, partial

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.surface.bends import (
    FACTORS,
    NUMBERS,
    ORDERS,
    SAMPLES,
    WITH_DIRECTIONS,
    WORTH_THREADS,
    Bends,
    Scratch,
    run_blocks,
)
from levelloop.core.surface.fans import AT_CORNER, ON_SIDE, Family, Fans
from levelloop.core.surface.patches import Group, Patches, grid_samples


def regular_normals(patches: Patches, points: Floats) -> Floats:
    """Unit normals at the level's points, (n', 3), wrong beside creases; points: (n, 3) of the mesh."""

    def found(count: int, scratch: Scratch) -> Floats:
        return scratch.unit_normals(count)

    return _in_groups(patches, points, 2, patches.room(3), found).T


def regular_bends(patches: Patches, points: Floats, directions: bool) -> Bends:
    """How the surface bends at the level's points, wrong beside creases; points: (n, 3) of the mesh."""
    result = Bends(patches.room(WITH_DIRECTIONS if directions else NUMBERS))

    def found(count: int, scratch: Scratch) -> Floats:
        return scratch.bends(count, directions)

    _in_groups(patches, points, 6, result.numbers, found)
    return result


# Helpers


def _in_groups(
    patches: Patches, points: Floats, orders: int, result: Floats, found: Callable[[int, Scratch], Floats]
) -> Floats:
    """Fills the result, (r, n'), with what is found of samples whose first derivatives, so many, lie in the scratch.

    A group is some faces, edges or points with all the samples that they have.
    """
    columns = np.ascontiguousarray(points.T)
    kinds = _weights(patches.levels)

    def put(group: Group, scratch: Scratch) -> None:
        weights = kinds[group.kind]
        count, each = len(group.around), weights.shape[-1]
        jets = scratch.jets[:orders, :, : count * each].reshape(orders, 3, count, each)
        np.matmul(scratch.around(columns, group.around), weights[:orders, None], out=jets)
        values, end = found(count * each, scratch).reshape(len(result), count, each), 0
        for there in group.places_in(result):
            there[:] = values[:, :, end : end + there.shape[-1]]
            end += there.shape[-1]

    work = [partial(put, group) for group in patches.groups(SAMPLES, SAMPLES)]
    many = patches.final.n_points >= WORTH_THREADS
    fans = patches.fans
    if fans is None:
        run_blocks(work, SAMPLES, many)
        return result
    # Poles are written over what is regular; what they are made of is worked out beside it.
    around_poles: list[Floats] = []
    run_blocks([lambda _: around_poles.append(fans.columns(points)), *work], SAMPLES, many)
    _put_fans(fans, around_poles[0], orders, result, found)
    return result


def _put_fans(
    fans: Fans, columns: Floats, orders: int, result: Floats, found: Callable[[int, Scratch], Floats]
) -> None:
    """The same for the faces that poles alone make irregular; columns: (3, n) the points that these are made of."""

    def put(family: Family, scratch: Scratch) -> None:
        elements = family.around
        weights = family.weights.jets[:orders, None]
        count = weights.shape[2] * elements.shape[1]
        around = scratch.around(columns, elements)
        np.matmul(weights, around, out=scratch.jets[:orders, :, :count].reshape(orders, 3, -1, elements.shape[1]))
        for row, values in zip(result, found(count, scratch), strict=True):
            row[family.targets] = values[family.own]

    work = [partial(put, family) for family in fans.families]
    run_blocks(work, SAMPLES, sum(len(family.targets) for family in fans.families) >= WORTH_THREADS)


@cache
def _weights(levels: int) -> tuple[Floats, Floats, Floats]:
    """What the points around a face weigh in derivatives and place at the samples inside it, block after block: (6, 16,
    c), at those along its first side: (6, 12, c), and at its first corner: (6, 9, 1).
    """
    where, (inside, side, corner) = grid_samples(levels)
    return (
        _jet_weights(where, np.concatenate(inside)),
        _jet_weights(where[ON_SIDE], np.concatenate(side)),
        _jet_weights(where[AT_CORNER], corner),
    )


def _jet_weights(where: Floats, samples: Floats) -> Floats:
    """Weights of grid points where (p, 2), whole numbers 0 … 3, at samples (c, 2) between 1 and 2."""
    share = samples - 1.0
    across = [_cubic(share[:, axis]) for axis in (0, 1)]  # (3 derivatives, 4, c)
    x, y = where.astype(np.int64).T
    kept = zip(FACTORS, ORDERS, strict=True)
    return np.stack([factor * across[0][i][x] * across[1][j][y] for factor, (i, j) in kept])


def _cubic(t: Floats) -> Floats:
    """The four uniform cubic B-splines on a span, and their first and second derivatives: (3, 4, c)."""
    value = np.stack(((1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3)) / 6.0
    first = np.stack((-((1 - t) ** 2), 3 * t**2 - 4 * t, -3 * t**2 + 2 * t + 1, t**2)) / 2.0
    second = np.stack((1 - t, 3 * t - 2, -3 * t + 1, t))
    return np.stack((value, first, second))
