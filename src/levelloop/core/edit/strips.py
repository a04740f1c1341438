"""Edges pulled out to strips of quads: modelling along a form, edge by edge."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers, connected_labels, inverse_of, sum_by
from levelloop.core.edit.carry import Edit, carry
from levelloop.core.edit.offset import meet_planes
from levelloop.core.edit.outlines import Outlines
from levelloop.core.errors import EditError
from levelloop.core.measure.faces import face_normals, point_normals, unit
from levelloop.core.mesh import Mesh
from levelloop.core.planes import as_direction
from levelloop.core.selection import Selection


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
    themselves, inner ones along the mean normal. end_scale: size of the moved end of each connected run.
    New quads agree in direction with the face they continue. Selected after: the moved edges.
    """
    topology = mesh.topology
    edges = np.sort(selection.indices)
    if selection.kind != "edges" or len(edges) == 0:
        raise EditError("To extrude edges, select at least one edge.")
    corner = topology.edge_pair[edges, 0]
    # A wire has no face to agree with; its strip runs as the wire does.
    wire = topology.wire_edges[edges]
    start, end = topology.edges[edges].T.copy()
    start[~wire], end[~wire] = topology.corners[corner[~wire]], topology.corner_end[corner[~wire]]
    base = np.unique(np.concatenate((start, end)))
    number = inverse_of(base, mesh.n_points)
    first, second = number[start], number[end]
    is_plain = isinstance(direction, str) and direction == "normal"
    towards = (
        _outwards(mesh, corner[~wire], first[~wire], second[~wire], base)
        if is_plain
        else np.tile(as_direction(direction), (len(base), 1))
    )
    _, piece = connected_labels(np.stack((first, second), axis=1), len(base))
    layers = pulled_out(mesh.points[base], towards * distance, steps, end_scale, piece)
    rows = row_numbers(base, mesh.n_points, steps)
    # A quad beside a face runs along their edge the other way.
    quads = np.concatenate(
        [np.stack((low[second], low[first], high[first], high[second]), axis=1) for low, high in pairwise(rows)]
    )
    outlines = Outlines(topology, np.zeros(mesh.n_faces, dtype=np.bool_))
    outlines.put_grid(quads, np.tile(topology.edge_faces[edges, 0], steps), in_place=False)
    points = np.concatenate((mesh.points, *layers))
    new_topology, face_origin = outlines.build(len(points))
    none = np.full((steps - 1) * len(base), -1, dtype=np.int64)
    new_mesh, origin = carry(
        mesh, new_topology, points, np.concatenate((np.arange(mesh.n_points), none, base)), face_origin
    )
    moved = new_mesh.topology.find_edges(np.stack((rows[-1][first], rows[-1][second]), axis=1))
    return Edit(new_mesh, Selection("edges", moved), origin)


def pulled_out(base: Floats, by: Floats, steps: int, end_scale: float, piece: Integers) -> list[Floats]:
    """Rows of points from the base outwards, (n, 3) each, scaled step by step about the middle of each piece: (n,)."""
    count = int(piece.max(initial=-1)) + 1
    size = np.bincount(piece, minlength=count)[:, None]
    layers = []
    for step in range(1, steps + 1):
        layer = base + by * (step / steps)
        middle = (sum_by(piece, layer, count) / size)[piece]
        layers.append(middle + (layer - middle) * (1.0 + (end_scale - 1.0) * step / steps))
    return layers


def row_numbers(base: Integers, n_points: int, steps: int) -> list[Integers]:
    """The numbers of the base's points and of those of each row that is added to a mesh."""
    return [base, *(n_points + row * len(base) + np.arange(len(base)) for row in range(steps))]


# Helpers


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
