"""Meshes put into one."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from levelloop.core.arrays import AnyArray, Integers, distinct
from levelloop.core.mesh.mesh import Mesh, NamedSet
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

    def joined(values: Callable[[Mesh], AnyArray]) -> AnyArray:
        return np.concatenate([values(mesh) for mesh in meshes])

    def on_edges(values: Callable[[Mesh], AnyArray]) -> AnyArray:
        old = joined(values)
        if as_they_were:
            return old
        # A smooth surface may have one edge twice, where a face met itself; here it is one, the sharper of both.
        result = np.zeros(topology.n_edges, dtype=old.dtype)
        np.maximum.at(result, new_edge, old)
        return result

    has_uv = any(mesh.uv is not None for mesh in meshes)
    return Mesh(
        topology,
        joined(lambda mesh: mesh.points),
        on_edges(lambda mesh: mesh.creases),
        joined(lambda mesh: mesh.corner_sharpness),
        joined(lambda mesh: _renamed(mesh, names)),
        names,
        meshes[0].scheme,
        on_edges(lambda mesh: mesh.seams),
        joined(lambda mesh: mesh.hole),
        joined(_uv_or_zero) if has_uv else None,
        _sets(meshes, new_edge),
        joined(lambda mesh: mesh.diagonal),
        joined(lambda mesh: mesh.hidden),
        on_edges(lambda mesh: mesh.soft_edges),
        meshes[0].curve,
        joined(_radius) if any(mesh.radius is not None for mesh in meshes) else None,
    )


# Helpers


def _renamed(mesh: Mesh, names: tuple[str, ...]) -> Integers:
    numbers = np.array([names.index(name) for name in mesh.materials] + [-1], dtype=np.int64)
    return np.asarray(numbers[mesh.material])


def _radius(mesh: Mesh) -> AnyArray:
    return np.ones(mesh.n_points) if mesh.radius is None else mesh.radius


def _uv_or_zero(mesh: Mesh) -> AnyArray:
    return np.zeros((mesh.topology.n_corners, 2)) if mesh.uv is None else mesh.uv


def _sets(meshes: Sequence[Mesh], new_edge: Integers) -> tuple[NamedSet, ...]:
    """The sets of all; those of one name and kind become one."""
    found: dict[tuple[str, str], list[Integers]] = {}
    first = {"points": 0, "edges": 0, "faces": 0}
    for mesh in meshes:
        for named in mesh.sets:
            found.setdefault((named.name, named.kind), []).append(named.indices + first[named.kind])
        for kind, count in (("points", mesh.n_points), ("edges", mesh.n_edges), ("faces", mesh.n_faces)):
            first[kind] += count
    sets = []
    for (name, kind), parts in found.items():
        indices = np.concatenate(parts)
        members = distinct(new_edge[indices]) if kind == "edges" else indices
        sets.append(NamedSet(name, kind, members))  # type: ignore[arg-type]
    return tuple(sets)
