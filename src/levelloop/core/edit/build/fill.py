"""Closing holes: faces made from boundaries or from points."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, chains, mask_of, offsets_from_sizes
from levelloop.core.errors import EditError
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology


def fill(mesh: Mesh, selection: Selection, kind: str = "face", turn: int = 0) -> Edit:
    """Closes each selected boundary with one face, or makes a face from points.

    Selected edges must close; selected points are taken along the boundary they lie on, else in the order they
    were picked. kind: "face", "triangles" or "quads"; turn: moves the corners of a grid of quads on by so many edges.
    The new faces agree in direction with their neighbours.
    Selected after: the new faces.
    """
    if kind == "quads":
        from levelloop.core.edit.build.weave import fill_with_quads

        return fill_with_quads(mesh, selection, turn)
    outlines = [directed(mesh, outline) for outline in outlines_of(mesh, selection)]
    sizes = np.array([len(outline) for outline in outlines], dtype=np.int64)
    corners = np.concatenate(outlines)
    if kind == "triangles":
        patch = Topology(offsets_from_sizes(sizes), corners, mesh.n_points)
        corners = triangles(patch, mesh.points)[0].ravel()
        sizes = np.full(len(corners) // 3, 3, dtype=np.int64)
    builder = MeshBuilder(mesh)
    builder.outlines(sizes, corners, np.full(len(sizes), -1, dtype=np.int64))
    return builder.edit()


def outlines_of(mesh: Mesh, selection: Selection) -> list[Integers]:
    """The outlines that selected edges or points close, each its points in order. Raises EditError."""
    topology = mesh.topology
    if selection.kind == "edges" and len(selection) >= 3:
        if (topology.edge_face_count[selection.indices] >= 2).any():
            raise EditError("A fill closes open edges; some of the selected edges have faces on both sides.")
        runs = chains(topology.edges[np.sort(selection.indices)], mesh.n_points)
        if not all(closed for _, closed in runs):
            raise EditError("A fill needs edges that close; the selected run has two ends.")
        return [members for members, _ in runs]
    if selection.kind == "points" and len(selection) >= 3:
        chosen = mask_of(selection.indices, mesh.n_points)
        between = topology.open_edges & chosen[topology.edges].all(axis=1)
        runs = chains(topology.edges[between], mesh.n_points)
        covered = sum(len(members) for members, _ in runs)
        if covered == len(selection) and (len(runs) == 1 or all(closed for _, closed in runs)):
            return [members for members, _ in runs]
        return [selection.indices]
    raise EditError("To fill, select the edges around a hole, or at least three points.")


def directed(mesh: Mesh, outline: Integers) -> Integers:
    """The outline turned so that the new face runs against its neighbours, or away from the cage's middle: (n,)."""
    topology = mesh.topology
    pairs = np.stack((outline, np.roll(outline, -1)), axis=1)
    edge = topology.find_edges(pairs)
    there = (edge >= 0) & (topology.edge_face_count[edge] > 0) if topology.n_edges else edge >= 0
    if there.any():
        corner = topology.edge_corners[topology.edge_offsets[edge[there]]]
        same_way = topology.corners[corner] == pairs[there, 0]
        return outline[::-1] if same_way.mean() > 0.5 else outline
    normal = _area_vector(mesh.points[outline])
    outwards = mesh.points[outline].mean(axis=0) - mesh.points.mean(axis=0)
    return outline[::-1] if float(normal @ outwards) < 0 else outline


# Helpers


def _area_vector(polygon: Floats) -> Floats:
    local = polygon - polygon[0]
    return np.asarray(np.cross(local, np.roll(local, -1, axis=0)).sum(axis=0))
