"""UV on a smooth surface: refined like points, on a connectivity of its own that is cut along the seams of UV.

The corners of both connectivities are the same ones, so they are refined in step. What is straight along the rims of
UV islands follows OpenUSD's faceVaryingLinearInterpolation: none, cornersOnly, cornersPlus1, cornersPlus2, boundaries,
all (OpenUSD, UsdGeomMesh; checked against the C++ reference library in the tests).
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, unique_rows
from levelloop.core.mesh.mesh import Mesh, UVRule
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.child import ChildTopology
from levelloop.core.surface.refine import Sharp, refine, sharp_of


def refined_uv(mesh: Mesh, uv: Floats, level: int) -> Floats:
    """The UV of the surface's corners at a level: (k', 2), in the order of the surface's corners.

    uv: (k, 2) of the mesh's corners. Corners of one point with the same UV are one place of UV.
    """
    topology, values = uv_topology(mesh, uv)
    if mesh.scheme.uv == "all":
        return _linear(topology, values, level)
    sharp = _sharp(mesh, topology)
    for _ in range(level):
        step = refine(topology, sharp, mesh.scheme.triangles == "smooth", creases=mesh.scheme.creases)
        values, topology, sharp = step.points(values), step.child, step.sharp
        if mesh.scheme.uv == "boundaries":
            sharp = _with_corners(sharp, topology.open_points)
    return np.asarray(values[topology.corners])


def uv_topology(mesh: Mesh, uv: Floats) -> tuple[Topology, Floats]:
    """The mesh's faces on places of UV (k, 2) instead of points, and the UV of those places: (v, 2)."""
    faces = mesh.topology.faces_only
    keys = np.concatenate((faces.corners[:, None].astype(np.float64), uv), axis=1)
    unique, corners = unique_rows(keys)
    topology = Topology.derived(faces.face_offsets, corners, len(unique))
    return topology, np.ascontiguousarray(unique[:, 1:])


# Helpers


def _sharp(mesh: Mesh, topology: Topology) -> Sharp:
    """What is sharp in UV: the mesh's own creases and corners, the rims of islands, and corners by the rule."""
    faces = mesh.topology.faces_only
    rule = mesh.scheme.uv
    creases = np.zeros(topology.n_edges)
    creases[topology.corner_edge] = mesh.creases[~mesh.topology.wire_edges][faces.corner_edge]
    point = np.zeros(topology.n_points, dtype=np.int64)
    point[topology.corners] = faces.corners
    sharp = sharp_of(topology, creases, mesh.corner_sharpness[point], "edgeOnly")
    if rule in ("cornersPlus1", "cornersPlus2"):
        sharp = _shared(sharp, topology, point, faces.n_points)
    corners = _corners(faces, topology, point, rule)
    if mesh.scheme.boundary == "edgeAndCorner":
        # Where UV matches the surface it follows the surface's own rule.
        matches = ~_is_cut(faces, topology)[point]
        corners = corners | (matches & (topology.point_face_count == 1))
    return _with_corners(sharp, corners)


def _shared(sharp: Sharp, topology: Topology, point: Integers, n_points: int) -> Sharp:
    """Where two places of UV meet in a point and one of them is sharp, the other one is as sharp."""
    own = np.zeros(topology.n_points)
    own[sharp.points] = sharp.point_sharpness
    inner = ~topology.open_edges[sharp.edges]
    ends, values = topology.edges[sharp.edges[inner]].ravel(), np.repeat(sharp.edge_sharpness[inner], 2)
    ends, values = np.concatenate((ends, sharp.points)), np.concatenate((values, sharp.point_sharpness))
    # How long a place stays a corner: as its sharpest edges do; of those that end together the mean counts.
    last = np.zeros(topology.n_points)
    np.maximum.at(last, ends, np.ceil(values))
    at_last = np.ceil(values) == last[ends]
    total = np.bincount(ends[at_last], values[at_last], topology.n_points)
    lasting = total / np.maximum(np.bincount(ends[at_last], minlength=topology.n_points), 1)
    pairs = np.bincount(point, minlength=n_points)[point] == 2
    here = np.flatnonzero(pairs & topology.open_points)
    sum_of_both = np.bincount(point[here], here.astype(np.float64), n_points).astype(np.int64)
    other = sum_of_both[point[here]] - here
    follows = (lasting[here] == 0) | np.isinf(lasting[other])
    own[here[follows]] = np.maximum(own[here[follows]], lasting[other[follows]])
    points = np.flatnonzero(own > 0)
    return Sharp(sharp.edges, sharp.edge_sharpness, points, own[points])


def _is_cut(faces: Topology, topology: Topology) -> Booleans:
    """Points where UV has an open edge that the surface does not have: (n,)."""
    cut = topology.open_edges[topology.corner_edge] & ~faces.open_edges[faces.corner_edge]
    result = np.zeros(faces.n_points, dtype=np.bool_)
    result[faces.corners[cut]] = True
    result[faces.corner_end[cut]] = True
    return result


def _corners(faces: Topology, topology: Topology, point: Integers, rule: UVRule) -> Booleans:
    """Places of UV that stay where they are: (v,)."""
    at_rim = topology.open_points
    if rule == "boundaries":
        return np.asarray(at_rim)
    if rule == "none":
        return np.zeros(topology.n_points, dtype=np.bool_)
    corner = at_rim & (topology.point_face_count == 1)
    if rule == "cornersOnly":
        return np.asarray(corner)
    together = np.bincount(point, minlength=faces.n_points)
    corner |= at_rim & (together[point] >= 3)
    if rule == "cornersPlus2":
        # Darts, and both sides where one is a corner.
        corner |= at_rim & (together[point] == 1) & ~faces.open_points[point]
        has_corner = np.zeros(faces.n_points, dtype=np.bool_)
        has_corner[point[corner]] = True
        corner |= at_rim & (together[point] == 2) & has_corner[point]
    return np.asarray(corner)


def _with_corners(sharp: Sharp, corners: Booleans) -> Sharp:
    """The same with further points that never fade."""
    others = ~corners[sharp.points]
    more = np.flatnonzero(corners)
    points = np.concatenate((sharp.points[others], more))
    sharpness = np.concatenate((sharp.point_sharpness[others], np.full(len(more), np.inf)))
    return Sharp(sharp.edges, sharp.edge_sharpness, points, sharpness)


def _linear(topology: Topology, values: Floats, level: int) -> Floats:
    """Every point stays; edges and faces get the mean of their corners."""
    for _ in range(level):
        sums = np.add.reduceat(values[topology.corners], topology.face_offsets[:-1], axis=0)
        middles = sums / topology.face_sizes[:, None]
        values = np.concatenate((values, values[topology.edges].mean(axis=1), middles))
        topology = ChildTopology(topology)
    return np.asarray(values[topology.corners])
