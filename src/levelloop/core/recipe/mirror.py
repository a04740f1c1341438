"""The mirror step: one half, quarter or eighth makes the whole."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.edit.repeat.copies import UVOfCopies, mirror_across
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, through
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.tolerance import AUTOMATIC, last_place, settled

PLANES = ("x", "y", "z", "xy", "xz", "yz", "xyz")


def mirror(mesh: Mesh, planes: str = "x", weld: float = AUTOMATIC, uv: UVOfCopies = "stack") -> Edit:
    """The mesh with its copy across each plane through the origin, one plane after the other.

    planes: "x", "xy", "xyz", …; weld: mm within which points count as on a plane, where both sides are one; uv: copies
    share the original's, or have it side by side, each one picture farther right. Raises EditError for unknown planes.
    """
    if planes not in PLANES:
        raise EditError(f"A mirror step has planes such as x, xy or xyz, not {planes!r}.")
    edit = Edit(mesh, NOTHING, identity(mesh))
    told = []
    for number, plane in enumerate(planes):
        once = mirror_across(edit.mesh, NOTHING, plane, None, weld, 0 if uv == "stack" else 2**number)
        edit = replace(once, origin=through(edit.origin, once.origin))
        told.append(f"Across {plane}: {once.message[0].lower()}{once.message[1:]}")
    return replace(edit, message=" ".join(told))


def follow_mirror(
    before: Mesh, edit: Edit, mesh: Mesh, planes: str = "x", weld: float = AUTOMATIC, uv: UVOfCopies = "stack"
) -> Floats | None:
    """Where the points of a mirrored mesh go when only its points have moved; None where it must be made anew.

    before, edit: the mesh it was made of and what came of it; mesh: the same faces with points elsewhere. Every point
    is that of its origin, turned around on some axes.
    """
    in_faces = mesh.topology.valence > 0
    source, places, on_planes = edit.origin.points, [], []
    axes = ["xyz".index(plane) for plane in planes]
    for points in (before.points, mesh.points):
        flat, used = points.copy(), settled(weld, points, mesh.topology.edges)
        for axis in axes:
            flat[in_faces & (np.abs(points[:, axis]) <= used), axis] = 0.0
        places.append(flat)
        on_planes.append(np.abs(flat[:, axes]) <= max(last_place(points), used * 1e-3))
    if len(source) == 0 or source.min() < 0 or not np.array_equal(on_planes[0], on_planes[1]):
        return None
    sign = np.ones((len(source), 3))
    sign[:, axes] = np.where(edit.mesh.points[:, axes] * places[0][source][:, axes] < 0, -1.0, 1.0)
    return np.asarray(sign * places[1][source])
