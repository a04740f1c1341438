"""Two groups of faces, or two runs of edges, joined by faces."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np

from levelloop.core.arrays import Floats, Integers, chains, connected_labels, distinct, mask_of
from levelloop.core.edit.divide.divide_faces import then
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import frames_along
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import face_normals, face_vectors, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.mesh.selection import NOTHING, Selection, outline
from levelloop.core.values import dataclass

FACING = 0.8  # cosine up to which two sides face each other, so that a bulge is one all around
FINE = 240  # places along an arch from which rows are taken


@dataclass(frozen=True, eq=False)
class Side:
    """One side of a bridge: its points in order, as the faces beside it run.

    free: no face says how; out: the direction in which a bridge leaves it, (3,), zero where there is none.
    """

    points: Integers
    closed: bool
    free: bool
    out: Floats


def bridge(mesh: Mesh, selection: Selection, steps: int = 1, twist: int = 0, bulge: float = 0.0) -> Edit:
    """Joins two groups of faces, which go, or two runs of edges by rows of quads.

    Where one side has more edges than the other, as few triangles as can be make up for it. steps: rows; twist: joins
    with so many edges further on; bulge: how far it leaves the sides square to them, or where they face each other how
    far its middle stands out, in shares of the way across.
    Selected after: the new faces.
    """
    counts = bridge_counts(mesh, selection)
    edit, sides = _sides(mesh, selection)
    one, other = sides
    here = edit.mesh
    first, second = _matched(here, one, other, twist)
    larger_first = len(first) >= len(second)
    long, short = (first, second) if larger_first else (second, first)
    check_fits(here.n_faces + len(long) * steps)
    number_long, number_short = len(long), len(short)
    # Along the longer side the partner goes on, or stays: never two on at once.
    if one.closed:
        target = np.arange(number_long) * number_short // number_long
    else:
        target = np.round(np.arange(number_long) * (number_short - 1) / max(number_long - 1, 1)).astype(np.int64)
    outs = (one.out, other.out) if larger_first else (other.out, one.out)
    bends = _bends(here, one, other)
    rows = _rows(here, long, short, target, steps, bulge, one.closed, outs if bends else None)
    builder = MeshBuilder(here)
    numbers = [long, *(builder.points(row) for row in rows)]
    ahead = np.arange(number_long) if one.closed else np.arange(number_long - 1)
    beyond = (ahead + 1) % number_long
    for low, high in pairwise(numbers):
        _put(builder, np.stack((low[beyond], low[ahead], high[ahead], high[beyond]), axis=1), larger_first)
    last = numbers[-1]
    step = (
        np.where(beyond > ahead, target[beyond] - target[ahead], number_short - target[ahead])
        if one.closed
        else np.diff(target)
    )
    near, far = short[target[ahead]], short[(target[ahead] + step) % number_short]
    level = step > 0
    _put(builder, np.stack((last[beyond], last[ahead], near, far), axis=1)[level], larger_first)
    _put(builder, np.stack((last[beyond], last[ahead], near), axis=1)[~level], larger_first)
    result = then(edit, builder.edit())
    triangles = int((~level).sum())
    told = f"{counts[0]} and {counts[1]} edges were joined"
    told += f", with {triangles} triangle{'s' if triangles > 1 else ''}." if triangles else "."
    return replace(result, message=told)


def bridge_counts(mesh: Mesh, selection: Selection) -> tuple[int, int]:
    """How many edges the two sides have. Raises EditError where there are not two."""
    if selection.kind == "faces" and len(selection):
        rims = [outline(mesh.topology, Selection("faces", group)) for group in _groups(mesh, selection)]
        return len(rims[0]), len(rims[1])
    runs = _runs(mesh, selection)
    counts = [len(members) - (0 if closed else 1) for members, closed in runs]
    return counts[0], counts[1]


# Helpers


def _put(builder: MeshBuilder, faces: Integers, as_they_are: bool) -> None:
    if len(faces):
        turned = faces if as_they_are else faces[:, ::-1]
        builder.faces(turned)


def _groups(mesh: Mesh, selection: Selection) -> list[Integers]:
    topology = mesh.topology
    chosen = selection.mask(topology)
    beside = topology.edge_faces
    joined = (beside[:, 1] >= 0) & chosen[beside].all(axis=1)
    _, label = connected_labels(beside[joined], mesh.n_faces)
    names = distinct(label[selection.indices])
    if len(names) != 2:
        many = "one" if len(names) == 1 else f"{len(names)} groups"
        raise EditError(f"A bridge needs two groups of faces; this selection is {many}.")
    return [np.flatnonzero(chosen & (label == name)) for name in names]


def _runs(mesh: Mesh, selection: Selection) -> list[tuple[Integers, bool]]:
    topology = mesh.topology
    if selection.kind != "edges" or len(selection) < 2:
        raise EditError("To bridge, select two groups of faces or two runs of edges.")
    if (topology.edge_face_count[selection.indices] > 1).any():
        raise EditError("A bridge starts from open edges; some of these have faces on both sides.")
    runs = chains(topology.edges[np.sort(selection.indices)], mesh.n_points)
    if len(runs) != 2:
        many = "one" if len(runs) == 1 else f"{len(runs)}"
        raise EditError(f"A bridge needs two runs of edges; this selection is {many}.")
    if runs[0][1] != runs[1][1]:
        raise EditError("One of the runs is closed and the other open; a bridge needs two of a kind.")
    return runs


def _sides(mesh: Mesh, selection: Selection) -> tuple[Edit, list[Side]]:
    """The mesh without selected faces, and the two runs to join in the direction of the faces beside them."""
    if selection.kind != "faces":
        runs = _runs(mesh, selection)
        return Edit(mesh, NOTHING, identity(mesh)), [_side(mesh, members, closed) for members, closed in runs]
    groups = _groups(mesh, selection)
    rims = [mesh.topology.edges[outline(mesh.topology, Selection("faces", group)).indices] for group in groups]
    bare, origin = drop_faces(mesh, mask_of(selection.indices, mesh.n_faces), keep_unattached=True)
    number = np.full(mesh.n_points, -1, dtype=np.int64)
    number[origin.points] = np.arange(bare.n_points)
    sides = []
    for group, rim in zip(groups, rims, strict=True):
        runs = chains(number[rim], bare.n_points)
        out = unit(face_vectors(mesh.topology, mesh.points, group).sum(axis=0)[None])[0]
        if len(runs) != 1 or not runs[0][1]:
            raise EditError(
                "Each group of faces needs one closed outline; take away what touches itself or has a hole."
            )
        members = runs[0][0]
        if bare.topology.find_edges(number[rim]).min(initial=-1) < 0:
            # The group was a piece by itself: the outline runs as its faces did.
            corners = mesh.topology.corners_of_faces(group)
            pairs = np.stack(
                (number[mesh.topology.corners[corners]], number[mesh.topology.corner_end[corners]]), axis=1
            )
            same = (pairs == np.array([members[0], members[1]])).all(axis=1).any()
            # What replaces the faces runs against them as their neighbours would have.
            sides.append(Side(members[::-1].copy() if same else members, True, False, out))
        else:
            sides.append(replace(_side(bare, members, True), out=out))
    keep = mask_of(np.concatenate([side.points for side in sides]), bare.n_points)
    unused = (bare.topology.valence == 0) & ~keep & (mesh.topology.valence[origin.points] > 0)
    if unused.any():
        clean, dropped = drop_faces(bare, np.zeros(bare.n_faces, np.bool_), keep_unattached=True, drop_points=unused)
        renumber = np.full(bare.n_points, -1, dtype=np.int64)
        renumber[dropped.points] = np.arange(clean.n_points)
        sides = [replace(side, points=renumber[side.points]) for side in sides]
        return then(Edit(bare, NOTHING, origin), Edit(clean, NOTHING, dropped)), sides
    return Edit(bare, NOTHING, origin), sides


def _side(mesh: Mesh, members: Integers, closed: bool) -> Side:
    topology = mesh.topology
    pairs = np.stack((members, np.roll(members, -1)), axis=1)[: len(members) if closed else -1]
    edges = topology.find_edges(pairs)
    bound = (edges >= 0) & (topology.edge_face_count[edges] > 0)
    if not bound.any():
        return Side(members, closed, True, np.zeros(3))
    corner = topology.edge_corners[topology.edge_offsets[edges[bound]]]
    forward = (topology.corners[corner] == pairs[bound, 0]).mean() > 0.5
    # Away from the faces beside it, in their planes.
    along = mesh.points[topology.corner_end[corner]] - mesh.points[topology.corners[corner]]
    beside = face_normals(topology, mesh.points)[topology.corner_face[corner]]
    out = unit(np.cross(along, beside).sum(axis=0)[None])[0]
    return Side(members if forward else members[::-1].copy(), closed, False, out)


def _matched(mesh: Mesh, one: Side, other: Side, twist: int) -> tuple[Integers, Integers]:
    """Both sides in order so that each point lies near its partner: the second runs against its own faces."""
    first, second = one.points, other.points[::-1]
    options = [second, second[::-1]] if one.free or other.free else [second]
    place = mesh.points.copy()
    near = mesh.points[first]
    if _bends(mesh, one, other):
        # As the bridge arrives: seen along its own way, not straight across.
        start, end = near.mean(axis=0), mesh.points[second].mean(axis=0)
        length = float(np.linalg.norm(end - start))
        frames = frames_along(_curve(start, end, length * one.out, -length * other.out), smooth=True)
        near = (near - start) @ frames[0].T
        place[second] = (mesh.points[second] - end) @ frames[-1].T
    if not one.closed:
        if twist:
            raise EditError("Only closed runs can be joined with a twist.")
        return first, min(options, key=lambda run: _apart(near, place[run]))
    turned = [np.roll(option, -shift) for option in options for shift in range(len(option))]
    far = np.round([_apart(near, place[run]) for run in turned], 9)
    return first, np.roll(turned[int(np.argmin(far))], -twist)


def _bends(mesh: Mesh, one: Side, other: Side) -> bool:
    """Whether a bridge leaves its sides elsewhere than straight towards each other."""
    if not one.out.any() or not other.out.any():
        return False
    way = mesh.points[other.points].mean(axis=0) - mesh.points[one.points].mean(axis=0)
    length = float(np.linalg.norm(way))
    return length > 0 and not (float(one.out @ way) > FACING * length and -float(other.out @ way) > FACING * length)


def _apart(first: Floats, second: Floats) -> float:
    """The sum of squared distances between partners, the longer run's points to those of the shorter."""
    if len(first) < len(second):
        first, second = second, first
    partner = np.arange(len(first)) * len(second) // len(first)
    return float(((first - second[partner]) ** 2).sum())


def _rows(
    mesh: Mesh,
    long: Integers,
    short: Integers,
    target: Integers,
    steps: int,
    bulge: float,
    closed: bool,
    outs: tuple[Floats, Floats] | None,
) -> list[Floats]:
    """Where the rows between both sides go, each as long as the longer side."""
    start, end = mesh.points[long], mesh.points[short[target]]
    shares = np.arange(1, steps) / steps
    straight = [start + share * (end - start) for share in shares.tolist()]
    middle_start, middle_end = start.mean(axis=0), end.mean(axis=0)
    way = middle_end - middle_start
    length = float(np.linalg.norm(way))
    if not bulge or not length or steps == 1:
        return straight
    if outs is not None:
        return _arched(start, end, length * bulge * outs[0], -length * bulge * outs[1], shares)
    rows = []
    for share, row in zip(shares.tolist(), straight, strict=True):
        centre = middle_start + share * way if closed else 0.5 * (mesh.points.min(axis=0) + mesh.points.max(axis=0))
        along = way / length
        away = row - centre
        away = away - np.outer(away @ along, along)
        apart = np.linalg.norm(end - start, axis=1, keepdims=True)
        rows.append(row + bulge * 4.0 * share * (1.0 - share) * apart * unit(away))
    return rows


def _arched(start: Floats, end: Floats, leaves: Floats, arrives: Floats, shares: Floats) -> list[Floats]:
    """Rows along a cubic Hermite curve between the middles, each turned with the curve."""
    one, other = start.mean(axis=0), end.mean(axis=0)
    path = _curve(one, other, leaves, arrives)
    frames = frames_along(path, smooth=True)
    first, last = (start - one) @ frames[0].T, (end - other) @ frames[-1].T
    rows = []
    for share in shares.tolist():
        here = round(share * FINE)
        rows.append(path[here] + (first + share * (last - first)) @ frames[here])
    return rows


def _curve(start: Floats, end: Floats, leaves: Floats, arrives: Floats) -> Floats:
    """Places along a cubic Hermite curve, its ends' control points as far out as leaves and arrives say: (n, 3)."""
    t = np.linspace(0.0, 1.0, FINE + 1)[:, None]
    return np.asarray(
        (2 * t**3 - 3 * t**2 + 1) * start
        + (t**3 - 2 * t**2 + t) * 3 * leaves
        + (-2 * t**3 + 3 * t**2) * end
        + (t**3 - t**2) * 3 * arrives
    )
