"""UV by hand: what is selected moved, turned and scaled in UV, islands picked whole and joined along edges."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, distinct, mask_of, unique_rows
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection, convert, faces_of
from levelloop.core.uv.islands import places_between, uv_cuts
from levelloop.core.words import counted

NO_UV = "There is no UV yet; unwrap first."
WHOLE_TURN = 360.0


def move_uv(
    mesh: Mesh,
    selection: Selection,
    right: float = 0.0,
    up: float = 0.0,
    angle: float = 0.0,
    scale: float = 1.0,
    pivot: Literal["middle", "each"] = "middle",
) -> Edit:
    """Moves what is selected, or all, in UV: first scaled and turned about a pivot, then moved.

    right, up: in sides of the unit square; angle: degrees, counter-clockwise; pivot: the middle of the box around all
    of it, or of each island's share. What lies at one place of an island moves together. Raises EditError without UV,
    or for a scale of 0.
    """
    uv = _uv_of(mesh)
    if scale == 0.0:
        raise EditError("A scale is not 0: what lies at one place cannot be drawn apart again.")
    place = uv_places(mesh)
    corner = _corners_of(mesh, selection)
    if len(corner) == 0:
        raise EditError("Nothing of the selection has UV.")
    moved = np.flatnonzero(mask_of(place[corner], len(place))[place])
    group = np.zeros(len(moved), dtype=np.int64)
    if pivot == "each":
        _, group = np.unique(island_labels(mesh)[mesh.topology.corner_face[moved]], return_inverse=True)
    count = int(group.max()) + 1
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(low, group, uv[moved])
    np.maximum.at(high, group, uv[moved])
    middle = (0.5 * (low + high))[group]
    turn = np.radians(angle % WHOLE_TURN)
    cosine, sine = np.cos(turn), np.sin(turn)
    away = scale * (uv[moved] - middle)
    turned = np.stack((cosine * away[:, 0] - sine * away[:, 1], sine * away[:, 0] + cosine * away[:, 1]), axis=1)
    result = uv.copy()
    # What only moves keeps its digits.
    result[moved] = (middle + turned if angle or scale != 1.0 else uv[moved]) + (right, up)
    return Edit(replace(mesh, uv=result), selection, identity(mesh))


def join_uv(mesh: Mesh, selection: Selection) -> Edit:
    """Brings islands together along selected edges: the smaller one is moved, turned and scaled onto the larger one.

    The edges are no seams any more. Edges whose both sides lie in one island stay as they are. Raises EditError where
    no selected edge parts two islands.
    """
    uv = _uv_of(mesh).copy()
    topology = mesh.topology
    if selection.kind != "edges" or len(selection) == 0:
        raise EditError("To join islands, select edges between them.")
    cut = uv_cuts(mesh) | mesh.seams
    pair = topology.edge_pair
    edges = selection.indices[cut[selection.indices] & (pair[selection.indices] >= 0).all(axis=1)]
    edges = edges[topology.twin[pair[edges, 0]] == pair[edges, 1]]
    label = island_labels(mesh)
    members = np.split(np.argsort(label, kind="stable"), np.cumsum(np.bincount(label))[:-1])
    one_face, other_face = topology.corner_face[pair[edges]].T
    joined, seam = 0, mesh.seams.copy()
    for row in range(len(edges)):
        one, other = int(label[one_face[row]]), int(label[other_face[row]])
        if one == other:
            continue
        stays, comes = (one, other) if len(members[one]) >= len(members[other]) else (other, one)
        sides = np.sort(np.stack((label[one_face[row:]], label[other_face[row:]]), axis=1), axis=1)
        between = edges[row:][(sides == sorted((one, other))).all(axis=1)]
        here = pair[between]
        mine = np.where(label[topology.corner_face[here[:, 0]]] == stays, here[:, 0], here[:, 1])
        _bring(mesh, uv, mine, members[comes])
        label[members[comes]] = stays
        members[stays] = np.concatenate((members[stays], members[comes]))
        seam[between] = False
        joined += 1
    if joined == 0:
        raise EditError("None of these edges parts two islands.")
    told = f"{counted(joined + 1, 'island')} became one." if joined == 1 else f"{joined + 1} islands were joined."
    return Edit(replace(mesh, uv=uv, seam=seam), selection, identity(mesh), told)


def select_island(mesh: Mesh, selection: Selection) -> Selection:
    """The whole islands of what is selected, in its own kind. Raises EditError without UV."""
    _uv_of(mesh)
    label = island_labels(mesh)
    chosen = distinct(label[mesh.topology.corner_face[_corners_of(mesh, selection)]])
    faces = np.flatnonzero(np.isin(label, chosen))
    return convert(mesh.topology, Selection("faces", faces), selection.kind)


def uv_places(mesh: Mesh) -> Integers:
    """A number for each corner: corners at one place of one island have the same: (k,)."""
    return places_between(mesh.topology, uv_cuts(mesh) | mesh.seams)


def island_labels(mesh: Mesh) -> Integers:
    """The island of each face, cut at seams and where UV differs: (m,)."""
    topology = mesh.topology
    joins = (topology.twin >= 0) & ~(uv_cuts(mesh) | mesh.seams)[topology.corner_edge]
    corner = np.flatnonzero(joins)
    pairs = np.stack((topology.corner_face[corner], topology.corner_face[topology.twin[corner]]), axis=1)
    return connected_labels(pairs, topology.n_faces)[1]


# Helpers


def _uv_of(mesh: Mesh) -> Floats:
    if mesh.uv is None or mesh.n_faces == 0:
        raise EditError(NO_UV)
    return mesh.uv


def _corners_of(mesh: Mesh, selection: Selection) -> Integers:
    """The corners of what is selected, of all where nothing is: of faces all of theirs, of edges both sides' ends."""
    topology = mesh.topology
    if len(selection) == 0:
        return np.arange(topology.n_corners)
    if selection.kind == "points":
        chosen: Booleans = mask_of(selection.indices, mesh.n_points)[topology.corners]
    elif selection.kind == "edges":
        start = mask_of(selection.indices, mesh.n_edges)[topology.corner_edge]
        chosen = start.copy()
        chosen[topology.next_corner[start]] = True
    else:
        chosen = mask_of(faces_of(topology, selection), mesh.n_faces)[topology.corner_face]
    return np.flatnonzero(chosen)


def _bring(mesh: Mesh, uv: Floats, mine: Integers, faces: Integers) -> None:
    """Puts an island's faces so that its side of some edges lies on the other side, as well as one move does it.

    mine: (e,) the half-edges of what stays. The similarity of least squares (Umeyama 1991, without a reflection),
    written as complex numbers.
    """
    topology = mesh.topology
    its = topology.twin[mine]
    # One half-edge runs against the other.
    target = np.concatenate((uv[mine], uv[topology.next_corner[mine]])) @ (1.0, 1.0j)
    source_corner = np.concatenate((topology.next_corner[its], its))
    source = uv[source_corner] @ (1.0, 1.0j)
    from_middle, to_middle = source - source.mean(), target - target.mean()
    size = float((np.abs(from_middle) ** 2).sum())
    turn = (np.conj(from_middle) * to_middle).sum() / size if size > 0 else 1.0
    corner = topology.corners_of_faces(faces)
    put = target.mean() + turn * (uv[corner] @ (1.0, 1.0j) - source.mean())
    # What meets now is at one place exactly: all corners that were at one with those.
    both = np.concatenate((source_corner, corner))
    _, number = unique_rows(np.column_stack((topology.corners[both], uv[both])))
    wanted = np.full(len(both), np.nan, dtype=np.complex128)
    wanted[number.ravel()[: len(target)]] = target
    there = wanted[number.ravel()[len(target) :]]
    put = np.where(np.isnan(there), put, there)
    uv[corner] = np.stack((put.real, put.imag), axis=1)
