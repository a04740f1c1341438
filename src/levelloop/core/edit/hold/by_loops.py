"""Edges held by loops: support loops beside them, and spacing loops beyond where the next ones lie far off."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of
from levelloop.core.edit.hold.flats import Ringed, ringed
from levelloop.core.edit.hold.lines import divided, laid_out, room
from levelloop.core.edit.hold.radius import tip_radius
from levelloop.core.edit.hold.turns import LEAST_FOLD, Turns, directions, on_corners, sides_of, slid, turning_corners
from levelloop.core.errors import EditError
from levelloop.core.limits import check_fits
from levelloop.core.mesh.faces import concave_faces, edge_folds, face_areas
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity, mapped, through
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass
from levelloop.core.words import counted

BISECTIONS = 10
NEAR = 0.6  # of the way to the next loop: nearer than that a loop is there to hold
UNLIKE = 3.0  # times as far as it should be: that far away a loop was not put there to hold
ROOMY = 1.2  # times: a little farther than that a spacing loop is not worth it
FLAT = 10.0  # degrees of a loop that holds
SPACING = 3.0  # supports; a next loop farther beyond the support than that lets the turn tighten beside its tip

Settle = Callable[[Mesh, Integers], tuple[Turns, Floats]]


@dataclass(frozen=True, eq=False)
class ByLoops:
    """Edges held by loops.

    edit: the support loops are selected; distances: (h,) mm of the supports, in the order of turns; ended: how many
    faces with other than four sides a loop ended at; moved: loops that were there were moved, and "all" if no other was
    needed; ringed: flats have got a ring to make room.
    """

    edit: Edit
    turns: Turns
    distances: Floats
    ended: int
    moved: Literal["", "some", "all"]
    ringed: bool

    def told(self, radius: float | None) -> str:
        """What was done, in sentences: how far off the supports lie, what they give, where runs ended."""
        low, high = float(self.distances.min()), float(self.distances.max())
        said = few(low) if high - low < 1e-3 * high else f"{few(low)} to {few(high)}"
        moved = {"": "", "some": "Loops that were there were moved. ", "all": "The loops that were there were moved. "}
        told = f"{moved[self.moved]}Supports at {said} mm."
        across, angle = self.turns.across, self.turns.angle
        if radius is None:
            tips = tip_radius(across, across[np.arange(len(across)) ^ 3])
            told += f" They give {few(float(tips.min()))} to {few(float(tips.max()))} mm at the tip."
        else:
            recess = float((2.0 / 3.0 * radius / np.tan(angle / 2.0) ** 2).max())
            told += f" The edge recedes by up to {few(recess)} mm."
        if self.ringed:
            told += " What lies inside the flats was drawn in to make room."
        if self.ended:
            told += f" The loops ended at {counted(self.ended, 'face', 'faces')} with other than four sides."
        return told


def held_by_loops(
    mesh: Mesh, edges: Integers, held: Booleans, settle: Settle, what: str, given: float, moves: bool
) -> ByLoops:
    """The edges with support loops beside their held half-edges (k,), as far off as settle says.

    what, given: what was typed, for the sentence where it does not fit; moves: loops that hold there are moved instead.
    Where the faces beside are too narrow, flats whose whole outline is held get a ring first. Raises EditError.
    """
    turns, values = settle(mesh, edges)
    try:
        done = _held(mesh, edges, held, turns, values, moves)
        refused = None
    except EditError as error:
        done, refused = None, error
    if done is not None:
        return done
    rings = ringed(mesh, edges, held, float(np.median(values)))
    if rings is None and refused is not None:
        raise refused
    on_rings = None if rings is None else settle(rings.edit.mesh, rings.edges)

    def tried(share: float) -> ByLoops | None:
        if rings is None or on_rings is None:
            return _held(mesh, edges, held, turns, share * values, moves)
        return _held_with_rings(rings, on_rings[0], share * on_rings[1])

    done = tried(1.0) if rings is not None else None
    if done is None:
        raise largest_fit(lambda share: tried(share) is not None, what, given)
    return done


def cut_beside(mesh: Mesh, held: Booleans, near: Floats, off: Floats, turn: Booleans) -> tuple[Edit, int] | None:
    """The mesh with lines beside half-edges, and at how many faces with other than four sides one ended.

    None where the faces beside are too narrow. Raises EditError where lines cannot be laid at all.
    """
    lines = laid_out(mesh, held, near, off, turn)
    check_fits(mesh.n_faces + 4 * int(lines.beside.sum()))
    if room(mesh, lines) < 1.0:
        return None
    edit, ended = divided(mesh, lines)
    return None if _folds(mesh, edit) else (edit, ended)


def largest_fit(fits: Callable[[float], bool], what: str, given: float) -> EditError:
    """That what is given does not fit, and what would; fits: whether a share of it does."""
    low, high = 0.0, 1.0
    for _ in range(BISECTIONS):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if fits(middle) else (low, middle)
    most = few(given * low)
    return EditError(f"The faces beside are too narrow for that; the largest {what} that fits is {most} mm.")


def spaced(mesh: Mesh, edit: Edit, held: Booleans, near: Floats, off: Floats, times: float) -> Edit:
    """The edit with another loop where the next one lies farther than so many supports beyond a support."""
    topology, made = mesh.topology, edit.mesh
    new = made.topology
    wanted = np.zeros((2, new.n_corners))
    distance = np.maximum(near, off)
    # The face beyond a support: it has the support's edge as a side, and a strip from a face held there across it.
    source = edit.origin.faces[new.corner_face]
    is_line = mask_of(edit.selection.indices, new.n_edges)[new.corner_edge]
    twin = new.twin
    largest = np.zeros(topology.n_faces)
    np.maximum.at(largest, topology.corner_face[held], distance[held])
    first_new = mesh.n_points
    beside = np.zeros(new.n_corners, dtype=np.bool_)
    # In a quad any of its sides, of another face all of them: that is inset once more.
    quad = new.face_sizes == 4
    inset = ~quad & np.logical_and.reduceat(is_line, new.face_offsets[:-1])
    candidates = np.flatnonzero(is_line & (quad | inset)[new.corner_face] & (twin >= 0))
    # The strip on the other side of the support touches an edge of the cage that is held.
    across = new.next_corner[new.next_corner[np.maximum(twin[candidates], 0)]]
    old_edge = edit.origin.edges[new.corner_edge[across]]
    held_edges_mask = mask_of(topology.corner_edge[held], topology.n_edges)
    candidates = candidates[(old_edge >= 0) & held_edges_mask[old_edge]]
    reach = times * largest[source[twin[candidates]]]
    before, after = new.previous_corner[candidates], new.next_corner[candidates]
    lengths = np.linalg.norm(made.points[new.corner_end] - made.points[new.corners], axis=1)
    face = new.corner_face[candidates]
    around = np.bincount(new.corner_face, lengths, new.n_faces)
    half_width = 2.0 * face_areas(new, made.points) / np.maximum(around, 1e-300)
    deep = np.where(quad[face], np.minimum(lengths[before], lengths[after]), half_width[face])
    roomy = deep > ROOMY * reach
    beside[candidates[roomy & (reach > 0)]] = True
    if not beside.any():
        return edit
    # Not nearer to what comes after it than to the support: there it would hold that.
    wanted[:, candidates] = np.minimum(reach, 0.5 * deep)
    ring_turn = beside & beside[new.previous_corner]
    turn = ring_turn & _inner_corner(new, edit, first_new)
    try:
        lines = laid_out(made, beside, wanted[0], wanted[1], turn)
    except EditError:
        return edit
    crossed = mask_of(np.flatnonzero(lines.cut) // 2, new.n_edges)
    old = edit.origin.edges
    across_held = crossed & (old >= 0) & (held_edges_mask & _bent(mesh, held_edges_mask))[np.maximum(old, 0)]
    if room(made, lines) < 1.0 or across_held.any():
        # A loop that only rounds what lies beside is not worth one through the turn.
        return edit
    more, _ = divided(made, lines)
    if _folds(made, more):
        return edit
    chosen = mapped(edit.selection, more.origin)
    return Edit(more.mesh, chosen, through(edit.origin, more.origin))


def few(value: float) -> str:
    """A length in a sentence: three digits."""
    return f"{value:.3g}"


# Helpers


def _held(mesh: Mesh, edges: Integers, held: Booleans, turns: Turns, values: Floats, moves: bool) -> ByLoops | None:
    """The edges held as far off as values (h,) say; None where the faces beside are too narrow."""
    near, off = on_corners(mesh, turns, values)
    moved, by_half = edges[:0], held
    if moves:
        mesh, held, moved = _with_loops_moved(mesh, edges, held, turns, values)
    if not held.any():
        edit = Edit(mesh, Selection("edges", distinct(moved)), identity(mesh))
        return ByLoops(spaced(mesh, edit, by_half, near, off, SPACING), turns, values, 0, "all", False)
    cut = cut_beside(mesh, held, near, off, turning_corners(mesh.topology, edges))
    if cut is None:
        return None
    edit = _also_selected(spaced(mesh, cut[0], held, near, off, SPACING), moved)
    return ByLoops(edit, turns, values, cut[1], "some" if len(moved) else "", False)


def _held_with_rings(rings: Ringed, turns: Turns, values: Floats) -> ByLoops | None:
    """The edges held, on flats by their rings; None where there is no room."""
    mesh = rings.placed(turns, values)
    if mesh is None:
        return None
    held, rows = rings.held & ~rings.on_flat, rings.edit.selection.indices
    edit, ended = Edit(mesh, rings.edit.selection, identity(mesh)), 0
    if held.any():
        near, off = on_corners(mesh, turns, values)
        cut = cut_beside(mesh, held, near, off, turning_corners(mesh.topology, rings.edges))
        if cut is None:
            return None
        edit, ended = _also_selected(spaced(mesh, cut[0], held, near, off, SPACING), rows), cut[1]
    return ByLoops(replace(edit, origin=through(rings.edit.origin, edit.origin)), turns, values, ended, "", True)


def _also_selected(edit: Edit, edges: Integers) -> Edit:
    """The edit with what became of other edges selected too."""
    kept = mapped(Selection("edges", distinct(edges)), edit.origin).indices
    return replace(edit, selection=Selection("edges", distinct(np.concatenate((edit.selection.indices, kept)))))


def _with_loops_moved(
    mesh: Mesh, edges: Integers, held: Booleans, turns: Turns, values: Floats
) -> tuple[Mesh, Booleans, Integers]:
    """The mesh with loops slid to where they hold, which half-edges still need one, and the edges of what was slid.

    A loop is there to hold an edge on one side where it lies near all along it, does not fold itself, and has room.
    """
    topology = mesh.topology
    sides = sides_of(mesh, edges)
    folds = edge_folds(topology, mesh.points)
    there = (sides.support >= 0) & (folds[np.maximum(sides.support, 0)] < FLAT)
    there &= (sides.distance <= NEAR * sides.behind) & (values < sides.distance + 0.999 * sides.behind)
    there &= sides.distance <= UNLIKE * values
    # By half-edge: entries come in pairs, its start and its end.
    fits = there.reshape(-1, 2).all(axis=1) & held[turns.half[::2]]
    # A loop that several edges share is slid where it serves them all.
    point = distinct(sides.loop[np.repeat(held[turns.half[::2]] & ~fits, 2)])
    fits &= ~np.isin(sides.loop, point).reshape(-1, 2).any(axis=1)
    if not fits[held[turns.half[::2]]].all():
        # Spacing loops are for what is cut anew: where one would be needed a loop is not moved alone.
        gap = sides.distance + sides.behind - values
        fits &= (gap <= ROOMY * SPACING * values).reshape(-1, 2).all(axis=1)
    if not fits.any():
        return mesh, held, np.zeros(0, dtype=np.int64)
    chosen = np.repeat(fits, 2)
    slid_mesh = mesh.with_points(slid(mesh, sides, values, chosen))
    left = held.copy()
    left[turns.half[chosen]] = False
    return slid_mesh, left, sides.support[chosen]


def _folds(mesh: Mesh, edit: Edit) -> bool:
    """Whether a face that was convex has got a piece that is not: loops have gone beyond each other."""
    concave = concave_faces(edit.mesh.topology, edit.mesh.points)
    return bool((concave & ~concave_faces(mesh.topology, mesh.points)[edit.origin.faces]).any())


def _bent(mesh: Mesh, held: Booleans) -> Booleans:
    """Held edges with an end where their run goes on in another direction: another point there would flatten it."""
    topology, points = mesh.topology, mesh.points
    ends = topology.edges[held]
    way = directions(points[ends[:, 1]] - points[ends[:, 0]])
    degree = np.bincount(ends.ravel(), minlength=topology.n_points)
    away = np.zeros((topology.n_points, 3))
    np.add.at(away, ends[:, 0], way)
    np.add.at(away, ends[:, 1], -way)
    turning = (degree == 2) & (np.linalg.norm(away, axis=1) > np.radians(LEAST_FOLD))
    return np.asarray(turning[topology.edges].any(axis=1))


def _inner_corner(topology: Topology, edit: Edit, first_new: int) -> Booleans:
    """Corners at points inside old faces where two supports met and ended."""
    inner = np.zeros(topology.n_points, dtype=np.bool_)
    inner[first_new:] = edit.origin.points[first_new:] < 0
    return np.asarray(inner[topology.corners] & (topology.valence[topology.corners] == 3))
