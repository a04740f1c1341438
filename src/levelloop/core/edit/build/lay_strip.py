"""Strips of quads laid over a surface along a line drawn on it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import Path
from levelloop.core.geometry.planes import as_vector
from levelloop.core.geometry.skin import skin_of
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, through
from levelloop.core.mesh.outlines import merge_points
from levelloop.core.mesh.selection import Selection


def lay_strip(
    mesh: Mesh,
    selection: Selection,
    path: Sequence[Any] = (),
    width: float = 5.0,
    count: int = 8,
    onto: Mesh | None = None,
    weld: float | None = None,
) -> Edit:
    """Lays a strip of quads along a line, on another part's surface where one is named.

    path: places (x, y, z) mm that the line runs through smoothly; width: mm across; count: quads, evenly along; it
    closes where it ends within half the width of its start. onto: a surface, rounded by its normals where it has
    them. weld: mm within which the strip's two ends are welded onto points that are there; half the width where not
    given. Selected after: the strip's faces. Raises EditError for fewer than two places, a line along the normal,
    or a part to lie on without faces.
    """
    if len(path) < 2:
        raise EditError("A strip needs at least two places.")
    places = np.array([as_vector(place) for place in path])
    closes = len(places) > 3 and count > 2 and float(np.linalg.norm(places[0] - places[-1])) <= 0.5 * width
    places = places[:-1] if closes else places
    line = Path(places, closes, np.ones(len(places)), True)
    on = line.at(line.places(count, even=True))
    on = on[:-1] if closes else on
    normals = np.tile((0.0, 0.0, 1.0), (len(on), 1))
    if onto is not None:
        if onto.n_faces == 0:
            raise EditError("The part to lay it on has no faces.")
        skin = skin_of(onto)
        on, normals = skin.nearest(on)
    along = unit(np.roll(on, -1, axis=0) - np.roll(on, 1, axis=0) if closes else np.gradient(on, axis=0))
    across = unit(np.cross(normals, along))
    if not np.any(across):
        raise EditError("The line runs along the normal; a strip needs a way across.")
    left, right = on + 0.5 * width * across, on - 0.5 * width * across
    if onto is not None:
        left, right = skin.nearest(left)[0], skin.nearest(right)[0]
    builder = MeshBuilder(mesh)
    numbers = builder.points(np.stack((left, right), axis=1).reshape(-1, 3))
    left_number, right_number = numbers[::2], numbers[1::2]
    quads = np.stack((right_number, np.roll(right_number, -1), np.roll(left_number, -1), left_number), axis=1)
    quads = quads if closes else quads[:-1]
    builder.faces(quads)
    laid, origin = builder.build()
    if closes:
        faces = np.arange(mesh.n_faces, laid.n_faces)
        return Edit(laid, Selection("faces", faces), origin, f"{count} quads; it closes.")
    ends = np.array([left_number[0], right_number[0], left_number[-1], right_number[-1]])
    target, met = _ends_met(mesh, laid, ends, 0.5 * width if weld is None else weld)
    told = f"{count} quads; {met} of 4 end points welded."
    if not met:
        return Edit(laid, Selection("faces", np.arange(mesh.n_faces, laid.n_faces)), origin, told)
    keep = target == np.arange(laid.n_points)
    merged, once, _ = merge_points(laid, (np.cumsum(keep) - 1)[target], laid.points[keep])
    new = np.flatnonzero(once.faces >= mesh.n_faces)
    return Edit(merged, Selection("faces", new), through(origin, once), told)


def strip_across(path: Sequence[Any], across: Floats) -> list[tuple[float, ...]] | None:
    """The line across a plane, by a matrix (4, 4); None where it runs within the plane or across it evenly."""
    places = np.array([as_vector(place) for place in path]).reshape(-1, 3)
    other = places @ across[:3, :3] + across[3, :3]
    near = 1e-6 * max(float(np.abs(places).max(initial=0.0)), 1.0)
    if any(np.abs(places - line).max(initial=0.0) <= near for line in (other, other[::-1])):
        return None
    return [tuple(place) for place in other.tolist()]


# Helpers


def _ends_met(mesh: Mesh, laid: Mesh, ends: Integers, reach: float) -> tuple[Integers, int]:
    """For each point itself, for ends the nearest old point within reach, each taken once; and how many found one."""
    target = np.arange(laid.n_points)
    taken: set[int] = set()
    # One after the other, as what one end takes is not there for the next; a strip has few ends.
    for end in ends.tolist() if mesh.n_points and reach > 0 else []:
        apart = np.linalg.norm(mesh.points - laid.points[end], axis=1)
        near = [old for old in np.argsort(apart)[: len(ends)].tolist() if apart[old] <= reach and old not in taken]
        if near:
            target[end] = near[0]
            taken.add(near[0])
    return target, len(taken)
