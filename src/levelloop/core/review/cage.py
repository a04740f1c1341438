"""Checks of the cage's own shape: points on foreign edges, concave faces, shells within shells."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, distinct
from levelloop.core.geometry.near import in_boxes
from levelloop.core.mesh.faces import concave_faces, face_centres, sees_all_sides, triangles, turns_around
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.review.findings import Finding, Remedy, Severity
from levelloop.core.review.sides import on_flats
from levelloop.core.tolerance import AUTOMATIC, settled
from levelloop.core.words import counted, verb

LOOKED_AT = 24  # places of a shell that are asked whether they are inside another one


def check_on_edge(mesh: Mesh) -> list[Finding]:
    """Open points that lie on an open edge they are no end of: seams that look closed and are not."""
    topology = mesh.topology
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
    found = np.unique(point[lies])
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


def check_concave(mesh: Mesh) -> list[Finding]:
    """Faces with a corner that turns inwards: a warning where the pieces that smoothing splits them into overlap."""
    topology = mesh.topology
    found = np.flatnonzero(concave_faces(topology, mesh.points) & ~mesh.hole)
    if len(found) == 0:
        return []
    centres = face_centres(topology, mesh.points)
    overlap = ~sees_all_sides(topology, mesh.points, found, centres[found])
    flat = on_flats(mesh)[found]
    kinds: tuple[tuple[Severity, Booleans, str], ...] = (
        ("warn", overlap & ~flat, "."),
        ("note", overlap & flat, ", on a flat area."),
        ("note", ~overlap, " a little; it splits evenly all the same."),
    )
    return [
        Finding(
            "concave",
            severity,
            "faces",
            found[chosen],
            centres[found[chosen]],
            f"{counted(int(chosen.sum()), 'face')} {verb(int(chosen.sum()), 'has', 'have')} "
            f"a corner that turns inwards{where}",
            float(chosen.sum()),
            "faces",
            advice="Move the corner out, or join points across the face.",
        )
        for severity, chosen, where in kinds
        if chosen.any()
    ]


def check_inside(mesh: Mesh) -> list[Finding]:
    """Shells that lie within another one and look outwards: surface that nobody sees, and that a print fills twice."""
    topology = mesh.topology
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
