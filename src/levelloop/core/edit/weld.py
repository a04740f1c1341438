"""Points that become one."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Integers, connected_labels, sum_by
from levelloop.core.edit.carry import Edit, identity
from levelloop.core.edit.outlines import merge_points
from levelloop.core.errors import EditError
from levelloop.core.mesh import Mesh
from levelloop.core.selection import Selection, points_of


def weld(mesh: Mesh, selection: Selection, distance: float | str = 0.001) -> Edit:
    """Makes selected points that lie within a distance of each other one point, at their mean.

    distance: mm, inclusive; 0 welds equal places; "middle" welds all selected points at their middle.
    Faces that lose their area to it vanish. Selected after: the welded points.
    """
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
    return _merged(mesh, chosen, labels, count, distance)


# Helpers


def _clusters(mesh: Mesh, chosen: Integers, distance: float) -> tuple[int, Integers]:
    from scipy.spatial import cKDTree

    places = mesh.points[chosen]
    # A hair above, so that "inclusive" survives the rounding of coordinates.
    reach = distance + 1e-12 * max(1.0, float(np.abs(places).max(initial=0.0)))
    pairs = cKDTree(places).query_pairs(reach, output_type="ndarray")
    return connected_labels(pairs.astype(np.int64).reshape(-1, 2), len(chosen))


def _merged(mesh: Mesh, chosen: Integers, labels: Integers, count: int, distance: float | str) -> Edit:
    """Each cluster takes the number of its first point; later points close the gaps."""
    size = np.bincount(labels, minlength=count)
    first = np.zeros(count, dtype=np.int64)
    first[labels[::-1]] = chosen[::-1]
    target = np.arange(mesh.n_points)
    target[chosen] = first[labels]
    keep = target == np.arange(mesh.n_points)
    number = np.cumsum(keep) - 1
    points = mesh.points.copy()
    several = size > 1
    means = sum_by(labels, mesh.points[chosen], count) / size[:, None]
    points[first[several]] = means[several]
    new_mesh, origin, final = merge_points(mesh, number[target], points[keep])
    welded = final[first[several]]
    message = f"{int(size[several].sum())} points became {int(several.sum())}."
    if distance != "middle":
        message = message[:-1] + f"; none left within {distance:g} mm."
    return Edit(new_mesh, Selection("points", welded[welded >= 0]), origin, message)
