"""The mirror step: one half, quarter or eighth makes the whole."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.edit.carry import Edit, identity, through
from levelloop.core.edit.copies import mirror_across
from levelloop.core.errors import EditError
from levelloop.core.mesh import Mesh
from levelloop.core.selection import NOTHING

PLANES = ("x", "y", "z", "xy", "xz", "yz", "xyz")


def mirror(mesh: Mesh, planes: str = "x", weld: float = 0.001) -> Edit:
    """The mesh with its copy across each plane through the origin, one plane after the other.

    planes: "x", "xy", "xyz", …; weld: mm within which points count as on a plane, where both sides are one.
    """
    if planes not in PLANES:
        raise EditError(f"A mirror step has planes such as x, xy or xyz, not {planes!r}.")
    edit = Edit(mesh, NOTHING, identity(mesh))
    told = []
    for plane in planes:
        once = mirror_across(edit.mesh, NOTHING, plane, None, weld)
        edit = replace(once, origin=through(edit.origin, once.origin))
        told.append(f"Across {plane}: {once.message[0].lower()}{once.message[1:]}")
    return replace(edit, message=" ".join(told))


def follow_mirror(before: Mesh, edit: Edit, mesh: Mesh, planes: str = "x", weld: float = 0.001) -> Floats | None:
    """Where the points of a mirrored mesh go when only its points have moved; None where it must be made anew.

    before, edit: the mesh it was made of and what came of it; mesh: the same faces with points elsewhere. Every point
    is that of its origin, turned around on some axes.
    """
    in_faces = mesh.topology.point_face_count > 0
    source, places = edit.origin.points, []
    for points in (before.points, mesh.points):
        flat = points.copy()
        for axis in map("xyz".index, planes):
            flat[in_faces & (np.abs(points[:, axis]) <= weld), axis] = 0.0
        places.append(flat)
    axes = ["xyz".index(plane) for plane in planes]
    on_planes = [np.abs(flat[:, axes]) <= max(1e-9, weld * 1e-3) for flat in places]
    if len(source) == 0 or source.min() < 0 or not np.array_equal(on_planes[0], on_planes[1]):
        return None
    sign = np.ones((len(source), 3))
    sign[:, axes] = np.where(edit.mesh.points[:, axes] * places[0][source][:, axes] < 0, -1.0, 1.0)
    return np.asarray(sign * places[1][source])
