"""The limit surface of what a recipe makes, as values."""

from __future__ import annotations

from collections.abc import Callable

from levelloop.core.arrays import Floats
from levelloop.core.recipe.chain import Built
from levelloop.core.surface.samples import SurfaceSamples, sampled, sampled_mesh


def samples_of(built: Built, placed: Callable[[Floats], Floats]) -> SurfaceSamples | None:
    """The limit surface at the points of what was built; None where nothing of it is smooth.

    placed: puts points (n, 3) where they are looked at. Where steps have shaped it after it was smoothed, its
    derivatives are differences between neighbours.
    """
    if all(stop.surface is None for stop in built.stops):
        return None
    last = built.stops[-1]
    if last.surface is None or last.around is not None:
        return sampled_mesh(built.mesh.with_points(placed(built.points)), built.trace.source.faces)
    before = built.stops[-2].route if len(built.stops) > 1 else built.start
    # The surface goes with its cage wherever that is put, stretched or not.
    return sampled(last.surface, placed(last.before.points)).on_cage(before.trace.source.faces)
