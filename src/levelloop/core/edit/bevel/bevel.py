"""Bevelled edges and points: each edge becomes a strip of faces, each point where strips meet a rounded corner."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of, offsets_from_sizes, ranges
from levelloop.core.edit.bevel.ends import Ends, ends_of, parted
from levelloop.core.edit.bevel.parts import (
    Fans,
    arc,
    fans_of,
    held_back,
    put_patches,
    what_was_held,
    without_bevelled_tags,
)
from levelloop.core.edit.bevel.points import bevel_points
from levelloop.core.errors import EditError
from levelloop.core.geometry.offset import meet_planes
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import face_normals, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology

LEAST_RISE = 0.1  # of 1 mm: edges more along each other take a strip narrower than asked


def bevel(
    mesh: Mesh,
    selection: Selection,
    width: float,
    steps: int = 1,
    roundness: float = 1.0,
    middle_loop: bool = False,
) -> Edit:
    """Replaces edges by strips of faces, or points by faces across their edges.

    width: mm, from the old edge to each new loop, within its face, square to the edge; for points along their
    edges. steps: rows of faces; roundness: 1 an arc, 0 flat, −1 hollow; middle_loop: one flat step with a loop
    through its middle, which runs on where the bevel ends. The width is held back where new edges would meet.
    Creases of bevelled edges are gone; the strip holds the turn. Selected after: the new faces. Raises EditError
    for a selection of faces, or a width that is not above 0.
    """
    if len(selection) == 0 or selection.kind == "faces":
        raise EditError("To bevel, select edges or points.")
    if width <= 0:
        raise EditError("A bevel needs a width above 0.")
    if middle_loop:
        steps, roundness = 2, 0.0
    if selection.kind == "points":
        return bevel_points(mesh, selection, width, steps, roundness)
    return _bevel_edges(mesh, selection, width, steps, roundness, middle_loop)


# Helpers


def _bevel_edges(
    mesh: Mesh, selection: Selection, width: float, steps: int, roundness: float, middle_loop: bool
) -> Edit:
    topology = mesh.topology
    chosen = mask_of(selection.indices, topology.n_edges)
    inner = np.zeros(topology.n_edges, dtype=np.bool_)
    inner[topology.corner_edge[topology.twin >= 0]] = True
    left = int((chosen & ~inner).sum())
    chosen &= inner
    if not chosen.any():
        raise EditError("A bevel needs edges with a face on both sides, facing the same way.")
    fans = fans_of(topology, mask_of(topology.edges[chosen].ravel(), mesh.n_points))
    out_bevel = chosen[topology.corner_edge[fans.corner]]
    in_bevel = chosen[topology.corner_edge[topology.previous_corner[fans.corner]]]
    in_fan = np.bincount(fans.fan, weights=out_bevel, minlength=len(fans.size)).astype(np.int64)
    check_fits(mesh.n_faces + int(np.count_nonzero(chosen)) * steps + int(np.count_nonzero(in_fan > 2)) * steps**2)
    if (fans.closed & (in_fan == 1) & (fans.size == 2)).any():
        raise EditError("A bevelled edge ends at a point with one other edge only; take that point out first.")

    # Sectors: the corners between one bevelled edge and the next. In end sectors that is the same edge, or none.
    counted: Integers = np.cumsum(out_bevel) - np.concatenate(([0], np.cumsum(in_fan)[:-1]))[fans.fan]
    b, closed = in_fan[fans.fan], fans.closed[fans.fan]
    sector_in_fan = np.where(closed, counted % np.maximum(b, 1), counted)
    is_end = (b > 0) & np.where(closed, b == 1, (sector_in_fan == 0) | (sector_in_fan == b))
    is_inner = (b > 0) & ~is_end
    moves, off, narrow = _moves(mesh, fans, out_bevel, in_bevel, is_inner, sector_in_fan)
    apart = parted(fans, in_fan, is_inner, is_end & ~out_bevel & ~in_bevel, off, sector_in_fan)
    if apart.any():
        is_inner, is_end = is_inner & ~apart, is_end | apart
        moves, off, narrow = _moves(mesh, fans, out_bevel, in_bevel, is_inner, sector_in_fan)
    at_slide = is_end & (out_bevel | in_bevel)

    # What stands at each position: the sector's point, the slide's own, and on which side a slide leaves the old one.
    prefix = np.where(is_end & ~at_slide & (fans.after >= 0), fans.after, -1)
    prefix = np.where((prefix >= 0) & at_slide[prefix] & in_bevel[prefix], prefix, -1)
    suffix = np.where(is_end & ~at_slide & (fans.before >= 0), fans.before, -1)
    suffix = np.where((suffix >= 0) & at_slide[suffix] & out_bevel[suffix], suffix, -1)
    first_move = np.where((prefix >= 0)[:, None], moves[prefix], moves)
    last_move = np.where((suffix >= 0)[:, None], moves[suffix], moves)
    ahead = fans.place[topology.next_corner[fans.corner[out_bevel]]]
    pairs = np.stack((fans.fan[out_bevel][ahead >= 0], fans.fan[ahead[ahead >= 0]]), axis=1)
    used = held_back(mesh, fans, first_move, last_move, width, pairs)
    moves = moves * used[fans.fan][:, None]

    builder = MeshBuilder(mesh)
    number = topology.corners[fans.corner].copy()
    slides = np.flatnonzero(at_slide)
    point = topology.corners[fans.corner]
    number[slides] = builder.points(mesh.points[point[slides]] + moves[slides], point[slides], in_faces=True)
    inner_positions = np.flatnonzero(is_inner)
    sector = fans.fan[inner_positions] * (int(in_fan.max(initial=0)) + 1) + sector_in_fan[inner_positions]
    _, first, of_position = np.unique(sector, return_index=True, return_inverse=True)
    leading = inner_positions[first]
    at = mesh.points[point[leading]] + moves[leading]
    number[inner_positions] = builder.points(at, point[leading], in_faces=True)[of_position]

    gap = np.full(len(fans.size), -1, dtype=np.int64)
    gap[fans.fan[apart]] = sector_in_fan[apart]
    ends = ends_of(mesh, fans, in_fan, out_bevel, moves, is_end & ~at_slide, gap, steps, middle_loop)
    profile, places, middles = _profiles(
        mesh, fans, out_bevel, in_fan, moves, number, builder, steps, roundness, middle_loop, ends
    )
    sizes, corners, touched = _new_outlines(topology, fans, in_fan, number, prefix, suffix, profile)
    builder.replace(sizes, corners, np.flatnonzero(touched))
    middle = _put_strips(topology, fans, out_bevel, profile, builder, ends)
    _put_corners(mesh, fans, in_fan, out_bevel, profile, places, middles, ends, builder, middle_loop)
    edit = builder.edit(drop_unused=True)
    edit, orphans = without_bevelled_tags(
        edit, mesh, chosen, np.concatenate((point[slides], point[leading])), builder.numbers[middle]
    )
    off = off * used[fans.fan]
    held = what_was_held(width, used, left, float(off.max(initial=0.0)), narrow)
    return replace(edit, message=f"{held} {orphans}".strip())


def _moves(
    mesh: Mesh, fans: Fans, out_bevel: Booleans, in_bevel: Booleans, is_inner: Booleans, sector_in_fan: Integers
) -> tuple[Floats, Floats, float]:
    """How each position moves for 1 mm of width: (k, 3); how far off the old faces; the least width there is."""
    topology, points = mesh.topology, mesh.points
    corner = fans.corner
    normal = face_normals(topology, points, topology.corner_face[corner])
    here = points[topology.corners[corner]]
    ahead = unit(points[topology.corner_end[corner]] - here)
    behind = unit(points[topology.corners[topology.previous_corner[corner]]] - here)
    from_out, from_in = unit(np.cross(normal, ahead)), unit(np.cross(behind, normal))
    moves, off, narrow = np.zeros((len(corner), 3)), np.zeros(len(corner)), 1.0
    # Ends slide along the next edge of their face.
    for bevelled, inward, along in ((out_bevel, from_out, behind), (in_bevel, from_in, ahead)):
        chosen = np.flatnonzero(bevelled & ~is_inner)
        rise = np.einsum("ij,ij->i", along[chosen], inward[chosen])
        moves[chosen] = along[chosen] / np.maximum(rise, LEAST_RISE)[:, None]
        narrow = min(narrow, float(rise.min(initial=1.0)) / LEAST_RISE)
    # Inner sectors: one face: off both edges; one edge between: along it; else as near as can be.
    chosen = np.flatnonzero(is_inner)
    if len(chosen) == 0:
        return moves, off, narrow
    key = fans.fan[chosen] * (int(sector_in_fan.max()) + 1) + sector_in_fan[chosen]
    _, label = np.unique(key, return_inverse=True)
    count = int(label.max()) + 1
    starts, ends = out_bevel[chosen], in_bevel[chosen]
    planes = np.concatenate((from_out[chosen[starts]], from_in[chosen[ends]], normal[chosen]))
    wanted = np.concatenate((np.ones(int(starts.sum()) + int(ends.sum())), np.zeros(len(chosen))))
    in_sector = meet_planes(planes, wanted, np.concatenate((label[starts], label[ends], label)), count)
    size = np.bincount(label, minlength=count)
    first, last = np.zeros(count, dtype=np.int64), np.zeros(count, dtype=np.int64)
    first[label[starts]], last[label[ends]] = chosen[starts], chosen[ends]
    pairs = np.flatnonzero(size == 2)
    along = behind[first[pairs]]
    rise_first = np.einsum("ij,ij->i", along, from_out[first[pairs]])
    rise_last = np.einsum("ij,ij->i", along, from_in[last[pairs]])
    squares = rise_first**2 + rise_last**2
    usable = (squares > 1e-4) & (rise_first + rise_last > 0)
    length = (rise_first + rise_last) / np.where(usable, squares, 1.0)
    in_sector[pairs[usable]] = (along * length[:, None])[usable]
    moves[chosen] = in_sector[label]
    heights = np.zeros(count)
    np.maximum.at(heights, label, np.abs(np.einsum("ij,ij->i", normal[chosen], in_sector[label])))
    off[chosen] = heights[label]
    return moves, off, narrow


def _profiles(
    mesh: Mesh,
    fans: Fans,
    out_bevel: Booleans,
    in_fan: Integers,
    moves: Floats,
    number: Integers,
    builder: MeshBuilder,
    steps: int,
    roundness: float,
    middle_loop: bool,
    ends: Ends,
) -> tuple[Integers, Floats, Floats]:
    """Across each bevelled edge's end, from the face before it to its own: points (k, steps + 1), where, middles.

    Rows of positions whose edge is not bevelled are unused.
    """
    topology, points = mesh.topology, mesh.points
    slots = np.flatnonzero(out_bevel)
    before = fans.before[slots]
    here = points[topology.corners[fans.corner[slots]]]
    start, end = moves[before], moves[slots]
    edge = unit(points[topology.corner_end[fans.corner[slots]]] - here)
    # Where strips of three and more edges meet, each profile stands square to its own edge; else in the mitre.
    b, closed = in_fan[fans.fan[slots]], fans.closed[fans.fan[slots]]
    square = np.where(closed, b >= 3, b >= 2)
    shift = 0.5 * np.einsum("ij,ij->i", start + end, edge) * square
    apex = shift[:, None] * edge
    corner = fans.corner[slots]
    one = np.cross(face_normals(topology, points, topology.corner_face[corner]), edge)
    two = np.cross(edge, face_normals(topology, points, topology.corner_face[fans.corner[before]]))
    between = np.arctan2(np.linalg.norm(np.cross(one, two), axis=1), np.einsum("ij,ij->i", one, two))

    def at(ratio: Floats) -> Floats:
        near, far = arc(between, ratio, roundness)
        arm_one, arm_two = (start - apex)[:, None], (end - apex)[:, None]
        return np.asarray((here + apex)[:, None] + near[:, :, None] * arm_one + far[:, :, None] * arm_two)

    profile = np.zeros((len(out_bevel), steps + 1), dtype=np.int64)
    places = np.zeros((len(out_bevel), steps + 1, 3))
    middles = np.zeros((len(out_bevel), 3))
    places[slots], middles[slots] = at(np.arange(steps + 1) / steps), at(np.array([0.5]))[:, 0]
    # Through the old point: along both edges that meet there.
    bent = ends.in_strip[fans.fan[slots]]
    share = 1.0 - 2.0 * np.arange(steps + 1) / steps
    near, far = np.maximum(share, 0.0)[:, None], np.maximum(-share, 0.0)[:, None]
    places[slots[bent]] = here[bent][:, None] + near * start[bent][:, None] + far * end[bent][:, None]
    profile[slots, 0], profile[slots, steps] = number[before], number[slots]
    # Two strips that meet share their profile: the second one's is the first one's backwards.
    second = closed & (b == 2) & (ends.gap[fans.fan[slots]] < 0)
    second[np.unique(fans.fan[slots], return_index=True)[1]] = False
    of_fan = np.zeros(len(fans.size), dtype=np.int64)
    of_fan[fans.fan[slots[~second]]] = slots[~second]
    own = slots[~second]
    keeps_middle = middle_loop & closed[~second] & (b[~second] == 1) & (fans.size[fans.fan[own]] >= 4)
    if steps > 1:
        fresh = own[~keeps_middle]
        new = builder.points(places[fresh, 1:steps].reshape(-1, 3), in_faces=True)
        profile[fresh, 1:steps] = new.reshape(-1, steps - 1)
        # The old point moves into the middle of the strip's end, so that the loop runs on along its edge.
        kept = own[keeps_middle]
        old = topology.corners[fans.corner[kept]]
        profile[kept, 1] = old
        moved = mesh.points.copy()
        moved[old] = middles[kept]
        builder.move(moved)
        if steps % 2 == 0:
            through = own[ends.in_strip[fans.fan[own]]]
            profile[through, steps // 2] = topology.corners[fans.corner[through]]
        run_in = own[ends.runs_in[fans.fan[own]]]
        profile[run_in, 1:steps] = topology.corners[fans.corner[run_in]][:, None]
    other = slots[second]
    profile[other] = profile[of_fan[fans.fan[other]]][:, ::-1]
    return profile, places, middles


def _new_outlines(
    topology: Topology,
    fans: Fans,
    in_fan: Integers,
    number: Integers,
    prefix: Integers,
    suffix: Integers,
    profile: Integers,
) -> tuple[Integers, Integers, Booleans]:
    """Sizes and corners of the old faces that change, and which those are."""
    steps = profile.shape[1] - 1
    # The third face of three at a strip's end closes it.
    both = (prefix >= 0) & (suffix >= 0) & (in_fan[fans.fan] == 1) & (fans.size[fans.fan] == 3)
    length = 1 + (prefix >= 0) + (suffix >= 0)
    length[both] = steps + 1
    changes = (number != topology.corners[fans.corner]) | (length > 1)
    touched = np.zeros(topology.n_faces, dtype=np.bool_)
    touched[topology.corner_face[fans.corner[changes]]] = True
    faces = np.flatnonzero(touched)
    corners = topology.corners_of_faces(faces)
    position = fans.place[corners]
    elsewhere = position < 0
    size = np.where(elsewhere, 1, length[position])
    starts = offsets_from_sizes(size)[:-1]
    out = np.zeros(int(size.sum()), dtype=np.int64)
    out[starts[elsewhere]] = topology.corners[corners[elsewhere]]
    plain = ~both[position] & ~elsewhere
    here = position[plain]
    slot = starts[plain]
    has_prefix = prefix[here] >= 0
    out[slot[has_prefix]] = number[prefix[here[has_prefix]]]
    out[slot + has_prefix] = number[here]
    has_suffix = suffix[here] >= 0
    out[slot[has_suffix] + has_prefix[has_suffix] + 1] = number[suffix[here[has_suffix]]]
    shared = both[position] & ~elsewhere
    ends = position[shared]
    if len(ends):
        cells = ranges(starts[shared], size[shared]).reshape(-1, steps + 1)
        out[cells] = profile[suffix[ends]]
    face = np.repeat(np.arange(len(faces)), topology.face_sizes[faces])
    sizes = np.bincount(face, weights=size, minlength=len(faces)).astype(np.int64)
    return sizes, out, touched


def _put_strips(
    topology: Topology, fans: Fans, out_bevel: Booleans, profile: Integers, builder: MeshBuilder, ends: Ends
) -> Integers:
    """Adds the rows of faces in place of each edge; the point pairs of the loops through their middles: (m, 2)."""
    steps = profile.shape[1] - 1
    half_edges = fans.corner[np.flatnonzero(out_bevel)]
    one = half_edges[half_edges < topology.twin[half_edges]]
    other = topology.twin[one]
    here, there = profile[fans.place[one]], profile[fans.place[other]][:, ::-1]
    quads = np.stack((here[:, :-1], there[:, :-1], there[:, 1:], here[:, 1:]), axis=2)
    near = np.arange(steps) >= steps / 2
    origin = np.where(near, topology.corner_face[one][:, None], topology.corner_face[other][:, None])
    # Rows that run into an old point are triangles there; a single row has the point in its end.
    old_here, old_there = topology.corners[one], topology.corners[topology.next_corner[one]]
    through_here = ends.runs_in[fans.fan[fans.place[one]]] & (steps == 1)
    through_there = ends.runs_in[fans.fan[fans.place[other]]] & (steps == 1)
    corners = np.full((*quads.shape[:2], 6), -1, dtype=np.int64)
    corners[..., [0, 1, 3, 4]] = quads
    corners[..., 3][quads[..., 2] == quads[..., 1]] = -1
    corners[..., 4][quads[..., 3] == quads[..., 0]] = -1
    corners[through_there, :, 2] = old_there[through_there, None]
    corners[through_here, :, 5] = old_here[through_here, None]
    sizes = (corners >= 0).sum(axis=2)
    for size in distinct(sizes[sizes > 2]).tolist():
        rows = corners[sizes == size]
        builder.faces(rows[rows >= 0].reshape(-1, size), origin[sizes == size])
    if steps % 2:
        return np.empty((0, 2), dtype=np.int64)
    middle = np.stack((here[:, steps // 2], there[:, steps // 2]), axis=1)
    builder.stand_for(middle, topology.corner_edge[one])
    return middle


def _put_corners(
    mesh: Mesh,
    fans: Fans,
    in_fan: Integers,
    out_bevel: Booleans,
    profile: Integers,
    places: Floats,
    middles: Floats,
    ends: Ends,
    builder: MeshBuilder,
    middle_loop: bool,
) -> None:
    """The faces where strips meet: rounded corners of three and more, and what closes the end of a strip."""
    topology = mesh.topology
    steps = profile.shape[1] - 1
    slots = np.flatnonzero(out_bevel)
    fan = fans.fan[slots]
    still = ends.in_face
    for b in distinct(in_fan[in_fan > 0]).tolist():
        of_b = in_fan == b
        for is_closed, has_old in ((True, False), (True, True), (False, False), (False, True)):
            chosen = np.flatnonzero(of_b & (fans.closed == is_closed) & (still == has_old))
            if len(chosen) == 0 or (not has_old and b < (3 if is_closed else 2)):
                continue
            if is_closed and b == 1 and middle_loop:
                continue
            rows = slots[np.isin(fan, chosen)].reshape(len(chosen), b)
            # Around from where the strips keep apart: the sector after the one before it.
            first = np.where(ends.gap[chosen] >= 0, ends.gap[chosen], 0)
            rows = np.take_along_axis(rows, (first[:, None] + np.arange(b)) % b, axis=1)
            origin = topology.corner_face[fans.corner[rows[:, 0]]]
            if is_closed and steps > 1 and b >= 3 and not has_old:
                at = fans.point[chosen]
                put_patches(profile[rows], places[rows], middles[rows], mesh.points[at], origin, builder)
                continue
            outline = [profile[rows][:, i, (0 if i == 0 else 1) :] for i in range(b)]
            if is_closed and b >= 3 and not has_old:
                outline[-1] = outline[-1][:, :-1]
            if has_old:
                outline.append(fans.point[chosen][:, None])
            builder.faces(np.concatenate(outline, axis=1), origin)
