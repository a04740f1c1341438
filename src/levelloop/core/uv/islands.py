"""Islands: what of a mesh lies together in UV, cut along seams; each a surface on places of UV instead of points."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, distinct, inverse_of, mask_of
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Selection, faces_of, points_of
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Island:
    """Connected faces with no seam between them.

    faces: (f,) of the mesh; topology: these faces on places of UV; point: (v,) the mesh's point at each place; corners:
    (k,) the mesh's corners, in the order of the topology's.
    """

    faces: Integers
    topology: Topology
    point: Integers
    corners: Integers

    @property
    def is_disc(self) -> bool:
        """Whether it can be laid flat: one piece with one rim."""
        return self.topology.euler_number() == 1 and bool(self.topology.open_edges.any())


def islands_of(mesh: Mesh, faces: Integers, cut: Booleans) -> list[Island]:
    """The islands of some faces, in the order of their first faces; cut: (e,) edges that part them."""
    topology = mesh.topology
    chosen = np.zeros(topology.n_faces, dtype=np.bool_)
    chosen[faces] = True
    joined = _joined_edges(topology, chosen, cut)
    number = inverse_of(faces, topology.n_faces)
    count, label = connected_labels(number[topology.edge_faces[joined]], len(faces))
    place = _places(topology, joined)
    order = np.argsort(label, kind="stable")
    sizes = np.bincount(label, minlength=count)
    ends = np.cumsum(sizes)
    result = []
    for end, size in zip(ends.tolist(), sizes.tolist(), strict=True):
        own = np.sort(faces[order[end - size : end]])
        corners = topology.corners_of_faces(own)
        kept, first, numbered = np.unique(place[corners], return_index=True, return_inverse=True)
        offsets = np.concatenate(([0], np.cumsum(topology.face_sizes[own])))
        flat = Topology.derived(offsets, numbered.astype(np.int64), len(kept))
        result.append(Island(own, flat, topology.corners[corners[first]], corners))
    return result


def uv_islands(mesh: Mesh, faces: Integers) -> list[Island]:
    """The islands that the UV of some faces has: cut where the two sides of an edge differ."""
    return islands_of(mesh, faces, uv_cuts(mesh))


def uv_cuts(mesh: Mesh) -> Booleans:
    """The edges (e,) at whose two sides UV differs."""
    topology = mesh.topology
    cut = np.zeros(topology.n_edges, dtype=np.bool_)
    if mesh.uv is None:
        return cut
    corner = np.flatnonzero(topology.twin >= 0)
    other = topology.twin[corner]
    start, end = mesh.uv[corner], mesh.uv[topology.next_corner[corner]]
    there_end, there_start = mesh.uv[other], mesh.uv[topology.next_corner[other]]
    differs = (start != there_start).any(axis=1) | (end != there_end).any(axis=1)
    cut[topology.corner_edge[corner[differs]]] = True
    return cut


def island_uv(mesh: Mesh, island: Island) -> Floats:
    """The UV of an island's places: (v, 2)."""
    assert mesh.uv is not None
    result = np.zeros((island.topology.n_points, 2))
    result[island.topology.corners] = mesh.uv[island.corners]
    return result


def places_between(topology: Topology, cut: Booleans) -> Integers:
    """A number for each corner: corners of one point that hang together over edges which are not cut have the same."""
    every = np.ones(topology.n_faces, dtype=np.bool_)
    return _places(topology, _joined_edges(topology, every, cut))


# Helpers


def _joined_edges(topology: Topology, chosen: Booleans, cut: Booleans) -> Integers:
    """Inner edges that lie between two chosen faces which agree, and are not cut."""
    inner = topology.edge_face_count == 2
    faces = topology.edge_faces
    both = inner & chosen[faces[:, 0]] & chosen[np.maximum(faces[:, 1], 0)]
    agrees = np.zeros(topology.n_edges, dtype=np.bool_)
    agrees[topology.corner_edge[topology.twin >= 0]] = True
    return np.flatnonzero(both & agrees & ~cut)


def _places(topology: Topology, joined: Integers) -> Integers:
    """A number for each corner: corners of one point that are joined over edges have the same."""
    mask = np.zeros(topology.n_edges, dtype=np.bool_)
    mask[joined] = True
    corner = np.flatnonzero((topology.twin >= 0) & mask[topology.corner_edge])
    other = topology.twin[corner]
    pairs = np.stack((corner, topology.next_corner[other]), axis=1)
    _, label = connected_labels(pairs, topology.n_corners)
    return label


def faces_or_all(mesh: Mesh, selection: Selection) -> Integers:
    """The selected faces, or all where none are, each once: (f,)."""
    faces = faces_of(mesh.topology, selection) if len(selection) else np.arange(mesh.n_faces)
    return distinct(faces) if len(faces) else np.arange(mesh.n_faces)


def faces_meant(mesh: Mesh, selection: Selection, cut: Booleans) -> Integers:
    """The selected faces; of points and edges, as seams are, those of the islands beside them; all where none: (f,).

    cut: (e,) edges that part islands.
    """
    if selection.kind == "faces" or len(selection) == 0:
        return faces_or_all(mesh, selection)
    touched = mask_of(mesh.topology.faces_of_points(points_of(mesh.topology, selection)), mesh.n_faces)
    if selection.kind == "edges":
        beside = mesh.topology.edge_faces[selection.indices]
        touched = mask_of(beside[beside >= 0], mesh.n_faces)
    islands = islands_of(mesh, np.arange(mesh.n_faces), cut) if touched.any() else []
    found = [island.faces for island in islands if touched[island.faces].any()]
    return np.sort(np.concatenate(found)) if found else np.arange(mesh.n_faces)
