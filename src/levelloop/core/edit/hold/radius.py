"""Radii of turns: what the distances of support loops give, and what a wanted radius takes.

A turn of a smooth surface between loops at distances a, b from an edge, along unit directions u, v with the inner
angle θ between them, is at its tip as tight as a circle of radius |a u − b v|³ / (8ab sin θ): the curvature of a
uniform cubic B-spline at a control point (de Boor 1978). With equal distances d that is d sin³(θ/2) / sin θ.
"""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.mesh.tags import SHARPNESS_NEVER_FADES


def tip_radius(first: Floats, second: Floats) -> Floats:
    """The radius at the tip of turns between supports: (n,) mm; infinite where nothing turns.

    first, second: (n, 3) from the edge to the support on either side, square to the edge.
    """
    a, b = np.linalg.norm(first, axis=1), np.linalg.norm(second, axis=1)
    doubled_area = np.linalg.norm(np.cross(first, second), axis=1)
    apart = np.linalg.norm(first - second, axis=1)
    flat = doubled_area <= 1e-12 * a * b
    return np.asarray(np.where(flat, np.inf, apart**3 / np.where(flat, 1.0, 8.0 * doubled_area)))


def support_distance(radius: Floats | float, angle: Floats) -> Floats:
    """How far supports on both sides lie for a radius at the tip: (n,) mm. angle: (n,) the inner one, radians."""
    half = np.asarray(angle) / 2.0
    return np.asarray(2.0 * radius * np.cos(half) / np.sin(half) ** 2)


def radius_of(distance: Floats | float, angle: Floats) -> Floats:
    """The radius at the tip between supports at one distance: (n,) mm."""
    half = np.asarray(angle) / 2.0
    return np.asarray(distance * np.sin(half) ** 2 / (2.0 * np.cos(half)))


def creased_radius(free: Floats, weight: Floats | float) -> Floats:
    """The radius at the tip of a straight fold with a crease weight, from that without one: (n,) mm, 0 from 10 on.

    Each whole level of sharpness halves the distance of the supports; in between the radius blends as the rule does.
    """
    given = np.asarray(weight, dtype=np.float64)
    whole = np.floor(given)
    result = free / (2.0**whole * (1.0 + given - whole))
    return np.asarray(np.where(given >= SHARPNESS_NEVER_FADES, 0.0, result))


def crease_weight(free: Floats, radius: Floats | float) -> Floats:
    """The crease weight that makes a straight fold as tight as a radius: (n,); radius at most the free one."""
    ratio = np.maximum(np.asarray(free) / radius, 1.0)
    whole = np.floor(np.log2(ratio))
    return np.asarray(np.minimum(whole + ratio / 2.0**whole - 1.0, SHARPNESS_NEVER_FADES))
