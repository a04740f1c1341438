"""Triangles joined in pairs to quads."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, mask_of
from levelloop.core.edit.carry import Edit
from levelloop.core.edit.take_out import take_out
from levelloop.core.errors import EditError
from levelloop.core.measure.faces import edge_folds, face_normals
from levelloop.core.mesh import Mesh
from levelloop.core.selection import Selection

MOST_SKEWED = 0.35  # below this a pair would make a sliver or a concave quad


def to_quads(mesh: Mesh, selection: Selection, over: float = 30.0) -> Edit:
    """Joins selected triangles, or all, in pairs to quads, the squarest pairs first.

    over: degrees; a fold larger than that stays an edge, and so does a crease. Selected after: the new quads.
    """
    topology = mesh.topology
    if selection.kind != "faces" and len(selection):
        raise EditError("To make quads, select faces, or nothing for all.")
    chosen = mask_of(selection.indices, mesh.n_faces) if len(selection) else np.ones(mesh.n_faces, dtype=np.bool_)
    chosen &= topology.face_sizes == 3
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
        raise EditError("No two of these triangles make a good quad.")
    edit = take_out(mesh, Selection("edges", edges[joined]), two_edge_points=False)
    left = int(chosen.sum()) - 2 * int(joined.sum())
    rest = f"; {left} had no partner." if left else "."
    message = f"{2 * int(joined.sum())} triangles became {int(joined.sum())} quads{rest}"
    return Edit(edit.mesh, edit.selection, edit.origin, message)


# Helpers


def _squareness(mesh: Mesh, edges: Integers) -> Floats:
    """How near to square the quad across each edge would be: 1 for right angles, below 0 for concave ones."""
    topology, points = mesh.topology, mesh.points
    first, second = topology.edge_pair[edges].T
    next_corner, corners = topology.next_corner, topology.corners
    quad = points[
        np.stack(
            (
                corners[first],
                corners[next_corner[next_corner[second]]],
                corners[next_corner[first]],
                corners[next_corner[next_corner[first]]],
            ),
            axis=1,
        )
    ]
    normal = face_normals(topology, points)[topology.edge_faces[edges]].sum(axis=1)
    ahead = np.roll(quad, -1, axis=1) - quad
    behind = np.roll(quad, 1, axis=1) - quad
    turn = np.einsum("ijk,ik->ij", np.cross(ahead, behind), normal)
    dot = np.einsum("ijk,ijk->ij", ahead, behind)
    angle = np.arctan2(turn / np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None], dot)
    return np.asarray(1.0 - np.abs(angle - np.pi / 2).max(axis=1) / (np.pi / 2))


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
