"""What lies between two picks, and what one pick is like: distances, angles, sizes."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.mesh.faces import edge_lengths, face_areas, face_centres, face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Selection, points_of
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Between:
    """From one pick to another: both places, distance and parts along the axes in mm, angle in degrees or None."""

    start: Floats
    end: Floats
    distance: float
    parts: Floats
    angle: float | None


def measure_between(mesh: Mesh, selection: Selection) -> Between | None:
    """What lies between the last two selected elements; None where fewer are selected.

    Distance of points, of the middles of edges and faces; angle between two edges, 0 … 90°, or two faces, 0 … 180°.
    """
    if len(selection) < 2:
        return None
    one, two = selection.indices[-2:].tolist()
    if selection.kind == "points":
        start, end, angle = mesh.points[one], mesh.points[two], None
    elif selection.kind == "edges":
        ends = mesh.points[mesh.topology.edges[[one, two]]]
        start, end = ends.mean(axis=1)
        along = ends[:, 1] - ends[:, 0]
        turn = _angle(along[0], along[1])
        angle = None if turn is None else min(turn, 180.0 - turn)
    else:
        start, end = face_centres(mesh.topology, mesh.points)[[one, two]]
        angle = _angle(*face_normals(mesh.topology, mesh.points, np.array([one, two])))
    return Between(start, end, float(np.linalg.norm(end - start)), np.asarray(end - start), angle)


@dataclass(frozen=True)
class FaceCard:
    """One face: its sides, area in mm², and longest over shortest side."""

    sides: int
    area: float
    proportion: float


def face_card(mesh: Mesh, face: int) -> FaceCard:
    """What a face is like."""
    topology = mesh.topology
    corners = np.arange(topology.face_offsets[face], topology.face_offsets[face + 1])
    lengths = edge_lengths(topology, mesh.points)[topology.corner_edge[corners]]
    shortest = float(lengths.min())
    proportion = float(lengths.max()) / shortest if shortest > 0 else float("inf")
    return FaceCard(len(corners), float(face_areas(topology, mesh.points)[face]), proportion)


def selection_size(mesh: Mesh, selection: Selection) -> Floats:
    """The box around the selected elements along x, y and z: (3,) mm."""
    points = mesh.points[points_of(mesh.topology, selection)]
    return np.ptp(points, axis=0) if len(points) else np.zeros(3)


# Helpers


def _angle(one: Floats, two: Floats) -> float | None:
    cross, dot = float(np.linalg.norm(np.cross(one, two))), float(one @ two)
    return None if cross == 0 and dot == 0 else float(np.degrees(np.arctan2(cross, dot)))
