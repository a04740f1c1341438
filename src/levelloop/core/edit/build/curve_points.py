"""Points of curves and other wires: put in, taken out, joined, parted, spaced evenly, moved aside."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, difference, mask_of
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import Path, order_along, path_of, wired
from levelloop.core.geometry.planes import as_direction
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, Origin, identity
from levelloop.core.mesh.selection import Selection, points_of

STEEPEST = 0.05  # of the half angle's cosine at a corner: sharper ones move no farther than at that


def split_wires(mesh: Mesh, edges: Integers, ratios: Floats) -> Edit:
    """Puts points onto wires, in a smooth curve where it runs: as many on each edge as there are ratios.

    edges: (e,) wires; ratios: (r,) from each one's first point. Selected after: the new points.
    """
    topology = mesh.topology
    check_fits(topology.n_edges + len(edges) * len(ratios))
    ends = topology.edges[edges]
    start, end = mesh.points[ends[:, 0]][:, None], mesh.points[ends[:, 1]][:, None]
    places = start + ratios[None, :, None] * (end - start)
    radius = None
    if mesh.radius is not None:
        radius = mesh.radius[ends[:, :1]] * (1 - ratios) + mesh.radius[ends[:, 1:]] * ratios
    path = _smooth_path(mesh)
    if path is not None:
        places = path[0].at(_places_of(path[1], path[0].closed, ends, ratios)).reshape(*places.shape)
    builder = MeshBuilder(mesh)
    new = builder.points(places.reshape(-1, 3), on_edge=np.repeat(edges, len(ratios))).reshape(len(edges), -1)
    chain = np.concatenate((ends[:, :1], new, ends[:, 1:]), axis=1)
    more = np.stack((chain[:, :-1], chain[:, 1:]), axis=2).reshape(-1, 2)
    made, origin = builder.build(wires=_wires_but(mesh, edges), more_wires=more)
    if radius is not None and made.radius is not None:
        radii = made.radius.copy()
        radii[new.ravel()] = radius.ravel()
        made = replace(made, radius=radii)
    return Edit(made, Selection("points", new.ravel()), origin)


def add_on_curve(mesh: Mesh, selection: Selection, edge: tuple[int, int] | None, ratio: float = 0.5) -> Edit:
    """Puts one point onto a wire between two points, at a ratio from the first of them.

    Selected after: the point. Raises EditError where no edge is given, there is no such wire, or the ratio is not
    between 0 and 1.
    """
    if edge is None:
        raise EditError("A point goes onto a curve between two of its points; click there, or give both as edge.")
    found = int(mesh.topology.find_edges(np.array([edge]))[0])
    if found < 0 or not mesh.topology.wire_edges[found]:
        raise EditError("A point goes onto a wire of a curve; there is none between these points.")
    if not 0.0 < ratio < 1.0:
        raise EditError("The new point lies between both ends: a ratio above 0 and below 1.")
    turned = int(mesh.topology.edges[found, 0]) != int(edge[0])
    return split_wires(mesh, np.array([found]), np.array([1.0 - ratio if turned else ratio]))


def take_out_of_wires(mesh: Mesh, points: Integers) -> Edit:
    """Takes points out of wires; where there were two, what was on both sides is joined. Nothing is selected after.

    Raises EditError where no wire would be left.
    """
    topology = mesh.topology
    gone = mask_of(points, mesh.n_points)
    degree = np.bincount(topology.wires.ravel(), minlength=mesh.n_points)
    links = _links(topology.wires)
    joined: set[tuple[int, int]] = set()
    touched = topology.wires[gone[topology.wires].any(axis=1)]
    for start, step in np.concatenate((touched, touched[:, ::-1])).tolist():
        # From each point that stays through those that go, to the next one that stays.
        before, here = start, step
        while gone[here] and degree[here] == 2 and not gone[start]:
            before, here = here, next(one for one in links[here] if one != before)
        if not gone[start] and not gone[here] and start < here and here not in links[start]:
            joined.add((start, here))
    kept = topology.wires[~gone[topology.wires].any(axis=1)]
    more = np.array(sorted(joined), dtype=np.int64).reshape(-1, 2)
    if not len(kept) + len(more):
        raise EditError("That would leave no wire; take out fewer points, or remove the part.")
    made, origin = MeshBuilder(mesh).build(drop_unused=True, wires=kept, more_wires=more)
    return Edit(made, Selection("points", np.zeros(0, dtype=np.int64)), origin)


def join_ends(mesh: Mesh, points: Integers) -> Edit:
    """Joins two ends of wires, or loose points, by a wire. Selected after: it.

    Raises EditError for other than two, or where one is no end.
    """
    ends = mesh.topology.valence[points]
    if len(points) != 2 or (ends > 1).any() or (mesh.topology.point_face_count[points] > 0).any():
        raise EditError("Two ends of wires are joined by a wire; select one end and another.")
    if len(mesh.topology.find_edges(points[None])) and mesh.topology.find_edges(points[None])[0] >= 0:
        raise EditError("These two are joined already.")
    made, origin = MeshBuilder(mesh).build(more_wires=points[None])
    return Edit(made, Selection("edges", np.flatnonzero(origin.edges < 0)), origin)


def part_curve(mesh: Mesh, selection: Selection) -> Edit:
    """Parts wires at selected points: each goes on as its own end. Selected after: the ends.

    Raises EditError where no selected point has several wires, or has faces.
    """
    topology = mesh.topology
    points = points_of(topology, selection)
    wires = topology.wires
    degree = np.bincount(wires.ravel(), minlength=mesh.n_points)
    chosen = points[(degree[points] > 1) & (topology.point_face_count[points] == 0)]
    if len(chosen) == 0:
        raise EditError("A curve is parted at points between two of its edges; select some.")
    # The first wire at each point keeps it, each other one gets one of its own.
    ends = wires.ravel().copy()
    here = np.flatnonzero(mask_of(chosen, mesh.n_points)[ends])
    others = difference(here, here[np.unique(ends[here], return_index=True)[1]])
    builder = MeshBuilder(mesh)
    own = builder.points(mesh.points[ends[others]], origin=ends[others])
    ends[others] = own
    made, origin = builder.build(wires=wires[:0], more_wires=ends.reshape(-1, 2))
    return Edit(made, Selection("points", np.concatenate((chosen, own))), origin)


def space_curve(mesh: Mesh, selection: Selection, count: int | None = None, spacing: float | None = None) -> Edit:
    """Puts other points on a curve, at equal distances along it; it stays straight or smooth, with its radii.

    count: points in all; spacing: mm between them at most; neither: as many as there are. Selected after: the points.
    Raises EditError for a part with faces, both, or fewer points than a curve has.
    """
    path = path_of(mesh)
    if mesh.n_faces:
        raise EditError("Only a curve by itself is spaced anew; this part has faces.")
    if count is not None and spacing is not None:
        raise EditError("A curve is spaced by a count or by a spacing, not by both.")
    steps = path.spans if count is None else count - (not path.closed)
    if spacing is not None:
        if not spacing > 0:
            raise EditError("A spacing is above 0 mm.")
        steps = max(int(np.ceil(path.length() / spacing - 1e-9)), 1)
    if steps < (3 if path.closed else 1):
        raise EditError(f"A curve keeps at least {3 if path.closed else 2} points.")
    check_fits(steps)
    places = path.places(steps, True)
    on = path.at(places)
    made = wired(on[:-1] if path.closed else on, path.closed)
    radii = path.radius_at(places[: made.n_points])
    origin = Origin(*(np.full(number, -1, dtype=np.int64) for number in (made.n_points, made.n_edges, 0)))
    new = replace(made, curve=mesh.curve, radius=radii)
    return Edit(new, Selection("points", np.arange(made.n_points)), origin)


def offset_curve(mesh: Mesh, selection: Selection, distance: float = 1.0, axis: Any = "z") -> Edit:
    """Moves a curve aside, square to itself and to an axis; to its left as seen against the axis.

    distance: mm, negative to the right. Raises EditError where the curve runs along the axis, or has faces.
    """
    path = path_of(mesh)
    if mesh.n_faces:
        raise EditError("Only a curve by itself is moved aside; this part has faces.")
    order, _ = order_along(mesh)
    ring = np.concatenate((path.points, path.points[:1])) if path.closed else path.points
    aside = np.cross(as_direction(axis), unit(np.diff(ring, axis=0)))
    if (np.linalg.norm(aside, axis=1) < 1e-9).all():
        raise EditError("The curve runs along that axis all the way: nothing lies to its left.")
    aside = unit(aside)
    before = np.roll(aside, 1, axis=0) if path.closed else np.concatenate((aside[:1], aside))
    after = aside if path.closed else np.concatenate((aside, aside[-1:]))
    # A stretch along the axis goes where the next to it goes.
    flat_before, flat_after = ~before.any(axis=1), ~after.any(axis=1)
    before[flat_before], after[flat_after] = after[flat_before], before[flat_after]
    middle = before + after
    share = np.maximum(np.einsum("ij,ij->i", middle, middle) / 2.0, STEEPEST)
    points = mesh.points.copy()
    points[order] = path.points + distance * middle / share[:, None]
    return Edit(mesh.with_points(points), selection, identity(mesh))


# Helpers


def _links(wires: Integers) -> dict[int, list[int]]:
    links: dict[int, list[int]] = {}
    for a, b in wires.tolist():
        links.setdefault(a, []).append(b)
        links.setdefault(b, []).append(a)
    return links


def _wires_but(mesh: Mesh, edges: Integers) -> Integers:
    wires = mesh.topology.wires
    chosen: Booleans = mask_of(edges, mesh.n_edges)[mesh.topology.find_edges(wires)]
    return wires[~chosen]


def _smooth_path(mesh: Mesh) -> tuple[Path, Integers] | None:
    """The one smooth curve that all wires are, and its points in order; None where they are something else."""
    if mesh.curve != "smooth" or mesh.n_faces:
        return None
    try:
        return path_of(mesh), order_along(mesh)[0]
    except EditError:
        return None


def _places_of(order: Integers, closed: bool, ends: Integers, ratios: Floats) -> Floats:
    """Where ratios along wires are, counted in points of a path: (e · r,)."""
    number = np.full(int(order.max()) + 1, -1, dtype=np.int64)
    number[order] = np.arange(len(order))
    first, second = number[ends[:, 0]], number[ends[:, 1]]
    # The last stretch of a closed one leads from the last point to the first.
    around = closed & (np.abs(first - second) > 1)
    low = np.where(around, len(order) - 1, np.minimum(first, second))
    forward = np.where(around, first > second, first < second)
    return np.asarray(low[:, None] + np.where(forward[:, None], ratios, 1.0 - ratios)).ravel()
