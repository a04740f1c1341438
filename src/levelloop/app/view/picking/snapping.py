"""Snapping: the exact place near the pointer that a dragged place is caught by."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal

import numpy as np

from levelloop.app.view.camera import Camera
from levelloop.app.view.picking.picking import Sight, surface_place, visible
from levelloop.app.view.render.picture import Picture
from levelloop.core.arrays import Booleans, Floats
from levelloop.core.values import dataclass

Snap = Literal["grid", "point", "middle", "edge", "face", "guide", "angle"]
SNAPS: tuple[Snap, ...] = ("grid", "point", "middle", "edge", "face", "guide", "angle")
TITLES: dict[Snap, str] = {
    "grid": "grid",
    "point": "points",
    "middle": "edge middles",
    "edge": "edges",
    "face": "faces of other parts",
    "guide": "corners and middles of guides",
    "angle": "angle steps",
}
CAUGHT_WITHIN = 14.0  # pixels
ANGLE = 15.0  # degrees


@dataclass(frozen=True, eq=False)
class Catch:
    """Where a drag was caught: the place in the world, and by what, in words."""

    place: Floats
    by: str


def caught(
    sight: Sight,
    snaps: Collection[Snap],
    x: float,
    y: float,
    wanted: Floats,
    moving: tuple[str, Booleans],
    guides: Floats | None = None,
    grid: float = 1.0,
) -> Catch | None:
    """What catches a dragged place: points before edge middles, edges, faces, and the grid last; None for nothing.

    x, y: the pointer in device pixels; wanted: (3,) where the drag would put the place; moving: the part that is
    dragged and which of its points move, which catch nothing themselves; guides: (n, 3) places of guides that catch;
    grid: mm.
    """
    part_id, moves = moving
    for snap in ("point", "middle", "edge"):
        if snap not in snaps:
            continue
        best: tuple[float, Floats] | None = None
        for picture in sight.pictures:
            still = ~moves if picture.part.id == part_id else np.ones(picture.part.mesh.n_points, dtype=np.bool_)
            found = _nearest(sight, picture, snap, x, y, still)
            if found is not None and (best is None or found[0] < best[0]):
                best = found
        if best is not None:
            return Catch(best[1], {"point": "point", "middle": "edge middle", "edge": "edge"}[snap])
    if "guide" in snaps and guides is not None and len(guides):
        screen = sight.camera.project(guides, sight.width, sight.height)
        distance = np.hypot(screen[:, 0] - x, screen[:, 1] - y)
        if distance.min() <= CAUGHT_WITHIN:
            return Catch(guides[int(distance.argmin())], "guide")
    if "face" in snaps:
        place = _on_face(sight, x, y, part_id)
        if place is not None:
            return Catch(place, "face")
    if "grid" in snaps:
        return Catch(np.round(wanted / grid) * grid, "grid")
    return None


# Helpers


def _nearest(
    sight: Sight, picture: Picture, snap: str, x: float, y: float, still: Booleans
) -> tuple[float, Floats] | None:
    """The nearest place of a kind on screen within reach, and how far it is."""
    topology = picture.part.mesh.topology
    if snap == "point":
        places = picture.cage_places[still & ~picture.part.mesh.hidden_points]
    else:
        edges = still[topology.edges].all(axis=1) & ~picture.part.mesh.hidden_edges
        if snap == "middle":
            places = picture.edge_middles[edges]
        else:
            ends = picture.cage_places[topology.edges[edges]]
            places = _nearest_on_lines(sight.camera, sight.width, sight.height, ends, x, y)
    if len(places) == 0:
        return None
    screen = sight.camera.project(places, sight.width, sight.height)
    distance = np.hypot(screen[:, 0] - x, screen[:, 1] - y)
    near = np.flatnonzero((distance <= CAUGHT_WITHIN) & (screen[:, 2] <= 1.0))
    near = near[visible(sight, screen[near])] if len(near) else near
    if len(near) == 0:
        return None
    best = near[np.argmin(distance[near])]
    return float(distance[best]), places[best]


def _nearest_on_lines(camera: Camera, width: int, height: int, ends: Floats, x: float, y: float) -> Floats:
    """On each line (e, 2, 3) the place nearest to the line of sight through a pixel: (e, 3)."""
    if len(ends) == 0:
        return np.zeros((0, 3))
    origin, sight = camera.ray(x, y, width, height)
    along = ends[:, 1] - ends[:, 0]
    offset = ends[:, 0] - origin
    # Nearest points of two lines: two equations in how far along each.
    a, b = np.einsum("ij,ij->i", along, along), along @ sight
    d, e = np.einsum("ij,ij->i", along, offset), offset @ sight
    denominator = np.maximum(a - b * b, 1e-12)
    ratio = np.clip((b * e - d) / denominator, 0.0, 1.0)
    return np.asarray(ends[:, 0] + ratio[:, None] * along)


def _on_face(sight: Sight, x: float, y: float, part_id: str) -> Floats | None:
    """The place on the face of another part under a pixel."""
    found = surface_place(sight, x, y)
    return None if found is None or found[1].part.id == part_id else found[0]
