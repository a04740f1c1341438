"""Shells: which faces hang together, and whether they agree about inside and outside."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Booleans, Integers, connected_labels, frozen, worth_scipy

if TYPE_CHECKING:
    from levelloop.core.mesh.topology import Topology


def shells(topology: Topology) -> tuple[int, Integers]:
    """How many shells there are, and the one of each face: (m,)."""
    if topology.n_faces == 0:
        return 0, frozen(np.zeros(0, dtype=np.int64))
    # Each corner leads to the next face around its edge; the last one back to the first.
    order, offsets = topology.edge_corners, topology.edge_offsets
    following = np.empty_like(order)
    following[order[:-1]] = order[1:]
    used = np.flatnonzero(topology.edge_face_count)
    following[order[offsets[1:][used] - 1]] = order[offsets[:-1][used]]
    if not worth_scipy(topology.n_faces):
        count, few = connected_labels(
            np.stack((topology.corner_face, topology.corner_face[following]), axis=1), topology.n_faces
        )
        return count, frozen(few)
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import connected_components

    links = (np.ones(topology.n_corners, dtype=np.int8), topology.corner_face[following], topology.face_offsets)
    graph = csr_array(links, shape=(topology.n_faces, topology.n_faces))
    count, labels = connected_components(graph, directed=False)
    return int(count), frozen(labels.astype(np.int64))


def orientation(topology: Topology) -> tuple[Booleans, Booleans]:
    """As `Topology.orientation` says."""
    n_faces = topology.n_faces
    two = topology.edge_face_count == 2
    if np.count_nonzero(topology.twin >= 0) == 2 * np.count_nonzero(two):
        return frozen(np.zeros(n_faces, dtype=np.bool_)), frozen(np.zeros(topology.n_shells, dtype=np.bool_))
    order = topology.edge_corners
    same_edge = topology.corner_edge[order[:-1]] == topology.corner_edge[order[1:]]
    # Non-manifold edges say nothing about direction.
    same_edge &= two[topology.corner_edge[order]][:-1]
    a, b = order[:-1][same_edge], order[1:][same_edge]
    clash = (topology.corners[a] == topology.corners[b]).astype(np.int64)
    face_a, face_b = topology.corner_face[a], topology.corner_face[b]
    # Nodes 2·face and 2·face + 1 are a face as it is and flipped.
    pairs = np.concatenate(
        (
            np.stack((2 * face_a, 2 * face_b + clash), axis=1),
            np.stack((2 * face_a + 1, 2 * face_b + 1 - clash), axis=1),
        )
    )
    _, labels = connected_labels(pairs, 2 * n_faces)
    as_is, flipped = labels[0::2], labels[1::2]
    one_sided = as_is == flipped
    count, shell = shells(topology)
    shell_one_sided = np.zeros(count, dtype=np.bool_)
    shell_one_sided[shell[one_sided]] = True
    # In a sheet the node group with the lower label holds its first face as it is.
    flip = (as_is > flipped) & ~one_sided
    return frozen(flip), frozen(shell_one_sided)


def sheet_label(topology: Topology) -> Integers:
    """As `Topology.sheet_label` says."""
    faces = topology.edge_faces[topology.edge_face_count == 2]
    return frozen(connected_labels(faces, topology.n_faces)[1])
