"""Curves: points joined by wires, straight or smooth through them; places, frames and radii along one."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers, tridiagonal
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_vector
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import CurveKind, Mesh
from levelloop.core.mesh.origins import Edit, Origin, identity
from levelloop.core.mesh.selection import Selection, points_of, select_mask
from levelloop.core.mesh.topology import Topology
from levelloop.core.select.runs import runs_of_selection
from levelloop.core.tolerance import last_place
from levelloop.core.values import dataclass

NOTHING_SQUARED = 1e-24  # mm², or of directions
STEEP = 0.9  # of a direction's length along z
FINE = 32  # places between two points by which a smooth curve is measured


@dataclass(frozen=True, eq=False)
class Path:
    """Points in order with what goes along them: points (n, 3) mm, radii (n,) mm; smooth: a spline through them.

    sharp: (n,) points at which a smooth one turns as at a corner.
    """

    points: Floats
    closed: bool
    radii: Floats
    smooth: bool
    sharp: Booleans | None = None

    def at(self, places: Floats) -> Floats:
        """Where the path is at places counted in points, 0 … n − 1, or n where closed: (p, 3)."""
        sharp: Booleans = np.zeros(len(self.points), dtype=np.bool_) if self.sharp is None else self.sharp
        return _through(self._ring(self.points), places, self.smooth, self.closed, self._ring(sharp))

    def radius_at(self, places: Floats) -> Floats:
        """The radius at places: (p,), straight between the points so that it overshoots none."""
        ring = self._ring(self.radii)
        return np.interp(places, np.arange(len(ring)), ring)

    @property
    def spans(self) -> int:
        """How many stretches between two points there are."""
        return len(self.points) if self.closed else len(self.points) - 1

    def places(self, steps: int, even: bool) -> Floats:
        """Places for so many steps in all, evenly along the length or along the points: (steps + 1,).

        A straight path keeps its corners where there are steps enough: the nearest places are put onto them.
        Raises EditError for a curve without length.
        """
        if not even:
            return np.linspace(0.0, self.spans, steps + 1)
        fine = self.fine()
        run = np.concatenate(([0.0], np.cumsum(np.linalg.norm(np.diff(self.at(fine), axis=0), axis=1))))
        if run[-1] <= 0:
            raise EditError("The curve has no length.")
        places = np.interp(np.linspace(0.0, run[-1], steps + 1), run, fine)
        return places if self.smooth else _on_corners(places, self.spans)

    def fine(self) -> Floats:
        """Places so near to each other that straight lines between them say what the curve is like: (p,)."""
        return np.linspace(0.0, self.spans, self.spans * FINE + 1)

    def length(self) -> float:
        """How long it is: mm."""
        return float(np.linalg.norm(np.diff(self.at(self.fine()), axis=0), axis=1).sum())

    def tightest(self) -> tuple[float, Floats] | None:
        """The smallest radius that a smooth one turns with, mm, and where; None where nothing turns smoothly.

        Of the circle through three places that follow each other, between corners.
        """
        if not self.smooth or len(self.points) < 3:
            return None
        places = self.fine()
        on = self.at(places)
        if self.closed:
            on = np.concatenate((on[-2:-1], on))
        one, other = on[1:-1] - on[:-2], on[2:] - on[1:-1]
        across = np.linalg.norm(on[2:] - on[:-2], axis=1)
        turn = np.linalg.norm(np.cross(one, other), axis=1)
        sides = np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1) * across
        radius = np.divide(sides, 2.0 * turn, out=np.full(len(turn), np.inf), where=turn > 1e-12 * sides)
        at = places[:-1] if self.closed else places[1:-1]
        if self.sharp is not None:
            corner = np.rint(at).astype(np.int64) % len(self.points)
            radius[(np.abs(at - np.rint(at)) < 1e-9) & self.sharp[corner]] = np.inf
        tightest = int(radius.argmin())
        return (float(radius[tightest]), on[1:-1][tightest]) if np.isfinite(radius[tightest]) else None

    def reversed(self) -> Path:
        """The same path from its other end."""
        sharp = None if self.sharp is None else self.sharp[::-1]
        return Path(self.points[::-1], self.closed, self.radii[::-1], self.smooth, sharp)

    def _ring(self, values: AnyArray) -> AnyArray:
        return np.concatenate((values, values[:1])) if self.closed else values


def _on_corners(places: Floats, spans: int) -> Floats:
    """Places of which the nearest ones lie on the points between spans, each on one."""
    corners = np.arange(1, spans, dtype=np.float64)
    if len(corners) == 0 or len(places) - 2 < len(corners):
        return places
    # In order, so that no two corners want the same place.
    wanted = np.abs(places[1:-1, None] - corners).argmin(axis=0) - np.arange(len(corners))
    slots = np.arange(len(corners)) + np.maximum.accumulate(np.clip(wanted, 0, len(places) - 2 - len(corners)))
    result = places.copy()
    result[1 + slots] = corners
    return np.sort(result)


def add_point() -> Mesh:
    """One point and nothing else, at the origin."""
    return Mesh(Topology([0], [], 1), np.zeros((1, 3)))


def add_line(points: Any) -> Mesh:
    """Points joined by wires in order: edges to be extruded or filled. points: (x, y, z) mm each."""
    return wired(points, False)


def add_curve(points: Any, kind: CurveKind = "straight", closed: bool = False, radii: Any = 1.0) -> Mesh:
    """A curve through points, to sweep or extrude along. kind: "straight" or "smooth"; radii: mm, one or one each.

    Raises EditError for as many radii as there are not points, or one below 0.
    """
    mesh = wired(points, closed)
    given = np.asarray(radii, dtype=np.float64)
    if given.ndim > 1 or (given.ndim == 1 and len(given) != mesh.n_points):
        raise EditError(f"A curve has one radius, or one for each of its {mesh.n_points} points.")
    if not np.isfinite(given).all() or (given < 0).any():
        raise EditError("The radii of a curve are lengths of 0 mm or more.")
    return replace(mesh, curve=kind, radius=np.broadcast_to(given, (mesh.n_points,)).copy())


def set_curve(mesh: Mesh, selection: Selection, kind: CurveKind = "smooth", radius: float | None = None) -> Edit:
    """Lets a part's wires be a curve, straight or smooth, and gives the selected points, or all, a radius in mm."""
    path_of(mesh)
    radii = np.ones(mesh.n_points) if mesh.radius is None else mesh.radius.copy()
    if radius is not None:
        radii[points_of(mesh.topology, selection) if len(selection) else np.arange(mesh.n_points)] = radius
    return Edit(replace(mesh, curve=kind, radius=radii), selection, identity(mesh))


def curve_to_edges(mesh: Mesh, selection: Selection, steps: int = 8, even: bool = True) -> Edit:
    """Puts so many edges along a curve instead of those between its points; even: at equal distances.

    Selected after: the new edges. Raises EditError for a part with faces.
    """
    path = path_of(mesh)
    if mesh.n_faces:
        raise EditError("Only a curve by itself becomes edges; this part has faces.")
    places = path.places(steps, even)
    on = path.at(places)
    made = wired(on[:-1] if path.closed else on, path.closed)
    radii = path.radius_at(places[: made.n_points])
    origin = Origin(*(np.full(count, -1, dtype=np.int64) for count in (made.n_points, made.n_edges, 0)))
    new = replace(made, curve="straight", radius=radii)
    return Edit(new, Selection("edges", np.arange(made.n_edges)), origin)


def wired(points: Any, closed: bool) -> Mesh:
    """Points (x, y, z) mm joined by wires in order; closed: and the last to the first. Raises EditError for too few."""
    places = np.array([as_vector(point) for point in points]).reshape(-1, 3)
    count = len(places)
    if count < (3 if closed else 2):
        raise EditError(f"That needs at least {3 if closed else 2} points.")
    ends = np.stack((np.arange(count), np.roll(np.arange(count), -1)), axis=1)
    wires = ends if closed else ends[:-1]
    return Mesh(Topology([0], [], count).with_wires(wires), places)


def path_of(curve: Any) -> Path:
    """The path that a mesh of wires or a list of points is. Raises EditError where it is not one run."""
    if not isinstance(curve, Mesh):
        points = np.array([as_vector(point) for point in curve]).reshape(-1, 3)
        return _checked(Path(points, False, np.ones(len(points)), False))
    order, closed = order_along(curve)
    radii = np.ones(curve.n_points) if curve.radius is None else curve.radius
    sharp = curve.corner_sharpness[order] > 0
    return _checked(Path(curve.points[order], closed, radii[order], curve.curve == "smooth", sharp))


def order_along(curve: Mesh) -> tuple[Integers, bool]:
    """The points of a curve one after the other, from its first one on as it was drawn, and whether it is closed.

    (n,). Raises EditError where it is not one run.
    """
    topology = curve.topology
    wires = select_mask("edges", topology.wire_edges) if topology.wire_edges.any() else None
    edges = wires or Selection("edges", np.flatnonzero(topology.open_edges) if topology.n_faces else np.zeros(0, int))
    runs = runs_of_selection(curve, edges)
    if len(runs) != 1:
        raise EditError(f"A curve is one run of edges; this part has {len(runs)}.")
    run = runs[0]
    return run.points if run.closed or run.points[0] < run.points[-1] else run.points[::-1], run.closed


def frames_along(points: Floats, closed: bool = False, smooth: bool = False) -> Floats:
    """Frames that turn as little as they can along points, rows of (n, 3, 3): across, across, along.

    They begin with the first across level, the second as near to up or down as it can be.

    Double reflection (Wang, Jüttler, Zheng & Liu 2008, table I). closed: the last point is the first again; what the
    frames are off there is spread over the whole way. smooth: the points lie on an arc rather than on straight pieces.
    Raises EditError where all points are one place.
    """
    along = _tangents(points, closed, smooth)
    # Level at its start, whichever way it goes; only where it goes up or down steeply another axis must tell.
    first = np.cross(along[0], np.eye(3)[2 if abs(along[0, 2]) < STEEP else 0])
    across = np.concatenate(([first], _turns(points, along) @ first)) / np.linalg.norm(first)
    if closed:
        upright = np.cross(along[0], across[0])
        off = np.arctan2(float(across[-1] @ upright), float(across[-1] @ across[0]))
        run = np.concatenate(([0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))))
        across = turned_about(across, along, -off * run / run[-1])
    return np.stack((across, np.cross(along, across), along), axis=1)


def _turns(points: Floats, along: Floats) -> Floats:
    """How far what is across at the first point has turned at each later one: (n − 1, 3, 3)."""
    step = np.diff(points, axis=0)
    once = _reflections(step)
    # Where two points are one place the frame stays as it is.
    second = along[1:] - np.einsum("nij,nj->ni", once, along[:-1])
    stays = np.einsum("ni,ni->n", step, step) < NOTHING_SQUARED
    turns = _reflections(np.where(stays[:, None], 0.0, second)) @ once
    # All that came before each of them, in rounds that reach twice as far each.
    reach = 1
    while reach < len(turns):
        turns[reach:] = turns[reach:] @ turns[:-reach]
        reach *= 2
    return turns


def _reflections(normals: Floats) -> Floats:
    """Reflections across the planes square to directions; none where there is no direction: (n, 3, 3)."""
    square = np.einsum("ni,ni->n", normals, normals)
    share = np.where(square > NOTHING_SQUARED, 2.0 / np.maximum(square, NOTHING_SQUARED), 0.0)
    return np.asarray(np.eye(3) - share[:, None, None] * normals[:, :, None] * normals[:, None, :])


def turned_about(vectors: Floats, axes: Floats, angles: Floats) -> Floats:
    """Vectors square to unit axes turned about them by angles in radians: (n, 3)."""
    return np.asarray(vectors * np.cos(angles)[:, None] + np.cross(axes, vectors) * np.sin(angles)[:, None])


# Helpers


def _checked(path: Path) -> Path:
    if len(path.points) < 2:
        raise EditError("A curve needs at least two points.")
    ring = np.concatenate((path.points, path.points[:1])) if path.closed else path.points
    if (np.linalg.norm(np.diff(ring, axis=0), axis=1) <= last_place(path.points)).any():
        raise EditError("Two points of the curve that follow each other lie on each other; weld them first.")
    return path


def _through(ring: Floats, places: Floats, smooth: bool, closed: bool, sharp: Booleans) -> Floats:
    corners = np.flatnonzero(sharp[:-1] if closed else sharp[1:-1]) + (not closed)
    if smooth and len(corners):
        return _between_corners(ring, places, closed, corners)
    if not smooth or len(ring) < 3:
        return np.stack([np.interp(places, np.arange(len(ring)), column) for column in ring.T], axis=1)
    # By the root of the distances, so that near points make no loops (Lee 1989, centripetal).
    knots = np.concatenate(([0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(ring, axis=0), axis=1)))))
    return _spline(knots, ring, np.interp(places, np.arange(len(ring)), knots), closed)


def _between_corners(ring: Floats, places: Floats, closed: bool, corners: Integers) -> Floats:
    """A smooth run between each corner and the next; those are ends as those of an open curve are."""
    count = len(ring) - 1
    if closed:
        # From the first corner around to itself.
        first = int(corners[0])
        ring = np.concatenate((np.roll(ring[:-1], -first, axis=0), ring[first : first + 1]))
        places = (places - first) % count
        corners = corners[1:] - first
    result = np.empty((len(places), 3))
    bounds = np.concatenate(([0], corners, [count]))
    for low, high in zip(bounds[:-1].tolist(), bounds[1:].tolist(), strict=True):
        here = (places >= low) & (places <= high)
        none = np.zeros(high - low + 1, dtype=np.bool_)
        result[here] = _through(ring[low : high + 1], places[here] - low, True, False, none)
    return result


def _spline(knots: Floats, values: Floats, at: Floats, closed: bool) -> Floats:
    """A natural or closed cubic spline through values (n, 3) at knots (n,): (p, 3); de Boor 1978, chapter 4.

    Its banded system is solved in a few passes; importing a library for it would cost the demo's start 0.35 s.
    """
    step = np.diff(knots)
    slope = np.diff(values, axis=0) / step[:, None]
    count = len(step)
    # The second derivatives, from one equation at each knot between two stretches.
    before = np.roll(step, 1)
    lower, diagonal, upper = before, 2.0 * (before + step), step
    right = 6.0 * (slope - np.roll(slope, 1, axis=0))
    if closed:
        bend = _around(lower, diagonal, upper, right)
        bend = np.concatenate((bend, bend[:1]))
    else:
        bend = np.zeros((count + 1, 3))
        bend[1:-1] = tridiagonal(lower[1:], diagonal[1:], upper[1:], right[1:]) if count > 1 else bend[1:-1]
    row = np.clip(np.searchsorted(knots, at, side="right") - 1, 0, count - 1)
    h = step[row][:, None]
    u, w = (at - knots[row])[:, None], (knots[row + 1] - at)[:, None]
    bent = (bend[row] * w**3 + bend[row + 1] * u**3) / (6.0 * h)
    line = (values[row] / h - bend[row] * h / 6.0) * w + (values[row + 1] / h - bend[row + 1] * h / 6.0) * u
    return np.asarray(bent + line)


def _around(lower: Floats, diagonal: Floats, upper: Floats, right: Floats) -> Floats:
    """The solution of a tridiagonal system whose ends are linked to each other (Sherman & Morrison 1950)."""
    count = len(diagonal)
    if count < 3:
        matrix = np.diag(diagonal)
        for here in range(count):
            matrix[here, (here - 1) % count] += lower[here]
            matrix[here, (here + 1) % count] += upper[here]
        return np.asarray(np.linalg.solve(matrix, right))
    gamma = -diagonal[0]
    plain = diagonal.copy()
    plain[0] -= gamma
    plain[-1] -= upper[-1] * lower[0] / gamma
    corner = np.zeros((count, 1))
    corner[0], corner[-1] = gamma, upper[-1]
    solved = tridiagonal(lower, plain, upper, np.concatenate((right, corner), axis=1))
    y, z = solved[:, :-1], solved[:, -1:]
    share = lower[0] / gamma
    return np.asarray(y - z * (y[0] + share * y[-1]) / (1.0 + z[0] + share * z[-1]))


def _tangents(points: Floats, closed: bool, smooth: bool) -> Floats:
    """The direction at each point, halfway between those of the stretches beside it.

    Raises EditError where all points are one place.
    """
    steps = unit(np.diff(points, axis=0))
    real = steps.any(axis=1)
    if not real.any():
        raise EditError("With so few steps the way ends where it begins; take more of them.")
    # A stretch of no length goes on as the one before it.
    known = np.maximum.accumulate(np.where(real, np.arange(len(steps)), -1))
    steps = steps[np.where(known < 0, int(np.argmax(real)), known)]
    before = np.concatenate((steps[-1:] if closed else steps[:1], steps))
    after = np.concatenate((steps, steps[:1] if closed else steps[-1:]))
    middle = before + after
    folded = np.linalg.norm(middle, axis=1) < 1e-9
    middle[folded] = before[folded]
    along = unit(middle)
    if smooth and not closed and len(points) > 2:
        # An arc's end turns on as much as its last stretch did: the direction before it, mirrored at that stretch.
        for end, inner, step in ((0, 1, steps[0]), (-1, -2, steps[-1])):
            along[end] = 2.0 * float(step @ along[inner]) * step - along[inner]
    return along
