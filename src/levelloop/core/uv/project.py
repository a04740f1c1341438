"""UV by projection: from a plane, a box, around a cylinder or a ball, or as a view sees it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_direction
from levelloop.core.mesh.faces import face_normals, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection
from levelloop.core.uv.islands import faces_or_all

By = Literal["plane", "box", "cylinder", "sphere", "view"]


def project_uv(
    mesh: Mesh,
    selection: Selection,
    by: By = "box",
    axis: Any = "z",
    size: float | None = None,
) -> Edit:
    """Gives selected faces, or all, UV by projecting them.

    by: "plane" along the axis, "box" from the six sides, each face from the one it faces most, "cylinder" and
    "sphere" around the axis through the middle, "view" as it is seen from where the axis points to. size: mm that
    become 1 of UV; None fits what is projected into the unit square. The middle lies at (½, ½). Raises EditError
    without faces, or for a size that is not above 0.
    """
    if mesh.n_faces == 0:
        raise EditError("There are no faces to project.")
    if size is not None and not size > 0:
        raise EditError("The size that becomes 1 of UV is above 0 mm.")
    faces = faces_or_all(mesh, selection)
    topology = mesh.topology
    corners = topology.corners_of_faces(faces)
    points = mesh.points[topology.corners[corners]]
    middle = 0.5 * (points.min(axis=0) + points.max(axis=0))
    away = points - middle
    frame = _frame(as_direction(axis))
    if by in ("plane", "view"):
        flat = away @ frame[:2].T
    elif by == "box":
        flat = _box(mesh, faces, away, frame)
    else:
        flat = _around(topology.corner_face[corners], away @ frame.T, by == "sphere")
    scale = 1.0 / size if size is not None else 1.0 / max(float(np.ptp(flat, axis=0).max()), 1e-300)
    if size is None:
        flat = flat - 0.5 * (flat.min(axis=0) + flat.max(axis=0))
    uv = np.zeros((topology.n_corners, 2)) if mesh.uv is None else mesh.uv.copy()
    uv[corners] = flat * scale + 0.5
    return Edit(replace(mesh, uv=uv), selection, identity(mesh))


# Helpers


def _frame(axis: Floats) -> Floats:
    """Right, up and towards for what looks against an axis; z stays up where it can: (3, 3)."""
    up = np.array([0.0, 0.0, 1.0]) if abs(axis[2]) < 0.999 else np.array([0.0, 1.0, 0.0])
    right = unit(np.cross(up, axis)[None])[0]
    return np.stack((right, np.cross(axis, right), axis))


def _box(mesh: Mesh, faces: Integers, away: Floats, frame: Floats) -> Floats:
    """Each face as it is seen from the side of a box that it faces most."""
    normals = face_normals(mesh.topology, mesh.points)[faces] @ frame.T
    side = np.abs(normals).argmax(axis=1)
    forward = np.take_along_axis(normals, side[:, None], axis=1)[:, 0] >= 0
    sizes = mesh.topology.face_sizes[faces]
    side, forward = np.repeat(side, sizes), np.repeat(forward, sizes)
    local = away @ frame.T
    # What looks along x is seen with y to the right and z up, and so on round; from behind the other way about.
    right = np.stack((local[:, 1], -local[:, 0], local[:, 0]), axis=1)
    up = np.stack((local[:, 2], local[:, 2], local[:, 1]), axis=1)
    number = np.arange(len(side))
    flip = np.where(forward, 1.0, -1.0)
    return np.stack((flip * right[number, side], up[number, side]), axis=1)


def _around(face: Integers, local: Floats, is_ball: bool) -> Floats:
    """The way around the third axis, at the mean radius, and the height along it or the way to its ends."""
    across = np.hypot(local[:, 0], local[:, 1])
    radius = max(float(across.mean()), 1e-300)
    angle = np.arctan2(local[:, 1], local[:, 0])
    # A face that reaches over the end of the turn goes on beyond it.
    _, first = np.unique(face, return_index=True)
    base = np.repeat(angle[first], np.diff(np.append(first, len(face))))
    angle = base + (angle - base + np.pi) % (2.0 * np.pi) - np.pi
    low = np.repeat(np.minimum.reduceat(angle, first), np.diff(np.append(first, len(face))))
    angle = np.where(low < -np.pi + 1e-9, angle + 2.0 * np.pi, angle)
    if not is_ball:
        return np.stack((radius * angle, local[:, 2]), axis=1)
    far = np.linalg.norm(local, axis=1)
    ball = max(float(far.mean()), 1e-300)
    on_axis = across < 1e-9 * ball
    # A pole lies above the middle of its face.
    sums = np.add.reduceat(np.where(on_axis, 0.0, angle), first)
    counts = np.add.reduceat((~on_axis).astype(np.float64), first)
    middle = np.repeat(sums / np.maximum(counts, 1.0), np.diff(np.append(first, len(face))))
    angle = np.where(on_axis, middle, angle)
    return ball * np.stack((angle, np.arcsin(np.clip(local[:, 2] / np.maximum(far, 1e-300), -1.0, 1.0))), axis=1)
