"""Grooves and ridges along edges: a strip on either side, the edges between them sunk or raised."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, distinct, mask_of, offsets_from_sizes
from levelloop.core.errors import EditError
from levelloop.core.geometry.offset import meet_planes
from levelloop.core.geometry.room import held_by_chain, room_of_faces, turned_corners
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import face_normals, point_normals, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.outlines import without_repeats
from levelloop.core.mesh.selection import Selection, select_mask

MOST_OF_FACE = 0.9  # of the way across the narrowest face beside the edges


def groove(mesh: Mesh, selection: Selection, width: float = 1.0, height: float = -0.5) -> Edit:
    """Splits the faces beside edges by strips and moves the edges along the normals.

    width: mm over both strips, square to the edges within their faces, held back for each run by the narrowest
    place of the faces beside it; height: mm, negative in. Runs that end inside the surface close there in
    triangles, at a boundary they run out. Selected after: the groove's middle edges. Raises EditError for anything
    but edges with faces, or a width that is not above 0.
    """
    topology, points = mesh.topology, mesh.points
    if selection.kind != "edges" or len(selection) == 0:
        raise EditError("To groove, select edges.")
    if width <= 0:
        raise EditError("A groove needs a width above 0.")
    along = selection.mask(topology) & (topology.edge_face_count > 0)
    if not along.any():
        raise EditError("A groove runs along edges with faces; these have none.")
    corner = np.flatnonzero(along[topology.corner_edge])
    normals = face_normals(topology, points)

    # Around each point the corners between one grooved edge and the next belong together.
    around = topology.around
    linked = (around >= 0) & ~along[topology.corner_edge[topology.previous_corner]]
    pairs = np.stack((np.flatnonzero(linked), around[linked]), axis=1)
    count, sector = connected_labels(pairs, topology.n_corners)
    point_of = np.zeros(count, dtype=np.int64)
    point_of[sector] = topology.corners
    beside = distinct(np.concatenate((sector[corner], sector[topology.next_corner[corner]])))
    sectors_at = np.bincount(point_of, minlength=mesh.n_points)
    split = np.zeros(count, dtype=np.bool_)
    split[beside] = sectors_at[point_of[beside]] > 1

    moves = _inwards(mesh, corner, sector, count, normals) * split[:, None]
    half, told = _half_width(mesh, corner, sector, split, moves, 0.5 * width)
    number = point_of.copy()
    new = np.flatnonzero(split)
    builder = MeshBuilder(mesh)
    number[new] = builder.points(points[point_of[new]] + half[new, None] * moves[new], in_faces=True)
    middle = distinct(point_of[new])
    sunk = points.copy()
    sunk[middle] += height * point_normals(topology, points)[middle]
    builder.move(sunk)

    strips = np.stack(
        (
            topology.corners[corner],
            topology.corner_end[corner],
            number[sector[topology.next_corner[corner]]],
            number[sector[corner]],
        ),
        axis=1,
    )
    sizes, kept, stays = without_repeats(np.full(len(strips), 4), strips.ravel())
    touched = np.zeros(mesh.n_faces, dtype=np.bool_)
    touched[topology.corner_face[split[sector]]] = True
    faces = np.flatnonzero(touched)
    inside = topology.corners_of_faces(faces)
    builder.replace(topology.face_sizes[faces], number[sector[inside]], faces)
    builder.outlines(sizes, strips.ravel()[kept], topology.corner_face[corner[stays]])
    new_mesh, origin = builder.build()
    found = new_mesh.topology.find_edges(topology.edges[along])
    chosen = np.zeros(new_mesh.n_edges, dtype=np.bool_)
    chosen[found[found >= 0]] = True
    return Edit(new_mesh, select_mask("edges", chosen), origin, told)


# Helpers


def _half_width(
    mesh: Mesh, corner: Integers, sector: Integers, split: Booleans, moves: Floats, wanted: float
) -> tuple[Floats, str]:
    """Half the width for each sector, or what of it fits into the faces beside its chain; and what is to be said."""
    topology = mesh.topology
    touched = np.zeros(mesh.n_faces, dtype=np.bool_)
    touched[topology.corner_face[split[sector]]] = True
    faces = np.flatnonzero(touched)
    inside = topology.corners_of_faces(faces)
    sizes = topology.face_sizes[faces]
    rooms = MOST_OF_FACE * room_of_faces(sizes, mesh.points[topology.corners[inside]], moves[sector[inside]])
    if (rooms <= 0).any():
        raise EditError("A face beside the edges has no width; a groove does not fit.")
    # Sectors of one face hold each other back, and those on both sides of a run.
    first = sector[inside[offsets_from_sizes(sizes)[:-1]]]
    ends = np.stack((sector[corner], sector[topology.next_corner[corner]]), axis=1)
    points = len(split) + np.stack((topology.corners[corner], topology.corner_end[corner]), axis=1)
    pairs = np.concatenate(
        (
            np.stack((np.repeat(first, sizes), sector[inside]), axis=1)[split[sector[inside]]],
            ends,
            np.stack((ends[:, 0], points[:, 0]), axis=1),
            np.stack((ends[:, 1], points[:, 1]), axis=1),
        )
    )
    count = len(split)
    own_normals = face_normals(topology, mesh.points, faces)
    before = mesh.points[topology.corners[inside]]
    strip = np.stack((ends[:, 1], ends[:, 0]), axis=1)
    foot = mesh.points[np.stack((topology.corners[corner], topology.corner_end[corner]), axis=1)]
    strip_normals = face_normals(topology, mesh.points, topology.corner_face[corner])

    def in_trouble(distance: Floats) -> Integers:
        half = distance[:count, None]
        moved = before + (half * moves)[sector[inside]]
        wrong = sector[inside[turned_corners(sizes, moved, own_normals, before)]]
        top = foot[:, ::-1] + (half * moves)[strip]
        quads = np.concatenate((foot, top), axis=1)
        flat = quads.reshape(-1, 3)
        wide = np.concatenate((foot, foot[:, ::-1] + 1e-3 * moves[strip]), axis=1).reshape(-1, 3)
        bad = turned_corners(np.full(len(quads), 4), flat, strip_normals, wide).reshape(-1, 4).any(axis=1)
        return np.concatenate((wrong, strip[bad].ravel()))

    half = held_by_chain(wanted, rooms, first, pairs, count + mesh.n_points, in_trouble)[:count]
    held = half[split & (half < wanted * (1 - 1e-9))]
    if len(held) == 0:
        return half, ""
    least, most = 2 * float(held.min()), 2 * float(held.max())
    width = f"{least:.4g} mm" if most - least <= 1e-9 * most else f"{least:.4g} to {most:.4g} mm"
    return half, f"The width was held back to {width} where more would cross the faces beside."


def _inwards(mesh: Mesh, corner: Integers, sector: Integers, count: int, normals: Floats) -> Floats:
    """How each sector moves for 1 mm away from its grooved edges, in the planes of its faces: (count, 3)."""
    topology, points = mesh.topology, mesh.points
    faces = topology.corner_face[corner]
    edge = points[topology.corner_end[corner]] - points[topology.corners[corner]]
    inward = unit(np.cross(normals[faces], edge))
    start, end = sector[corner], sector[topology.next_corner[corner]]
    flat = np.flatnonzero(mask_of(np.concatenate((start, end)), count)[sector])
    # Where a run comes to a boundary its points slide along that.
    grooved = mask_of(topology.corner_edge[corner], topology.n_edges)
    rim = np.flatnonzero(topology.open_edges[topology.corner_edge] & ~grooved[topology.corner_edge])
    along = points[topology.corner_end[rim]] - points[topology.corners[rim]]
    beside = unit(np.cross(normals[topology.corner_face[rim]], along))
    on_rim = np.concatenate((sector[rim], sector[topology.next_corner[rim]]))
    planes = np.concatenate((inward, inward, normals[topology.corner_face[flat]], beside, beside))
    wanted = np.concatenate((np.ones(2 * len(inward)), np.zeros(len(flat) + 2 * len(rim))))
    return meet_planes(planes, wanted, np.concatenate((start, end, sector[flat], on_rim)), count)
