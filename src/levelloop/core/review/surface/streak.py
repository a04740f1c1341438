"""Streaks: triangles, n-gons and twisted quads that turn the smooth surface's normals away from what is fair there.

Fair is what bends least among all that runs on smoothly from the samples around: the biharmonic field of normals with
the weights of their distances (Botsch & Kobbelt 2004 for the equations). It is solved only around candidates.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers, connected_labels, inverse_of, mask_of
from levelloop.core.mesh.alike import reached
from levelloop.core.mesh.faces import face_areas, face_centres
from levelloop.core.mesh.topology import Topology
from levelloop.core.review.findings import Finding, Severity
from levelloop.core.review.subject import Subject, each, face_bend, folds
from levelloop.core.words import counted

WARN, NOTE = 1.25, 0.4  # degrees between normals
AROUND = 1  # rows of samples around a face that run on with it: a quarter of a face
TWIST = 6.0  # degrees between the two triangles of a quad
MOST_ODD = 0.25  # of all faces: a form of triangles throughout is another kind of cage
MOST = 400  # candidates, those on the most curved places first
LEAST_TURN = 2.0  # degrees across a face: less does not show
RINGS = 3  # of faces around a candidate that its error hangs on, and one more
MOST_FOLD = 60.0  # degrees: where the cage folds so, its turns are more than any streak


def check_streaks(subject: Subject) -> list[Finding]:
    """Faces whose shape is seen in the smooth surface as a streak."""
    mesh = subject.mesh
    if not subject.is_smoothed or mesh.n_faces == 0:
        return []
    off = errors(subject)
    findings = []
    bands: tuple[tuple[Severity, float, float], ...] = (("warn", WARN, np.inf), ("note", NOTE, WARN))
    for severity, low, high in bands:
        found = np.flatnonzero((off >= low) & (off < high))
        if len(found):
            found = found[np.argsort(-off[found], kind="stable")]
            findings.append(_finding(subject, found, float(off[found[0]]), severity))
    return findings


@each("faces")
def turn_if_askew(subject: Subject) -> AnyArray:
    """By how much the surface turns across each triangle, n-gon and twisted quad on a curved place: (m,) degrees.

    0 for all other faces, and beside boundaries, creases and folds.
    """
    mesh, topology = subject.mesh, subject.mesh.topology
    turn = np.degrees(face_bend(subject) * np.sqrt(face_areas(topology, mesh.points)))
    chosen = ((topology.face_sizes != 4) | _twisted(subject)) & (turn > LEAST_TURN) & ~mesh.hole
    # What is beside a boundary, a crease or a fold is not compared across it.
    stops = (topology.edge_face_count != 2) | (mesh.creases > 0) | (folds(subject) > MOST_FOLD)
    at_stop = mask_of(topology.edges[stops].ravel(), mesh.n_points) | (mesh.corner_sharpness > 0)
    near = mask_of(topology.corner_face[at_stop[topology.corners]], mesh.n_faces)
    return np.where(chosen & ~near, turn, 0.0)


def errors(subject: Subject) -> Floats:
    """Degrees by which normals on each face lie off those of a fair surface around it, nan for no candidate: (m,).

    Candidates hang on others that are near them, and so on: where one of these has changed they are looked at again.
    """
    return np.asarray(subject.known_or(errors, lambda: _errors(subject)))


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
        free = reached(fine, free)
    in_second = reached(fine, reached(fine, free))[fine.corners]
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


def _errors(subject: Subject) -> Floats:
    candidates = _candidates(subject)
    result = np.full(subject.mesh.n_faces, np.nan)
    again = candidates
    before = subject.seen_before(errors, "faces")
    if before is not None:
        off, is_new = before
        differs = is_new | (np.isfinite(off) != mask_of(candidates, len(off)))
        is_again = _in_touch(subject.mesh.topology, candidates, differs)
        result[candidates] = off[candidates]
        again = candidates[is_again]
    if len(again) == 0:
        return result
    if before is None:
        result[again] = normal_errors(subject, again)
    else:
        piece = subject.around(mask_of(again, len(result)), RINGS)
        place = inverse_of(piece.origin.faces, len(result))
        result[again] = normal_errors(piece.subject, place[again])
    return result


def _in_touch(topology: Topology, candidates: Integers, differs: Booleans) -> Booleans:
    """Which candidates hang on faces of the mask, directly or through others beside them: (c,)."""
    own = mask_of(topology.corners[topology.corners_of_faces(candidates)], topology.n_points)
    touching = np.flatnonzero(mask_of(topology.corner_face[own[topology.corners]], topology.n_faces))
    corners = topology.corners_of_faces(touching)
    first = np.repeat(topology.corners[topology.face_offsets[:-1][touching]], topology.face_sizes[touching])
    count, group = connected_labels(np.stack((topology.corners[corners], first), axis=1), topology.n_points)
    there = mask_of(group[topology.corners[topology.corners_of_faces(np.flatnonzero(differs))]], count)
    return np.asarray(there[group[topology.corners[topology.face_offsets[:-1][candidates]]]])


def _candidates(subject: Subject) -> Integers:
    """Faces that may be seen as a streak, those on the most curved places first where there are many; sorted."""
    if (subject.mesh.topology.face_sizes != 4).mean() > MOST_ODD:
        return np.zeros(0, dtype=np.int64)
    turn = turn_if_askew(subject)
    found = np.flatnonzero(turn)
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
