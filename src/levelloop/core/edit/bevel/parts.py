"""What bevels of edges and of points share: fans, growing faces, arcs, rounded corners, how far there is room."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import (
    Booleans,
    Floats,
    Integers,
    connected_labels,
    inverse_of,
    mask_of,
    offsets_from_sizes,
    ranges,
)
from levelloop.core.edit.bevel.patch import corner_patches
from levelloop.core.errors import EditError
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, without_members
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass
from levelloop.core.words import counted, verb

# Of the way to where new edges would meet; the rest keeps them apart.
CLOSEST = 0.99


@dataclass(frozen=True, eq=False)
class Fans:
    """Corners around some of the points in order, as arrays over positions; −1 stands for none."""

    corner: Integers  # (r,) the corner at each position
    fan: Integers  # (r,) its fan
    place: Integers  # (k,) the position of each corner, −1 for corners at other points
    start: Integers  # (f,) and size (f,) of each fan, closed (f,) or not
    size: Integers
    closed: Booleans
    point: Integers  # (f,)
    after: Integers  # (r,) the next position counter-clockwise, −1 at a gap
    before: Integers


def fans_of(topology: Topology, points: Booleans) -> Fans:
    """The fans of corners around the masked points: (n,)."""
    all_corners, offsets, all_closed = topology.point_rings
    chosen = np.flatnonzero(points[topology.corners[all_corners[offsets[:-1]]]])
    size, closed = np.diff(offsets)[chosen], all_closed[chosen]
    corner = all_corners[ranges(offsets[:-1][chosen], size)]
    start = offsets_from_sizes(size)[:-1]
    fan = np.repeat(np.arange(len(size)), size)
    position = np.arange(len(corner))
    end = start + size - 1
    after = np.where(position == end[fan], np.where(closed[fan], start[fan], -1), position + 1)
    before = np.where(position == start[fan], np.where(closed[fan], end[fan], -1), position - 1)
    place = inverse_of(corner, topology.n_corners)
    return Fans(corner, fan, place, start, size, closed, topology.corners[corner[start]], after, before)


def held_back(mesh: Mesh, fans: Fans, first_move: Floats, last_move: Floats, width: float, pairs: Integers) -> Floats:
    """The width at each fan, or less where the new ends of an edge would pass each other: (f,).

    pairs: (p, 2) fans of one chain; each chain goes as far as its narrowest place allows. Raises EditError where an
    edge beside it has no length.
    """
    topology = mesh.topology
    # Half-edges that start or end at one of the fans.
    corner = np.concatenate((fans.corner, topology.previous_corner[fans.corner]))
    here, there = fans.place[corner], fans.place[topology.next_corner[corner]]
    along = mesh.points[topology.corner_end[corner]] - mesh.points[topology.corners[corner]]
    length = np.linalg.norm(along, axis=1)
    leaving = np.where((here >= 0)[:, None], last_move[here], 0.0)
    arriving = np.where((there >= 0)[:, None], first_move[there], 0.0)
    chains, label = connected_labels(pairs, len(fans.size))
    one = np.where(here >= 0, label[fans.fan[here]], -1)
    other = np.where(there >= 0, label[fans.fan[there]], -1)
    way = unit(along)
    out, back = np.einsum("ij,ij->i", leaving, way), -np.einsum("ij,ij->i", arriving, way)
    # Ends of two chains may go different distances: then nobody counts on the other making room.
    closing = np.where(one == other, out + back, np.maximum(out, 0.0) + np.maximum(back, 0.0))
    meets = closing > 1e-12
    room = np.full(chains, np.inf)
    for chain in (one, other):
        chosen = meets & (chain >= 0)
        np.minimum.at(room, chain[chosen], length[chosen] / closing[chosen])
    if (room <= 0).any():
        raise EditError("There is no room for a bevel: an edge beside it has no length.")
    return np.asarray(np.where(width < CLOSEST * room, width, CLOSEST * room)[label])


def what_was_held(width: float, used: Floats, left: int, off: float = 0.0, narrow: float = 1.0) -> str:
    """What a bevel could not do as asked, in sentences.

    used: (f,) the width at each fan; left: edges that stayed; off: how far corners lie off the old faces, mm; narrow:
    the share of the width that is left at sharp angles.
    """
    said = []
    held = used < width * (1 - 1e-9)
    if held.any():
        where = "" if held.all() else f"at {counted(int(held.sum()), 'point')} "
        said.append(f"The width was held {where}at {used.min():.4g} mm, where new edges would meet.")
    if narrow < 1.0:
        said.append(f"Where edges run along each other the strip is narrower, down to {narrow * width:.4g} mm.")
    if off > 1e-6 * width:
        said.append(f"Corners between faces that no point serves lie off them by up to {off:.4g} mm.")
    if left:
        said.append(f"{left} of the edges {'has' if left == 1 else 'have'} no face on both sides and stayed.")
    return " ".join(said)


def arc(between: Floats, ratio: Floats, roundness: float) -> tuple[Floats, Floats]:
    """Shares of the two arms at ratios along an arc that touches both: (s, r) each.

    between: (s,) the angle between the arms. In the arms' frame the circle's middle is at (k, k), k = 1 / (1 + cos).
    """
    sweep = np.pi - between[:, None]
    flat = (sweep < 1e-6) | (sweep > np.pi - 1e-3)
    safe = np.where(flat, 1.0, sweep)
    k = 1.0 / (1.0 + np.cos(np.pi - safe))
    near = np.sin((1 - ratio) * safe) / np.sin(safe)
    far = np.sin(ratio * safe) / np.sin(safe)
    one = k + near * (1 - k) - far * k
    two = k - near * k + far * (1 - k)
    one, two = np.where(flat, 1 - ratio, one), np.where(flat, ratio, two)
    return (1 - ratio) + roundness * (one - (1 - ratio)), ratio + roundness * (two - ratio)


def put_patches(
    sides: Integers, places: Floats, middles: Floats, old: Floats, origin: Integers, builder: MeshBuilder
) -> None:
    """Rounded corners of one kind, bulging towards the old point."""
    towards = unit(old - places[:, :, 0].mean(axis=1))
    quads, owner, middle_faces, new = corner_patches(sides, places, middles, towards, builder.n_points)
    builder.points(new, in_faces=True)
    builder.faces(quads, origin[owner])
    if len(middle_faces):
        builder.faces(middle_faces, origin)


def without_bevelled_tags(
    edit: Edit, old: Mesh, chosen: Booleans, replaced: Integers, middle: Integers
) -> tuple[Edit, str]:
    """The edit with what was sharp at bevelled edges and points gone, and what of named sets has no heir, in words.

    chosen: (e,) the bevelled edges; replaced: old points that others took the place of; middle: (m, 2) the point pairs
    of the loops through the strips' middles, the heirs of sets and seams. Without them a seam stays on one side.
    """
    mesh, origin = edit.mesh, edit.origin
    creases = mesh.creases.copy()
    strips = np.flatnonzero((origin.edges >= 0) & chosen[origin.edges])
    creases[strips] = 0.0
    heirs = mesh.topology.find_edges(middle)
    is_heir = mask_of(heirs[heirs >= 0], mesh.n_edges)
    seam = mesh.seams.copy()
    first = np.zeros(len(strips), dtype=np.bool_)
    first[np.unique(origin.edges[strips], return_index=True)[1]] = True
    seam[strips] &= is_heir[strips] if len(middle) else first
    sharpness = mesh.corner_sharpness.copy()
    gone = mask_of(replaced, old.n_points)
    sharpness[(origin.points >= 0) & gone[origin.points]] = 0.0
    is_gone = mask_of(strips, mesh.n_edges) & ~is_heir
    kept = without_members(mesh, {"edges": is_gone})
    orphaned = [
        f"“{before.name}”"
        for before, after in zip(mesh.sets, kept.sets, strict=True)
        if len(before.indices) and not len(after.indices)
    ]
    said = ""
    if orphaned:
        sets = "set" if len(orphaned) == 1 else "sets"
        said = f"The {sets} {', '.join(orphaned)} {verb(len(orphaned), 'has', 'have')} no edges any more: "
        said += "only a bevel with a middle loop, or of an even number of steps, hands them on."
    mesh = replace(kept, crease_sharpness=creases, seam=seam, corner_sharpness=sharpness)
    return replace(edit, mesh=mesh), said
