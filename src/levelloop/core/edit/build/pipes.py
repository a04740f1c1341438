"""Round pipes along a path: rings of points by its radii, with or without caps."""

from __future__ import annotations

from typing import NamedTuple

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
    rings = _rings(path, places, sides, caps)
    count = len(rings)
    builder = MeshBuilder(mesh)
    number = builder.points(rings.reshape(-1, 3)).reshape(count, sides)
    low, high = (number, np.roll(number, -1, axis=0)) if path.closed else (number[:-1], number[1:])
    quads = np.stack((low, np.roll(low, -1, axis=1), np.roll(high, -1, axis=1), high), axis=2).reshape(-1, 4)
    builder.faces(quads)
    if not path.closed and caps == "face":
        for ring in (number[0][::-1], number[-1]):
            builder.faces(ring[None])
    elif not path.closed and caps != "open":
        for ring, cap in zip((number[0][::-1], number[-1]), _caps(rings, path, places, caps), strict=True):
            if caps == "quads":
                faces, inner = grid_inside(cap.outline, ring, builder.n_points, cap.corner)
                builder.points(inner)
                builder.faces(faces)
            else:
                middle = np.repeat(builder.points(cap.tip[None]), sides)
                builder.faces(np.stack((ring, np.roll(ring, -1), middle), axis=1))
    return builder.edit()


def pipe_points(path: Path, places: Floats, sides: int, caps: str) -> Floats:
    """Where the points are that a pipe adds to a mesh, in its order: (n, 3). Raises EditError as a pipe does."""
    rings = _rings(path, places, sides, caps)
    found = [rings.reshape(-1, 3)]
    if not path.closed and caps in ("quads", "round"):
        ring = np.arange(sides)
        for cap in _caps(rings, path, places, caps):
            found.append(grid_inside(cap.outline, ring, sides, cap.corner)[1] if caps == "quads" else cap.tip[None])
    return np.concatenate(found)


# Helpers


class _Cap(NamedTuple):
    """An end of a pipe: its ring, seen from outside, the corner of a grid in it, the tip of a round one."""

    outline: Floats
    corner: int
    tip: Floats


def _rings(path: Path, places: Floats, sides: int, caps: str) -> Floats:
    """The rings of a pipe, those of round caps too: (rings, sides, 3)."""
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
    return np.asarray(on[:, None] + radii[:, None, None] * np.einsum("sk,rkj->rsj", circle, frames[:, :2]))


def _caps(rings: Floats, path: Path, places: Floats, caps: str) -> tuple[_Cap, _Cap]:
    """Both ends; their grids have their corners at the same places around."""
    sides = rings.shape[1]
    tips = _tips(path, places) if caps == "round" else rings[[0, -1], 0]
    return (
        _Cap(rings[0][::-1], corner_backwards(sides), tips[0]),
        _Cap(rings[-1], first_corner(sides), tips[1]),
    )


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
