"""Lighter scenes: what is drawn while a view turns where all of it would not follow the hand.

Triangles are thinned by merging what lies in one cell of a grid (vertex clustering: Rossignac & Borrel 1993), over the
same vertices, so that only other indices are uploaded. Lines of which there are very many are left out.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from levelloop.app.view.render.picture import Picture
from levelloop.app.view.render.scene import Scene, Solid
from levelloop.core.arrays import Integers
from levelloop.core.lazy import kept

MANY = 60_000  # triangles of a picture above which it is thinned
MANY_LINES = 20_000  # above that they fill the view anyway
CELLS = 80  # of the grid along the longest side of a picture


def lighter(scene: Scene) -> Scene:
    """A scene that takes a fraction of the time to draw; what the whole one is drawn from stays where it is."""
    return replace(
        scene,
        solids=[_lighter_solid(solid) for solid in scene.solids],
        lines=[lines for lines in scene.lines if len(lines.segments) <= MANY_LINES],
        dots=[dots for dots in scene.dots if len(dots.places) <= MANY_LINES],
        patches=[patch for patch in scene.patches if len(patch.places) <= 3 * MANY],
        whole=scene,
    )


def thinned_picture(picture: Picture) -> tuple[NDArray[np.uint32], Integers]:
    """A picture's triangles thinned, material by material, and the first and the number of each; worked out once."""
    return kept(picture, "_thinned", lambda: _thinned(picture))


def made_ready(picture: Picture) -> Picture:
    """The same with what a view will ask for worked out: where it is made, the window does not wait for it."""
    if len(picture.indices) > MANY:
        thinned_picture(picture)
    return picture.made_ready()


def thinned(vertices: NDArray[np.float32], indices: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """Triangles (t', 3) that stand for (t, 3), over the same vertices (v, 3 or more)."""
    places = vertices[:, :3]
    low = places.min(axis=0)
    size = max(float(np.ptp(places, axis=0).max()), float(np.finfo(np.float32).tiny))
    steps = np.minimum((places - low) * (CELLS / size), CELLS - 1).astype(np.int32)
    cell = (steps[:, 2] * CELLS + steps[:, 1]) * CELLS + steps[:, 0]
    of_cell = np.zeros(CELLS**3, dtype=np.uint32)
    of_cell[cell] = np.arange(len(cell), dtype=np.uint32)
    corners = cell[indices]
    a, b, c = corners.T
    # Most lie within one cell, or between two.
    corners = corners[(a != b) & (b != c) & (c != a)]
    # Alike are those of the same three cells that go round the same way: each from its lowest on.
    turned = np.take_along_axis(corners, (corners.argmin(axis=1)[:, None] + np.arange(3)) % 3, axis=1).astype(np.int64)
    key = (turned[:, 0] * CELLS**3 + turned[:, 1]) * CELLS**3 + turned[:, 2]
    return np.ascontiguousarray(of_cell[turned[np.unique(key, return_index=True)[1]]])


# Helpers


def _lighter_solid(solid: Solid) -> Solid:
    picture = solid.picture
    if len(picture.indices) <= MANY or solid.is_laid_on:
        return solid
    indices, ranges = thinned_picture(picture)
    skins = [
        replace(skin, first=first, count=count)
        for skin, (first, count) in zip(solid.skins, ranges.tolist(), strict=False)
    ]
    return replace(solid, indices=indices, skins=skins)


def _thinned(picture: Picture) -> tuple[NDArray[np.uint32], Integers]:
    groups = [(first, count) for _, first, count in picture.groups] or [(0, len(picture.indices))]
    pieces = [thinned(picture.vertices, picture.indices[first : first + count]) for first, count in groups]
    sizes = np.array([len(piece) for piece in pieces])
    return np.concatenate(pieces), np.stack((np.cumsum(sizes) - sizes, sizes), axis=1)
