"""A row of quads taken out: what lay at its two sides becomes one line."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, Integers, connected_labels, distinct, inverse_of, mask_of
from levelloop.core.edit.join.weld import merge_groups
from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import edge_folds
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection, select_ring
from levelloop.core.mesh.tags import SHARPNESS_NEVER_FADES
from levelloop.core.words import counted


def take_out_row(mesh: Mesh, selection: Selection) -> Edit:
    """Takes out the row of quads that selected edges cross or selected faces lie in: its sides become one line.

    The line lies midway, but nearer to the side that folds more: a rim, an outline or a crease stays where it is.
    Selected after: the line. Raises EditError for a row that crosses itself or another, or is all there is.
    """
    ring = _ring_of(mesh, selection)
    topology = mesh.topology
    pairs = topology.edges[ring]
    chosen = distinct(pairs)
    if len(chosen) < 2 * len(ring):
        raise EditError("The row crosses itself, or another that is selected; take out one at a time.")
    count, labels = connected_labels(inverse_of(chosen, mesh.n_points)[pairs], len(chosen))
    crossed = mask_of(ring, mesh.n_edges)[topology.corner_edge]
    in_row = np.logical_or.reduceat(crossed, topology.face_offsets[:-1])
    if in_row.all():
        raise EditError("Nothing would be left of the part without that row.")
    sides = distinct(topology.corner_edge[in_row[topology.corner_face] & ~crossed])
    firm = _firmness(mesh, sides)
    share = firm[pairs] ** 2 + 1e-12
    share /= share.sum(axis=1, keepdims=True)
    middles = np.einsum("ec,ecj->ej", share, mesh.points[pairs])
    places = np.zeros((count, 3))
    places[labels[inverse_of(chosen, mesh.n_points)[pairs[:, 0]]]] = middles
    edit = merge_groups(mesh, chosen, labels, count, places)
    on_line = mask_of(edit.selection.indices, edit.mesh.n_points)
    source = edit.origin.edges
    beside = ~mask_of(ring, mesh.n_edges)[np.maximum(source, 0)] & (source >= 0)
    line = np.flatnonzero(on_line[edit.mesh.topology.edges].all(axis=1) & beside)
    gone = counted(mesh.n_faces - edit.mesh.n_faces, "face is gone", "faces are gone")
    return replace(edit, selection=Selection("edges", line), message=f"{gone}.")


# Helpers


def _ring_of(mesh: Mesh, selection: Selection) -> Integers:
    """The edges that a row of quads has between its faces and at its ends."""
    topology = mesh.topology
    sizes = np.append(topology.face_sizes, 0)  # −1, no face, reads the spare last entry
    if selection.kind == "edges" and len(selection):
        start = selection
    elif selection.kind == "faces" and len(selection):
        faces = topology.edge_faces
        between = np.append(selection.mask(topology), False)[faces].all(axis=1)
        between &= (sizes[faces] == 4).all(axis=1)
        start = Selection("edges", np.flatnonzero(between))
        if len(start) == 0:
            raise EditError("To take out a row, select an edge that it crosses, or two neighbouring quads of it.")
    else:
        raise EditError("To take out a row, select an edge that it crosses, or faces of it.")
    ring = np.sort(select_ring(topology, start).indices)
    if not (sizes[topology.edge_faces[ring]] == 4).any():
        raise EditError("There is no quad beside it, and so no row.")
    return ring


def _firmness(mesh: Mesh, sides: Integers) -> Floats:
    """How firmly each point stays: the largest fold of the row's side edges at it, radians: (n,)."""
    topology = mesh.topology
    fold = np.radians(edge_folds(topology, mesh.points))
    fold = np.maximum(fold, np.pi * mesh.creases / SHARPNESS_NEVER_FADES)
    fold[topology.open_edges] = np.pi
    firm = np.zeros(mesh.n_points)
    np.maximum.at(firm, topology.edges[sides].ravel(), np.repeat(fold[sides], 2))
    return firm
