"""Points pulled out to wires: edges that no face has yet, to be filled, extruded or joined later."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers, sum_by
from levelloop.core.edit.build.strips import pulled_out
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_direction
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import point_normals, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection


def extrude_points(
    mesh: Mesh,
    selection: Selection,
    distance: float = 0.0,
    direction: Any = "normal",
    steps: int = 1,
    end_scale: float = 1.0,
) -> Edit:
    """Pulls points out to wires.

    distance: mm; along "normal" points go along the mean normal of their faces, those without faces on along their
    wires, lone ones up. end_scale: size of the moved end about its middle. Selected after: the moved points. Raises
    EditError where no point is selected.
    """
    if selection.kind != "points" or len(selection) == 0:
        raise EditError("To extrude points, select at least one.")
    base = selection.indices
    towards = (
        _onwards(mesh, base)
        if isinstance(direction, str) and direction == "normal"
        else np.tile(as_direction(direction), (len(base), 1))
    )
    one_piece = np.zeros(len(base), dtype=np.int64)
    return wires_through(mesh, base, pulled_out(mesh.points[base], towards * distance, steps, end_scale, one_piece))


def wires_through(mesh: Mesh, base: Integers, layers: Sequence[Floats], closed: bool = False) -> Edit:
    """Wires from points (b,) through layers of where they go, each (b, 3); closed: and back to the points.

    Selected after: the points of the last layer, or where closed the points themselves.
    """
    builder = MeshBuilder(mesh)
    rows = [base, *(builder.points(layer) for layer in (layers if closed else layers[:-1]))]
    rows.append(base if closed else builder.points(layers[-1], origin=base))
    wires = np.concatenate([np.stack(pair, axis=1) for pair in pairwise(rows)])
    new_mesh, origin = builder.build(more_wires=wires)
    return Edit(new_mesh, Selection("points", rows[-1]), origin)


# Helpers


def _onwards(mesh: Mesh, points: Integers) -> Floats:
    directions = point_normals(mesh.topology, mesh.points)[points]
    bare = ~directions.any(axis=1)
    directions[bare] = _bare_directions(mesh, points[bare])
    return directions


def _bare_directions(mesh: Mesh, points: Integers) -> Floats:
    """Unit directions for points without faces: on along their wires, or up: (p, 3)."""
    topology = mesh.topology
    ends = topology.wires
    neighbours = sum_by(ends[:, 0], mesh.points[ends[:, 1]], mesh.n_points)
    neighbours += sum_by(ends[:, 1], mesh.points[ends[:, 0]], mesh.n_points)
    count = np.bincount(ends.ravel(), minlength=mesh.n_points)[points]
    away = unit(mesh.points[points] * count[:, None] - neighbours[points])
    away[~away.any(axis=1)] = (0.0, 0.0, 1.0)
    return away
