"""What keeps a cage from being one clean, closed surface."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Integers
from levelloop.core.geometry.near import near_any
from levelloop.core.mesh.faces import edge_lengths, face_areas, face_centres
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.tolerance import AUTOMATIC, last_place, settled
from levelloop.core.words import counted, verb

DOUBLES_WITHIN = AUTOMATIC  # mm; a thousandth joins seams and eats no detail (common practice, no source)

NO_WIDTH = 1e-9  # of a face's longest side


def check_open_edges(mesh: Mesh) -> list[Finding]:
    """Edges with one face only: fine for a sheet, a hole for a print."""
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


def check_non_manifold(mesh: Mesh) -> list[Finding]:
    """Edges where more than two faces meet, and points where separate fans of faces touch."""
    topology = mesh.topology
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
    points = _touching_fans(mesh)
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


def check_doubles(mesh: Mesh) -> list[Finding]:
    """Points that lie on each other without being one; those of a curve may lie on what is swept along it."""
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


def check_unattached(mesh: Mesh) -> list[Finding]:
    """Points that no face uses."""
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


def check_wires(mesh: Mesh) -> list[Finding]:
    """Edges that no face has; a curve, alone or with what is swept along it, is meant to have them."""
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


def check_zero_area(mesh: Mesh) -> list[Finding]:
    """Faces without area, measured against the size of the cage."""
    if mesh.n_faces == 0:
        return []
    areas = face_areas(mesh.topology, mesh.points)
    # Against its own longest side, and what coordinates there are good to: a small face beside a large part has area.
    lengths = edge_lengths(mesh.topology, mesh.points)[mesh.topology.corner_edge]
    longest = np.maximum.reduceat(lengths, mesh.topology.face_offsets[:-1])
    faces = np.flatnonzero(areas <= longest * np.maximum(NO_WIDTH * longest, last_place(mesh.points)))
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
            float(areas[faces].min()),
            "mm²",
            Remedy("weld", "Weld its points", {}, "points"),
            "Weld its points, or move them apart.",
        )
    ]


# Helpers


def _middles(mesh: Mesh, edges: Integers) -> np.ndarray:
    return np.asarray(mesh.points[mesh.topology.edges[edges]].mean(axis=1))


def _touching_fans(mesh: Mesh) -> Integers:
    """Points whose faces form several fans that share no edge there."""
    topology = mesh.topology
    from levelloop.core.arrays import connected_labels

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
    return np.flatnonzero(np.bincount(around[around >= 0], minlength=mesh.n_points) > 1)
