"""Faces that look the wrong way, and faces that are not flat."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans
from levelloop.core.measure.faces import edge_lengths, face_areas, face_centres, flatness, triangles
from levelloop.core.mesh import Mesh
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.words import counted, verb

FLATNESS_SHARE = 0.02  # of the face's mean side; below that shading does not show it (common practice, no source)


def flipped_faces(mesh: Mesh) -> Booleans:
    """Faces that look against their neighbours or, on closed shells, inwards: (m,).

    A closed shell looks outwards where the volume it encloses is positive; an open one has the direction that
    most of its area has.
    """
    topology = mesh.topology
    if mesh.n_faces == 0:
        return np.zeros(0, dtype=np.bool_)
    flip, _ = topology.orientation
    sheet = topology.sheet_label
    count = int(sheet.max()) + 1
    corner, face = triangles(topology, mesh.points, mesh.diagonal)
    p = mesh.points[corner]
    # About each sheet's own middle, so that an open rim far from the origin adds no error.
    middle = (
        np.stack([np.bincount(sheet[face], p.mean(axis=1)[:, axis], count) for axis in range(3)], axis=1)
        / np.maximum(np.bincount(sheet[face], minlength=count), 1)[:, None]
    )
    p = p - middle[sheet[face]][:, None]
    six_volumes = np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])) * np.where(flip[face], -1.0, 1.0)
    volume = np.bincount(sheet[face], six_volumes, count)
    areas = face_areas(topology, mesh.points)
    agrees = np.bincount(sheet, np.where(flip, -areas, areas), count)
    is_open = np.zeros(count, dtype=np.bool_)
    seams = (topology.edge_face_count != 2) & ~topology.wire_edges
    is_open[sheet[topology.edge_faces[seams, 0]]] = True
    # The sheet's first face, and with it every face that need not be flipped, looks the wrong way.
    first_is_wrong = np.where(is_open, agrees < 0, volume < 0)
    return np.asarray(flip ^ first_is_wrong[sheet])


def check_flipped(mesh: Mesh) -> list[Finding]:
    """Faces that look inwards or against their neighbours, and surfaces with one side only."""
    findings = []
    faces = np.flatnonzero(flipped_faces(mesh))
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


def check_flatness(mesh: Mesh) -> list[Finding]:
    """Faces whose corners stray from a plane by more than a fiftieth of their mean side."""
    if mesh.n_faces == 0:
        return []
    topology = mesh.topology
    height = flatness(topology, mesh.points)
    length = edge_lengths(topology, mesh.points)[topology.corner_edge]
    side = np.add.reduceat(length, topology.face_offsets[:-1]) / topology.face_sizes
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
