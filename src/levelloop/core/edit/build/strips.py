"""Edges pulled out to strips of quads: modelling along a form, edge by edge."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers, chains, connected_labels, distinct, inverse_of, sum_by
from levelloop.core.errors import EditError
from levelloop.core.geometry.offset import meet_planes
from levelloop.core.geometry.planes import as_direction
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import face_normals, point_normals, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection
from levelloop.core.progress import pieces


def extrude_edges(
    mesh: Mesh,
    selection: Selection,
    distance: float = 0.0,
    direction: Any = "normal",
    steps: int = 1,
    end_scale: float = 1.0,
) -> Edit:
    """Pulls edges out to strips of quads.

    distance: mm; along "normal" open edges go outwards in their face's plane, by exactly that much square to
    themselves, inner ones along the mean normal. end_scale: size of the moved end of each connected run. New quads
    agree in direction with the face they continue. Selected after: the moved edges. Raises EditError where no edge
    is selected.
    """
    topology = mesh.topology
    edges = np.sort(selection.indices)
    if selection.kind != "edges" or len(edges) == 0:
        raise EditError("To extrude edges, select at least one edge.")
    check_fits(mesh.n_faces + len(edges) * steps)
    corner = topology.edge_pair[edges, 0]
    # A wire has no face to agree with; its strip runs as the wire does.
    wire = topology.wire_edges[edges]
    base, first, second = profile_of(mesh, edges)
    is_plain = isinstance(direction, str) and direction == "normal"
    towards = (
        _outwards(mesh, corner[~wire], first[~wire], second[~wire], base)
        if is_plain
        else np.tile(as_direction(direction), (len(base), 1))
    )
    _, piece = connected_labels(np.stack((first, second), axis=1), len(base))
    layers = pulled_out(mesh.points[base], towards * distance, steps, end_scale, piece)
    return strips_through(mesh, edges, base, first, second, layers)


def profile_of(mesh: Mesh, edges: Integers) -> tuple[Integers, Integers, Integers]:
    """The points of edges, and which of them each edge starts and ends at, as its first face runs: (b,), (e,), (e,)."""
    topology = mesh.topology
    corner = topology.edge_pair[edges, 0]
    wire = topology.wire_edges[edges]
    start, end = topology.edges[edges].T.copy()
    start[~wire], end[~wire] = topology.corners[corner[~wire]], topology.corner_end[corner[~wire]]
    if wire.any():
        start[wire], end[wire] = _along_runs(topology.edges[edges[wire]], mesh.n_points).T
    base = distinct(np.concatenate((start, end)))
    number = inverse_of(base, mesh.n_points)
    return base, number[start], number[end]


def strips_through(
    mesh: Mesh,
    edges: Integers,
    base: Integers,
    first: Integers,
    second: Integers,
    layers: Sequence[Floats],
    closed: bool = False,
) -> Edit:
    """Strips of quads from edges through layers of where their points (b,) go, each (b, 3).

    first, second: of the base's points for each edge; closed: the last layer leads back to the edges themselves.
    Selected after: the edges of the last layer, or where closed the edges themselves.
    """
    topology = mesh.topology
    builder = MeshBuilder(mesh)
    # The last row stands for the old edges, unless they are the last row themselves.
    rows = [base, *(builder.points(layer) for layer in (layers if closed else layers[:-1]))]
    rows.append(base if closed else builder.points(layers[-1], origin=base))
    # A quad beside a face runs along their edge the other way.
    quads = np.concatenate(
        [np.stack((low[second], low[first], high[first], high[second]), axis=1) for low, high in pairwise(rows)]
    )
    builder.faces(quads, np.tile(topology.edge_faces[edges, 0], len(rows) - 1))
    new_mesh, origin = builder.build()
    moved = new_mesh.topology.find_edges(np.stack((rows[-1][first], rows[-1][second]), axis=1))
    return Edit(new_mesh, Selection("edges", moved), origin)


def pulled_out(base: Floats, by: Floats, steps: int, end_scale: float, piece: Integers) -> list[Floats]:
    """Rows of points from the base outwards, (n, 3) each, scaled step by step about the middle of each piece: (n,)."""
    count = int(piece.max(initial=-1)) + 1
    size = np.bincount(piece, minlength=count)[:, None]
    layers = []
    for step in pieces(range(1, steps + 1)):
        layer = base + by * (step / steps)
        middle = (sum_by(piece, layer, count) / size)[piece]
        layers.append(middle + (layer - middle) * (1.0 + (end_scale - 1.0) * step / steps))
    return layers


# Helpers


def _along_runs(pairs: Integers, count: int) -> Integers:
    """The pairs turned so that those of one run follow each other: (w, 2)."""
    directed = np.concatenate(
        [
            np.stack((members, np.roll(members, -1)), axis=1)[: len(members) if closed else -1]
            for members, closed in chains(pairs, count)
        ]
    )
    key = directed[:, 0] * count + directed[:, 1]
    backwards = ~np.isin(pairs[:, 0] * count + pairs[:, 1], key)
    return np.where(backwards[:, None], pairs[:, ::-1], pairs)


def _outwards(mesh: Mesh, corner: Integers, first: Integers, second: Integers, base: Integers) -> Floats:
    """How each point moves for 1 mm: square to its open edges in their faces' planes, or along the normals."""
    topology, points = mesh.topology, mesh.points
    is_open = topology.open_edges[topology.corner_edge[corner]]
    normals = face_normals(topology, points)[topology.corner_face[corner]]
    along = points[topology.corner_end[corner]] - points[topology.corners[corner]]
    outward = unit(np.cross(along, normals))
    planes = np.concatenate((outward[is_open], outward[is_open], normals[is_open], normals[is_open]))
    wanted = np.repeat([1.0, 1.0, 0.0, 0.0], int(is_open.sum()))
    label = np.concatenate((first[is_open], second[is_open], first[is_open], second[is_open]))
    moves = meet_planes(planes, wanted, label, len(base))
    inner = np.ones(len(base), dtype=np.bool_)
    inner[label] = False
    moves[inner] = point_normals(topology, points)[base[inner]]
    # Wires have no side of their own: their strips stand up, or lie where the wire itself stands.
    bare = np.flatnonzero(~moves.any(axis=1))
    moves[bare] = (0.0, 0.0, 1.0)
    if len(bare) and np.ptp(points[base[bare]][:, :2], axis=0).max() == 0:
        moves[bare] = (1.0, 0.0, 0.0)
    return moves
