"""Faces with other than four sides."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import AnyArray, Integers
from levelloop.core.mesh.faces import face_areas, face_centres
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.review.subject import Subject, each, face_bend, folds
from levelloop.core.words import counted, verb

FLAT_WITHIN = 1.0  # degrees
LEAST_TURN = 2.0  # degrees across a face on the smooth surface: less does not show


@each("faces")
def on_flats(subject: Subject) -> AnyArray:
    """Faces whose neighbours all lie in their plane, or meet them at a full crease: (m,).

    There a triangle or n-gon does not show (common practice, no source).
    """
    mesh, topology = subject.mesh, subject.mesh.topology
    bent = (folds(subject) > FLAT_WITHIN) & (mesh.creases < 10.0)
    bends = np.zeros(mesh.n_faces, dtype=np.bool_)
    bends[topology.corner_face[bent[topology.corner_edge]]] = True
    return ~bends


def check_sides(subject: Subject) -> list[Finding]:
    """Triangles and n-gons, apart for where the smooth surface is flat, or the cage is, and where it bends."""
    mesh = subject.mesh
    sizes = mesh.topology.face_sizes
    odd = np.flatnonzero(sizes != 4)
    if len(odd) == 0:
        return []
    centres, flat = face_centres(mesh.topology, mesh.points), on_flats(subject)
    if subject.is_smoothed:
        across = np.sqrt(face_areas(mesh.topology, mesh.points))
        flat = flat | (np.degrees(face_bend(subject) * across) < LEAST_TURN)

    def found(check: str, noun: str, chosen: Integers, is_flat: bool, remedy: Remedy | None, advice: str) -> Finding:
        chosen = chosen[np.argsort(-sizes[chosen], kind="stable")]
        number = len(chosen)
        where = "on a flat area, where it does not show" if is_flat else "where the form turns"
        if number > 1 and is_flat:
            where = "on flat areas, where they do not show"
        message = f"{counted(number, noun)} {verb(number, 'lies', 'lie')} {where}."
        return Finding(
            check,
            "note" if is_flat else "warn",
            "faces",
            chosen,
            centres[chosen],
            message,
            float(sizes[chosen[0]]),
            "sides",
            remedy,
            advice,
        )

    findings = []
    for is_flat in (False, True):
        triangles = odd[(sizes[odd] == 3) & (flat[odd] == is_flat)]
        if len(triangles):
            advice = "Take out an edge it shares with another triangle, or run its loop on."
            findings.append(found("triangles", "triangle", triangles, is_flat, None, advice))
        ngons = odd[(sizes[odd] > 4) & (flat[odd] == is_flat)]
        if len(ngons):
            advice = "Join points across it, so that it becomes quads."
            findings.append(found("ngons", "n-gon", ngons, is_flat, None, advice))
    return findings
