"""Bevelled points: each becomes a face across its edges, or a rounded corner."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, distinct, mask_of, offsets_from_sizes, ranges
from levelloop.core.edit.bevel.parts import (
    arc,
    fans_of,
    held_back,
    put_patches,
    what_was_held,
    without_bevelled_tags,
)
from levelloop.core.errors import EditError
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection, points_of


def bevel_points(mesh: Mesh, selection: Selection, width: float, steps: int, roundness: float) -> Edit:
    """Each selected point becomes a face across its edges, rounded where there are several steps.

    Raises EditError for a point without faces.
    """
    topology = mesh.topology
    chosen = mask_of(points_of(topology, selection), mesh.n_points)
    fans = fans_of(topology, chosen)
    if len(fans.corner) == 0:
        raise EditError("To bevel a point it must belong to a face.")
    check_fits(mesh.n_faces + len(fans.size) * steps**2)
    corner = fans.corner
    here = mesh.points[topology.corners[corner]]
    ahead = unit(mesh.points[topology.corner_end[corner]] - here)
    behind = unit(mesh.points[topology.corners[topology.previous_corner[corner]]] - here)
    # Every point for itself.
    used = held_back(mesh, fans, behind, ahead, width, np.zeros((0, 2), dtype=np.int64))
    reach = used[fans.fan][:, None]

    # One new point for each end of an edge.
    builder = MeshBuilder(mesh)
    edge_slot = 2 * topology.n_edges
    out_slot = topology.corner_slot[corner]
    in_slot = topology.corner_slot[topology.previous_corner[corner]] ^ 1
    wanted, first = np.unique(np.concatenate((out_slot, in_slot)), return_index=True)
    places = np.concatenate((here + reach * ahead, here + reach * behind))[first]
    owner = np.concatenate((topology.corners[corner],) * 2)[first]
    number = np.zeros(edge_slot, dtype=np.int64)
    number[wanted] = builder.points(places, owner, in_faces=True)

    # Across each corner from its own edge's point to that of the edge before it.
    one, two = reach * ahead, reach * behind
    between = np.arctan2(np.linalg.norm(np.cross(one, two), axis=1), np.einsum("ij,ij->i", one, two))

    def across(ratio: Floats) -> Floats:
        near, far = arc(between, ratio, roundness)
        return np.asarray(here[:, None] + near[:, :, None] * one[:, None] + far[:, :, None] * two[:, None])

    profile = np.zeros((len(corner), steps + 1), dtype=np.int64)
    along, middles = across(np.arange(steps + 1) / steps), across(np.array([0.5]))[:, 0]
    profile[:, 0], profile[:, steps] = number[out_slot], number[in_slot]
    if steps > 1:
        new = builder.points(along[:, 1:steps].reshape(-1, 3), in_faces=True)
        profile[:, 1:steps] = new.reshape(-1, steps - 1)

    touched = np.zeros(topology.n_faces, dtype=np.bool_)
    touched[topology.corner_face[corner]] = True
    faces = np.flatnonzero(touched)
    old_corners = topology.corners_of_faces(faces)
    position = fans.place[old_corners]
    plain = position < 0
    size = np.where(plain, 1, steps + 1)
    starts = offsets_from_sizes(size)[:-1]
    out = np.zeros(int(size.sum()), dtype=np.int64)
    out[starts[plain]] = topology.corners[old_corners[plain]]
    out[ranges(starts[~plain], size[~plain])] = profile[position[~plain]][:, ::-1].ravel()
    face = np.repeat(np.arange(len(faces)), topology.face_sizes[faces])
    builder.replace(np.bincount(face, weights=size, minlength=len(faces)).astype(np.int64), out, faces)

    for count in distinct(fans.size).tolist():
        for is_closed in (True, False):
            of_kind = np.flatnonzero((fans.size == count) & (fans.closed == is_closed))
            if len(of_kind) == 0 or (is_closed and count < 3 and steps == 1) or (not is_closed and count < 2):
                continue
            rows = fans.start[of_kind][:, None] + np.arange(count)
            origin = topology.corner_face[corner[rows[:, 0]]]
            if is_closed and steps > 1 and count >= 3:
                point = fans.point[of_kind]
                put_patches(profile[rows], along[rows], middles[rows], mesh.points[point], origin, builder)
                continue
            outline = np.concatenate([profile[rows][:, i, (0 if i == 0 else 1) :] for i in range(count)], axis=1)
            builder.faces(outline[:, :-1] if is_closed else outline, origin)
    edit = builder.edit(drop_unused=True)
    none = np.zeros(topology.n_edges, dtype=np.bool_)
    edit, _ = without_bevelled_tags(edit, mesh, none, np.flatnonzero(chosen), np.empty((0, 2), dtype=np.int64))
    return replace(edit, message=what_was_held(width, used, 0))
