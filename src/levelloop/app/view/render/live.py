"""Live pictures: while some points are dragged, only what follows them is worked out again and written in place."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.app.view.render.picture import Changes, Picture
from levelloop.core.mesh.faces import normal_map
from levelloop.core.recipe.chain import Built, Smoothing, Stop
from levelloop.core.surface.live import live_piece
from levelloop.core.values import dataclass
from levelloop.document.part import Part


@dataclass(frozen=True, eq=False)
class Shown:
    """How a part is to be shown: at a level, after so many steps, on its limit, with how it bends."""

    level: int
    until: int | None
    on_limit: bool
    bends: bool


def followed(old: Picture | None, part: Part, shown: Shown) -> Picture | None:
    """The picture of a part of which only a few points have moved since the old one, from that.

    The first of a drag copies what it changes; those after it share these arrays and write into them. None where the
    part is not only smoothed, more has changed, or so much follows that all of it is made as fast.
    """
    if old is None or not _is_like(old, part, shown):
        return None
    stop = old.built.stops[0]
    surface = stop.surface
    assert surface is not None
    moved = (part.mesh.points != old.part.mesh.points).any(axis=1)
    if not moved.any():
        return None
    piece, is_first = old.live, old.changes is None
    if piece is None or not piece.covers(moved):
        piece, is_first = live_piece(surface, moved, old.bends is not None), True
        if piece is None:
            return None
    bends, bent = old.bends, None
    if bends is not None and part.in_place:
        raw, on_limit, normals, bent = piece.moved_and_bent(part.mesh.points, shown.on_limit)
    else:
        raw, on_limit, normals = piece.moved(part.mesh.points, shown.on_limit)
    points = stop.points.copy() if is_first else stop.points
    points[piece.points] = on_limit
    all_raw = points
    if stop.raw is not stop.points:
        all_raw = stop.raw.copy() if is_first else stop.raw
        all_raw[piece.points] = raw
    places, at = points, on_limit
    if not part.in_place:
        at = part.placed(on_limit)
        places = old.places.copy() if is_first else old.places
        places[piece.points] = at
        normals = normals @ normal_map(part.transform)
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    vertices = old.vertices.copy() if is_first else old.vertices
    own = surface.sectors.point[piece.sectors]
    vertices[piece.sectors, :3] = places[own] - old.middle
    vertices[piece.sectors, 3:] = normals
    if bends is not None:
        bends = bends.copy() if is_first else bends
        bends[piece.sectors] = piece.bends(part.placed(part.mesh.points)) if bent is None else bent
    made = Stop(stop.link, part.mesh, points, stop.route, None, surface, all_raw)
    number = 0 if is_first or old.changes is None else old.changes.number + 1
    return replace(
        old,
        part=part,
        built=Built(part.mesh, old.built.start, (made,), ()),
        places=places,
        cage=old.cage.moved(places),
        vertices=vertices,
        bends=bends,
        is_quick=True,
        live=piece,
        changes=Changes(number, piece.sectors),
    )


# Helpers


def _is_like(old: Picture, part: Part, shown: Shown) -> bool:
    """Whether an old picture is one of the same part, shown in the same way, that is smoothed and nothing else."""
    if (old.level, old.until, old.on_limit) != (shown.level, shown.until, shown.on_limit) or shown.level == 0:
        return False
    if (shown.bends and old.bends is None) or old.part.recipe != part.recipe or len(old.built.stops) != 1:
        return False
    (stop,) = old.built.stops
    is_plain = isinstance(stop.link, Smoothing) and stop.link.creases and stop.around is None
    fits = is_plain and stop.surface is not None and stop.before is old.part.mesh and not old.built.troubles
    return (
        fits
        and np.array_equal(old.part.transform, part.transform)
        and old.part.mesh.same_but_points(part.mesh)
        and len(old.places) == len(stop.points)
    )
