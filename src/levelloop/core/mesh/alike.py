"""What of a mesh is as it was in a former one: the same elements, with the same surroundings.

It is told from the meshes alone, whatever was done to one to make the other.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, mask_of
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Origin
from levelloop.core.mesh.tags import TAGS
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass

Element = Literal["points", "edges", "faces", "corners"]


@dataclass(frozen=True, eq=False)
class Counterparts(Origin):
    """For each element of a mesh, its corners too, (k,), the one of another that it is, −1 for none."""

    corners: Integers

    def of(self, kind: Element) -> Integers:
        """The counterparts of one kind of element: (n,)."""
        return self.corners if kind == "corners" else super().of(kind)


def unchanged(mesh: Mesh, former: Mesh, rings: int) -> Counterparts:
    """The elements of a mesh around which a former one was the same, so many rings of faces wide.

    The same are points in the same place, and faces and edges between such, with the same tags. An element has a
    counterpart where none of its points can be reached in that many steps, each across a face, from one that is not
    the same or touches something else than it did.
    """
    if mesh.topology is former.topology:
        topology = mesh.topology
        points, faces, corners = (np.arange(count) for count in (mesh.n_points, mesh.n_faces, topology.n_corners))
        edges = np.arange(mesh.n_edges)
        changed = (mesh.points != former.points).any(axis=1)
    else:
        points = _same_points(mesh.points, former.points)
        faces, corners = _same_faces(mesh.topology, former.topology, points)
        edges = former.topology.find_edges(points[mesh.topology.edges])
        changed = _rearranged(mesh.topology, former.topology, points, faces)
    if mesh.scheme != former.scheme:
        changed[:] = True
    found = Counterparts(points, edges, faces, corners)
    changed |= _differently_tagged(mesh, former, found)
    for _ in range(rings):
        changed = reached(mesh.topology, changed)
    return _but_for(mesh.topology, found, changed)


def reached(topology: Topology, points: Booleans) -> Booleans:
    """The points, (n,), and those that they share a face with."""
    faces = mask_of(topology.corner_face[points[topology.corners]], topology.n_faces)
    return points | mask_of(topology.corners[faces[topology.corner_face]], topology.n_points)


# Helpers


def _same_points(points: Floats, former: Floats) -> Integers:
    """The former point in each one's place, −1 where there is none, or where several are in one place: (n,)."""
    places = np.concatenate((former, points)) + 0.0  # so that −0 is 0
    order = np.lexsort(places.T)
    ordered = places[order]
    fresh = np.ones(len(places) + 1, dtype=np.bool_)
    fresh[1:-1] = (ordered[1:] != ordered[:-1]).any(axis=1)
    # A place that one former point and one point of the mesh have, and nothing else.
    start = np.flatnonzero(fresh[:-2] & ~fresh[1:-1] & fresh[2:])
    one, other = order[start], order[start + 1]
    pair = (one < len(former)) & (other >= len(former))
    result = np.full(len(points), -1, dtype=np.int64)
    result[other[pair] - len(former)] = one[pair]
    return result


def _same_faces(topology: Topology, former: Topology, points: Integers) -> tuple[Integers, Integers]:
    """The former face that runs through the same points from the same one on, and its corners: (m,), (k,)."""
    faces = np.full(topology.n_faces, -1, dtype=np.int64)
    corners = np.full(topology.n_corners, -1, dtype=np.int64)
    if topology.n_faces == 0 or former.n_faces == 0:
        return faces, corners
    first = topology.face_offsets[:-1]
    edge = former.find_edges(points[np.stack((topology.corners[first], topology.corner_end[first]), axis=1)])
    for corner in former.edge_pair[edge].T:
        there = np.where((edge >= 0) & (corner >= 0), former.corner_face[corner], -1)
        fits = np.flatnonzero(
            (there >= 0) & (former.face_offsets[there] == corner) & (former.face_sizes[there] == topology.face_sizes)
        )
        own, others = topology.corners_of_faces(fits), former.corners_of_faces(there[fits])
        differs = points[topology.corners[own]] != former.corners[others]
        alike = ~mask_of(topology.corner_face[own[differs]], topology.n_faces)
        keep = alike[topology.corner_face[own]]
        faces[fits[alike[fits]]] = there[fits[alike[fits]]]
        corners[own[keep]] = others[keep]
    return faces, corners


def _rearranged(topology: Topology, former: Topology, points: Integers, faces: Integers) -> Booleans:
    """Points that are new, of a new face, or that other faces and edges met at before: (n,)."""
    there = np.maximum(points, 0)
    if former.n_points == 0:
        return np.ones(topology.n_points, dtype=np.bool_)
    changed = (points < 0) | mask_of(topology.corners[faces[topology.corner_face] < 0], topology.n_points)
    changed |= topology.point_face_count != former.point_face_count[there]
    return np.asarray(changed | (topology.valence != former.valence[there]))


def _differently_tagged(mesh: Mesh, former: Mesh, found: Counterparts) -> Booleans:
    """Points where something has another tag than its counterpart: (n,)."""
    topology = mesh.topology
    changed = np.zeros(mesh.n_points, dtype=np.bool_)
    ends = {"points": topology.every[: mesh.n_points, None], "edges": topology.edges}
    for tag in TAGS:
        now, then = getattr(mesh, tag.name), getattr(former, tag.name)
        if now is then and (now is None or mesh.topology is former.topology):
            continue
        counterpart = found.of(tag.on)
        there = np.flatnonzero(counterpart >= 0)
        differs = there[mesh.tagged(tag)[there] != former.tagged(tag)[counterpart[there]]]
        if tag.on == "faces":
            changed[topology.corners[topology.corners_of_faces(differs)]] = True
        else:
            changed[ends[tag.on][differs]] = True
    return changed


def _but_for(topology: Topology, found: Counterparts, changed: Booleans) -> Counterparts:
    """The counterparts of what has no point among those that changed."""
    at_face = mask_of(topology.corner_face[changed[topology.corners]], topology.n_faces)
    return Counterparts(
        np.where(changed, -1, found.points),
        np.where(changed[topology.edges].any(axis=1), -1, found.edges),
        np.where(at_face, -1, found.faces),
        np.where(at_face[topology.corner_face], -1, found.corners),
    )
