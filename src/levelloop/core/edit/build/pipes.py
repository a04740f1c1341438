"""Round pipes along a path: rings of points by its radii, with or without caps."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import Path, frames_along
from levelloop.core.forms.primitives import corner_backwards, first_corner, grid_inside
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit

ROUND_ROWS = 2  # rings between a pipe's end and the tip of a round cap


def pipe(mesh: Mesh, path: Path, places: Floats, sides: int, caps: str) -> Edit:
    """The mesh with a pipe along a path, one ring at each place.

    caps: "open", "face", "quads" (sides must be even) or "round". Selected after: the new faces. Raises EditError
    for caps of quads on an odd number of sides, or a radius that is not above 0.
    """
    check_fits(mesh.n_faces + len(places) * sides)
    on, radii = path.at(places), path.radius_at(places)
    frames = frames_along(on, path.closed, path.smooth)
    if caps == "quads" and sides % 2:
        raise EditError(f"Caps of quads need an even number of sides; these are {sides}.")
    if caps == "round" and not path.closed:
        on, radii, frames = _rounded(on, radii, frames)
    if path.closed:
        on, radii, frames = on[:-1], radii[:-1], frames[:-1]
    if (radii <= 0).any():
        raise EditError("A round sweep needs a radius above 0 mm at every point of the curve.")
    angle = 2.0 * np.pi * np.arange(sides) / sides
    circle = np.stack((np.cos(angle), np.sin(angle)), axis=1)
    rings = on[:, None] + radii[:, None, None] * np.einsum("sk,rkj->rsj", circle, frames[:, :2])
    count = len(rings)
    builder = MeshBuilder(mesh)
    number = builder.points(rings.reshape(-1, 3)).reshape(count, sides)
    low, high = (number, np.roll(number, -1, axis=0)) if path.closed else (number[:-1], number[1:])
    quads = np.stack((low, np.roll(low, -1, axis=1), np.roll(high, -1, axis=1), high), axis=2).reshape(-1, 4)
    builder.faces(quads)
    if not path.closed and caps != "open":
        tips = _tips(path, places)
        # Both grids have their corners at the same places around.
        ends = (
            (number[0][::-1], rings[0][::-1], tips[0], corner_backwards(sides)),
            (number[-1], rings[-1], tips[1], first_corner(sides)),
        )
        for ring, outline, tip, corner in ends:
            if caps == "face":
                builder.faces(ring[None])
            elif caps == "quads":
                faces, inner = grid_inside(outline, ring, builder.n_points, corner)
                builder.points(inner)
                builder.faces(faces)
            else:
                middle = np.repeat(builder.points(tip[None]), sides)
                builder.faces(np.stack((ring, np.roll(ring, -1), middle), axis=1))
    return builder.edit()


# Helpers


def _rounded(on: Floats, radii: Floats, frames: Floats) -> tuple[Floats, Floats, Floats]:
    """The rings with half a sphere's before the first and after the last."""
    angle = 0.5 * np.pi * np.arange(1, ROUND_ROWS + 1) / (ROUND_ROWS + 1)
    tall, wide = np.sin(angle), np.cos(angle)
    start = on[0] - np.outer(tall[::-1] * radii[0], frames[0, 2])
    end = on[-1] + np.outer(tall * radii[-1], frames[-1, 2])
    return (
        np.concatenate((start, on, end)),
        np.concatenate((wide[::-1] * radii[0], radii, wide * radii[-1])),
        np.concatenate((np.repeat(frames[:1], ROUND_ROWS, 0), frames, np.repeat(frames[-1:], ROUND_ROWS, 0))),
    )


def _tips(path: Path, places: Floats) -> Floats:
    """Where the tips of round caps are: (2, 3)."""
    on, radii = path.at(places), path.radius_at(places)
    frames = frames_along(on, False, path.smooth)
    return np.stack((on[0] - radii[0] * frames[0, 2], on[-1] + radii[-1] * frames[-1, 2]))
