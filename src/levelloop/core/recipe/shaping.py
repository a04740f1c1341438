"""Steps that move points and change nothing else: bend, twist, taper."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, frozen
from levelloop.core.edit.move.transform import pivot_place
from levelloop.core.errors import EditError
from levelloop.core.geometry.near import near_groups
from levelloop.core.geometry.planes import as_direction
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.tolerance import AUTOMATIC, settled

BLOCK = 8_192  # points shaped together


def bend(
    mesh: Mesh,
    angle: float,
    along: Any = "x",
    around: Any = "z",
    pivot: Any = "middle",
    limits: tuple[float, float] | None = None,
    among: Mesh | None = None,
) -> Edit:
    """Bends what lies along one direction around another; length at the pivot's height is kept.

    angle: degrees over the whole length, or over what lies between the limits: (from, to) in mm from the pivot;
    what lies beyond them goes on straight. A full turn is over the length after which one end repeats the other.
    Positive angles turn towards the right-hand rule of around. What lies at the pivot stays, wherever the limits
    are. among: what the mesh is bent together with, itself included: its length and its middle count.
    Raises EditError where it goes along what it turns around.
    """
    whole = mesh if among is None else among
    axis, start = as_direction(around), as_direction(along)
    towards = np.cross(axis, start)
    if np.linalg.norm(towards) < 1e-6:
        raise EditError("A bend along and around the same direction turns nothing; choose two.")
    towards /= np.linalg.norm(towards)
    start = np.cross(towards, axis)
    centre, frame = _centre(whole, pivot), np.stack((start, towards, axis))
    low, high = _limits(whole.points @ start - centre @ start, limits)
    total = np.radians(angle)
    if high - low <= 0 or total == 0:
        return _moved(mesh, mesh.points)
    period = _period(whole, centre, frame) if limits is None and closes(angle) else None
    radius = (high - low if period is None else period) / total
    if period is not None:
        # Ends that are not straight interlock all the same.
        low, high = low - period, high + period
    # Bent from where the bend is nearest to the pivot, so that the pivot stays where it is, and how it faces.
    anchor, placed = min(max(0.0, low), high), frame @ centre

    def bent(points: Floats) -> Floats:
        # Columns as rows of their own: what is worked out runs through memory that follows on.
        local = frame @ points.T - placed[:, None]
        reach, height = local[0], local[1]
        held = np.clip(reach, low, high)
        turned = (held - anchor) / radius
        sine, cosine = np.sin(turned), np.cos(turned)
        beyond, out = reach - held, radius - height
        local[0] = anchor + out * sine + beyond * cosine
        local[1] = radius - out * cosine + beyond * sine
        return np.asarray((frame.T @ local).T + centre)

    return _moved(mesh, _in_blocks(bent, mesh.points))


def closes(angle: float) -> bool:
    """Whether a bend by so many degrees comes back to where it began."""
    return abs(abs(angle) - 360.0) < 1e-9


def ring_step(mesh: Mesh, along: Any = "x", around: Any = "z") -> Floats:
    """The shift (4, 4) by which what is bent to a full turn follows on itself: its length along the bend."""
    axis, start = as_direction(around), as_direction(along)
    start = start - axis * (start @ axis)
    start /= max(float(np.linalg.norm(start)), 1e-300)
    result = np.eye(4)
    result[3, :3] = start * float(np.ptp(mesh.points @ start)) if mesh.n_points else 0.0
    return result


def twist(mesh: Mesh, angle: float, axis: Any = "z", pivot: Any = "middle", among: Mesh | None = None) -> Edit:
    """Turns what lies along an axis about it: not at all at its low end, by the angle, in degrees, at its high end.

    among: what the mesh is turned together with, itself included: its ends and its middle count.
    """
    direction, centre, share = _along(mesh if among is None else among, axis, pivot)

    def twisted(points: Floats) -> Floats:
        turned = np.radians(angle) * share(points @ direction)
        local = points - centre
        along = (local @ direction)[:, None] * direction
        across = local - along
        sine, cosine = np.sin(turned)[:, None], np.cos(turned)[:, None]
        return np.asarray(centre + along + cosine * across + sine * np.cross(direction, across))

    return _moved(mesh, _in_blocks(twisted, mesh.points))


def taper(mesh: Mesh, factor: float, axis: Any = "z", pivot: Any = "middle", among: Mesh | None = None) -> Edit:
    """Scales what lies along an axis across it: by 1 at its low end, by the factor at its high end.

    among: what the mesh is scaled together with, itself included: its ends and its middle count.
    """
    direction, centre, share = _along(mesh if among is None else among, axis, pivot)

    def tapered(points: Floats) -> Floats:
        local = points - centre
        along = (local @ direction)[:, None] * direction
        size = 1.0 + (factor - 1.0) * share(points @ direction)
        return centre + along + size[:, None] * (local - along)

    return _moved(mesh, _in_blocks(tapered, mesh.points))


# Helpers


def _period(mesh: Mesh, centre: Floats, frame: Floats) -> float | None:
    """How far one open end repeats the other along the bend, where it does; mm.

    frame: rows of (3, 3), along the bend first.
    """
    rim = np.flatnonzero(mesh.topology.open_points)
    local = (mesh.points - centre) @ frame.T
    reach, across = local[:, 0], local[:, 1:]
    if len(rim) < 2:
        return None
    near = settled(AUTOMATIC, mesh.points, mesh.topology.edges)
    count, group = near_groups(np.column_stack((across[rim], np.zeros(len(rim)))), near)
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, group, reach[rim])
    np.maximum.at(high, group, reach[rim])
    length = np.sort((high - low)[high - low > float(np.ptp(reach)) / 2.0])[::-1]
    # The longest that two places of the ends agree on.
    alike = np.flatnonzero(np.abs(np.diff(length)) <= near)
    return float(length[alike[0]]) if len(alike) else None


def _moved(mesh: Mesh, points: Floats) -> Edit:
    return Edit(mesh.with_points(frozen(points)), NOTHING, identity(mesh))


def _centre(mesh: Mesh, pivot: Any) -> Floats:
    if mesh.n_points == 0:
        raise EditError("There is nothing to shape; the cage is empty.")
    return pivot_place(mesh, NOTHING, pivot)


def _limits(reach: Floats, limits: tuple[float, float] | None) -> tuple[float, float]:
    if limits is None:
        return float(reach.min()), float(reach.max())
    low, high = float(limits[0]), float(limits[1])
    if low >= high:
        raise EditError("The limits of a bend are two lengths from its pivot, the lower one first.")
    return low, high


def _along(whole: Mesh, axis: Any, pivot: Any) -> tuple[Floats, Floats, Callable[[Floats], Floats]]:
    """An axis' direction, the pivot on it, and what is 0 at the low end of the whole along it and 1 at its high end."""
    direction, centre = as_direction(axis), _centre(whole, pivot)
    reach = whole.points @ direction
    low, size = float(reach.min()), float(np.ptp(reach))
    return direction, centre, lambda far: np.asarray((far - low) / size if size > 0 else np.zeros(len(far)))


def _in_blocks(shape: Callable[[Floats], Floats], points: Floats) -> Floats:
    """Points shaped block after block: what is worked out of them stays in the cache."""
    result = np.empty_like(points)
    for start in range(0, len(points), BLOCK):
        result[start : start + BLOCK] = shape(points[start : start + BLOCK])
    return result
