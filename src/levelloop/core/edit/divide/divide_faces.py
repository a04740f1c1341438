"""Faces divided by lines drawn in them: points put on edges, chords from rim to rim, whole figures inside a face."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, distinct, offsets_from_sizes, ranges, unique_rows
from levelloop.core.errors import EditError
from levelloop.core.geometry.plane_figures import area, cells, connected, crossings, flat_axes
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import face_vectors
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, through
from levelloop.core.mesh.selection import NOTHING, Selection, select_mask
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Figure:
    """Lines in one face: pairs of points (s, 2) that it or its inside has after the points were put in."""

    face: int
    segments: Integers


def with_points_on_edges(mesh: Mesh, edges: Integers, ratios: Floats) -> tuple[Edit, Integers]:
    """The mesh with points put on edges; faces beside them get a corner more, wires become two.

    edges: (p,) ascending, an edge as often as it gets points; ratios: (p,) along it, ascending on each edge. Returns
    the edit, with nothing selected, and the number of each new point.
    """
    topology = mesh.topology
    if len(edges) == 0:
        return Edit(mesh, NOTHING, identity(mesh)), edges
    count = np.bincount(edges, minlength=topology.n_edges)
    first = mesh.n_points + offsets_from_sizes(count)[:-1]
    touched = np.zeros(mesh.n_faces, dtype=np.bool_)
    touched[topology.corner_face[count[topology.corner_edge] > 0]] = True
    faces = np.flatnonzero(touched)
    corners = topology.corners_of_faces(faces)
    edge = topology.corner_edge[corners]
    extra = count[edge]
    out = np.empty(len(corners) + int(extra.sum()), dtype=np.int64)
    slot = offsets_from_sizes(1 + extra)[:-1]
    out[slot] = topology.corners[corners]
    step = ranges(np.zeros(len(corners), dtype=np.int64), extra)
    owner = np.repeat(np.arange(len(corners)), extra)
    along = topology.corners[corners] == topology.edges[edge, 0]
    place = np.where(along[owner], step, extra[owner] - 1 - step)
    out[slot[owner] + 1 + step] = first[edge[owner]] + place
    sizes = np.add.reduceat(1 + extra, offsets_from_sizes(topology.face_sizes[faces])[:-1]) if len(faces) else faces
    builder = MeshBuilder(mesh)
    builder.replace(sizes, out, faces)
    ends = mesh.points[topology.edges[edges]]
    new = builder.points(ends[:, 0] + ratios[:, None] * (ends[:, 1] - ends[:, 0]), on_edge=edges)
    split = topology.wire_edges & (count > 0)
    wires, pieces = topology.wires, []
    if split.any():
        wires = wires[~split[topology.find_edges(wires)]]
        for wire in np.flatnonzero(split).tolist():
            start, end = topology.edges[wire]
            chain = np.concatenate(([start], new[edges == wire], [end]))
            pieces.append(np.stack((chain[:-1], chain[1:]), axis=1))
    new_mesh, origin = builder.build(wires=wires, more_wires=np.concatenate(pieces) if pieces else None)
    return Edit(new_mesh, NOTHING, origin), new


def divide_by_chords(mesh: Mesh, faces: Integers, first: Integers, second: Integers) -> Edit:
    """Each face split in two between two of its corners that are not neighbours: (f,) each, by corner.

    Selected after: the new edges.
    """
    topology = mesh.topology
    if len(faces) == 0:
        return Edit(mesh, Selection("edges", faces), identity(mesh))
    low, high = np.minimum(first, second), np.maximum(first, second)
    start, size = topology.face_offsets[faces], topology.face_sizes[faces]
    builder = MeshBuilder(mesh)
    for begin, many, in_place in ((high, size - (high - low) + 1, True), (low, high - low + 1, False)):
        step = ranges(begin - start, many)
        corner = np.repeat(start, many) + step % np.repeat(size, many)
        builder.outlines(many, topology.corners[corner], faces, np.full(len(faces), in_place))
    new_mesh, origin = builder.build()
    return Edit(new_mesh, select_mask("edges", origin.edges < 0), origin)


def divide_by_figures(mesh: Mesh, figures: list[Figure], inner: Integers) -> Edit:
    """Faces divided by whatever is drawn in them; what hangs loose is tied to the rim, so that all cells are plain.

    inner: points that lie inside faces and belong to none yet. Selected after: the new edges.
    Raises EditError where lines cross each other or leave their face.
    """
    builder = MeshBuilder(mesh)
    normals = face_vectors(mesh.topology, mesh.points)
    for figure in figures:
        rings = _cells_of(mesh, figure, normals[figure.face])
        sizes = np.array([len(ring) for ring in rings], dtype=np.int64)
        first = np.zeros(len(rings), dtype=np.bool_)
        first[0] = True
        builder.outlines(sizes, np.concatenate(rings), np.full(len(rings), figure.face), first)
    new_mesh, origin = builder.build(in_faces=inner)
    return Edit(new_mesh, select_mask("edges", origin.edges < 0), origin)


def then(first: Edit, second: Edit) -> Edit:
    """Two edits as one: the second's mesh and selection, the origins through both."""
    return Edit(second.mesh, second.selection, through(first.origin, second.origin), second.message or first.message)


def with_inner_points(mesh: Mesh, places: Floats) -> tuple[Edit, Integers]:
    """The mesh with points more that nothing uses yet, and their numbers."""
    builder = MeshBuilder(mesh)
    new = builder.points(places)
    new_mesh, origin = builder.build()
    return Edit(new_mesh, NOTHING, origin), new


# Helpers


def _runs_over_a_point(places: Floats, segments: Integers) -> bool:
    """Whether any of the places (n, 2) lies inside one of the segments (s, 2)."""
    start, end = places[segments[:, 0]], places[segments[:, 1]]
    way = end - start
    square = np.maximum(np.einsum("ij,ij->i", way, way), 1e-300)
    to = places[None] - start[:, None]
    share = np.einsum("spj,sj->sp", to, way) / square[:, None]
    off = np.abs(way[:, None, 0] * to[..., 1] - way[:, None, 1] * to[..., 0]) / square[:, None]
    return bool(((share > 1e-9) & (share < 1 - 1e-9) & (off < 1e-9)).any())


def _cells_of(mesh: Mesh, figure: Figure, normal: Floats) -> list[Integers]:
    """The cells that a figure divides its face into, as rings of points; the largest first."""
    topology = mesh.topology
    rim = topology.face(figure.face)
    used = distinct(np.concatenate((rim, figure.segments.ravel())))
    number = np.full(mesh.n_points, -1, dtype=np.int64)
    number[used] = np.arange(len(used))
    if not normal.any():
        raise EditError("A face without area cannot be cut.")
    axes = flat_axes(normal / np.linalg.norm(normal))
    places = (mesh.points[used] - mesh.points[rim[0]]) @ axes.T
    outline = number[np.stack((rim, np.roll(rim, -1)), axis=1)]
    drawn = unique_rows(np.sort(number[figure.segments], axis=1))[0]
    known = {(min(a, b), max(a, b)) for a, b in outline.tolist()}
    drawn = np.array([pair for pair in drawn.tolist() if tuple(pair) not in known], dtype=np.int64).reshape(-1, 2)
    whole = places[number[rim]]
    for row, (a, b) in enumerate(drawn.tolist()):
        others = np.concatenate((outline, np.delete(drawn, row, axis=0)))
        if crossings(places, others, a, b).any():
            raise EditError("The cut crosses itself or the rim of a face; let it meet edges at points of the path.")
    if _runs_over_a_point(places, drawn):
        raise EditError("The cut runs back over one of its own places; draw each stretch once.")
    segments = connected(places, np.concatenate((outline, drawn)), whole)
    if segments is None:
        raise EditError("The cut ends inside a face from where no corner is seen; end it on an edge.")
    found = cells(places, segments)
    found.sort(key=lambda ring: -area(places[ring]))
    if any(len(distinct(ring)) < len(ring) for ring in found) or not found:
        raise EditError("The cut would leave a face that touches itself; end it on an edge.")
    return [used[ring] for ring in found]
