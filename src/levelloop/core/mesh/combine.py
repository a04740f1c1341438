"""Meshes put into one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import AnyArray, Floats, Integers, distinct
from levelloop.core.mesh.mesh import Mesh, NamedSet, UVSet
from levelloop.core.mesh.selection import KINDS, Kind
from levelloop.core.mesh.tags import MATERIAL, TAGS, Tag
from levelloop.core.mesh.topology import Topology


def combined(meshes: Sequence[Mesh]) -> Mesh:
    """One mesh of all, elements one mesh after the other, tags kept; nothing is welded."""
    names = tuple(dict.fromkeys(name for mesh in meshes for name in mesh.materials))
    topology = Topology.side_by_side([mesh.topology for mesh in meshes])
    first_point = np.cumsum([0, *[mesh.n_points for mesh in meshes]])
    pairs = np.concatenate([mesh.topology.edges + point for mesh, point in zip(meshes, first_point, strict=False)])
    # Edges are sorted by their points, so mostly they stay as they were, one mesh after the other.
    as_they_were = np.array_equal(pairs, topology.edges)
    new_edge = np.arange(len(pairs)) if as_they_were else topology.find_edges(pairs)

    def joined(tag: Tag) -> AnyArray | None:
        if all(getattr(mesh, tag.name) is None for mesh in meshes):
            return None
        values = np.concatenate([mesh.tagged(tag) for mesh in meshes])
        # A smooth surface may have one edge twice, where a face met itself; here it is one, the sharper of both.
        return values if tag.on != "edges" or as_they_were else tag.merged(values, new_edge, topology.n_edges)

    values: dict[str, Any] = {tag.name: joined(tag) for tag in TAGS}
    values[MATERIAL.name] = np.concatenate([_renamed(mesh, names) for mesh in meshes])
    has_uv = any(mesh.uv is not None for mesh in meshes)
    return replace(
        meshes[0],
        topology=topology,
        points=np.concatenate([mesh.points for mesh in meshes]),
        materials=names,
        uv=np.concatenate([_uv_or_zero(mesh, mesh.uv) for mesh in meshes]) if has_uv else None,
        uv_sets=_uv_sets(meshes),
        sets=_sets(meshes, new_edge),
        normals=None,
        **values,
    )


# Helpers


def _renamed(mesh: Mesh, names: tuple[str, ...]) -> Integers:
    numbers = np.array([names.index(name) for name in mesh.materials] + [-1], dtype=np.int64)
    return np.asarray(numbers[mesh.material])


def _uv_or_zero(mesh: Mesh, uv: Floats | None) -> Floats:
    return np.zeros((mesh.topology.n_corners, 2)) if uv is None else uv


def _uv_sets(meshes: Sequence[Mesh]) -> tuple[UVSet, ...]:
    """The UV that is kept beside what is worked on, by its names; where a mesh has none of a name it is zero."""
    names = dict.fromkeys(kept.name for mesh in meshes for kept in mesh.uv_sets if kept.name != meshes[0].uv_name)
    known = [{kept.name: kept.uv for kept in mesh.uv_sets} for mesh in meshes]
    return tuple(
        UVSet(name, np.concatenate([_uv_or_zero(mesh, own.get(name)) for mesh, own in zip(meshes, known, strict=True)]))
        for name in names
    )


def _sets(meshes: Sequence[Mesh], new_edge: Integers) -> tuple[NamedSet, ...]:
    """The sets of all; those of one name and kind become one."""
    found: dict[tuple[str, Kind], list[Integers]] = {}
    first = {"points": 0, "edges": 0, "faces": 0}
    for mesh in meshes:
        for named in mesh.sets:
            found.setdefault((named.name, named.kind), []).append(named.indices + first[named.kind])
        for kind in KINDS:
            first[kind] += mesh.count(kind)
    sets = []
    for (name, kind), parts in found.items():
        indices = np.concatenate(parts)
        members = distinct(new_edge[indices]) if kind == "edges" else indices
        sets.append(NamedSet(name, kind, members))
    return tuple(sets)
