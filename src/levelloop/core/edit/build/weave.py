"""Boundaries closed with grids of quads, flat or following the surface around."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers, chains, inverse_of, sum_by
from levelloop.core.edit.build.fill import directed, outlines_of
from levelloop.core.errors import EditError
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped, through
from levelloop.core.mesh.selection import Selection
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Grid:
    """A grid of points over an outline: numbers (r, c) with −1 inside, and their places (r, c, 3)."""

    numbers: Integers
    places: Floats


def weave(mesh: Mesh, selection: Selection, turn: int = 0, blend: float = 1.0) -> Edit:
    """Closes a boundary with a grid of quads, or the boundary that two opposite chains of edges belong to.

    The loop needs an even number of edges; chains say where the grid's corners are. turn: moves the corners on by
    so many edges; blend: 1 follows the surface around, 0 spans it straight. Selected after: the new faces. Raises
    EditError for anything but closed boundaries, or two chains of one opposite each other.
    """
    if selection.kind != "edges" or len(selection) < 2:
        raise EditError("To weave, select a closed boundary, or two opposite chains of it.")
    topology = mesh.topology
    if not topology.open_edges[selection.indices].all() and not topology.wire_edges[selection.indices].all():
        raise EditError("A weave closes open edges; some of the selected edges have faces on both sides.")
    runs = chains(topology.edges[np.sort(selection.indices)], mesh.n_points)
    if all(closed for _, closed in runs):
        loops = [(directed(mesh, members), 0, len(members) // 4) for members, _ in runs]
    elif len(runs) == 2 and not any(closed for _, closed in runs):
        loops = [_between_chains(mesh, runs[0][0], runs[1][0])]
    else:
        raise EditError("A weave needs closed boundaries, or exactly two chains opposite each other.")
    return woven(mesh, loops, turn, blend)


def woven(mesh: Mesh, loops: list[tuple[Integers, int, int]], turn: int, blend: float) -> Edit:
    """Grids over loops: each its points in order, where its first corner is, and how many edges wide it is.

    Raises EditError for an odd number of edges, or fewer than four.
    """
    builder = MeshBuilder(mesh)
    for loop, corner, across in loops:
        count = len(loop)
        if count % 2:
            raise EditError(f"Quads close a boundary with an even number of edges; this one has {count}.")
        if count < 4 or not 1 <= across <= count // 2 - 1:
            raise EditError("A grid of quads needs a boundary of at least four edges, in two pairs of equal sides.")
        grid = _grid(mesh, np.roll(loop, -(corner + turn)), across, count // 2 - across, blend)
        inside = grid.numbers < 0
        numbers = grid.numbers.copy()
        numbers[inside] = builder.points(grid.places[inside])
        quads = np.stack((numbers[:-1, :-1], numbers[:-1, 1:], numbers[1:, 1:], numbers[1:, :-1]), axis=2).reshape(
            -1, 4
        )
        builder.faces(quads)
    return builder.edit()


def fill_with_quads(mesh: Mesh, selection: Selection, turn: int = 0) -> Edit:
    """Closes each selected boundary with a flat grid of quads.

    Its corners lie where face loops over it come back soonest by what is across, else where they make it most square;
    turn: moves them on by so many edges.
    """
    edit = Edit(mesh, Selection("faces", np.zeros(0, np.int64)), identity(mesh))
    for outline in outlines_of(mesh, selection):
        # One after the other: what the first one has closed is what lies across from the second. Points are only added.
        loop = directed(edit.mesh, outline)
        across = max(1, len(loop) // 4)
        corner = _matching_corner(edit.mesh, loop, across)
        once = woven(edit.mesh, [(loop, corner, across)], turn, 0.0)
        both = np.concatenate((mapped(edit.selection, once.origin).indices, once.selection.indices))
        edit = Edit(once.mesh, Selection("faces", both), through(edit.origin, once.origin))
    return edit


# Helpers


def _between_chains(mesh: Mesh, one: Integers, other: Integers) -> tuple[Integers, int, int]:
    """The boundary loop that two chains lie on, from the first chain's start on, and how long the chains are."""
    topology = mesh.topology
    if len(one) != len(other):
        raise EditError(f"Opposite chains need equally many edges; these have {len(one) - 1} and {len(other) - 1}.")
    edge = topology.find_edges(np.stack((one[:-1], one[1:]), axis=1))[:1]
    reached = Selection("edges", edge)
    from levelloop.core.mesh.selection import select_boundary

    rim = select_boundary(topology, reached) if topology.open_edges[edge[0]] else reached
    runs = chains(topology.edges[rim.indices], mesh.n_points)
    loop = next((members for members, closed in runs if closed and np.isin(one, members).all()), None)
    if loop is None or not np.isin(other, loop).all():
        raise EditError("The two chains lie on different boundaries; bridge them instead.")
    loop = directed(mesh, loop)
    place = np.full(mesh.n_points, -1, dtype=np.int64)
    place[loop] = np.arange(len(loop))
    count = len(loop)

    def first(chain: Integers) -> int:
        ends = place[chain[[0, -1]]]
        return int(ends[0] if (ends[1] - ends[0]) % count == len(chain) - 1 else ends[1])

    start, across = first(one), len(one) - 1
    gap = (first(other) - start) % count - across
    if gap * 2 + across * 2 != count:
        raise EditError(
            f"Between the two chains lie {gap} and {count - 2 * across - gap} edges; a grid needs equally many."
        )
    return loop, start, across


def _matching_corner(mesh: Mesh, loop: Integers, across: int) -> int:
    """Where a grid over a loop begins: where all its rows go on as the faces across do, else as is most square."""
    topology, count = mesh.topology, len(loop)
    square = _best_corner(mesh.points[loop], across)
    edges = topology.find_edges(np.stack((loop, np.roll(loop, -1)), axis=1))
    if (edges < 0).any() or count % 2:
        return square
    # Edges of the loop that one ring of faces joins over what is across.
    labels = np.minimum(topology.ring_label[2 * edges], topology.ring_label[2 * edges + 1])
    order = np.argsort(labels, kind="stable")
    twice = np.bincount(labels)[labels] == 2
    if not twice.all():
        return square
    partner = np.empty(count, dtype=np.int64)
    partner[order[0::2]], partner[order[1::2]] = order[1::2], order[0::2]
    along = count // 2 - across
    step = np.arange(count)
    # Side by side from the first corner on: edges of one side face those of the opposite one, backwards.
    mirrored = np.where(step < across, 2 * across + along - 1 - step, across + count - 1 - step)
    half = across + along
    mirrored[half:] = inverse_of(mirrored[:half], count)[half:]
    fits = [bool((partner[(step + corner) % count] == (mirrored + corner) % count).all()) for corner in range(count)]
    if not any(fits):
        return square
    return square if fits[square] else int(np.argmax(fits))


def _best_corner(outline: Floats, across: int) -> int:
    """Where a grid of that width begins so that its corners are the sharpest turns of an outline."""
    count = len(outline)
    ahead, behind = unit(np.roll(outline, -1, axis=0) - outline), unit(outline - np.roll(outline, 1, axis=0))
    turn = 1.0 - np.einsum("ij,ij->i", ahead, behind)
    along = count // 2 - across
    corners = np.array([0, across, across + along, 2 * across + along])
    score = turn[(np.arange(count)[:, None] + corners) % count].sum(axis=1)
    # Where all turns are alike the grid lies evenly about the first point.
    return int(np.argmax(np.round(score, 9))) if np.ptp(score) > 1e-6 else (-(across // 2)) % count


def _grid(mesh: Mesh, loop: Integers, across: int, along: int, blend: float) -> Grid:
    """The grid over a loop that begins at its first corner: Coons' patch (Coons 1967), or curves that go on."""
    outline = mesh.points[loop]
    rows = np.concatenate((np.zeros(across), np.arange(along), np.full(across, along), np.arange(along, 0, -1)))
    columns = np.concatenate((np.arange(across), np.full(along, across), np.arange(across, 0, -1), np.zeros(along)))
    row, column = rows.astype(np.int64), columns.astype(np.int64)
    numbers = np.full((along + 1, across + 1), -1, dtype=np.int64)
    places = np.zeros((along + 1, across + 1, 3))
    numbers[row, column], places[row, column] = loop, outline
    v, u = np.meshgrid(np.arange(along + 1) / along, np.arange(across + 1) / across, indexing="ij")
    u, v = u[..., None], v[..., None]
    corners = (
        (1 - u) * (1 - v) * places[0, 0]
        + u * (1 - v) * places[0, -1]
        + (1 - u) * v * places[-1, 0]
        + u * v * places[-1, -1]
    )
    coons = (1 - v) * places[:1] + v * places[-1:] + (1 - u) * places[:, :1] + u * places[:, -1:] - corners
    result = coons
    if blend > 0:
        outward = np.zeros_like(places)
        outward[row, column] = _going_on(mesh, loop)
        sideways = _curves(places[:, :1], places[:, -1:], outward[:, :1], outward[:, -1:], u)
        upward = _curves(places[:1], places[-1:], outward[:1], outward[-1:], v)
        weight_u, weight_v = v * (1 - v), u * (1 - u)
        total = np.maximum(weight_u + weight_v, 1e-12)
        bent = (weight_u * sideways + weight_v * upward) / total
        result = coons + blend * (bent - coons)
    result = np.array(result)
    result[row, column] = outline
    return Grid(numbers, result)


def _curves(start: Floats, end: Floats, leaves: Floats, arrives: Floats, share: Floats) -> Floats:
    """Cubic Hermite curves that leave a boundary as the surface beyond it runs in, and arrive likewise."""
    span = end - start
    length = np.linalg.norm(span, axis=2, keepdims=True)
    # An arc that turns by φ leaves with 1 / cos²(φ/4) of its chord, to be as round as a cubic can.
    turn = np.arccos(np.clip(-(leaves * arrives).sum(axis=2, keepdims=True), -1.0, 1.0))
    reach = length / np.cos(turn / 4.0) ** 2
    # Where no surface runs in, straight on.
    first = np.where(np.any(leaves, axis=2, keepdims=True), leaves * reach, span)
    last = np.where(np.any(arrives, axis=2, keepdims=True), -arrives * reach, span)
    t = share
    return np.asarray(
        (2 * t**3 - 3 * t**2 + 1) * start
        + (t**3 - 2 * t**2 + t) * first
        + (-2 * t**3 + 3 * t**2) * end
        + (t**3 - t**2) * last
    )


def _going_on(mesh: Mesh, loop: Integers) -> Floats:
    """For each point of a boundary the unit direction in which the edges that end there would go on: (n, 3)."""
    topology = mesh.topology
    inner = ~topology.open_edges & ~topology.wire_edges
    ends = topology.edges[inner]
    total = sum_by(ends[:, 0], unit(mesh.points[ends[:, 0]] - mesh.points[ends[:, 1]]), mesh.n_points)
    total += sum_by(ends[:, 1], unit(mesh.points[ends[:, 1]] - mesh.points[ends[:, 0]]), mesh.n_points)
    return unit(total[loop])
