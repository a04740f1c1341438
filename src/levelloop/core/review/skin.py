"""Checks of the skin: faces without UV, faces that lie over each other in it, islands that come too near.

Where a part has no UV at all there is nothing to say.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Integers
from levelloop.core.mesh.faces import face_centres
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.review.subject import Subject
from levelloop.core.uv.measure import GRID, near_islands, stretch_of_faces
from levelloop.core.words import counted, verb

NEAR = 1  # places of the grid: pictures of that size bleed so far


def check_uv_missing(subject: Subject) -> list[Finding]:
    """Faces without area in UV, where others have some."""
    mesh = subject.mesh
    if mesh.uv is None:
        return []
    flat = np.flatnonzero(~np.isfinite(stretch_of_faces(mesh, mesh.points).angle))
    words = f"{counted(len(flat), 'face')} {verb(len(flat), 'has', 'have')} no area in UV."
    return _finding(mesh, "uv_missing", flat, words, Remedy("unwrap", "Unwrap"))


def check_uv_overlap(subject: Subject) -> list[Finding]:
    """Faces that lie over others in UV, but for copies."""
    over, _ = subject.shared_uv
    words = f"{counted(len(over), 'face')} {verb(len(over), 'lies', 'lie')} over others in UV."
    return _finding(subject.mesh, "uv_overlap", over, words, Remedy("pack", "Pack"))


def check_uv_places(subject: Subject) -> list[Finding]:
    """Faces that share their UV exactly, as copies do, and islands that come too near to others."""
    mesh, (_, shared) = subject.mesh, subject.shared_uv
    near = near_islands(mesh, NEAR)
    sharing = f"{counted(len(shared), 'face')} {verb(len(shared), 'shares', 'share')} the UV of others, as copies do."
    coming = f"{counted(len(near), 'island')} {verb(len(near), 'comes', 'come')} nearer than a pixel to another one"
    return [
        *_finding(mesh, "uv_shared", shared, sharing, None),
        *_finding(mesh, "uv_near", near, f"{coming} in a picture of {GRID}.", Remedy("pack", "Pack")),
    ]


# Helpers


def _finding(mesh: Mesh, check: str, faces: Integers, message: str, remedy: Remedy | None) -> list[Finding]:
    if len(faces) == 0:
        return []
    at = face_centres(mesh.topology, mesh.points)[faces]
    return [Finding(check, "note", "faces", faces, at, message, float(len(faces)), "faces", remedy)]
