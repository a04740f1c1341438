"""Quads out of what is not: n-gons cut, triangles joined in pairs."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, mask_of, union
from levelloop.core.edit.clean.quadding import quads_of
from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.errors import EditError
from levelloop.core.geometry.plane_figures import flat_axes
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import edge_folds, face_normals, half_cross, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped, through
from levelloop.core.mesh.selection import Selection
from levelloop.core.words import counted

MOST_SKEWED = 0.35  # below this a pair would make a sliver or a concave quad


def to_quads(mesh: Mesh, selection: Selection, over: float = 30.0) -> Edit:
    """Splits selected n-gons, or all, into quads, then joins triangles in pairs, the squarest first.

    N-gons with an odd number of sides leave one triangle each. over: degrees; a fold larger than that stays an
    edge, and so does a crease. Selected after: what is no quad yet of what was to be one, or where nothing is left
    the new quads. Raises EditError without faces, or where no good quad can be made of them.
    """
    topology = mesh.topology
    if selection.kind != "faces" and len(selection):
        raise EditError("To make quads, select faces, or nothing for all.")
    if mesh.n_faces == 0:
        raise EditError("There are no faces to make quads of.")
    chosen = mask_of(selection.indices, mesh.n_faces) if len(selection) else np.ones(mesh.n_faces, dtype=np.bool_)
    large = np.flatnonzero(chosen & (topology.face_sizes > 4))
    edit, told = Edit(mesh, Selection("faces", large[:0]), identity(mesh)), []
    for cuts in (True, False):
        those = np.flatnonzero(chosen[edit.origin.faces])
        done = _split(mesh, large) if cuts else _joined(edit.mesh, those, over)
        if done is not None:
            made = union(mapped(edit.selection, done.origin).indices, done.selection.indices)
            edit = Edit(done.mesh, Selection("faces", made), through(edit.origin, done.origin))
            told.append(done.message)
    if not told:
        raise EditError("No two of these triangles make a good quad, and no n-gon can be cut into good ones.")
    sizes = edit.mesh.topology.face_sizes
    left = np.flatnonzero(chosen[edit.origin.faces] & (sizes != 4))
    if len(left):
        kinds = ((sizes[left] == 3, "triangle"), (sizes[left] > 4, "n-gon"))
        rest = [counted(int(those.sum()), kind) for those, kind in kinds if those.any()]
        told.append(f"Left, and selected: {' and '.join(rest)}.")
    return Edit(edit.mesh, Selection("faces", left) if len(left) else edit.selection, edit.origin, " ".join(told))


# Helpers


def _split(mesh: Mesh, large: Integers) -> Edit | None:
    """N-gons cut into quads; selected after: these. None where no cut is any good."""
    topology = mesh.topology
    normals = face_normals(topology, mesh.points)
    builder = MeshBuilder(mesh)
    pieces = 0
    for face in large.tolist():
        rim = topology.face(face)
        places = (mesh.points[rim] - mesh.points[rim[0]]) @ flat_axes(normals[face]).T if normals[face].any() else None
        rings = [np.arange(len(rim))] if places is None else quads_of(places)
        first = np.zeros(len(rings), dtype=np.bool_)
        first[0] = True
        sizes = np.array([len(ring) for ring in rings], dtype=np.int64)
        builder.outlines(sizes, rim[np.concatenate(rings)], np.full(len(rings), face), first)
        pieces += len(rings) - 1
    if not pieces:
        return None
    new_mesh, origin = builder.build()
    many = len(large)
    told = f"{many} {'n-gon became' if many == 1 else 'n-gons became'} {many + pieces} faces."
    return Edit(new_mesh, Selection("faces", np.flatnonzero(mask_of(large, mesh.n_faces)[origin.faces])), origin, told)


def _joined(mesh: Mesh, faces: Integers, over: float) -> Edit | None:
    """Triangles among some faces joined in pairs; None where no two fit."""
    topology = mesh.topology
    chosen = mask_of(faces, mesh.n_faces) & (topology.face_sizes == 3)
    pair = topology.edge_faces
    fits = (topology.edge_face_count == 2) & chosen[pair].all(axis=1) & (mesh.creases == 0)
    corner = topology.edge_pair
    fits &= topology.twin[corner[:, 0]] == corner[:, 1]
    fits &= edge_folds(topology, mesh.points) <= over
    edges = np.flatnonzero(fits)
    quality = _squareness(mesh, edges)
    edges, quality = edges[quality > MOST_SKEWED], quality[quality > MOST_SKEWED]
    joined = _best_pairs(pair[edges], quality, mesh.n_faces)
    if not joined.any():
        return None
    edit = take_out(mesh, Selection("edges", edges[joined]), two_edge_points=False)
    message = f"{2 * int(joined.sum()):,} triangles became {counted(int(joined.sum()), 'quad')}."
    return Edit(edit.mesh, edit.selection, edit.origin, message)


def _squareness(mesh: Mesh, edges: Integers) -> Floats:
    """How near to square the quad across each edge would be: 1 for right angles, below 0 for concave ones."""
    topology, points = mesh.topology, mesh.points
    first, second = topology.edge_pair[edges].T
    next_corner, corners = topology.next_corner, topology.corners
    after = next_corner[first]
    outline = (
        corners[first],
        corners[next_corner[next_corner[second]]],
        corners[after],
        corners[next_corner[after]],
    )
    quad = [points[corner] for corner in outline]
    normals = face_normals(topology, points)
    normal = unit(normals[topology.corner_face[first]] + normals[topology.corner_face[second]])
    sides = [quad[(corner + 1) % 4] - quad[corner] for corner in range(4)]
    worst = np.zeros(len(edges))
    # Corner by corner: arrays of (q, 4, 3) take three times as long.
    for corner in range(4):
        ahead, behind = sides[corner], -sides[corner - 1]
        turn = 2.0 * np.einsum("ij,ij->i", half_cross(ahead, behind), normal)
        angle = np.arctan2(turn, np.einsum("ij,ij->i", ahead, behind))
        np.maximum(worst, np.abs(angle - np.pi / 2), out=worst)
    return np.asarray(1.0 - worst / (np.pi / 2))


def _best_pairs(pairs: Integers, quality: Floats, n_faces: int) -> Booleans:
    """Which pairs to join: round by round those that are the best left for both their faces."""
    joined = np.zeros(len(pairs), dtype=np.bool_)
    free = np.ones(n_faces, dtype=np.bool_)
    # Rank instead of quality, so that no two are alike and every round joins at least one.
    rank = np.empty(len(pairs), dtype=np.int64)
    rank[np.lexsort((np.arange(len(pairs)), np.round(-quality, 9)))] = np.arange(len(pairs), 0, -1)
    left = np.arange(len(pairs))
    while len(left):
        best = np.zeros(n_faces, dtype=np.int64)
        np.maximum.at(best, pairs[left].ravel(), np.repeat(rank[left], 2))
        wins = (best[pairs[left]] == rank[left, None]).all(axis=1)
        joined[left[wins]] = True
        free[pairs[left[wins]].ravel()] = False
        left = left[free[pairs[left]].all(axis=1)]
    return joined
