"""Where a cage's own points and edges are in its picture: the one place that translates between cage and result."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.recipe.trace import Trace
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class OnCage:
    """Where the points and edges of a cage are shown.

    A result's points have numbers, which the trace speaks of; what a step has welded away or cut off has none, and
    stays where the cage has it. Both stand in one row here, which nobody else counts in. _row: (n' + g, 3) the
    result's places and after them those of the cage where it lacks some; _points: (n,), _chains: (e, c) rows of it.
    """

    _row: Floats
    _points: Integers
    _chains: Integers

    @property
    def steps(self) -> int:
        """How many lines there are along each edge of the cage."""
        return int(self._chains.shape[1]) - 1

    def points(self) -> Floats:
        """Where the cage's points are: (n, 3)."""
        return np.asarray(self._row[self._points])

    def chains(self, edges: Integers | None = None) -> Floats:
        """The places along the cage's edges, all or some: (e, c, 3)."""
        return np.asarray(self._row[self._chains if edges is None else self._chains[edges]])

    def every(self) -> Floats:
        """All places of the result and of the cage that are shown: (n' + g, 3)."""
        return self._row

    def moved(self, places: Floats) -> OnCage:
        """The same with the result's points at other places: (n', 3), where it lacks none of the cage's."""
        assert len(places) == len(self._row)
        return replace(self, _row=places)


def on_cage(trace: Trace, places: Floats, cage: Floats, edges: Integers) -> OnCage:
    """Where a cage is shown; places: (n', 3) of the result; cage: (n, 3) its own; edges: (e, 2) its edges."""
    points, chains = trace.points, trace.chains
    if (points >= 0).all() and (chains >= 0).all():
        return OnCage(places, points, chains)
    own = len(places) + np.arange(len(cage))
    gone = (chains < 0).any(axis=1)
    chains = chains.copy()
    chains[gone] = own[edges[gone, 1:]]
    chains[gone, 0] = own[edges[gone, 0]]
    return OnCage(np.concatenate((places, cage)), np.where(points < 0, own, points), chains)
