"""Copies that stay in the part: rows and rings of them, a mirrored side, one slice of many."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, box_of, distinct, mask_of, sum_by
from levelloop.core.edit.divide.slicing import slice_planes
from levelloop.core.edit.join.weld import weld as welded
from levelloop.core.edit.move.transform import pivot_place
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_plane, as_vector, axis_turn
from levelloop.core.limits import check_fits
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.directions import flipped
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, Origin, identity, mapped, through
from levelloop.core.mesh.outlines import drop_faces, merge_points
from levelloop.core.mesh.selection import NOTHING, Selection, points_of, select_all
from levelloop.core.progress import pieces
from levelloop.core.tolerance import AUTOMATIC, last_place, settled
from levelloop.core.words import counted

UVOfCopies = Literal["stack", "side by side"]
SAME_ANGLE = 1e-9  # radians
MOST_PAIRS = 2_000_000  # of points whose distance is looked at; beyond, finding what lies together anew is faster
NEAR_MIDDLE = 0.25  # of an edge: a rim point that near to the plane was meant to lie on it


def array(
    mesh: Mesh,
    selection: Selection,
    count: int = 2,
    move: Any = (0.0, 0.0, 0.0),
    rotate: float = 0.0,
    axis: Any = "z",
    pivot: Any = "origin",
    scale: float = 1.0,
    weld: float | None = None,
    uv: UVOfCopies = "stack",
) -> Edit:
    """Repeats the selected faces or wires, or all: each copy moved, turned and scaled once more than the one before.

    count: with the original; move: (x, y, z) mm; rotate: degrees about an axis through the pivot; weld: mm within
    which points of the original and its copies become one, None: none do. uv: copies share the original's, or have it
    side by side, each one picture farther right. Selected after: all of them.
    """
    faces, wires = _chosen(mesh, selection, "An array")
    check_fits(count * (len(faces) + len(wires)))
    piece, piece_origin = _piece(mesh, faces, wires)
    centre = pivot_place(mesh, Selection("points", distinct(piece_origin.points)), pivot)
    places = _repeated(piece.points, count, centre, _turn_of(axis, rotate) * scale, as_vector(move))
    copies = [piece.with_points(points) for points in pieces(list(places[1:]))]
    if uv != "stack":
        copies = [_uv_aside(copy, number) for number, copy in enumerate(copies, 1)]
    edit = with_copies(mesh, copies, piece_origin)
    if len(faces):
        chosen = Selection("faces", np.concatenate((faces, np.arange(mesh.n_faces, edit.mesh.n_faces))))
    else:
        chosen = Selection("edges", np.flatnonzero(np.isin(edit.origin.edges, wires)))
    if weld is None or count < 2:
        return Edit(edit.mesh, chosen, edit.origin)
    own = np.zeros(mesh.n_points, dtype=np.int64)
    copy_of = np.concatenate((own, np.repeat(np.arange(1, count), piece.n_points)))
    once = welded(edit.mesh, Selection("points", points_of(edit.mesh.topology, chosen)), weld, between=copy_of)
    return Edit(once.mesh, mapped(chosen, once.origin), through(edit.origin, once.origin), once.message, once.became)


def follow_array(
    before: Mesh,
    edit: Edit,
    mesh: Mesh,
    count: int = 2,
    move: Any = (0.0, 0.0, 0.0),
    rotate: float = 0.0,
    axis: Any = "z",
    pivot: Any = "origin",
    scale: float = 1.0,
    weld: float | None = None,
    uv: UVOfCopies = "stack",
) -> Floats | None:
    """Where the points of a repeated mesh go when only its points have moved; None where it must be made anew.

    before, edit: the mesh it was made of and what came of it; mesh: the same faces with points elsewhere. What was
    welded must still lie together, and nothing else may.
    """
    n, became = mesh.n_points, edit.became
    centre = pivot_place(mesh, NOTHING, pivot)
    places = _repeated(mesh.points, count, centre, _turn_of(axis, rotate) * scale, as_vector(move))
    flat = places.reshape(-1, 3)
    if weld is None or count < 2 or became is None:
        return flat if weld is None and len(flat) == edit.mesh.n_points else None
    if scale != 1.0 or len(became) != len(flat) or became.min() < 0:
        return None
    size = np.bincount(became, minlength=edit.mesh.n_points)
    result = sum_by(became, flat, len(size)) / size[:, None]
    joined = np.flatnonzero(size[became] > 1)
    apart = flat[joined] - result[became[joined]]
    within = settled(weld, mesh.points, mesh.topology.edges)
    # Where it hangs on the last digits, it is found out anew.
    surely = within + 8.0 * last_place(flat)
    if 2.0 * float(np.sqrt(np.einsum("nk,nk->n", apart, apart).max(initial=0.0))) > max(within, last_place(flat)):
        return None
    moved = np.flatnonzero((mesh.points != before.points).any(axis=1))
    if pivot == "middle" and not np.array_equal(centre, pivot_place(before, NOTHING, pivot)):
        moved = np.arange(n)
    return result if _meet_as_before(places, moved, surely, became.reshape(count, n)) else None


def mirror_across(
    mesh: Mesh,
    selection: Selection,
    plane: Any = "x",
    keep: str | None = None,
    weld: float = AUTOMATIC,
    aside: int = 0,
) -> Edit:
    """Makes the selected faces or wires, or all, symmetric: their copy across a plane, welded along it.

    keep: None adds a copy of what is there; "+" or "−" keeps that side, cut at the plane, and replaces the other.
    weld: mm within which points count as on the plane; they are put onto it exactly. Faces that lie in the plane
    would be walls inside and go. aside: pictures that the copy's UV is moved to the right. Selected after: the new
    side. Raises EditError for an unknown side to keep, or
    where nothing lies on it.
    """
    point, normal = as_plane(plane)
    if keep not in (None, "+", "-", "−"):
        raise EditError(f"Keep is + or −, or nothing to add a copy, not {keep!r}.")
    faces, wires = _chosen(mesh, selection, "A mirror")
    topology = mesh.topology
    concerned = np.concatenate(
        (topology.edges[topology.corner_edge[topology.corners_of_faces(faces)]], topology.edges[wires])
    )
    weld = settled(weld, mesh.points, concerned)
    # Points near the plane go onto it first, so that the cut makes no slivers.
    distance = (mesh.points - point) @ normal
    near = mask_of(concerned.ravel(), mesh.n_points) & (np.abs(distance) <= weld)
    flat = mesh.with_points(mesh.points - (distance * near)[:, None] * normal)
    edit = Edit(flat, Selection("faces", faces), identity(mesh))
    if keep is not None:
        if len(wires):
            raise EditError("One side of wires is kept by slicing them first; add a copy instead.")
        side = "front" if keep == "+" else "back"
        cut = slice_planes(flat, edit.selection, (point, normal), (0.0,), side)
        kept = np.flatnonzero(np.isin(cut.origin.faces, faces))
        edit = Edit(cut.mesh, Selection("faces", kept), cut.origin)
    if len(edit.selection) == 0 and not len(wires):
        raise EditError("There is nothing on that side of the plane to mirror.")
    slack = max(last_place(edit.mesh.points), weld * 1e-3)
    on_plane = np.abs((edit.mesh.points - point) @ normal) <= slack
    topology = edit.mesh.topology
    walls = np.zeros(edit.mesh.n_faces, dtype=np.bool_)
    if edit.mesh.n_faces:
        walls = np.logical_and.reduceat(on_plane[topology.corners], topology.face_offsets[:-1])
        walls &= edit.selection.mask(topology)
    if walls.any():
        if walls[edit.selection.indices].all():
            raise EditError("All of it lies in the plane; there is nothing to mirror.")
        bare, dropped = drop_faces(edit.mesh, walls, keep_unattached=False)
        edit = Edit(bare, mapped(edit.selection, dropped), through(edit.origin, dropped))
        on_plane = on_plane[dropped.points]
    own_wires = np.flatnonzero(np.isin(edit.origin.edges, wires) & edit.mesh.topology.wire_edges)
    piece, piece_origin = _piece(edit.mesh, np.sort(edit.selection.indices), own_wires)
    across = (piece.points - point) @ normal
    copy = flipped(
        piece.with_points(piece.points - 2.0 * across[:, None] * normal), np.ones(piece.n_faces, dtype=np.bool_)
    )[0]
    both = with_copies(edit.mesh, [_uv_aside(copy, aside)], piece_origin)
    # The copies of points on the plane are those points themselves.
    target = np.arange(both.mesh.n_points)
    copied = np.flatnonzero(on_plane[piece_origin.points])
    target[edit.mesh.n_points + copied] = piece_origin.points[copied]
    keeps = target == np.arange(both.mesh.n_points)
    new_mesh, origin, _ = merge_points(both.mesh, (np.cumsum(keeps) - 1)[target], both.mesh.points[keeps])
    whole = through(through(edit.origin, both.origin), origin)
    if len(faces):
        chosen = Selection("faces", np.flatnonzero(origin.faces >= edit.mesh.n_faces))
    else:
        twice = np.bincount(whole.edges[whole.edges >= 0], minlength=mesh.n_edges) > 1
        first = np.unique(whole.edges, return_index=True)[1]
        again = ~mask_of(first, new_mesh.n_edges) & np.append(twice, False)[whole.edges]
        chosen = Selection("edges", np.flatnonzero(again))
    return Edit(new_mesh, chosen, whole, _told_middle(flat, edit, on_plane, point, normal, len(copied)))


def keep_slice(
    mesh: Mesh,
    selection: Selection,
    count: int = 4,
    axis: Any = "z",
    pivot: Any = "origin",
    start: float | str = "best",
) -> Edit:
    """Keeps one of so many equal slices around an axis and takes the rest away.

    start: degrees from where the first point of a form about that axis lies, or "best", the first angle at which
    the fewest faces are cut. Selected after: what is left. An array of that count, turned by 360° / count and
    welded, makes it whole again. Raises EditError for fewer than two slices, or where nothing lies in the one.
    """
    if count < 2:
        raise EditError("Keep one of at least two slices.")
    if mesh.n_faces == 0:
        raise EditError("There are no faces to keep a slice of.")
    frame = axis_turn(axis)
    centre = pivot_place(mesh, select_all(mesh.topology, "faces"), pivot)
    edit = Edit(mesh, select_all(mesh.topology, "faces"), identity(mesh))
    first = _best_start(mesh, (mesh.points - centre) @ frame, count) if start == "best" else np.radians(float(start))
    angles = (first, first + 2.0 * np.pi / count)
    for number, angle in enumerate(angles[: 1 if count == 2 else 2]):
        sign = 1.0 if number == 0 else -1.0
        normal = sign * (frame @ np.array([-np.sin(angle), np.cos(angle), 0.0]))
        cut = slice_planes(edit.mesh, select_all(edit.mesh.topology, "faces"), (centre, normal), (0.0,), "front")
        edit = Edit(cut.mesh, cut.selection, through(edit.origin, cut.origin))
    if edit.mesh.n_faces == 0:
        raise EditError("Nothing lies in that slice; turn the part or choose another axis.")
    return Edit(edit.mesh, select_all(edit.mesh.topology, "faces"), edit.origin)


def copy_step(
    mesh: Mesh,
    move: Any = (0.0, 0.0, 0.0),
    rotate: float = 0.0,
    axis: Any = "z",
    pivot: Any = "origin",
    **_: Any,
) -> Floats:
    """From one copy of an array to the next, without its scale: (4, 4), for row vectors."""
    centre = pivot_place(mesh, Selection("points", np.arange(mesh.n_points)), pivot)
    result = np.eye(4)
    result[:3, :3] = _turn_of(axis, rotate)
    result[3, :3] = centre - centre @ result[:3, :3] + as_vector(move)
    return result


# Helpers


def _uv_aside(mesh: Mesh, by: int) -> Mesh:
    """The mesh with its UV so many pictures farther right."""
    return mesh if mesh.uv is None or by == 0 else replace(mesh, uv=mesh.uv + np.array([by, 0.0]))


def _repeated(points: Floats, count: int, centre: Floats, step: Floats, offset: Floats) -> Floats:
    """Points and their copies, each turned and moved once more than the one before: (count, n, 3)."""
    places = np.empty((count, *points.shape))
    places[0] = points
    further = centre - centre @ step + offset
    for number in range(1, count):
        np.matmul(places[number - 1], step, out=places[number])
        places[number] += further
    return places


def _meet_as_before(places: Floats, moved: Integers, within: float, became: Integers) -> bool:
    """Whether points that moved lie only on those of other copies that they have become one with.

    places: (count, n, 3); became: (count, n). Copies follow on each other in the same way everywhere, so that only
    those of the first and the others are looked at.
    """
    count, n = became.shape
    low, high = box_of(places)
    ours, theirs = places[:1, moved], places[1:, moved]
    # Which points that moved lie in the box of each later copy, and which of those copies' in the first one's.
    in_theirs = np.asarray(((ours >= low[1:, None] - within) & (ours <= high[1:, None] + within)).all(axis=2))
    in_ours = np.asarray(((theirs >= low[0] - within) & (theirs <= high[0] + within)).all(axis=2))
    if (int(in_theirs.sum()) + int(in_ours.sum())) * n > MOST_PAIRS:
        return False
    for number in 1 + np.flatnonzero((in_theirs | in_ours).any(axis=1)):
        first, other = moved[in_theirs[number - 1]], moved[in_ours[number - 1]]
        pairs = np.concatenate(
            (_near(places[0], first, places[number], within), _near(places[number], other, places[0], within)[:, ::-1])
        )
        if not (became[: count - number, pairs[:, 0]] == became[number:, pairs[:, 1]]).all():
            return False
    return True


def _near(points: Floats, chosen: Integers, others: Floats, within: float) -> Integers:
    """Which of some chosen points lies near which of the others: (pairs, 2)."""
    away = points[chosen][:, None] - others[None]
    one, other = np.nonzero(np.einsum("ijk,ijk->ij", away, away) <= within * within)
    return np.stack((chosen[one], other), axis=1)


def _turn_of(axis: Any, rotate: float) -> Floats:
    """A turn about an axis for row vectors: (3, 3)."""
    return np.asarray((axis_turn(axis, rotate) @ axis_turn(axis).T).T)


def _best_start(mesh: Mesh, places: Floats, count: int) -> float:
    """The first angle from which a slice cuts the fewest faces: radians, below a slice's.

    places: the points in the axis' own frame. What lies on the axis has no angle.
    """
    topology = mesh.topology
    corners = places[topology.corners]
    radius = np.hypot(corners[:, 0], corners[:, 1])
    counts = radius > max(last_place(places), 1e-9 * float(radius.max(initial=0.0)))
    angle = np.arctan2(corners[:, 1], corners[:, 0])
    # Each face's angles about the mean direction of its corners, so that none jumps by a turn.
    starts = topology.face_offsets[:-1]
    mean = np.add.reduceat(np.where(counts[:, None], corners[:, :2] / np.maximum(radius, 1e-300)[:, None], 0.0), starts)
    middle = np.arctan2(mean[:, 1], mean[:, 0])
    off = np.angle(np.exp(1j * (angle - middle[topology.corner_face])))
    low = middle + np.minimum.reduceat(np.where(counts, off, np.inf), starts)
    high = middle + np.maximum.reduceat(np.where(counts, off, -np.inf), starts)
    real = low < high
    turns = 2.0 * np.pi * np.arange(-1, 3)
    low, high = (np.sort((side[real][:, None] + turns).ravel()) for side in (low, high))
    share = 2.0 * np.pi / count
    tries = np.mod(angle[counts], share)
    tries[tries > share - SAME_ANGLE] -= share
    tries = distinct(tries if (np.abs(tries) < SAME_ANGLE).any() else np.append(tries, 0.0))
    cut = np.zeros(len(tries), dtype=np.int64)
    for place in (tries, tries + share):
        cut += np.searchsorted(low, place - SAME_ANGLE) - np.searchsorted(high, place + SAME_ANGLE)
    return float(tries[int(cut.argmin())])


def _told_middle(flat: Mesh, edit: Edit, on_plane: Booleans, point: Floats, normal: Floats, welded_: int) -> str:
    """What was welded in the middle, and what of the rim there stands off the plane."""
    told = f"{counted(welded_, 'point was', 'points were')} welded in the middle."
    if not welded_:
        told = "Nothing touches the plane."
    topology = edit.mesh.topology
    height = np.abs((edit.mesh.points - point) @ normal)
    # Next along the rim to what lies on the plane, and nearer to it than the rim's edges are long.
    rim = topology.edges[topology.open_edges | topology.wire_edges]
    mixed = rim[on_plane[rim].sum(axis=1) == 1]
    off = distinct(mixed[~on_plane[mixed]])
    length = np.linalg.norm(edit.mesh.points[rim[:, 0]] - edit.mesh.points[rim[:, 1]], axis=1)
    # The median by a sort: NumPy's own loads its masked arrays first, which takes longer than all of this.
    near = off[height[off] < NEAR_MIDDLE * float(np.sort(length)[len(length) // 2])] if len(rim) else off
    if len(near):
        stand = counted(len(near), "point at the rim stands", "points at the rim stand")
        told += f" {stand} off the plane, by up to {height[near].max():.4g} mm; pull onto the plane closes it."
    return told


def _chosen(mesh: Mesh, selection: Selection, who: str) -> tuple[Integers, Integers]:
    """The faces and the wires that are meant: the selected ones, or all there are."""
    topology = mesh.topology
    wires = np.flatnonzero(topology.wire_edges)
    if len(selection) == 0:
        faces = np.arange(mesh.n_faces)
    elif selection.kind == "faces":
        faces, wires = np.sort(selection.indices), wires[:0]
    elif selection.kind == "edges" and topology.wire_edges[selection.indices].all():
        faces, wires = np.zeros(0, dtype=np.int64), np.sort(selection.indices)
    else:
        raise EditError(f"{who} takes faces or wires, or nothing for all.")
    if len(faces) == 0 and len(wires) == 0:
        raise EditError(f"{who} needs faces or wires; this part has none.")
    return faces, wires


def _piece(mesh: Mesh, faces: Integers, wires: Integers) -> tuple[Mesh, Origin]:
    """Some faces and wires as a mesh of their own, and where its elements come from."""
    topology = mesh.topology
    gone: Booleans = np.ones(mesh.n_faces, dtype=np.bool_)
    gone[faces] = False
    used = np.concatenate((topology.corners[topology.corners_of_faces(faces)], topology.edges[wires].ravel()))
    bare = ~mask_of(used, mesh.n_points)
    others = topology.wire_edges & ~mask_of(wires, mesh.n_edges)
    if not gone.any() and not bare.any() and not others.any():
        return mesh, identity(mesh)
    return drop_faces(mesh, gone, keep_unattached=True, drop_points=bare, drop_edges=others)


def with_copies(mesh: Mesh, copies: list[Mesh], origin: Origin) -> Edit:
    """The mesh with copies of a piece of it after it; the piece's elements come from the given ones."""
    whole = combined([mesh, *copies])
    points = np.concatenate((np.arange(mesh.n_points), *([origin.points] * len(copies))))
    faces = np.concatenate((np.arange(mesh.n_faces), *([origin.faces] * len(copies))))
    starts = mesh.n_points + np.concatenate(([0], np.cumsum([copy.n_points for copy in copies])))
    pairs = np.concatenate(
        (mesh.topology.edges, *(copy.topology.edges + first for copy, first in zip(copies, starts, strict=False)))
    )
    came_from = np.concatenate((np.arange(mesh.n_edges), *([origin.edges] * len(copies))))
    edges = came_from
    if not np.array_equal(pairs, whole.topology.edges):
        edges = np.full(whole.n_edges, -1, dtype=np.int64)
        edges[whole.topology.find_edges(pairs)] = came_from
    # Names stay with the original: a copy is not meant where a set was kept.
    return Edit(whole, Selection("faces", np.zeros(0, np.int64)), Origin(points, edges, faces))
