"""Points that become one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, Integers, connected_labels, inverse_of, mask_of, sum_by
from levelloop.core.edit.carry import Edit, identity, through
from levelloop.core.edit.outlines import merge_points
from levelloop.core.errors import EditError
from levelloop.core.mesh import Mesh
from levelloop.core.selection import Selection, edges_of, points_of

MOST_AHEAD = 24  # places looked at one after the other; beyond that a tree is faster


def weld(mesh: Mesh, selection: Selection, distance: float | str = 0.001, onto_edges: bool = False) -> Edit:
    """Makes selected points that lie within a distance of each other one point, at their mean.

    distance: mm, inclusive; 0 welds equal places; "middle" welds all selected points at their middle. onto_edges: also
    puts points of rims onto open edges they lie at within the distance, which become two.
    Faces that lose their area to it vanish. Selected after: the welded points.
    """
    if onto_edges and distance != "middle":
        return _onto_edges(mesh, selection, float(distance))
    chosen = points_of(mesh.topology, selection)
    if len(chosen) < 2:
        raise EditError("To weld, select at least two points.")
    if distance == "middle":
        labels = np.zeros(len(chosen), dtype=np.int64)
        count = 1
    else:
        count, labels = _clusters(mesh, chosen, float(distance))
    if count == len(chosen):
        message = f"No two of the {len(chosen)} points lie within {float(distance):g} mm; nothing was welded."
        return Edit(mesh, Selection("points", chosen[:0]), identity(mesh), message)
    edit = _merged(mesh, chosen, labels, count)
    if distance == "middle":
        return edit
    return replace(edit, message=f"{edit.message[:-1]}; none left within {float(distance):g} mm.")


def weld_onto(mesh: Mesh, selection: Selection, target: int | None = None) -> Edit:
    """Pulls the selected points onto another and makes them one with it.

    target: that point, the last one picked where none is given. Selected after: the target.
    """
    if selection.kind != "points" or len(selection) == 0:
        raise EditError("To weld onto, select points.")
    onto = int(selection.indices[-1]) if target is None else int(target)
    if not 0 <= onto < mesh.n_points:
        raise EditError(f"There is no point {onto} to weld onto; the cage has {mesh.n_points}.")
    chosen = np.union1d(selection.indices, [onto])
    if len(chosen) < 2:
        raise EditError("To weld onto another point, select at least one besides the target.")
    return _merged(mesh, chosen, np.zeros(len(chosen), dtype=np.int64), 1, mesh.points[[onto]])


def collapse(mesh: Mesh, selection: Selection) -> Edit:
    """Makes each connected group of what is selected one point, at its middle. Selected after: those points."""
    topology = mesh.topology
    chosen = points_of(topology, selection)
    if len(chosen) < 2:
        raise EditError("To collapse, select edges, faces or at least two points.")
    number = inverse_of(chosen, mesh.n_points)
    pairs = number[topology.edges[edges_of(topology, selection)]]
    count, labels = connected_labels(pairs, len(chosen))
    if count == len(chosen):
        raise EditError("Nothing to collapse: no two of the selected points are neighbours.")
    return _merged(mesh, chosen, labels, count)


def near_pairs(places: Floats, reach: float) -> Integers:
    """Pairs of places (n, 3) within reach of each other, mm: (p, 2)."""
    # Along a direction that grids do not know few places lie as near as that: looking at the next ones is enough.
    along = places @ np.array([0.537, 0.618, 0.573])  # no longer than 1, so that no pair seems further apart
    order = np.argsort(along)
    sorted_ = along[order]
    ahead: list[Integers] = []
    for step in range(1, min(MOST_AHEAD, len(order))):
        near = np.flatnonzero(sorted_[step:] - sorted_[:-step] <= reach)
        if len(near) == 0:
            return np.concatenate(ahead) if ahead else np.zeros((0, 2), dtype=np.int64)
        pairs = np.stack((order[near], order[near + step]), axis=1)
        apart = places[pairs[:, 0]] - places[pairs[:, 1]]
        ahead.append(pairs[np.einsum("ij,ij->i", apart, apart) <= reach * reach])
    from scipy.spatial import cKDTree

    found: Integers = cKDTree(places).query_pairs(reach, output_type="ndarray").astype(np.int64)
    return found.reshape(-1, 2)


# Helpers


def _onto_edges(mesh: Mesh, selection: Selection, distance: float) -> Edit:
    """Points welded with each other, then onto the open edges of selected points or of the part that they lie at."""
    chosen = points_of(mesh.topology, selection)
    if len(chosen) == 0:
        raise EditError("To weld, select points.")
    plain = weld(mesh, selection, distance) if len(chosen) > 1 else Edit(mesh, selection, identity(mesh))
    here = plain.mesh
    left = np.flatnonzero(mask_of(chosen, mesh.n_points)[plain.origin.points] & (plain.origin.points >= 0))
    # What lies at an open edge is a rim itself, or has no face yet.
    left = left[here.topology.open_points[left] | (here.topology.point_face_count[left] == 0)]
    edges = np.flatnonzero(here.topology.open_edges)
    ends = here.points[here.topology.edges[edges]]
    along = ends[:, 1] - ends[:, 0]
    length = np.maximum(np.einsum("ij,ij->i", along, along), 1e-300)
    found: list[tuple[int, float, int]] = []
    for point in left.tolist():
        ratio = np.clip(((here.points[point] - ends[:, 0]) * along).sum(axis=1) / length, 0.0, 1.0)
        off = np.linalg.norm(ends[:, 0] + ratio[:, None] * along - here.points[point], axis=1)
        off[(here.topology.edges[edges] == point).any(axis=1)] = np.inf
        inner = (ratio > 1e-9) & (ratio < 1 - 1e-9)
        off[~inner] = np.inf
        if len(off) and off.min() <= distance:
            best = int(off.argmin())
            found.append((int(edges[best]), float(ratio[best]), point))
    if not found:
        return replace(plain, message=f"No point lies within {distance:g} mm of an edge. {plain.message}".strip())
    found.sort()
    from levelloop.core.edit.dividing import with_points_on_edges

    split, new = with_points_on_edges(
        here, np.array([edge for edge, _, _ in found]), np.array([ratio for _, ratio, _ in found])
    )
    target = np.arange(split.mesh.n_points)
    points = np.array([point for _, _, point in found])
    target[new] = points
    keep = target == np.arange(split.mesh.n_points)
    merged, origin, _ = merge_points(split.mesh, (np.cumsum(keep) - 1)[target], split.mesh.points[keep])
    whole = through(through(plain.origin, split.origin), origin)
    number = np.flatnonzero(np.isin(through(split.origin, origin).points, points))
    told = f"{len(found)} {'point was' if len(found) == 1 else 'points were'} welded onto edges. {plain.message}"
    return Edit(merged, Selection("points", number), whole, told.strip())


def _clusters(mesh: Mesh, chosen: Integers, distance: float) -> tuple[int, Integers]:
    places = mesh.points[chosen]
    # A hair above, so that "inclusive" survives the rounding of coordinates.
    reach = distance + 1e-12 * max(1.0, float(np.abs(places).max(initial=0.0)))
    pairs = near_pairs(places, reach)
    return connected_labels(pairs, len(chosen))


def _merged(mesh: Mesh, chosen: Integers, labels: Integers, count: int, places: Floats | None = None) -> Edit:
    """Each group becomes one point, at its mean or the given place, with the number of its first."""
    size = np.bincount(labels, minlength=count)
    first = np.zeros(count, dtype=np.int64)
    first[labels[::-1]] = chosen[::-1]
    target = np.arange(mesh.n_points)
    target[chosen] = first[labels]
    keep = target == np.arange(mesh.n_points)
    number = np.cumsum(keep) - 1
    points = mesh.points.copy()
    several = size > 1
    if places is None:
        places = sum_by(labels, mesh.points[chosen], count) / size[:, None]
    points[first[several]] = places[several]
    new_mesh, origin, final = merge_points(mesh, number[target], points[keep])
    welded = final[first[several]]
    message = f"{int(size[several].sum())} points became {int(several.sum())}."
    return Edit(new_mesh, Selection("points", welded[welded >= 0]), origin, message)
