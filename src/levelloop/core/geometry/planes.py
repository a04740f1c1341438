"""Directions, axes and planes as people type them: "x", "-z", (0, 0, 1), (point, normal)."""

from __future__ import annotations

from typing import Any

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.errors import EditError

_AXES = {"x": 0, "y": 1, "z": 2}


def as_vector(value: Any) -> Floats:
    """Three finite numbers. Raises EditError otherwise: (3,)."""
    try:
        vector = np.array(value, dtype=np.float64)
    except (TypeError, ValueError) as error:
        raise EditError(f"{value!r} is not three numbers.") from error
    if vector.shape != (3,) or not np.isfinite(vector).all():
        raise EditError(f"{value!r} is not three numbers.")
    return vector


def as_direction(value: Any) -> Floats:
    """A unit vector from "x", "-y", … or three numbers. Raises EditError for a zero vector: (3,).

    >>> as_direction("-z").tolist()
    [-0.0, -0.0, -1.0]
    """
    if isinstance(value, str):
        axis = _AXES.get(value.strip().lstrip("+-").lower())
        if axis is None:
            raise EditError(f'"{value}" is no axis; write x, y or z.')
        direction = np.zeros(3)
        direction[axis] = 1.0
        return -direction if value.strip().startswith("-") else direction
    vector = as_vector(value)
    length = np.linalg.norm(vector)
    if length == 0:
        raise EditError("A direction needs a length other than zero.")
    return np.asarray(vector / length)


def as_plane(value: Any) -> tuple[Floats, Floats]:
    """A point of the plane and its unit normal, from "x" | "y" | "z" or (point, normal).

    Raises EditError for anything else.
    """
    if isinstance(value, str):
        return np.zeros(3), as_direction(value)
    try:
        point, normal = value
    except (TypeError, ValueError) as error:
        raise EditError("A plane is x, y, z or a point with a normal.") from error
    return as_vector(point), as_direction(normal)


def axis_turn(axis: Any, turn: float = 0.0) -> Floats:
    """The rotation that takes +z to the axis, after turning by degrees about it: (3, 3).

    For "x" the first point stays as near +x as the axis allows: the frame is (y, z, x) for x, (z, x, y) for y.
    """
    direction = as_direction(axis)
    if isinstance(axis, str) and not axis.strip().startswith("-"):
        index = _AXES[axis.strip().lstrip("+").lower()]
        frame = np.eye(3)[:, [(index + 1) % 3, (index + 2) % 3, index]]
    else:
        helper = np.array([1.0, 0.0, 0.0]) if abs(direction[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
        first = helper - direction * (helper @ direction)
        first /= np.linalg.norm(first)
        frame = np.stack((first, np.cross(direction, first), direction), axis=1)
    cosine, sine = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    spin = np.array([[cosine, -sine, 0.0], [sine, cosine, 0.0], [0.0, 0.0, 1.0]])
    return np.asarray(frame @ spin)
