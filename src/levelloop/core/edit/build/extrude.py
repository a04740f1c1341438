"""Faces pulled out or drawn in: extrude and inset.

Both cut the selected faces loose along their rim, set the rim's copy elsewhere and close the gap with quads.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import (
    Booleans,
    Floats,
    Integers,
    connected_labels,
    difference,
    distinct,
    inverse_of,
    mask_of,
    one_cycle,
    sum_by,
)
from levelloop.core.edit.build.strips import extrude_edges
from levelloop.core.edit.build.wires import extrude_points
from levelloop.core.errors import EditError
from levelloop.core.geometry.offset import LONGEST, even_offsets, meet_planes, told_off
from levelloop.core.geometry.planes import as_direction
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import concave_faces, face_normals, face_vectors, unit
from levelloop.core.mesh.mean_value import moved_inside
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass

FLAT = 1e-6  # of one less the cosine between faces of a flat
USED_UP = 0.98  # of the way at which an edge of the rim would have no length left


def extrude(
    mesh: Mesh,
    selection: Selection,
    distance: float = 0.0,
    direction: Any = "normal",
    steps: int = 1,
    end_scale: float = 1.0,
    each: bool = False,
    rims: Sequence[tuple[float, float]] | None = None,
) -> Edit:
    """Pulls faces out by a distance and closes the sides with quads, edges out to strips, points out to wires.

    distance: mm; along "normal" each face moves by exactly that much where the faces around a point allow it.
    steps: rows of quads; end_scale: size of the moved end; each: every face by itself. rims: pairs (along, across)
    in mm, one row each, instead of distance and steps. Selected after: the moved faces. Raises EditError for an
    empty list of rims.
    """
    if selection.kind == "edges" and rims is None:
        return extrude_edges(mesh, selection, distance, direction, steps, end_scale)
    if selection.kind == "points" and rims is None:
        return extrude_points(mesh, selection, distance, direction, steps, end_scale)
    if rims is not None:
        rows = np.cumsum(np.asarray(rims, dtype=np.float64).reshape(-1, 2), axis=0)
        if len(rows) == 0:
            raise EditError("A list of rims needs at least one pair (along, across).")
    else:
        rows = np.stack((distance * np.arange(1, steps + 1) / steps, np.zeros(steps)), axis=1)
    along = None if isinstance(direction, str) and direction == "normal" else as_direction(direction)
    return _raise(mesh, selection, rows, each, along, end_scale, "extrude")


def inset(mesh: Mesh, selection: Selection, width: float, depth: float = 0.0, each: bool = False) -> Edit:
    """Draws the rim of faces inwards by a width and leaves a border of quads.

    width: mm, square to each rim edge within its face; it is held back where the rim would cross itself.
    depth: mm along the normals, positive raised; each: every face by itself. Selected after: the inner faces.
    """
    return _raise(mesh, selection, np.array([[depth, width]]), each, None, 1.0, "inset")


@dataclass(frozen=True, eq=False)
class Region:
    """Selected faces cut loose: their corners joined into fans, one fan per point and side of the rim."""

    corners: Integers  # (c,) the selected faces' corners
    fan: Integers  # (c,) the fan of each of them
    next_fan: Integers  # (c,) the fan of the corner after each in its face
    fan_point: Integers  # (f,) the point of each fan
    rim: Booleans  # (c,) corners whose half-edge is on the rim
    loose: Booleans  # (f,) fans that need a point of their own


def region_of(topology: Topology, faces: Integers, each: bool) -> Region:
    """Faces cut loose from the rest, or each from every other."""
    corners = topology.corners_of_faces(faces)
    inside = mask_of(corners, topology.n_corners)
    place = inverse_of(corners, topology.n_corners)
    if each:
        rim = np.ones(len(corners), dtype=np.bool_)
        fan = np.arange(len(corners))
    else:
        twin = topology.twin[corners]
        rim = (twin < 0) | ~inside[twin]
        around = topology.around[corners]
        linked = (around >= 0) & inside[around]
        pairs = np.stack((np.flatnonzero(linked), place[around[linked]]), axis=1)
        fan = connected_labels(pairs, len(corners))[1]
    n_fans = int(fan.max(initial=-1)) + 1
    fan_point = np.zeros(n_fans, dtype=np.int64)
    fan_point[fan] = topology.corners[corners]
    whole = np.bincount(fan, minlength=n_fans) == topology.point_face_count[fan_point]
    next_fan = fan[place[topology.next_corner[corners]]]
    on_rim = mask_of(np.concatenate((fan[rim], next_fan[rim])), n_fans)
    return Region(corners, fan, next_fan, fan_point, rim, on_rim | ~whole)


def _raise(
    mesh: Mesh,
    selection: Selection,
    rows: Floats,
    each: bool,
    along: Floats | None,
    end_scale: float,
    verb: str,
) -> Edit:
    """Cuts the faces loose and sets one row of quads for each (along, across) in rows."""
    topology, points = mesh.topology, mesh.points
    if selection.kind != "faces" or len(selection) == 0:
        raise EditError(f"To {verb}, select at least one {'face, edge or point' if verb == 'extrude' else 'face'}.")
    region = region_of(topology, np.sort(selection.indices), each)
    if not region.rim.any():
        raise EditError(f"The faces to {verb} close on themselves; leave out at least one, so that there is a rim.")
    check_fits(mesh.n_faces + int(np.count_nonzero(region.rim)) * len(rows))
    outwards, inwards, off = _directions(mesh, region, along, bool(np.any(rows[:, 1] != 0)), each)
    base = points[region.fan_point]
    told = told_off(off, float(np.abs(rows[:, 0]).max()))
    width, faces = float(rows[:, 1].max()), np.sort(selection.indices)
    if width > 0 and not each:
        inwards, drawn_in = _with_inside(mesh, faces, region, base, inwards, width)
        told = f"{told} What lies inside was drawn in.".strip() if drawn_in else told
    if verb == "inset":
        most = _room_inwards(mesh, faces, region, base, inwards, width)
        if width > most:
            told = f"The width was held at {most:.4g} mm, where the rim would cross itself."
            rows = np.array([[rows[0, 0], most]])
    layers = [
        _scaled(region, base + outwards * out + inwards * across, 1.0 + (end_scale - 1.0) * (row + 1) / len(rows))
        for row, (out, across) in enumerate(rows)
    ]
    return replace(lift(mesh, selection, region, layers, bool(np.any(rows[:, 1] != 0))), message=told)


def lift(mesh: Mesh, selection: Selection, region: Region, layers: Sequence[Floats], drawn_in: bool = False) -> Edit:
    """Sets faces that were cut loose on the last of several layers and closes the sides with rows of quads.

    layers: where the region's fans go, each (f, 3); drawn_in: whether the walls lie in the old faces. Selected after:
    the moved faces.
    """
    topology, points = mesh.topology, mesh.points
    # Each row gets points for the loose fans; the last row also moves the fans in the middle of the region.
    builder = MeshBuilder(mesh)
    numbers = [region.fan_point]
    for row, layer in enumerate(layers):
        of_last = region.fan_point[region.loose] if row == len(layers) - 1 else None
        number = region.fan_point.copy()
        number[region.loose] = builder.points(layer[region.loose], of_last, in_faces=drawn_in)
        numbers.append(number)
    new_points = points.copy()
    new_points[region.fan_point[~region.loose]] = layers[-1][~region.loose]
    builder.move(new_points)
    faces = np.sort(selection.indices)
    corners = topology.corners.copy()
    corners[region.corners] = numbers[-1][region.fan]
    builder.replace(topology.face_sizes[faces], corners[topology.corners_of_faces(faces)], faces)
    start, end = region.fan[region.rim], region.next_fan[region.rim]
    walls = [
        np.stack((low[start], low[end], high[end], high[start]), axis=1) for low, high in itertools.pairwise(numbers)
    ]
    wall_face = topology.corner_face[region.corners[region.rim]]
    builder.faces(np.concatenate(walls), np.tile(wall_face, len(walls)))
    new_mesh, origin = builder.build()
    return Edit(new_mesh, Selection("faces", selection.indices), origin)


# Helpers


def _with_inside(
    mesh: Mesh, faces: Integers, region: Region, base: Floats, inwards: Floats, width: float
) -> tuple[Floats, bool]:
    """How each fan moves for 1 mm inwards, those inside a flat along with its outline where it would run over them.

    Points inside a flat say nothing about the form; elsewhere they stay, and the rim comes no farther than they are.
    """
    offsets = np.concatenate(([0], np.cumsum(mesh.topology.face_sizes[faces])))
    own = Topology.derived(offsets, region.fan, len(base))
    overrun = concave_faces(own, base + width * inwards) & ~concave_faces(own, base)
    overrun |= np.einsum("ij,ij->i", face_vectors(own, base + width * inwards), face_vectors(own, base)) < 0
    if not overrun.any():
        return inwards, False
    inwards, drawn_in = inwards.copy(), False
    _, piece = connected_labels(np.stack((region.fan, region.next_fan), axis=1), len(base))
    normals = face_normals(own, base)
    of_face = piece[region.fan[offsets[:-1]]]
    start, end = region.fan[region.rim], region.next_fan[region.rim]
    for one in distinct(of_face[overrun]).tolist():
        rim = piece[start] == one
        order = one_cycle(start[rim], end[rim])
        inside = difference(np.flatnonzero(piece == one), start[rim])
        flat = np.abs(normals[of_face == one] @ normals[of_face == one][0] - 1.0).max() < FLAT
        if order is not None and len(inside) and flat:
            outline = start[rim][order]
            inwards[inside] = moved_inside(base[outline], inwards[outline], base[inside])
            drawn_in = True
    return inwards, drawn_in


def _room_inwards(mesh: Mesh, faces: Integers, region: Region, base: Floats, inwards: Floats, wanted: float) -> float:
    """How far, up to what is wanted, the rim goes in before an edge of it is used up or a face turns over: mm."""
    start, end = region.fan[region.rim], region.next_fan[region.rim]
    edge = base[end] - base[start]
    shrinks = -np.einsum("ij,ij->i", inwards[end] - inwards[start], edge)
    square = np.einsum("ij,ij->i", edge, edge)
    used_up = np.divide(square, shrinks, out=np.full(len(edge), np.inf), where=shrinks > 1e-12 * square)
    most = min(wanted, USED_UP * float(used_up.min(initial=np.inf)))
    # Points inside the region stay: what is drawn in must not pass them.
    offsets = np.concatenate(([0], np.cumsum(mesh.topology.face_sizes[faces])))
    flat = Topology.derived(offsets, region.fan, len(base))
    before = face_vectors(flat, base)

    def turns_over(width: float) -> bool:
        after = face_vectors(flat, base + width * inwards)
        return bool((np.einsum("ij,ij->i", after, before) < 0).any())

    if not turns_over(most):
        return most
    low, high = 0.0, most
    for _ in range(24):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if turns_over(middle) else (middle, high)
    return USED_UP * low


def _directions(
    mesh: Mesh, region: Region, along: Floats | None, with_across: bool, each: bool
) -> tuple[Floats, Floats, Floats]:
    """How each fan moves for 1 mm along the normals and for 1 mm across, away from the rim: (f, 3), (f, 3).

    And by how much the faces around it do not move by exactly 1 mm along their normals: (f,).
    """
    topology, points = mesh.topology, mesh.points
    n_fans = len(region.fan_point)
    off = np.zeros(n_fans)
    normals = face_normals(topology, points)[topology.corner_face[region.corners]]
    if along is not None:
        outwards = np.tile(along, (n_fans, 1))
    elif each:
        # Every corner is a fan by itself, with one face.
        outwards = normals
    else:
        outwards, off = even_offsets(normals, region.fan, n_fans)
    if not with_across:
        return outwards, np.zeros((n_fans, 3)), off
    rim_corners = region.corners[region.rim]
    edge = points[topology.corner_end[rim_corners]] - points[topology.corners[rim_corners]]
    inward = unit(np.cross(normals[region.rim], edge))
    start, end = region.fan[region.rim], region.next_fan[region.rim]
    if each:
        before = np.empty_like(inward)
        before[end] = inward
        return outwards, _mitre(inward, before), off
    on_rim = mask_of(np.concatenate((start, end)), n_fans)[region.fan]
    inwards = meet_planes(
        np.concatenate((inward, inward, normals[on_rim])),
        np.concatenate((np.ones(2 * len(inward)), np.zeros(int(on_rim.sum())))),
        np.concatenate((start, end, region.fan[on_rim])),
        n_fans,
    )
    return outwards, inwards, off


def _mitre(one: Floats, other: Floats) -> Floats:
    """The move that is 1 mm along both unit directions, in their plane; limited where they are nearly opposite."""
    middle = one + other
    share = np.maximum(1.0 + np.einsum("ij,ij->i", one, other), 2.0 / LONGEST**2)
    return np.asarray(middle / share[:, None])


def _scaled(region: Region, layer: Floats, factor: float) -> Floats:
    """The layer scaled about the middle of each connected piece of the region."""
    if factor == 1.0:
        return layer
    count, piece = connected_labels(np.stack((region.fan, region.next_fan), axis=1), len(layer))
    middle = sum_by(piece, layer, count) / np.bincount(piece, minlength=count)[:, None]
    return np.asarray(middle[piece] + (layer - middle[piece]) * factor)
