"""Surfaces given a thickness: a copy on either side, and a rim where they end."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers, mask_of, sum_by
from levelloop.core.edit.build.extrude import Region, region_of
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import path_of
from levelloop.core.geometry.offset import even_offsets, meet_planes, told_off
from levelloop.core.geometry.planes import as_vector
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import face_normals, face_vectors, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, without_members
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology


def thicken(
    mesh: Mesh,
    selection: Selection,
    inward: float = 0.0,
    outward: float = 1.0,
    even_wall: bool = True,
    rim_steps: int = 1,
    profile: Any = None,
    reversed: bool = False,
) -> Edit:
    """Gives the selected faces, or all, a wall: a layer outward and one inward, joined by a rim where they are open.

    inward, outward: mm from where the faces are; even_wall: the wall is as thick at corners too, exactly where the
    faces around them meet at such a distance (else it says by how much not), else points go along their mean
    normal. rim_steps: rows of the rim; profile: a curve that the rim follows, from the outer side to the inner one.
    reversed: inward and outward change sides. A selected region stands by itself afterwards. Selected after: the
    rim's faces. Raises EditError without faces, or for a wall of no thickness.
    """
    if len(selection) and selection.kind != "faces":
        raise EditError("To thicken, select faces, or nothing for all.")
    faces = np.sort(selection.indices) if len(selection) else np.arange(mesh.n_faces)
    if len(faces) == 0:
        raise EditError("There are no faces to thicken.")
    if reversed:
        inward, outward = outward, inward
    if inward + outward <= 0:
        raise EditError("A wall needs a thickness: inward and outward together must be above 0 mm.")
    topology = mesh.topology
    region = region_of(topology, faces, False)
    normals = face_normals(topology, mesh.points)[topology.corner_face[region.corners]]
    n_fans = len(region.fan_point)
    away, off = even_offsets(normals, region.fan, n_fans)
    if not even_wall:
        vectors = face_vectors(topology, mesh.points)[topology.corner_face[region.corners]]
        away, off = unit(sum_by(region.fan, vectors, n_fans)), np.zeros(n_fans)
    base = mesh.points[region.fan_point]
    outer, inner = base + outward * away, base - inward * away

    # The outer layer keeps the points that are the region's alone; all else is new.
    own = np.bincount(region.fan, minlength=n_fans) == topology.point_face_count[region.fan_point]
    own &= np.bincount(region.fan_point, minlength=mesh.n_points)[region.fan_point] == 1
    outer_number = region.fan_point.copy()
    fresh = np.flatnonzero(~own)
    builder = MeshBuilder(mesh)
    outer_number[fresh] = builder.points(outer[fresh], origin=region.fan_point[fresh])
    inner_number = builder.points(inner, origin=region.fan_point)
    on_rim = np.flatnonzero(_on_rim(region, n_fans))
    rows = _rim_rows(mesh, region, outer, inner, on_rim, rim_steps, profile)
    numbers = [outer_number]
    for row in rows:
        number = outer_number.copy()
        number[on_rim] = builder.points(row)
        numbers.append(number)
    numbers.append(inner_number)
    moved = mesh.points.copy()
    moved[region.fan_point[own]] = outer[own]
    builder.move(moved)

    sizes = topology.face_sizes[faces]
    builder.replace(sizes, outer_number[region.fan], faces)
    backwards, turned = _backwards(sizes, region.fan)
    builder.outlines(sizes, inner_number[backwards], faces)
    start, end = region.fan[region.rim], region.next_fan[region.rim]
    rim = [np.stack((low[start], high[start], high[end], low[end]), axis=1) for low, high in pairwise(numbers)]
    rim_face = topology.corner_face[region.corners[region.rim]]
    quads = np.concatenate(rim)
    builder.faces(quads, np.tile(rim_face, len(rim)))
    new_mesh, origin = builder.build(drop_unused=True)
    new_mesh = _sets_on_outer(new_mesh, mesh.n_faces, builder.numbers[inner_number])
    rim_faces = np.arange(new_mesh.n_faces - len(quads), new_mesh.n_faces)
    told = f"{_folded(mesh, faces, region, outer, inner, turned)} {told_off(off, inward + outward)}".strip()
    return Edit(new_mesh, Selection("faces", rim_faces), origin, told)


# Helpers


def _sets_on_outer(mesh: Mesh, n_old: int, inner: Integers) -> Mesh:
    """The wall with its named sets on the outer side alone, whose faces stand in place of the old ones."""
    is_inner = mask_of(inner, mesh.n_points)
    inner_edges = np.asarray(is_inner[mesh.topology.edges].all(axis=1))
    return without_members(mesh, {"points": is_inner, "edges": inner_edges, "faces": np.arange(mesh.n_faces) >= n_old})


def _on_rim(region: Region, n_fans: int) -> Any:
    return mask_of(np.concatenate((region.fan[region.rim], region.next_fan[region.rim])), n_fans)


def _backwards(sizes: Integers, fan: Integers) -> tuple[Integers, Integers]:
    """The fans of each face the other way around, from the same first one; and which corner each is."""
    ends = np.cumsum(sizes)
    start = np.repeat(ends - sizes, sizes)
    step = np.arange(len(fan)) - start
    order = start + (-step) % np.repeat(sizes, sizes)
    return fan[order], order


def _rim_rows(
    mesh: Mesh, region: Region, outer: Floats, inner: Floats, on_rim: Integers, steps: int, profile: Any
) -> list[Floats]:
    """Where the rows between the outer and the inner side of the rim go, each (r, 3)."""
    if len(on_rim) == 0:
        return []
    across = np.linspace(0.0, 1.0, steps + 1)[1:-1]
    out = np.zeros(len(across))
    if profile is not None:
        path = path_of(profile)
        count = max(steps, path.spans)
        on = path.at(path.places(count, even=steps > path.spans))
        way = on[-1] - on[0]
        length = float(np.linalg.norm(way))
        if length <= 0:
            raise EditError("The profile must lead from one place to another; its ends lie on each other.")
        local = (on - on[0])[1:-1]
        across = local @ way / length**2
        # The side to which the profile bulges most counts as away from the rim.
        beside = local - np.outer(across, way)
        side = beside[int(np.argmax(np.linalg.norm(beside, axis=1)))] if len(beside) else as_vector((0, 0, 0))
        out = beside @ unit(side) / length if np.any(side) else np.zeros(len(across))
    beyond = _beyond(mesh, region, len(outer))[on_rim] if np.any(out) else np.zeros((len(on_rim), 3))
    thick = np.linalg.norm(inner[on_rim] - outer[on_rim], axis=1)[:, None]
    return [
        outer[on_rim] + share * (inner[on_rim] - outer[on_rim]) + bulge * thick * beyond
        for share, bulge in zip(across.tolist(), out.tolist(), strict=True)
    ]


def _beyond(mesh: Mesh, region: Region, n_fans: int) -> Floats:
    """How each fan on the rim moves for 1 mm away from the region, square to its edges: (f, 3)."""
    topology, points = mesh.topology, mesh.points
    corner = region.corners[region.rim]
    normals = face_normals(topology, points)[topology.corner_face[corner]]
    edge = points[topology.corner_end[corner]] - points[topology.corners[corner]]
    outward = unit(np.cross(edge, normals))
    start, end = region.fan[region.rim], region.next_fan[region.rim]
    both, label = np.concatenate((outward, outward)), np.concatenate((start, end))
    return meet_planes(both, np.ones(len(both)), label, n_fans)


def _folded(mesh: Mesh, faces: Integers, region: Region, outer: Floats, inner: Floats, turned: Integers) -> str:
    """How many faces of either layer look the other way than before, in a sentence; nothing where none do."""
    sizes = mesh.topology.face_sizes[faces]
    offsets = np.concatenate(([0], np.cumsum(sizes)))
    before = face_vectors(mesh.topology, mesh.points)[faces]
    folded = 0
    for layer in (outer, inner):
        flat = Topology.derived(offsets, region.fan, len(layer))
        folded += int((np.einsum("ij,ij->i", face_vectors(flat, layer), before) <= 0).sum())
    if not folded:
        return ""
    return f"{folded} {'face folds' if folded == 1 else 'faces fold'} under themselves; a thinner wall would not."
