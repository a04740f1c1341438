"""Surface points that follow their cage: when a few cage points move, only what depends on them is computed again."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Floats, Integers, distinct
from levelloop.core.lazy import lazy
from levelloop.core.surface.surface import SmoothSurface

if TYPE_CHECKING:
    from scipy.sparse import csc_array, csr_array


class LivePoints:
    """The points of a smooth surface at every level, kept while the cage is dragged.

    points: (n', 3) of the surface, an own array that update() changes in place.
    """

    def __init__(self, surface: SmoothSurface, points: Floats) -> None:
        self.surface = surface
        self._levels = [np.array(points, dtype=np.float64)]
        self._planned: tuple[Integers, list[tuple[Integers, csr_array]]] | None = None
        for matrix in surface.matrices:
            self._levels.append(matrix @ self._levels[-1])

    @property
    def points(self) -> Floats:
        """The surface's points as of the last update."""
        return self._levels[-1]

    def update(self, points: Floats, changed: Integers) -> Integers:
        """Moves some cage points; returns which surface points that changed, sorted.

        points: (n, 3) of the whole cage; changed: (c,) the points that moved.
        """
        rows = distinct(np.asarray(changed, dtype=np.int64))
        self._levels[0][rows] = points[rows]
        for level, (depends, weights) in enumerate(self._plan(rows)):
            self._levels[level + 1][depends] = weights @ self._levels[level]
            rows = depends
        return rows

    def _plan(self, changed: Integers) -> list[tuple[Integers, csr_array]]:
        """Which rows of each level depend on the points, and their weights; kept for as long as the same ones move."""
        if self._planned is not None and np.array_equal(self._planned[0], changed):
            return self._planned[1]
        plan, rows = [], changed
        for matrix, columns in zip(self.surface.matrices, self._columns, strict=True):
            rows = distinct(columns[:, rows].indices)
            plan.append((rows, matrix[rows]))
        self._planned = (changed, plan)
        return plan

    @lazy
    def _columns(self) -> list[csc_array]:
        """The matrices by column: which rows each point has a say in."""
        return [matrix.tocsc() for matrix in self.surface.matrices]
