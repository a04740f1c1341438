"""Faces that look the wrong way, and faces that are not flat."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, sum_by
from levelloop.core.measure.faces import edge_lengths, face_areas, face_centres, flatness, triangles
from levelloop.core.mesh import Mesh
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.words import counted, verb

LEAST_ENCLOSED = 0.02  # of what a ball holds; an open piece that encloses less has no outside
CLEARLY_ENCLOSED = 0.15  # from which on the review says that an open piece looks inwards: a dish may be meant so
FLATNESS_SHARE = 0.02  # of the face's mean side; below that shading does not show it (common practice, no source)


def flipped_faces(mesh: Mesh, encloses: float = LEAST_ENCLOSED) -> tuple[Booleans, Booleans]:
    """Faces that look against their neighbours or inwards: (m,); and faces of pieces that have no outside: (m,).

    A piece looks outwards where the volume that it encloses is positive; an open one is closed for that by a cone over
    each of its boundaries. An open piece that encloses less than a share of what a ball of its area would has no
    outside: it keeps the direction that most of its area has.
    """
    topology = mesh.topology
    if mesh.n_faces == 0:
        return np.zeros(0, dtype=np.bool_), np.zeros(0, dtype=np.bool_)
    flip, _ = topology.orientation
    sheet = topology.sheet_label
    count = int(sheet.max()) + 1
    corner, face = triangles(topology, mesh.points, mesh.diagonal)
    p = mesh.points[corner]
    # About each sheet's own middle, so that a piece far from the origin loses no digits.
    middle = (
        np.stack([np.bincount(sheet[face], p.mean(axis=1)[:, axis], count) for axis in range(3)], axis=1)
        / np.maximum(np.bincount(sheet[face], minlength=count), 1)[:, None]
    )
    p = p - middle[sheet[face]][:, None]
    six_volumes = np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])) * np.where(flip[face], -1.0, 1.0)
    volume = np.bincount(sheet[face], six_volumes, count) / 6.0
    areas = face_areas(topology, mesh.points)
    whole = np.bincount(sheet, areas, count)
    agrees = np.bincount(sheet, np.where(flip, -areas, areas), count)
    rim = np.flatnonzero(topology.edge_face_count[topology.corner_edge] != 2)
    is_open = np.zeros(count, dtype=np.bool_)
    is_open[sheet[topology.corner_face[rim]]] = True
    volume += _behind_boundaries(mesh, rim, flip, sheet, middle, count)
    # A ball of area A holds A^1.5 / (6 √π).
    ball = whole**1.5 / (6.0 * np.sqrt(np.pi))
    vague = is_open & (np.abs(volume) < encloses * ball)
    # The sheet's first face, and with it every face that need not be flipped, looks the wrong way.
    first_is_wrong = np.where(vague, agrees < 0, volume < 0)
    return np.asarray(flip ^ first_is_wrong[sheet]), np.asarray(vague[sheet])


def check_flipped(mesh: Mesh) -> list[Finding]:
    """Faces that look inwards or against their neighbours, and surfaces with one side only."""
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


# Helpers


def _behind_boundaries(
    mesh: Mesh, rim: Integers, flip: Booleans, sheet: Integers, middle: Floats, count: int
) -> Floats:
    """The volume between each sheet's middle and cones over its boundaries, as if those closed it: (count,), mm³.

    rim: corners whose half-edges have no other side.
    """
    topology = mesh.topology
    if len(rim) == 0:
        return np.zeros(count)
    owner = sheet[topology.corner_face[rim]]
    start, end = topology.corners[rim], topology.corner_end[rim]
    # Boundaries are told apart by the points they share, within a sheet.
    names, ends = np.unique(np.concatenate((start, end)) * count + np.tile(owner, 2), return_inverse=True)
    pairs = ends.reshape(2, -1).T
    loops, label = connected_labels(pairs, len(names))
    loop = label[pairs[:, 0]]
    a, b = mesh.points[start] - middle[owner], mesh.points[end] - middle[owner]
    tip = sum_by(loop, 0.5 * (a + b), loops) / np.bincount(loop, minlength=loops)[:, None]
    # The cone runs against the half-edges of the faces beside it.
    six = np.einsum("ij,ij->i", b, np.cross(a, tip[loop])) * np.where(flip[topology.corner_face[rim]], -1.0, 1.0)
    return np.asarray(np.bincount(owner, six, count) / 6.0)
