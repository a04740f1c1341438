"""Faces that look the wrong way, and faces that are not flat."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import AnyArray
from levelloop.core.mesh.directions import flipped_faces
from levelloop.core.mesh.faces import edge_lengths, face_centres, flatness
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.review.subject import Subject, each
from levelloop.core.words import counted, verb

CLEARLY_ENCLOSED = 0.15  # from which on the review says that an open piece looks inwards: a dish may be meant so
FLATNESS_SHARE = 0.02  # of the face's mean side; below that shading does not show it (common practice, no source)


def check_flipped(subject: Subject) -> list[Finding]:
    """Faces that look inwards or against their neighbours, and surfaces with one side only."""
    mesh = subject.mesh
    findings = []
    flipped, _ = flipped_faces(mesh, CLEARLY_ENCLOSED)
    faces = np.flatnonzero(flipped)
    if len(faces):
        findings.append(
            Finding(
                "flipped",
                "stop",
                "faces",
                faces,
                face_centres(mesh.topology, mesh.points)[faces],
                f"{counted(len(faces), 'face')} {verb(len(faces), 'faces', 'face')} inwards.",
                float(len(faces)),
                "faces",
                Remedy("flip", "Flip"),
                "Flip them.",
            )
        )
    _, one_sided = mesh.topology.orientation
    if one_sided.any():
        faces = np.flatnonzero(one_sided[mesh.topology.shell_label])
        findings.append(
            Finding(
                "one_sided",
                "stop",
                "faces",
                faces,
                face_centres(mesh.topology, mesh.points)[faces],
                f"{counted(int(one_sided.sum()), 'piece has', 'pieces have')} one side only, like a Möbius strip.",
                float(one_sided.sum()),
                "pieces",
                advice="Cut it open along one row of edges.",
            )
        )
    return findings


@each("faces")
def heights(subject: Subject) -> AnyArray:
    """How far the corners of each face stray from a plane, and its mean side: (m, 2) mm."""
    mesh, topology = subject.mesh, subject.mesh.topology
    length = edge_lengths(topology, mesh.points)[topology.corner_edge]
    side = np.add.reduceat(length, topology.face_offsets[:-1]) / topology.face_sizes
    return np.stack((flatness(topology, mesh.points), side), axis=1)


def check_flatness(subject: Subject) -> list[Finding]:
    """Faces whose corners stray from a plane by more than a fiftieth of their mean side."""
    mesh, topology = subject.mesh, subject.mesh.topology
    if mesh.n_faces == 0:
        return []
    height, side = heights(subject).T
    share = np.divide(height, side, out=np.zeros_like(height), where=side > 0)
    faces = np.flatnonzero(share > FLATNESS_SHARE)
    if len(faces) == 0:
        return []
    faces = faces[np.argsort(-height[faces], kind="stable")]
    return [
        Finding(
            "not_flat",
            "note",
            "faces",
            faces,
            face_centres(topology, mesh.points)[faces],
            f"{counted(len(faces), 'face')} {verb(len(faces), 'is', 'are')} not flat, "
            f"by up to {height[faces[0]]:.3g} mm.",
            float(height[faces[0]]),
            "mm",
            advice="Harmless where the form turns evenly; on a flat, flatten it.",
        )
    ]


# Helpers
