"""Checks of the cage's own shape: points on foreign edges, concave faces, shells within shells."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import AnyArray, distinct
from levelloop.core.geometry.near import in_boxes
from levelloop.core.mesh.faces import concave_faces, face_centres, sees_all_sides, triangles, turns_around
from levelloop.core.review.findings import Finding, Remedy, Severity
from levelloop.core.review.sides import on_flats
from levelloop.core.review.subject import Subject, each
from levelloop.core.tolerance import AUTOMATIC, settled
from levelloop.core.words import counted, verb

OVERLAPS, OVERLAPS_ON_FLAT, EVENLY = 1, 2, 3  # how the pieces lie that smoothing splits a concave face into
LOOKED_AT = 24  # places of a shell that are asked whether they are inside another one


def check_on_edge(subject: Subject) -> list[Finding]:
    """Open points that lie on an open edge they are no end of: seams that look closed and are not."""
    mesh, topology = subject.mesh, subject.mesh.topology
    points, edges = np.flatnonzero(topology.open_points), np.flatnonzero(topology.open_edges)
    if len(points) == 0 or len(edges) == 0:
        return []
    reach = settled(AUTOMATIC, mesh.points, topology.edges)
    ends = mesh.points[topology.edges[edges]]
    pairs = in_boxes(mesh.points[points], ends.min(axis=1) - reach, ends.max(axis=1) + reach)
    point, edge = points[pairs[:, 0]], pairs[:, 1]
    along = ends[edge, 1] - ends[edge, 0]
    length = np.maximum(np.einsum("ij,ij->i", along, along), 1e-300)
    off = mesh.points[point] - ends[edge, 0]
    ratio = np.einsum("ij,ij->i", off, along) / length
    apart = np.linalg.norm(off - ratio[:, None] * along, axis=1)
    inner = (ratio * np.sqrt(length) > reach) & ((1.0 - ratio) * np.sqrt(length) > reach)
    lies = inner & (apart <= reach) & (topology.edges[edges[edge]] != point[:, None]).all(axis=1)
    found = distinct(point[lies])
    if len(found) == 0:
        return []
    return [
        Finding(
            "on_edge",
            "warn",
            "points",
            found,
            mesh.points[found],
            f"{counted(len(found), 'point')} {verb(len(found), 'lies', 'lie')} on an edge without being part of it.",
            float(len(found)),
            "points",
            Remedy("weld", "Weld onto edges", {"onto_edges": True}),
            "The seam looks closed and opens when it is smoothed.",
        )
    ]


@each("faces")
def concave(subject: Subject) -> AnyArray:
    """Faces with a corner that turns inwards, and how the pieces lie that smoothing splits them into: (m,)."""
    mesh, topology = subject.mesh, subject.mesh.topology
    result = np.zeros(mesh.n_faces, dtype=np.int8)
    found = np.flatnonzero(concave_faces(topology, mesh.points) & ~mesh.hole)
    if len(found):
        overlap = ~sees_all_sides(topology, mesh.points, found, face_centres(topology, mesh.points)[found])
        result[found] = np.where(overlap, np.where(on_flats(subject)[found], OVERLAPS_ON_FLAT, OVERLAPS), EVENLY)
    return result


def check_concave(subject: Subject) -> list[Finding]:
    """Faces with a corner that turns inwards: a warning where the pieces that smoothing splits them into overlap."""
    kinds: tuple[tuple[Severity, int, str], ...] = (
        ("warn", OVERLAPS, "."),
        ("note", OVERLAPS_ON_FLAT, ", on a flat area."),
        ("note", EVENLY, " a little; it splits evenly all the same."),
    )
    of_kind = concave(subject)
    if not of_kind.any():
        return []
    centres = face_centres(subject.mesh.topology, subject.mesh.points)
    findings = []
    for severity, kind, where in kinds:
        found = np.flatnonzero(of_kind == kind)
        count = len(found)
        words = f"{counted(count, 'face')} {verb(count, 'has', 'have')} a corner that turns inwards{where}"
        advice = "Move the corner out, or join points across the face."
        if count:
            findings.append(
                Finding(
                    "concave", severity, "faces", found, centres[found], words, float(count), "faces", advice=advice
                )
            )
    return findings


def check_inside(subject: Subject) -> list[Finding]:
    """Shells that lie within another one and look outwards: surface that nobody sees, and that a print fills twice."""
    mesh, topology = subject.mesh, subject.mesh.topology
    if topology.n_shells < 2 or mesh.n_faces == 0:
        return []
    label = topology.shell_label
    corner = mesh.points[topology.corners]
    owner = label[topology.corner_face]
    low, high = np.full((topology.n_shells, 3), np.inf), np.full((topology.n_shells, 3), -np.inf)
    np.minimum.at(low, owner, corner)
    np.maximum.at(high, owner, corner)
    open_shell = np.zeros(topology.n_shells, dtype=np.bool_)
    open_shell[label[topology.corner_face[topology.open_edges[topology.corner_edge]]]] = True
    first = mesh.points[topology.corners[topology.face_offsets[:-1][np.unique(label, return_index=True)[1]]]]
    pairs = in_boxes(first, low, high)
    pairs = pairs[(pairs[:, 0] != pairs[:, 1]) & ~open_shell[pairs[:, 1]]]
    flat, face = triangles(topology, mesh.points, mesh.diagonal)
    shown, of = mesh.points[flat], label[face]
    volume = np.bincount(of, np.einsum("ij,ij->i", shown[:, 0], np.cross(shown[:, 1], shown[:, 2])), topology.n_shells)

    def lies_within(one: int, other: int) -> bool:
        """Whether places all over a shell are inside another one: shells that cross have some outside."""
        places = distinct(topology.corners[owner == one])
        some = mesh.points[places[:: max(1, len(places) // LOOKED_AT)]]
        surface = shown[of == other]
        return all(turns_around(surface, place) > 0.5 for place in some)

    inside = {
        one
        for one, other in pairs.tolist()
        if volume[one] > 0
        and (low[one] >= low[other]).all()
        and (high[one] <= high[other]).all()
        and lies_within(one, other)
    }
    found = np.flatnonzero(np.isin(label, sorted(inside)))
    if len(found) == 0:
        return []
    return [
        Finding(
            "inside",
            "warn",
            "faces",
            found,
            face_centres(topology, mesh.points)[found],
            f"{counted(len(found), 'face')} {verb(len(found), 'lies', 'lie')} within another shell.",
            float(len(inside)),
            "shells",
            Remedy("delete", "Delete"),
            "Delete what nobody sees, or flip it where it is a hollow.",
        )
    ]
