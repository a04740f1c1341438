"""Edges drawn between points of a face."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import mask_of, ranges
from levelloop.core.edit.build.curve_points import join_ends
from levelloop.core.errors import EditError
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection, select_mask


def join_points(mesh: Mesh, selection: Selection) -> Edit:
    """Splits every face that has selected points which are not neighbours in it, with edges between them.

    Two points split a face in two; three and more cut off what lies between each and the next. Two ends of wires are
    joined by a wire. Selected after: the new edges. Raises EditError for fewer than two points, or where they share no
    face.
    """
    topology = mesh.topology
    if selection.kind != "points" or len(selection) < 2:
        raise EditError("To join points, select at least two.")
    if not topology.point_face_count[selection.indices].any():
        return join_ends(mesh, selection.indices)
    chosen = mask_of(selection.indices, mesh.n_points)[topology.corners]
    per_face = np.bincount(topology.corner_face[chosen], minlength=topology.n_faces)
    corner = np.flatnonzero(chosen & (per_face >= 2)[topology.corner_face])
    face = topology.corner_face[corner]
    # The next chosen corner in the same face, and how far away it is.
    if len(corner):
        following = np.arange(1, len(corner) + 1)
        last = np.flatnonzero(np.append(face[1:] != face[:-1], True))
        following[last] = np.concatenate(([0], last[:-1] + 1))
        gap = (corner[following] - corner) % topology.face_sizes[face]
        far = gap >= 2
    else:
        following = gap = np.zeros(0, dtype=np.int64)
        far = np.zeros(0, dtype=np.bool_)
    far_count = np.bincount(face[far], minlength=topology.n_faces)
    pairs = per_face == 2
    split = np.where(pairs, far_count == 2, far_count >= 1) & (per_face >= 2)
    if not split.any():
        shared = "share no face" if not (per_face >= 2).any() else "are neighbours already"
        raise EditError(f"Nothing to join: the selected points {shared}.")
    builder = MeshBuilder(mesh)
    # What each gap cuts off.
    cuts = np.flatnonzero(far & split[face])
    start = topology.face_offsets[face[cuts]]
    size = gap[cuts] + 1
    step = ranges(corner[cuts] - start, size)
    places = np.repeat(start, size) + step % np.repeat(topology.face_sizes[face[cuts]], size)
    in_place = np.zeros(len(cuts), dtype=np.bool_)
    first = np.unique(face[cuts], return_index=True)[1]
    in_place[first] = pairs[face[cuts[first]]]
    builder.outlines(size, topology.corners[places], face[cuts], in_place)
    # What is left in the middle where there are three points and more.
    middle = split[face] & ~pairs[face]
    middle_faces = np.flatnonzero(split & ~pairs)
    builder.replace(per_face[middle_faces], topology.corners[corner[middle]], middle_faces)
    new_mesh, origin = builder.build()
    return Edit(new_mesh, select_mask("edges", origin.edges < 0), origin)
