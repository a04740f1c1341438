"""Starting forms that are round: cone, tube, torus, sphere with poles, geodesic sphere; and how round they smooth."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, unique_rows
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import Caps, circle_points, merged_tip, ring_walls, with_both_caps, with_cap
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology


def cone(
    bottom: float = 20.0, top: float = 0.0, height: float = 20.0, sides: int = 16, cells: int = 1, caps: Caps = "face"
) -> Mesh:
    """A cone along z. bottom, top: diameters of the circles its points lie on, mm; 0 makes a tip of triangles.

    Raises EditError for a height, or both diameters, not above 0.
    """
    if min(bottom, top) < 0 or max(bottom, top) <= 0 or height <= 0:
        raise EditError("A cone needs a height and at least one diameter above 0 mm.")
    shares = np.linspace(0.0, 1.0, cells + 1)
    rings = [
        circle_points(bottom + (top - bottom) * share, sides) + np.array([0.0, 0.0, (share - 0.5) * height])
        for share in shares.tolist()
    ]
    mesh = ring_walls(np.stack(rings))
    around = np.arange(sides)
    if top > 0 and bottom > 0:
        mesh = with_both_caps(mesh, around, around + cells * sides, caps)
    elif top > 0:
        mesh = with_cap(mesh, around + cells * sides, caps)
    else:
        mesh = with_cap(mesh, around[::-1], caps)
    for size, first in ((top, cells * sides), (bottom, 0)):
        if size == 0:
            mesh = merged_tip(mesh, first + around)
    return mesh


def tube(outer: float = 20.0, inner: float = 14.0, height: float = 20.0, sides: int = 16, cells: int = 1) -> Mesh:
    """A pipe along z with walls inside and outside. outer, inner: diameters of the circles its points lie on, mm.

    Raises EditError for a height that is not above 0, or an inner diameter that is not below the outer one.
    """
    if not 0 < inner < outer or height <= 0:
        raise EditError("A tube needs a height above 0 mm, and an inner diameter between 0 and the outer one.")
    up = np.linspace(-height / 2, height / 2, cells + 1)
    profile = np.concatenate(
        (np.stack((np.full(cells + 1, outer), up), 1), np.stack((np.full(cells + 1, inner), up[::-1]), 1))
    )
    rings = [circle_points(size, sides) + np.array([0.0, 0.0, z]) for size, z in profile.tolist()]
    return ring_walls(np.stack(rings), closed=True)


def torus(diameter: float = 20.0, thickness: float = 6.0, sides: int = 16, around: int = 8) -> Mesh:
    """A ring. diameter: of its centre line; thickness: of the pipe; sides: along the ring; around: about the pipe.

    Raises EditError for sizes that are not above 0, or a thickness that is not below the diameter.
    """
    if min(thickness, diameter) <= 0:
        raise EditError("A torus needs a diameter and a thickness above 0 mm.")
    if thickness >= diameter:
        raise EditError("The torus crosses itself: its thickness must be below its diameter.")
    angle = 2.0 * np.pi * np.arange(around) / around
    rings = [
        circle_points(diameter + thickness * np.cos(a), sides) + np.array([0.0, 0.0, 0.5 * thickness * np.sin(a)])
        for a in angle.tolist()
    ]
    return ring_walls(np.stack(rings), closed=True)


def sphere(diameter: float = 20.0, sides: int = 16, rows: int = 8) -> Mesh:
    """A sphere with poles, every point on it. rows: bands of faces from pole to pole, caps of triangles included.

    Raises EditError for a diameter that is not above 0, or fewer than 2 rows.
    """
    if diameter <= 0:
        raise EditError("A sphere needs a diameter above 0 mm.")
    if rows < 2:
        raise EditError("A sphere needs at least 2 rows.")
    angle = -0.5 * np.pi + np.pi * np.arange(1, rows) / rows
    rings = [
        circle_points(diameter * np.cos(a), sides) + np.array([0.0, 0.0, 0.5 * diameter * np.sin(a)])
        for a in angle.tolist()
    ]
    mesh = ring_walls(np.stack(rings))
    around = np.arange(sides)
    mesh = with_cap(mesh, around + (rows - 2) * sides, "triangles")
    mesh = with_cap(mesh, around[::-1], "triangles")
    points = mesh.points.copy()
    points[-2:] = ((0.0, 0.0, 0.5 * diameter), (0.0, 0.0, -0.5 * diameter))
    return mesh.with_points(points)


def geodesic(diameter: float = 20.0, splits: int = 3) -> Mesh:
    """A sphere of triangles from an icosahedron, every point on it. splits: how often each triangle is quartered.

    Raises EditError for a diameter that is not above 0.
    """
    if diameter <= 0:
        raise EditError("A sphere needs a diameter above 0 mm.")
    # Two poles and two rings of five, at the height where all edges are alike.
    height, radius = 1.0 / np.sqrt(5.0), 2.0 / np.sqrt(5.0)
    turn = 0.4 * np.pi * np.arange(5)
    upper = np.stack((radius * np.cos(turn), radius * np.sin(turn), np.full(5, height)), axis=1)
    lower = np.stack((radius * np.cos(turn + 0.2 * np.pi), radius * np.sin(turn + 0.2 * np.pi), np.full(5, -height)), 1)
    points = np.concatenate((upper, lower, ((0.0, 0.0, 1.0), (0.0, 0.0, -1.0))))
    here, beside = np.arange(5), (np.arange(5) + 1) % 5
    faces = np.concatenate(
        (
            np.stack((here, beside, np.full(5, 10)), axis=1),
            np.stack((here, here + 5, beside), axis=1),
            np.stack((here + 5, beside + 5, beside), axis=1),
            np.stack((beside + 5, here + 5, np.full(5, 11)), axis=1),
        )
    )
    for _ in range(splits):
        points, faces = _quartered(points, faces)
        points = points / np.linalg.norm(points, axis=1, keepdims=True)
    return Mesh(Topology(3 * np.arange(len(faces) + 1), faces.ravel(), len(points)), 0.5 * diameter * points)


def smooth_ring(sides: int) -> tuple[float, float]:
    """The radius that a ring of cage points at radius 1 smooths to, at its points and between them.

    Uniform cubic B-splines: (2 + cos 2π/n) / 3 and (46 cos π/n + 2 cos 3π/n) / 48.
    """
    turn = np.pi / sides
    return (2.0 + float(np.cos(2 * turn))) / 3.0, (46.0 * float(np.cos(turn)) + 2.0 * float(np.cos(3 * turn))) / 48.0


def roundness_advice(sides: int) -> str:
    """What a ring of so many sides smooths to, in a sentence."""
    at_points, between = smooth_ring(sides)
    mean = 0.5 * (at_points + between)
    off = 100.0 * abs(at_points - between) / mean
    shown = f"{off:.2g}" if off >= 0.01 else "less than 0.01"
    return f"Smoothed, {sides} sides come to {mean:.4f} of the diameter, {shown} % out of round."


def sides_for(out_of_round: float) -> int:
    """The fewest even sides that smooth to a ring no more out of round than a share, such as 0.001."""
    for sides in range(4, 513, 2):
        at_points, between = smooth_ring(sides)
        if abs(at_points - between) <= out_of_round * 0.5 * (at_points + between):
            return sides
    return 512


# Helpers


def _quartered(points: Floats, faces: Integers) -> tuple[Floats, Integers]:
    """Each triangle in four, by the middles of its edges."""
    pairs = np.sort(np.stack((faces, np.roll(faces, -1, axis=1)), axis=2).reshape(-1, 2), axis=1)
    edges, number = unique_rows(pairs)
    middle = (len(points) + number).reshape(-1, 3)
    a, b, c = faces.T
    ab, bc, ca = middle.T
    parts = ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))
    new = np.stack([np.stack(part, axis=1) for part in parts], axis=1).reshape(-1, 3)
    return np.concatenate((points, points[edges].mean(axis=1))), new
