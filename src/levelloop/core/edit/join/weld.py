"""Points made one: welded where they lie together, pulled onto another, collapsed to their middle."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats, Integers, connected_labels, inverse_of, mask_of, sum_by, union
from levelloop.core.edit.divide.divide_faces import with_points_on_edges
from levelloop.core.errors import EditError
from levelloop.core.geometry.near import in_boxes, near_across, near_any, near_groups
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, through
from levelloop.core.mesh.outlines import merge_points
from levelloop.core.mesh.selection import Selection, edges_of, points_of
from levelloop.core.tolerance import AUTOMATIC, Automatic, last_place, settled
from levelloop.core.words import counted


def weld(
    mesh: Mesh,
    selection: Selection,
    distance: float | str = AUTOMATIC,
    onto_edges: bool = False,
    between: Integers | None = None,
) -> Edit:
    """Makes selected points that lie within a distance of each other one point, at their mean.

    distance: mm, inclusive; 0 welds equal places; an automatic one eats no edge; "middle" welds all selected points
    at their middle. What becomes one is never wider than the distance. onto_edges: also puts points of rims onto
    open edges they lie at within the distance, which become two. between: (n,) the piece of each point; points of
    one piece are not welded with each other. Faces that lose their area to it vanish. Selected after: the welded
    points. Raises EditError for anything but points, or too few.
    """
    chosen = points_of(mesh.topology, selection)
    if len(chosen) < (1 if onto_edges else 2):
        raise EditError("To weld, select points." if onto_edges else "To weld, select at least two points.")
    if distance == "middle":
        return merge_groups(mesh, chosen, np.zeros(len(chosen), dtype=np.int64), 1)
    reach = _reach(mesh, chosen, float(distance) if not isinstance(distance, Automatic) else distance)
    if onto_edges:
        return _onto_edges(mesh, selection, chosen, reach)
    places = mesh.points[chosen]
    count, labels = near_groups(places, reach) if between is None else near_across(places, between[chosen], reach)
    shown = f"{reach:.4g} mm"
    if count == len(chosen):
        message = f"No two of the {len(chosen)} points lie within {shown}; nothing was welded."
        return Edit(mesh, Selection("points", chosen[:0]), identity(mesh), message)
    edit = merge_groups(mesh, chosen, labels, count)
    if between is not None:
        return edit
    welded = np.flatnonzero(np.isin(edit.origin.points, chosen))
    left = int(np.isfinite(near_any(edit.mesh.points[welded], reach)).sum())
    rest = "none left" if not left else f"{left} still lie"
    return replace(edit, message=f"{edit.message[:-1]}; {rest} within {shown}.")


def weld_onto(mesh: Mesh, selection: Selection, target: int | None = None) -> Edit:
    """Pulls the selected points onto another and makes them one with it.

    target: that point, the last one picked where none is given. Selected after: the target. Raises EditError for
    anything but points, or a target that is not there or all that is selected.
    """
    if selection.kind != "points" or len(selection) == 0:
        raise EditError("To weld onto, select points.")
    onto = int(selection.indices[-1]) if target is None else int(target)
    if not 0 <= onto < mesh.n_points:
        raise EditError(f"There is no point {onto} to weld onto; the cage has {mesh.n_points}.")
    chosen = union(selection.indices, [onto])
    if len(chosen) < 2:
        raise EditError("To weld onto another point, select at least one besides the target.")
    return merge_groups(mesh, chosen, np.zeros(len(chosen), dtype=np.int64), 1, mesh.points[[onto]])


def collapse(mesh: Mesh, selection: Selection) -> Edit:
    """Makes each connected group of what is selected one point, at its middle. Selected after: those points.

    Raises EditError where no two points are neighbours.
    """
    topology = mesh.topology
    chosen = points_of(topology, selection)
    if len(chosen) < 2:
        raise EditError("To collapse, select edges, faces or at least two points.")
    number = inverse_of(chosen, mesh.n_points)
    pairs = number[topology.edges[edges_of(topology, selection)]]
    count, labels = connected_labels(pairs, len(chosen))
    if count == len(chosen):
        raise EditError("Nothing to collapse: no two of the selected points are neighbours.")
    return merge_groups(mesh, chosen, labels, count)


def merge_groups(mesh: Mesh, chosen: Integers, labels: Integers, count: int, places: Floats | None = None) -> Edit:
    """Each group of points becomes one, with the number of its first. Selected after: those of several.

    chosen: (c,) points; labels: (c,) the group of each of them; places: (count, 3), their means where none are given.
    """
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
    return Edit(new_mesh, Selection("points", welded[welded >= 0]), origin, message, final)


# Helpers


def _reach(mesh: Mesh, chosen: Integers, distance: float) -> float:
    """The distance as it is used, a hair above, so that "inclusive" survives the rounding of coordinates."""
    inside = mask_of(chosen, mesh.n_points)
    concerned = mesh.topology.edges[inside[mesh.topology.edges].any(axis=1)]
    used = settled(distance, mesh.points, concerned)
    return used + last_place(mesh.points[chosen]) if used > 0 else 0.0


def _onto_edges(mesh: Mesh, selection: Selection, chosen: Integers, distance: float) -> Edit:
    """Points welded with each other, then onto the open edges of selected points or of the part that they lie at."""
    plain = weld(mesh, selection, distance) if len(chosen) > 1 else Edit(mesh, selection, identity(mesh))
    here = plain.mesh
    topology = here.topology
    left = np.flatnonzero(mask_of(chosen, mesh.n_points)[plain.origin.points] & (plain.origin.points >= 0))
    # What lies at an open edge is a rim itself, or has no face yet.
    left = left[topology.open_points[left] | (topology.point_face_count[left] == 0)]
    edges = np.flatnonzero(topology.open_edges)
    point, edge, ratio = _nearest_edges(here, left, edges, distance)
    if len(point) == 0:
        return replace(plain, message=f"No point lies within {distance:.4g} mm of an edge. {plain.message}".strip())
    order = np.lexsort((point, ratio, edge))
    point, edge, ratio = point[order], edge[order], ratio[order]
    split, new = with_points_on_edges(here, edge, ratio)
    target = np.arange(split.mesh.n_points)
    target[new] = point
    keep = target == np.arange(split.mesh.n_points)
    merged, origin, _ = merge_points(split.mesh, (np.cumsum(keep) - 1)[target], split.mesh.points[keep])
    whole = through(through(plain.origin, split.origin), origin)
    number = np.flatnonzero(np.isin(through(split.origin, origin).points, point))
    told = f"{counted(len(point), 'point was', 'points were')} welded onto edges. {plain.message}"
    return Edit(merged, Selection("points", number), whole, told.strip())


def _nearest_edges(mesh: Mesh, points: Integers, edges: Integers, reach: float) -> tuple[Integers, Integers, Floats]:
    """For points the nearest of some edges that they lie inside of within reach: points, edges, ratios along them.

    Candidates by the boxes around edges: sorted along the axis on which the edges are shortest for their spread.
    """
    ends = mesh.points[mesh.topology.edges[edges]]
    low, high = ends.min(axis=1) - reach, ends.max(axis=1) + reach
    places = mesh.points[points]
    pairs = in_boxes(places, low, high)
    one, other = pairs[:, 0], pairs[:, 1]
    along = ends[other, 1] - ends[other, 0]
    length = np.maximum(np.einsum("ij,ij->i", along, along), 1e-300)
    ratio = np.einsum("ij,ij->i", places[one] - ends[other, 0], along) / length
    off = np.linalg.norm(ends[other, 0] + ratio[:, None] * along - places[one], axis=1)
    own = (mesh.topology.edges[edges[other]] == points[one, None]).any(axis=1)
    fits = (ratio > 1e-9) & (ratio < 1 - 1e-9) & (off <= reach) & ~own
    one, other, ratio, off = one[fits], other[fits], ratio[fits], off[fits]
    best = np.lexsort((other, off, one))
    first = best[np.unique(one[best], return_index=True)[1]]
    return points[one[first]], edges[other[first]], ratio[first]
