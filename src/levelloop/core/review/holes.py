"""What keeps a cage from being one clean, closed surface."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import AnyArray, Integers, connected_labels
from levelloop.core.geometry.near import near_any
from levelloop.core.mesh.faces import edge_lengths, face_areas, face_centres
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.review.subject import Subject, each
from levelloop.core.tolerance import AUTOMATIC, last_place, settled
from levelloop.core.words import counted, verb

DOUBLES_WITHIN = AUTOMATIC  # mm; a thousandth joins seams and eats no detail (common practice, no source)

NO_WIDTH = 1e-9  # of a face's longest side


def check_open_edges(subject: Subject) -> list[Finding]:
    """Edges with one face only: fine for a sheet, a hole for a print."""
    mesh = subject.mesh
    edges = np.flatnonzero(mesh.topology.open_edges)
    if len(edges) == 0:
        return []
    length = edge_lengths(mesh.topology, mesh.points)[edges]
    return [
        Finding(
            "open_edges",
            "note",
            "edges",
            edges,
            _middles(mesh, edges),
            f"{counted(len(edges), 'edge')} {verb(len(edges), 'is', 'are')} open.",
            float(length.sum()),
            "mm",
            Remedy("fill", "Fill"),
            "Fill the hole or weld the seam.",
        )
    ]


@each("points")
def touching_fans(subject: Subject) -> AnyArray:
    """Points whose faces form several fans that share no edge there: (n,)."""
    topology = subject.mesh.topology
    # At each point its corners are joined where they share an edge that leaves the point.
    into_edge = topology.corner_edge[topology.previous_corner]
    key_out = 2 * topology.corner_edge + (topology.edges[topology.corner_edge, 0] != topology.corners)
    key_in = 2 * into_edge + (topology.edges[into_edge, 0] != topology.corners)
    k = topology.n_corners
    pairs = np.concatenate(
        (np.stack((np.arange(k), k + key_out), axis=1), np.stack((np.arange(k), k + key_in), axis=1))
    )
    count, labels = connected_labels(pairs, k + 2 * topology.n_edges)
    # A fan is around one point only.
    around = np.full(count, -1, dtype=np.int64)
    around[labels[:k]] = topology.corners
    return np.asarray(np.bincount(around[around >= 0], minlength=topology.n_points) > 1)


def check_non_manifold(subject: Subject) -> list[Finding]:
    """Edges where more than two faces meet, and points where separate fans of faces touch."""
    mesh, topology = subject.mesh, subject.mesh.topology
    findings = []
    edges = np.flatnonzero(topology.edge_face_count > 2)
    if len(edges):
        edges = edges[np.argsort(-topology.edge_face_count[edges], kind="stable")]
        findings.append(
            Finding(
                "non_manifold",
                "stop",
                "edges",
                edges,
                _middles(mesh, edges),
                f"At {counted(len(edges), 'edge')} more than two faces meet.",
                float(topology.edge_face_count[edges[0]]),
                "faces",
                advice="Delete the surplus faces, or detach one side.",
            )
        )
    points = np.flatnonzero(touching_fans(subject))
    if len(points):
        findings.append(
            Finding(
                "non_manifold",
                "stop",
                "points",
                points,
                mesh.points[points],
                f"At {counted(len(points), 'point')} separate pieces touch in a point only.",
                2.0,
                "pieces",
                advice="Give each piece its own point, or join them along an edge.",
            )
        )
    return findings


def check_doubles(subject: Subject) -> list[Finding]:
    """Points that lie on each other without being one; those of a curve may lie on what is swept along it."""
    mesh = subject.mesh
    within = settled(DOUBLES_WITHIN, mesh.points, mesh.topology.edges)
    own = np.flatnonzero(mesh.topology.point_face_count > 0) if mesh.curve else np.arange(mesh.n_points)
    apart = near_any(mesh.points[own], within)
    lies = np.isfinite(apart)
    points, apart = own[lies], apart[lies]
    if len(points) == 0:
        return []
    return [
        Finding(
            "doubles",
            "stop",
            "points",
            points,
            mesh.points[points],
            f"{counted(len(points), 'point')} lie on each other unwelded.",
            float(apart.max()),
            "mm",
            Remedy("weld", "Weld"),
            "Weld them.",
        )
    ]


def check_unattached(subject: Subject) -> list[Finding]:
    """Points that no face uses."""
    mesh = subject.mesh
    points = np.flatnonzero(mesh.topology.valence == 0)
    if len(points) == 0:
        return []
    return [
        Finding(
            "unattached",
            "warn",
            "points",
            points,
            mesh.points[points],
            f"{counted(len(points), 'point')} {verb(len(points), 'belongs', 'belong')} to no face.",
            float(len(points)),
            "points",
            Remedy("delete", "Delete"),
            "Delete them.",
        )
    ]


def check_wires(subject: Subject) -> list[Finding]:
    """Edges that no face has; a curve, alone or with what is swept along it, is meant to have them."""
    mesh = subject.mesh
    edges = np.flatnonzero(mesh.topology.wire_edges)
    if len(edges) == 0 or mesh.curve:
        return []
    return [
        Finding(
            "wires",
            "warn",
            "edges",
            edges,
            _middles(mesh, edges),
            f"{counted(len(edges), 'edge')} {verb(len(edges), 'belongs', 'belong')} to no face.",
            float(edge_lengths(mesh.topology, mesh.points)[edges].sum()),
            "mm",
            Remedy("delete", "Delete"),
            "Fill or extrude them, or delete them.",
        )
    ]


@each("faces")
def areas(subject: Subject) -> AnyArray:
    """The area of each face, mm², and its longest side, mm: (m, 2)."""
    topology, points = subject.mesh.topology, subject.mesh.points
    lengths = edge_lengths(topology, points)[topology.corner_edge]
    longest = np.maximum.reduceat(lengths, topology.face_offsets[:-1])
    return np.stack((face_areas(topology, points), longest), axis=1)


def check_zero_area(subject: Subject) -> list[Finding]:
    """Faces without area, measured against the size of the cage."""
    mesh = subject.mesh
    if mesh.n_faces == 0:
        return []
    # Against its own longest side, and what coordinates there are good to: a small face beside a large part has area.
    area, longest = areas(subject).T
    faces = np.flatnonzero(area <= longest * np.maximum(NO_WIDTH * longest, last_place(mesh.points)))
    if len(faces) == 0:
        return []
    return [
        Finding(
            "zero_area",
            "stop",
            "faces",
            faces,
            face_centres(mesh.topology, mesh.points)[faces],
            f"{counted(len(faces), 'face')} {verb(len(faces), 'has', 'have')} no area.",
            float(area[faces].min()),
            "mm²",
            Remedy("weld", "Weld its points", {}, "points"),
            "Weld its points, or move them apart.",
        )
    ]


# Helpers


def _middles(mesh: Mesh, edges: Integers) -> np.ndarray:
    return np.asarray(mesh.points[mesh.topology.edges[edges]].mean(axis=1))
