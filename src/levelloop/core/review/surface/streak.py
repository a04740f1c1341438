"""Streaks: triangles, n-gons and twisted quads that turn the smooth surface's normals away from what is fair there.

Fair is what bends least among all that runs on smoothly from the samples around: the biharmonic field of normals with
the weights of their distances (Botsch & Kobbelt 2004 for the equations). It is solved only around candidates.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, inverse_of, mask_of
from levelloop.core.mesh.faces import edge_folds, face_areas, face_centres
from levelloop.core.mesh.topology import Topology
from levelloop.core.review.findings import Finding, Severity
from levelloop.core.review.subject import Subject
from levelloop.core.words import counted

WARN, NOTE = 1.25, 0.4  # degrees between normals
AROUND = 1  # rows of samples around a face that run on with it: a quarter of a face
TWIST = 6.0  # degrees between the two triangles of a quad
MOST_ODD = 0.25  # of all faces: a form of triangles throughout is another kind of cage
MOST = 400  # candidates, those on the most curved places first
LEAST_TURN = 2.0  # degrees across a face: less does not show
MOST_FOLD = 60.0  # degrees: where the cage folds so, its turns are more than any streak


def check_streaks(subject: Subject) -> list[Finding]:
    """Faces whose shape is seen in the smooth surface as a streak."""
    mesh = subject.mesh
    if not subject.is_smoothed or mesh.n_faces == 0:
        return []
    candidates = _candidates(subject)
    if len(candidates) == 0:
        return []
    off = normal_errors(subject, candidates)
    findings = []
    bands: tuple[tuple[Severity, float, float], ...] = (("warn", WARN, np.inf), ("note", NOTE, WARN))
    for severity, low, high in bands:
        found = candidates[(off >= low) & (off < high)]
        if len(found):
            found = found[np.argsort(-off[np.searchsorted(candidates, found)], kind="stable")]
            findings.append(_finding(subject, found, float(off[np.searchsorted(candidates, found[0])]), severity))
    return findings


def normal_errors(subject: Subject, faces: Integers) -> Floats:
    """Degrees by which normals on cage faces, sorted, lie off those of a fair surface around them: (n,)."""
    from scipy.sparse import coo_array, csr_array, diags_array
    from scipy.sparse.linalg import splu

    fine, surface = subject.smooth.topology, subject.surface
    topology = subject.mesh.topology
    count = fine.n_points
    origin = subject.smooth.face_origin
    in_face = mask_of(faces, topology.n_faces)[origin[fine.corner_face]]
    free = mask_of(fine.corners[in_face], count)
    for _ in range(AROUND):
        free = _wider(fine, free)
    in_second = _wider(fine, _wider(fine, free))[fine.corners]
    used = np.flatnonzero(np.bincount(fine.corners, in_second, count) > 0)
    number = inverse_of(used, count)
    edges = fine.edges[(number[fine.edges] >= 0).all(axis=1)]
    length = np.linalg.norm(surface.points[edges[:, 0]] - surface.points[edges[:, 1]], axis=1)
    weight = 1.0 / np.maximum(length, 1e-9 * max(float(length.max(initial=0.0)), 1e-300))
    pair = number[edges]
    rows, columns = np.concatenate((pair[:, 0], pair[:, 1])), np.concatenate((pair[:, 1], pair[:, 0]))
    between = csr_array(coo_array((np.tile(weight, 2), (rows, columns)), shape=(len(used), len(used))))
    degree = np.asarray(between.sum(axis=1)).ravel()
    laplacian = diags_array(degree) - between
    bending = csr_array(laplacian @ diags_array(1.0 / np.maximum(degree, 1e-300)) @ laplacian)
    unknown = np.flatnonzero(free[used])
    known = np.flatnonzero(~free[used])
    normals = surface.normals[used]
    fair = normals.copy()
    if len(unknown):
        right = -(bending[unknown][:, known] @ normals[known])
        fair[unknown] = splu(bending[unknown][:, unknown].tocsc()).solve(right)
    fair /= np.maximum(np.linalg.norm(fair, axis=1, keepdims=True), 1e-300)
    off = np.degrees(np.arccos(np.clip(np.einsum("ij,ij->i", fair, normals), -1.0, 1.0)))
    worst = np.zeros(topology.n_faces)
    np.maximum.at(worst, origin[fine.corner_face[in_face]], off[number[fine.corners[in_face]]])
    return np.asarray(worst[faces])


# Helpers


def _wider(topology: Topology, points: Booleans) -> Booleans:
    """The points and those they share a face with: (n,)."""
    faces = np.zeros(topology.n_faces, dtype=np.bool_)
    faces[topology.corner_face[points[topology.corners]]] = True
    return mask_of(topology.corners[faces[topology.corner_face]], topology.n_points)


def _candidates(subject: Subject) -> Integers:
    """Triangles, n-gons and twisted quads on curved places, away from boundaries, creases and folds; sorted."""
    mesh = subject.mesh
    topology = mesh.topology
    odd = topology.face_sizes != 4
    if odd.mean() > MOST_ODD:
        return np.zeros(0, dtype=np.int64)
    turn = np.degrees(subject.face_bend * np.sqrt(face_areas(topology, mesh.points)))
    chosen = (odd | _twisted(subject)) & (turn > LEAST_TURN) & ~mesh.hole
    # What is beside a boundary, a crease or a fold is not compared across it.
    stops = (topology.edge_face_count != 2) | (mesh.creases > 0) | (edge_folds(topology, mesh.points) > MOST_FOLD)
    at_stop = mask_of(topology.edges[stops].ravel(), mesh.n_points) | (mesh.corner_sharpness > 0)
    near = np.zeros(mesh.n_faces, dtype=np.bool_)
    near[topology.corner_face[at_stop[topology.corners]]] = True
    found = np.flatnonzero(chosen & ~near)
    return np.sort(found[np.argsort(-turn[found], kind="stable")][:MOST])


def _twisted(subject: Subject) -> Booleans:
    mesh = subject.mesh
    topology = mesh.topology
    result = np.zeros(mesh.n_faces, dtype=np.bool_)
    quads = np.flatnonzero(topology.face_sizes == 4)
    around = topology.corners[topology.face_offsets[:-1][quads][:, None] + np.arange(4)]
    ring = mesh.points[around]
    one = np.cross(ring[:, 1] - ring[:, 0], ring[:, 3] - ring[:, 0])
    other = np.cross(ring[:, 3] - ring[:, 2], ring[:, 1] - ring[:, 2])
    size = np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1)
    cosine = np.einsum("ij,ij->i", one, other) / np.maximum(size, 1e-300)
    # What lies at a pole is told as a pole.
    pole = (topology.valence != 4)[around].any(axis=1)
    result[quads] = ~pole & (np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))) > TWIST)
    return result


def _finding(subject: Subject, faces: Integers, worst: float, severity: Severity) -> Finding:
    mesh = subject.mesh
    sizes = mesh.topology.face_sizes[faces]
    kinds = [
        counted(int(those.sum()), kind)
        for those, kind in ((sizes == 3, "triangle"), (sizes > 4, "n-gon"), (sizes == 4, "twisted quad"))
        if those.any()
    ]
    shows = "shows" if len(faces) == 1 else "show"
    message = f"{' and '.join(kinds)} {shows} in the surface: its normals lie up to {worst:.2g}° off."
    advice = "Quads in the direction of the form leave no streak; run the loop on, or even the quad out."
    centres = face_centres(mesh.topology, mesh.points)[faces]
    return Finding("streak", severity, "faces", faces, centres, message, worst, "°", None, advice)
