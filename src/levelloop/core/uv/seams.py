"""Seams that let a surface be laid flat: along sharp folds first, then the shortest and least seen cuts."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels
from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import edge_folds, edge_lengths, face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.uv.islands import Island, faces_or_all, islands_of
from levelloop.core.words import counted

HIDDEN, BEHIND, SEEN = 0.35, 0.7, 1.0  # what a millimetre of a cut costs below, behind and elsewhere
BELOW = -0.35  # the z of a normal that looks down


def suggest_seams(mesh: Mesh, selection: Selection, fold: float = 40.0, hidden_first: bool = True) -> Edit:
    """Makes edges seams so that every island of the selected faces, or of all, can be laid flat.

    fold: edges that fold more, degrees, become seams first; then the shortest cuts that make each island a disc;
    hidden_first: cuts on undersides, then behind, count as shorter. Seams that are there stay. Selected after: the
    seams. Raises EditError without faces.
    """
    faces = faces_or_all(mesh, selection)
    if mesh.n_faces == 0:
        raise EditError("There are no faces to lay flat.")
    topology = mesh.topology
    inside = np.zeros(mesh.n_faces, dtype=np.bool_)
    inside[faces] = True
    touched = inside[topology.edge_faces[:, 0]] & (topology.edge_faces[:, 0] >= 0)
    touched |= inside[topology.edge_faces[:, 1]] & (topology.edge_faces[:, 1] >= 0)
    seams = mesh.seams | (touched & (edge_folds(topology, mesh.points) > fold))
    cost = edge_lengths(topology, mesh.points)
    if hidden_first:
        cost = cost * _seen(mesh)
    seams = cut_to_discs(mesh, faces, seams, cost)
    new = int((seams & ~mesh.seams).sum())
    shown = np.flatnonzero(seams & touched)
    told = f"{counted(new, 'edge became a seam', 'edges became seams')}; every island can be laid flat."
    return Edit(replace(mesh, seam=seams), Selection("edges", shown), identity(mesh), told)


def cut_to_discs(mesh: Mesh, faces: Integers, cut: Booleans, cost: Floats) -> Booleans:
    """Edges (e,) that part islands: those given, and the cheapest found that make every island a disc.

    cost: (e,) of each edge. By tree and cotree from a shortest-path tree (Erickson & Har-Peled 2004, greedy).
    """
    result = cut.copy()
    for island in islands_of(mesh, faces, cut):
        if not island.is_disc:
            result[_cuts(mesh, island, cost)] = True
    return result


# Helpers


def _seen(mesh: Mesh) -> Floats:
    """How much an edge is seen: (e,) shares of what a seen one costs."""
    normals = face_normals(mesh.topology, mesh.points)
    faces = mesh.topology.edge_faces
    both = np.where(faces[..., None] >= 0, normals[np.maximum(faces, 0)], normals[np.maximum(faces[:, :1], 0)])
    result = np.full(mesh.n_edges, SEEN)
    result[(both[..., 1] > 0.2).all(axis=1)] = BEHIND
    result[(both[..., 2] < BELOW).all(axis=1)] = HIDDEN
    return result


def _cuts(mesh: Mesh, island: Island, cost: Floats) -> Integers:
    """The mesh's edges that cut an island open to a disc."""
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import dijkstra, minimum_spanning_tree

    flat = island.topology
    edge = _edges_of(mesh, island)
    price = cost[edge] + 1e-12 * cost.max()
    # A rim is cut already: all its points are one place, from which nothing is lost by going round.
    _, node = connected_labels(flat.edges[flat.open_edges], flat.n_points)
    count = int(node.max()) + 1
    a, b = node[flat.edges].T
    ways = np.flatnonzero(a != b)
    ways = ways[np.argsort(price[ways], kind="stable")]
    between, first = np.unique(np.sort(np.stack((a, b), axis=1)[ways], axis=1), axis=0, return_index=True)
    ways = ways[first]  # the cheapest of each two places
    graph = csr_array((price[ways], (between[:, 0], between[:, 1])), shape=(count, count))
    start = int(node[flat.edges[flat.open_edges][0, 0]] if flat.open_edges.any() else node[flat.corners[0]])
    far, before = dijkstra(graph, directed=False, indices=start, return_predecessors=True)
    taken = (before[between[:, 0]] == between[:, 1]) | (before[between[:, 1]] == between[:, 0])
    in_tree = np.zeros(flat.n_edges, dtype=np.bool_)
    in_tree[ways[taken]] = True
    # Of the rest, what would be dearest to cut is joined first: a tree over faces.
    loose = np.flatnonzero(~in_tree & (flat.edge_face_count == 2))
    weight = far[a[loose]] + far[b[loose]] + price[loose]
    one, other = flat.edge_faces[loose].T
    # The spanning tree of least cost; what is dearest is made cheapest. Two faces may share several edges.
    order = np.argsort(-weight, kind="stable")
    pairs, first = np.unique(np.sort(np.stack((one, other), axis=1)[order], axis=1), axis=0, return_index=True)
    kept = loose[order][first]
    rank = 1.0 + np.argsort(np.argsort(-weight[order][first]))
    dual = csr_array((rank, (pairs[:, 0], pairs[:, 1])), shape=(flat.n_faces, flat.n_faces))
    tree = minimum_spanning_tree(dual).tocoo()
    joined = {tuple(pair) for pair in np.sort(np.stack(tree.coords, axis=1), axis=1).tolist()}
    crossed = np.zeros(flat.n_edges, dtype=np.bool_)
    crossed[kept[[tuple(pair) in joined for pair in pairs.tolist()]]] = True
    graph_edges = _pruned(flat, ~crossed)
    if not graph_edges.any():
        graph_edges = _slit(flat, price)
    return np.asarray(edge[graph_edges & ~flat.open_edges])


def _edges_of(mesh: Mesh, island: Island) -> Integers:
    """The mesh's edge for each of an island's edges."""
    edge = np.zeros(island.topology.n_edges, dtype=np.int64)
    edge[island.topology.corner_edge] = mesh.topology.corner_edge[island.corners]
    return edge


def _pruned(flat: Topology, kept: Booleans) -> Booleans:
    """Edges without those that lead nowhere: open ones stay."""
    kept = kept.copy()
    while True:
        ends = np.bincount(flat.edges[kept].ravel(), minlength=flat.n_points)
        loose = kept & ~flat.open_edges & (ends[flat.edges] == 1).any(axis=1)
        if not loose.any():
            return kept
        kept &= ~loose


def _slit(flat: Topology, price: Floats) -> Booleans:
    """A way between two places far from each other, to open what is closed like a ball."""
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import dijkstra

    a, b = flat.edges.T
    graph = csr_array((price, (a, b)), shape=(flat.n_points, flat.n_points))
    start = int(np.argmax(dijkstra(graph, directed=False, indices=int(a[0]))))
    far, before = dijkstra(graph, directed=False, indices=start, return_predecessors=True)
    way = [int(np.argmax(np.where(np.isfinite(far), far, -1.0)))]
    while way[-1] != start:
        way.append(int(before[way[-1]]))
    slit = np.zeros(flat.n_edges, dtype=np.bool_)
    slit[flat.find_edges(np.stack((way[:-1], way[1:]), axis=1))] = True
    return slit
