"""Checks of the smooth surface: pinches at poles and ends of creases, surface folded under itself."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers
from levelloop.core.mesh.faces import face_centres, face_normals, face_vectors, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.review.findings import Finding
from levelloop.core.review.subject import Subject, each
from levelloop.core.words import counted, verb

PINCH = 1.5  # times what the second ring has; clean forms stay below 1.2, a ball's sixteen-pole has 1.6
CREASE_END = 1.35  # times: the end of a crease has from 1.45 on, be it ever so short
LEAST_TURN, MOST_TURN = 2.0, 60.0  # degrees over a quarter of a face: less does not show, more is a crease's doing
UNDER = 0.01  # of a face's smooth surface that faces backwards
MUCH = 0.3  # of it: the blunt end of a thin form has less and is meant so
BACKWARDS = -0.5  # cosine between the smooth surface and its face: thin forms round by less than that


@each("points")
def pinches(subject: Subject) -> AnyArray:
    """The curvature beside each pole and end of a crease, the largest around it, how far beside, its edges' length.

    (n, 4): 1/mm a quarter of a face beside it, 1/mm in the second ring of faces, mm, mm; 0 at other points.
    """
    mesh = subject.mesh
    result = np.zeros((mesh.n_points, 4))
    poles = np.flatnonzero(_poles(mesh))
    if len(poles):
        near, around = _rings(subject, poles)
        result[poles] = np.stack((near, around, subject.surface.beside[poles], subject.edge_length[poles]), axis=1)
    return result


def check_pinch(subject: Subject) -> list[Finding]:
    """Poles and ends of creases at which the smooth surface bends more tightly than around them."""
    topology = subject.mesh.topology
    poles = np.flatnonzero(_poles(subject.mesh))
    if len(poles) == 0 or not subject.is_smoothed:
        return []
    ends_here = _crease_ends(subject.mesh)
    near, around, beside, length = pinches(subject)[poles].T
    turn = np.degrees(near * length / 4.0)
    ratio = np.where(around > 0, near / np.where(around > 0, around, 1.0), 0.0)
    most = np.where(ends_here[poles], CREASE_END, PINCH)
    found = np.flatnonzero((ratio > most) & (turn > LEAST_TURN) & ((turn < MOST_TURN) | ends_here[poles]))
    if len(found) == 0:
        return []
    found = found[np.argsort(-ratio[found], kind="stable")]
    worst = float(ratio[found[0]])
    noun = "end of a crease" if ends_here[poles[found]].all() else "pole"
    many = noun.replace("end", "ends").replace("a crease", "creases") if noun != "pole" else "poles"
    message = (
        f"The surface pinches at {counted(len(found), noun, many)}: {worst:.2f} × as tight as around "
        f"{verb(len(found), 'it', 'the worst')}, {beside[found[0]]:.3g} mm beside."
    )
    return [
        Finding(
            "pinch",
            "warn",
            "points",
            poles[found],
            subject.mesh.points[poles[found]],
            message,
            worst,
            "×",
            advice="Move the pole onto a flat, or spread its edges."
            if noun == "pole"
            else "Let the crease fade out over several edges, or run on to a boundary or a pole.",
            valence=int(topology.valence[poles[found[0]]]),
        )
    ]


@each("faces")
def under(subject: Subject) -> AnyArray:
    """How much of each face's smooth surface faces backwards: (m,) 0…1."""
    mesh = subject.mesh
    surface, topology = subject.surface, subject.smooth.topology
    origin = subject.smooth.face_origin
    vectors = face_vectors(topology, surface.points)
    areas = np.sqrt(np.einsum("ij,ij->i", vectors, vectors))
    facing = np.einsum("ij,ij->i", unit(vectors), face_normals(mesh.topology, mesh.points)[origin])
    back = np.bincount(origin, np.where(facing < BACKWARDS, areas, 0.0), mesh.n_faces)
    whole = np.bincount(origin, areas, mesh.n_faces)
    return np.asarray(back / np.maximum(whole, 1e-300))


def check_fold_under(subject: Subject) -> list[Finding]:
    """Faces whose smooth surface folds back under itself."""
    mesh = subject.mesh
    if not subject.is_smoothed or mesh.n_faces == 0:
        return []
    share = under(subject)
    found = np.flatnonzero((share > UNDER) & ~mesh.hole)
    if len(found) == 0:
        return []
    share = share[found]
    found = found[np.argsort(-share, kind="stable")]
    return [
        Finding(
            "fold_under",
            "warn" if share.max() > MUCH else "note",
            "faces",
            found,
            face_centres(mesh.topology, mesh.points)[found],
            f"The surface of {counted(len(found), 'face')} folds under itself.",
            float(100.0 * share.max()),
            "%",
            advice="Move its points apart, or thicken and inset less deeply.",
        )
    ]


# Helpers


def _poles(mesh: Mesh) -> Booleans:
    """Points inside where other than four edges meet or a crease ends: (n,)."""
    topology = mesh.topology
    odd = (topology.valence != 4) | _crease_ends(mesh)
    return np.asarray(odd & ~topology.open_points & (topology.point_face_count > 0))


def _crease_ends(mesh: Mesh) -> Booleans:
    """Points inside at which a single sharp edge ends: (n,)."""
    sharp = np.bincount(mesh.topology.edges[mesh.creases > 0].ravel(), minlength=mesh.n_points)
    return np.asarray((sharp == 1) & (mesh.corner_sharpness == 0))


def _rings(subject: Subject, poles: Integers) -> tuple[Floats, Floats]:
    """The curvature a quarter of a face beside each pole, and the largest in the second ring of faces around it.

    What the second ring shares with the first is left out: it bends with the pole.
    """
    from scipy.sparse import csr_array

    mesh, fine = subject.mesh, subject.smooth.topology
    topology = mesh.topology
    m, n = mesh.n_faces, mesh.n_points
    # The largest inside each face, on each edge between its ends, and at each point that is no pole itself.
    owner = subject.smooth.face_origin[fine.corner_face]
    lowest, highest = np.full(fine.n_points, m), np.full(fine.n_points, -1)
    np.minimum.at(lowest, fine.corners, owner)
    np.maximum.at(highest, fine.corners, owner)
    own = np.flatnonzero((lowest == highest) & (subject.surface.beside == 0))
    in_face = np.zeros(m)
    np.maximum.at(in_face, lowest[own], subject.bend[own])
    on_edge = subject.bend[subject.smooth.edge_chains[:, 1:-1]].max(axis=1)
    at_point = np.where(subject.surface.beside[:n] == 0, subject.bend[:n], 0.0)
    ones = np.ones(topology.n_corners, dtype=np.int32)
    at = csr_array((ones, (topology.corners, topology.corner_face)), shape=(n, m))
    first = at[poles]
    rim = csr_array(first @ at.T)
    reached = csr_array(rim @ at)

    def keys(matrix: csr_array, count: int) -> Integers:
        return np.asarray(np.repeat(np.arange(len(poles)), np.diff(matrix.indptr)) * count + matrix.indices)

    of_first, of_rim, of_reached = keys(first, m), keys(rim, n), keys(reached, m)
    second = of_reached[~np.isin(of_reached, of_first)]
    around = np.zeros(len(poles))
    np.maximum.at(around, second // m, in_face[second % m])
    sizes = topology.face_sizes[second % m]
    row = np.repeat(second // m, sizes)
    corner = topology.corners_of_faces(second % m)
    edge, point = topology.corner_edge[corner], topology.corners[corner]
    faces = topology.edge_faces[edge]
    beside_first = np.isin(row[:, None] * m + faces, of_first).any(axis=1)
    np.maximum.at(around, row[~beside_first], on_edge[edge[~beside_first]])
    apart = ~np.isin(row * n + point, of_rim)
    np.maximum.at(around, row[apart], at_point[point[apart]])
    return subject.bend[poles], around
