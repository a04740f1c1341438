"""Splitting what is there: edges of a ring connected by their middles, faces into four, flat or smooth."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, Integers, difference, distinct, mask_of, offsets_from_sizes, ranges
from levelloop.core.edit.build.curve_points import split_wires
from levelloop.core.edit.divide.divide_faces import divide_by_chords, then, with_points_on_edges
from levelloop.core.errors import EditError
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.progress import pieces
from levelloop.core.surface.surface import SmoothSurface


def split_ring(mesh: Mesh, selection: Selection, count: int = 1) -> Edit:
    """Connects the selected edges across their faces: the middles of two edges, or so many even places.

    Only these edges get points; faces with one of them keep it as a corner more. Wires get points alone, those of a
    smooth curve where it runs. Selected after: the new edges, of wires the new points.
    Raises EditError where no two edges lie across from each other.
    """
    topology = mesh.topology
    if selection.kind == "edges" and len(selection) and topology.wire_edges[selection.indices].all():
        return split_wires(mesh, np.sort(selection.indices), np.arange(1, count + 1) / (count + 1))
    if selection.kind != "edges" or len(selection) < 2:
        raise EditError("To split a ring, select at least two of its edges.")
    edges = np.sort(selection.indices)
    check_fits(mesh.n_faces + len(edges) * count)
    edit, new = with_points_on_edges(
        mesh, np.repeat(edges, count), np.tile(np.arange(1, count + 1) / (count + 1), len(edges))
    )
    number = np.full(topology.n_edges, -1, dtype=np.int64)
    number[edges] = np.arange(len(edges))
    of_edge = new.reshape(len(edges), count)
    # Faces with two of the edges; with more, each of them and the next around.
    chosen = number[topology.corner_edge] >= 0
    corner = np.flatnonzero(chosen)
    face = topology.corner_face[corner]
    per_face = np.bincount(face, minlength=mesh.n_faces)
    if not (per_face >= 2).any():
        raise EditError("No two of these edges share a face; a ring has its edges across from each other.")
    # Each of them and the next one around its face; two alone make one pair.
    starts = np.flatnonzero(np.append(True, face[1:] != face[:-1]))
    following = np.arange(1, len(corner) + 1)
    following[np.append(starts[1:], len(corner)) - 1] = starts
    keep = per_face[face] >= 3
    keep[starts[per_face[face[starts]] == 2]] = True
    one, other = corner[keep], corner[following[keep]]
    ahead, back = (
        _along(topology, of_edge[number[topology.corner_edge[one]]], one),
        _along(topology, of_edge[number[topology.corner_edge[other]]], other),
    )
    for step in range(count):
        edit = _joined(edit, ahead[:, step], back[:, count - 1 - step])
    return replace(edit, message=f"{len(edit.selection)} new edges.")


def subdivide(mesh: Mesh, selection: Selection, times: int = 1, smooth: float = 0.0) -> Edit:
    """Splits the selected faces, or all, into quads: one for each corner, around a point in the middle.

    times: how often; smooth: 0 leaves everything where it is, 1 puts the points where the smooth surface has them.
    Faces beside them get corners more. Selected after: the new faces. Raises EditError without faces.
    """
    if len(selection) and selection.kind != "faces":
        raise EditError("To subdivide, select faces, or nothing for all.")
    faces = Selection("faces", np.sort(selection.indices) if len(selection) else np.arange(mesh.n_faces))
    if len(faces) == 0:
        raise EditError("There are no faces to subdivide.")
    total = int(mesh.topology.face_sizes[faces.indices].sum()) * 4 ** (times - 1)
    check_fits(total)
    edit = Edit(mesh, faces, identity(mesh))
    for _ in pieces(range(times)):
        edit = then(edit, _split_once(edit.mesh, edit.selection.indices, smooth))
    return edit


# Helpers


def _along(topology: Topology, rows: Integers, corners: Integers) -> Integers:
    """The new points on corners' edges (c, n), each row in the direction of its face."""
    forward = topology.corners[corners] == topology.edges[topology.corner_edge[corners], 0]
    return np.where(forward[:, None], rows, rows[:, ::-1])


def _joined(edit: Edit, first: Integers, second: Integers) -> Edit:
    """The edit with each pair of points joined across a face that they share; one in each face at a time."""
    selected = edit.selection if edit.selection.kind == "edges" else Selection("edges", first[:0])
    while len(first):
        topology = edit.mesh.topology
        key = topology.corner_face * topology.n_points + topology.corners
        order = np.argsort(key)
        by_point, offsets = topology.corners_by_point
        many = np.diff(offsets)[first]
        pair = np.repeat(np.arange(len(first)), many)
        at_first = by_point[ranges(offsets[:-1][first], many)]
        faces = topology.corner_face[at_first]
        wanted = faces * topology.n_points + second[pair]
        at_second = order[np.minimum(np.searchsorted(key, wanted, sorter=order), len(key) - 1)]
        gap = np.abs(at_first - at_second)
        fits = (key[at_second] == wanted) & (gap > 1) & (gap < topology.face_sizes[faces] - 1)
        # Each pair in the first face that fits, each face for the first pair that wants it.
        rows = np.flatnonzero(fits)
        rows = rows[np.unique(pair[rows], return_index=True)[1]]
        now = rows[np.unique(faces[rows], return_index=True)[1]]
        if len(now) == 0:
            break
        once = divide_by_chords(edit.mesh, faces[now], at_first[now], at_second[now])
        both = np.concatenate((mapped(selected, once.origin).indices, once.selection.indices))
        selected = Selection("edges", both)
        edit = then(edit, Edit(once.mesh, selected, once.origin))
        later = difference(pair[rows], pair[now])
        first, second = first[later], second[later]
    return edit


def _split_once(mesh: Mesh, faces: Integers, smooth: float) -> Edit:
    topology = mesh.topology
    corners = topology.corners_of_faces(faces)
    edges = distinct(topology.corner_edge[corners])
    edit, on_edges = with_points_on_edges(mesh, edges, np.full(len(edges), 0.5))
    middle = np.full(topology.n_edges, -1, dtype=np.int64)
    middle[edges] = on_edges
    old = edit.mesh
    sizes = topology.face_sizes[faces]
    starts = offsets_from_sizes(sizes)[:-1]
    builder = MeshBuilder(old)
    places = np.add.reduceat(mesh.points[topology.corners[corners]], starts) / sizes[:, None]
    centre = np.repeat(builder.points(places, in_faces=True), sizes)
    here, ahead = topology.corners[corners], middle[topology.corner_edge[corners]]
    behind = middle[topology.corner_edge[topology.previous_corner[corners]]]
    quads = np.stack((here, ahead, centre, behind), axis=1)
    builder.split(quads, np.repeat(faces, sizes))
    new_mesh, origin = builder.build()
    new = np.flatnonzero(mask_of(faces, old.n_faces)[origin.faces])
    result = then(edit, Edit(new_mesh, Selection("faces", new), origin))
    if smooth <= 0:
        return result
    moved = _smooth_places(mesh, faces, edges)
    chosen = np.concatenate((distinct(here), on_edges, distinct(centre)))
    target = result.mesh.points.copy()
    target[chosen] += smooth * (moved - target[chosen])
    return replace(result, mesh=result.mesh.with_points(target))


def _smooth_places(mesh: Mesh, faces: Integers, edges: Integers) -> Floats:
    """Where level 1 of the smooth surface has the points, the edges' middles and the faces' middles."""
    surface = SmoothSurface(mesh, 1)
    level = surface.points(mesh.points)
    plain = mesh.topology.faces_only
    number = plain.find_edges(mesh.topology.edges[edges])
    points = distinct(mesh.topology.corners[mesh.topology.corners_of_faces(faces)])
    first = mesh.n_points + plain.n_edges
    return np.concatenate((level[points], level[mesh.n_points + number], level[first + faces]))
