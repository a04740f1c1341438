"""Surplus edges taken out, diagonals swung: tidying what lies flat or runs the wrong way."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Booleans, Integers, connected_labels, distinct, mask_of, unique_rows
from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import edge_folds
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, carry, identity, through
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology


def take_out_flats(mesh: Mesh, selection: Selection, angle: float = 1.0) -> Edit:
    """Joins the selected faces, or all, wherever they lie flat beside each other.

    angle: degrees of fold up to which an edge goes; creases, seams and edges between materials stay. Points left on
    two edges in a straight line go too. Selected after: the joined faces. Raises EditError without faces.
    """
    if len(selection) and selection.kind != "faces":
        raise EditError("To take out flats, select faces, or nothing for all.")
    if mesh.n_faces == 0:
        raise EditError("There are no faces to join.")
    topology = mesh.topology
    chosen = selection.mask(topology) if len(selection) else np.ones(mesh.n_faces, dtype=np.bool_)
    pair = topology.edge_faces
    flat = (topology.edge_face_count == 2) & chosen[pair].all(axis=1)
    flat[topology.corner_edge[topology.twin < 0]] = False
    flat &= (edge_folds(topology, mesh.points) <= angle) & (mesh.creases == 0) & ~mesh.seams
    flat &= mesh.material[pair[:, 0]] == mesh.material[pair[:, 1]]
    flat = _without_closing(mesh, flat)
    if not flat.any():
        return Edit(
            mesh, Selection("faces", np.zeros(0, np.int64)), identity(mesh), "No faces lie flat beside each other."
        )
    edit = take_out(mesh, Selection("edges", np.flatnonzero(flat)), two_edge_points=False)
    edit = _without_straight_points(edit, mesh, flat)
    told = f"{mesh.n_faces - edit.mesh.n_faces:,} faces fewer."
    return replace(edit, message=told)


def swing_edge(mesh: Mesh, selection: Selection, times: int = 1) -> Edit:
    """Turns edges inside the two faces they part: each end goes on to the next corner, counter-clockwise.

    times: how often; negative ones swing the other way. Selected after: the edges. Raises EditError for anything
    but edges, or for no steps.
    """
    if selection.kind != "edges" or len(selection) == 0:
        raise EditError("To swing, select edges.")
    if times == 0:
        raise EditError("Swing an edge at least once, or -1 for the other way.")
    edit = Edit(mesh, selection, identity(mesh))
    for _ in range(abs(times)):
        once = _swung(edit.mesh, edit.selection.indices, times > 0)
        edit = Edit(once.mesh, once.selection, through(edit.origin, once.origin), once.message)
    return edit


# Helpers


def _without_closing(mesh: Mesh, gone: Booleans) -> Booleans:
    """The edges without those that must stay so that no joined face gets a hole.

    Each piece of rim inside a region keeps two ways to the rim around, over edges that are there.
    """
    topology = mesh.topology
    pairs = topology.edge_faces[gone]
    count, label = connected_labels(pairs, topology.n_faces)
    # Euler's number of each region, from what lies inside it: 1 for a disc.
    faces = np.bincount(label, minlength=count)
    inner = np.bincount(label[pairs[:, 0]], minlength=count)
    lost = np.bincount(topology.edges[gone].ravel(), minlength=mesh.n_points)
    vanished = (lost == topology.valence) & (lost > 0)
    region = np.full(mesh.n_points, -1, dtype=np.int64)
    region[topology.corners] = label[topology.corner_face]
    points = np.bincount(region[vanished], minlength=count)
    result = gone.copy()
    for number in np.flatnonzero((faces - inner + points != 1) & (faces > 1)).tolist():
        edges = np.flatnonzero(gone & (label[topology.edge_faces[:, 0]] == number))
        rim = distinct(topology.corner_edge[topology.corners_of_faces(np.flatnonzero(label == number))])
        result[_ways_to_keep(mesh, edges, rim[~gone[rim]])] = False
    return result


def _ways_to_keep(mesh: Mesh, edges: Integers, rim: Integers) -> Integers:
    """Of the edges inside a region those that tie each piece of its rim to the rest twice; all where that fails."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import dijkstra

    topology = mesh.topology
    ends = topology.edges[edges]
    length = np.linalg.norm(mesh.points[ends[:, 0]] - mesh.points[ends[:, 1]], axis=1)
    used, number = np.unique(np.concatenate((ends, topology.edges[rim])), return_inverse=True)
    number = number.reshape(-1, 2)
    inner, outer = number[: len(edges)], number[len(edges) :]
    _, piece = connected_labels(outer, len(used))
    on_rim = mask_of(outer.ravel(), len(used))
    pieces = distinct(piece[on_rim])
    if len(pieces) < 2:
        return edges
    reach = [float(np.ptp(mesh.points[used[on_rim & (piece == one)]], axis=0).max()) for one in pieces]
    tied = on_rim & (piece == pieces[int(np.argmax(reach))])
    kept: list[Integers] = []
    for one in pieces[np.argsort(reach)[::-1][1:]].tolist():
        own = on_rim & (piece == one)
        blocked = np.zeros(len(used), dtype=np.bool_)
        for _ in range(2):
            free = ~blocked[inner].any(axis=1)
            graph = coo_array((length[free], tuple(inner[free].T)), shape=(len(used), len(used))).tocsr()
            starts = np.flatnonzero(own & ~blocked)
            if len(starts) == 0:
                return edges
            far, before, _ = dijkstra(graph, directed=False, indices=starts, min_only=True, return_predecessors=True)
            goals = np.flatnonzero(tied & ~blocked & ~own)
            if len(goals) == 0 or not np.isfinite(far[goals].min()):
                return edges
            way = [int(goals[int(far[goals].argmin())])]
            while before[way[-1]] >= 0:
                way.append(int(before[way[-1]]))
            blocked[way] = True
            steps = np.sort(np.stack((way[:-1], way[1:]), axis=1), axis=1)
            key = np.sort(inner, axis=1) @ np.array([len(used), 1])
            kept.append(edges[np.isin(key, steps @ np.array([len(used), 1]))])
        tied |= own | blocked
    return np.concatenate(kept) if kept else edges


def _without_straight_points(edit: Edit, before: Mesh, gone: Booleans) -> Edit:
    """The edit without points on two edges of one line that lost edges of their own."""
    mesh = edit.mesh
    topology = mesh.topology
    lost = mask_of(before.topology.edges[gone].ravel(), before.n_points)
    origin = edit.origin.points
    bare = (topology.valence == 2) & (origin >= 0) & lost[origin] & (topology.point_face_count > 0)
    corner = np.flatnonzero(bare[topology.corners])
    if len(corner) == 0:
        return edit
    here = mesh.points[topology.corners[corner]]
    ahead = mesh.points[topology.corner_end[corner]] - here
    behind = mesh.points[topology.corners[topology.previous_corner[corner]]] - here
    size = np.linalg.norm(ahead, axis=1) * np.linalg.norm(behind, axis=1)
    straight = np.einsum("ij,ij->i", ahead, behind) <= -size * (1.0 - 1e-9)
    drop = np.zeros(mesh.n_points, dtype=np.bool_)
    drop[topology.corners[corner]] = True
    drop[topology.corners[corner[~straight]]] = False
    left = np.add.reduceat((~drop[topology.corners]).astype(np.int64), topology.face_offsets[:-1])
    small = np.flatnonzero(left < 3)
    drop[topology.corners[topology.corners_of_faces(small)]] = False
    if not drop.any():
        return edit
    kept = np.flatnonzero(~drop[topology.corners])
    sizes = np.bincount(topology.corner_face[kept], minlength=topology.n_faces)
    keep = np.flatnonzero(~drop)
    number = np.cumsum(~drop) - 1
    plain = Topology.derived(np.concatenate(([0], np.cumsum(sizes))), number[topology.corners[kept]], len(keep))
    new_mesh, once = carry(mesh, plain, mesh.points[keep], keep, np.arange(mesh.n_faces), corner_origin=kept)
    return Edit(new_mesh, edit.selection, through(edit.origin, once))


def _swung(mesh: Mesh, edges: Integers, onwards: bool) -> Edit:
    topology = mesh.topology
    if mesh.n_faces == 0:
        raise EditError("An edge swings between two faces; this part has none.")
    pair = topology.edge_pair[edges]
    fits = (topology.edge_face_count[edges] == 2) & (topology.twin[np.maximum(pair[:, 0], 0)] == pair[:, 1])
    beside = topology.edge_faces[edges]
    fits &= beside[:, 0] != beside[:, 1]
    if not fits.all():
        raise EditError("An edge swings between two faces that face the same way; one of these has not got them.")
    if len(distinct(beside)) < beside.size:
        raise EditError("Two of these edges share a face; swing them one after the other.")
    if (topology.face_sizes[beside].sum(axis=1) < 6).any():
        raise EditError("There is nothing to swing to.")
    first, second = pair.T
    following = topology.next_corner
    # The joined outline of both faces, from the end of the edge in the first face on.
    outline: list[Integers] = []
    for one, other in zip(first.tolist(), second.tolist(), strict=True):
        ring: list[int] = []
        for start, stop in ((following[one], one), (following[other], other)):
            corner = start
            while corner != stop:
                ring.append(int(corner))
                corner = following[corner]
        outline.append(np.array(ring, dtype=np.int64))
    sizes = topology.face_sizes[beside]
    corners = topology.corners.copy()
    new_pairs = []
    for rim, (a, b), size in zip(outline, beside.tolist(), sizes.tolist(), strict=True):
        # Ring starts at the edge's end; its first part belongs to the first face.
        shift = 1 if onwards else -1
        turned = np.roll(topology.corners[rim], -shift)
        one = turned[: size[0]]
        other = np.concatenate((turned[size[0] - 1 :], turned[:1]))
        if len(distinct(one)) < len(one) or len(distinct(other)) < len(other) or turned[0] == turned[size[0] - 1]:
            raise EditError("Swung, a face would touch itself; this edge stays.")
        corners[topology.corners_of_faces(np.array([a]))] = one
        corners[topology.corners_of_faces(np.array([b]))] = other
        new_pairs.append((turned[size[0] - 1], turned[0]))
    there = topology.find_edges(np.array(new_pairs))
    if (there >= 0).any():
        raise EditError("Swung, the edge would lie on one that is there already.")
    if len(unique_rows(np.sort(new_pairs, axis=1))[0]) < len(new_pairs):
        raise EditError("Swung, two of these edges would lie on each other; swing them one after the other.")
    plain = Topology.derived(topology.face_offsets, corners, mesh.n_points)
    new_mesh, origin = carry(mesh, plain, mesh.points, np.arange(mesh.n_points), np.arange(mesh.n_faces))
    return Edit(new_mesh, Selection("edges", new_mesh.topology.find_edges(np.array(new_pairs))), origin)
