"""Two closed cages united, one taken from the other, or what both share; faces that were not cut stay polygons.

The solids are computed by manifold3d, whose results are closed surfaces for certain; what a face was comes back by
the number that each of its triangles carries through.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import numpy as np

from levelloop.core.arrays import (
    Booleans,
    Floats,
    Integers,
    connected_labels,
    cycles,
    distinct,
    group_order,
    mask_of,
    offsets_from_sizes,
    unique_rows,
)
from levelloop.core.edit.divide.divide_faces import Figure, divide_by_figures
from levelloop.core.edit.join.flush import divided_anew
from levelloop.core.edit.join.weld import weld
from levelloop.core.errors import EditError
from levelloop.core.geometry.crossings import crossed_faces
from levelloop.core.geometry.near import near_groups, near_pairs
from levelloop.core.geometry.plane_figures import area, cells, connected, flat_axes, nearest_seen
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.faces import face_areas, face_normals, signed_volume, triangles, turns_around, unit
from levelloop.core.mesh.mesh import Mesh, NamedSet
from levelloop.core.mesh.origins import Edit, Origin, carry, through
from levelloop.core.mesh.selection import Selection, points_of, select_mask
from levelloop.core.mesh.topology import Topology
from levelloop.core.progress import pieces
from levelloop.core.tolerance import AUTOMATIC, Automatic, last_place, settled
from levelloop.core.words import counted

Kind = Literal["union", "subtract", "intersect"]
NEAR = Automatic(0.01)  # mm; points nearer than that and not equal make slivers along the seam
NOTHING_LEFT = 1e-12  # of the larger volume: two that only touch share a plane without an inside
ROUNDING = 100.0  # units of the last place that coordinates of one crossing may differ by
MOST_PASSES = 8  # over faces that need several edges more
SLIVER = 1e-3  # a face smaller than that share of a square on its longest side


def boolean(mesh: Mesh, other: Mesh, kind: Kind = "union", clean: bool = True, name: str = "the other part") -> Edit:
    """The union of two closed cages, the first without the second, or what both share.

    Both in one space, mm. clean: welds the seam's points that lie within a thousandth of a millimetre of each other.
    name: what to call the second one. Selected after: the seam's edges; faces with more than four sides become the
    set “n-gons”. Origins are in the first; what came from the other has none. Raises EditError where one of them is
    open, goes through itself or has a shell that is inside out, or nothing is left.
    """
    import manifold3d  # type: ignore[import-not-found]

    both = combined([mesh, other])
    first = _solid(mesh, "This part", 0)
    second = _solid(other, f"“{name}”" if name != "the other part" else "The other part", mesh.n_faces)
    operation = {
        "union": manifold3d.OpType.Add,
        "subtract": manifold3d.OpType.Subtract,
        "intersect": manifold3d.OpType.Intersect,
    }[kind]
    solid = manifold3d.Manifold.batch_boolean([first, second], operation)
    if solid.status() != manifold3d.Error.NoError:
        raise EditError(f"The two could not be joined: {solid.status().name}. Review both for crossings of their own.")
    if solid.num_tri() == 0 or solid.volume() <= NOTHING_LEFT * max(first.volume(), second.volume()):
        raise EditError(
            {
                "union": "Nothing is left of the two.",
                "subtract": f"Nothing is left: {name} covers all of it.",
                "intersect": "The two share nothing.",
            }[kind]
        )
    result = solid.to_mesh64()
    points = np.asarray(result.vert_properties, dtype=np.float64)[:, :3]
    triangle = np.asarray(result.tri_verts, dtype=np.int64)
    face_of = np.asarray(result.face_id, dtype=np.int64)
    merge_from, merge_to = np.asarray(result.merge_from_vert, np.int64), np.asarray(result.merge_to_vert, np.int64)
    target = np.arange(len(points))
    target[merge_from] = merge_to
    triangle, face_of = _put_together(points, target[triangle], face_of)
    # What is taken away shows its faces from behind.
    turned = mesh.n_faces if kind == "subtract" else both.n_faces
    flush = divided_anew(both, mesh.n_faces, points, triangle, face_of, turned)
    rest = ~mask_of(np.array(flush.used, dtype=np.int64), len(triangle))
    rings, origins = _polygons(both, points, triangle[rest], face_of[rest], turned)
    rings = [flush.with_inserted(ring) for ring in rings] if flush.inserted else rings
    rings = [*rings, *(flush.with_inserted(ring) for ring in flush.rings)]
    rings = _without_needless(both, flush.points, rings)
    edit = _as_mesh(both, flush.points, rings, origins + flush.origins)
    if edit.mesh.topology.open_edges.any():
        raise EditError("The two touch in a way that leaves no clean faces; move or turn one of them a little.")
    seam = _seam(edit, mesh.n_faces)
    told = []
    if clean and seam.any():
        chosen = points_of(edit.mesh.topology, select_mask("edges", seam))
        once = weld(edit.mesh, Selection("points", chosen), AUTOMATIC)
        if once.mesh is not edit.mesh:
            told.append(f"Seam: {once.message}")
        edit = Edit(once.mesh, edit.selection, through(edit.origin, once.origin))
        seam = _seam(edit, mesh.n_faces)
    edit = _tied(edit)
    seam = _seam(edit, mesh.n_faces)
    near = _near(mesh, other)
    if near:
        told.insert(0, f"{near} points of the two lie within {NEAR:g} mm of each other without meeting.")
    large = np.flatnonzero(edit.mesh.topology.face_sizes > 4)
    slivers = _slivers(edit.mesh)
    if slivers:
        told.append(f"{slivers} {'sliver is' if slivers == 1 else 'slivers are'} left.")
    if len(large):
        told.append(f"{len(large)} {'n-gon is' if len(large) == 1 else 'n-gons are'} left, kept as the set “n-gons”.")
        sets = tuple(named for named in edit.mesh.sets if named.name != "n-gons")
        edit = replace(edit, mesh=replace(edit.mesh, sets=(*sets, NamedSet("n-gons", "faces", large))))
    return Edit(edit.mesh, select_mask("edges", seam), _of_first(edit.origin, mesh, both), " ".join(told))


# Helpers


def _of_first(origin: Origin, mesh: Mesh, both: Mesh) -> Origin:
    """Origins in both meshes put into one as those in the first of them: what came from the other has none."""
    number = np.full(both.n_edges, -1, dtype=np.int64)
    number[both.topology.find_edges(mesh.topology.edges)] = np.arange(mesh.n_edges)
    return Origin(
        np.where(origin.points < mesh.n_points, origin.points, -1),
        np.append(number, -1)[origin.edges],
        np.where(origin.faces < mesh.n_faces, origin.faces, -1),
    )


def _solid(mesh: Mesh, who: str, first: int) -> Any:
    import manifold3d

    topology = mesh.topology
    if mesh.n_faces == 0:
        raise EditError(f"{who} has no faces.")
    if topology.open_edges.any():
        raise EditError(f"{who} is open along {int(topology.open_edges.sum())} edges; a boolean needs closed parts.")
    if (topology.edge_face_count[~topology.wire_edges] != 2).any() or (topology.twin < 0).any():
        raise EditError(f"{who} has edges where its faces disagree or more than two meet; mend those first.")
    if signed_volume(mesh) <= 0:
        raise EditError(f"{who} is inside out; face it outward first.")
    inverted = _inverted_shells(mesh)
    if inverted:
        raise EditError(f"{who} has {counted(inverted, 'shell')} inside out; face them outward first.")
    crossed = crossed_faces(mesh)
    if len(crossed):
        raise EditError(
            f"{who} goes through itself at {counted(len(crossed), 'face')}; unite or part what crosses first."
        )
    flat, face = triangles(topology, mesh.points, mesh.diagonal)
    used, number = np.unique(flat, return_inverse=True)
    solid = manifold3d.Manifold(
        manifold3d.Mesh64(
            np.ascontiguousarray(mesh.points[used]),
            np.ascontiguousarray(number.reshape(-1, 3).astype(np.uint64)),
            face_id=np.ascontiguousarray((face + first).astype(np.uint64)),
        )
    )
    if solid.status() != manifold3d.Error.NoError:
        raise EditError(f"{who} is no closed surface: {solid.status().name}. The review tells where.")
    return solid


def _inverted_shells(mesh: Mesh) -> int:
    """How many shells look inwards without being the inside of a wall: hollows lie in a shell that looks outward."""
    label, count = mesh.topology.shell_label, mesh.topology.n_shells
    if count < 2:
        return 0
    flat, face = triangles(mesh.topology, mesh.points, mesh.diagonal)
    corners, of = mesh.points[flat], label[face]
    first = corners[np.unique(of, return_index=True)[1]].mean(axis=1)
    from_middle = corners - corners.reshape(-1, 3).mean(axis=0)
    volume = np.bincount(
        of, np.einsum("ij,ij->i", from_middle[:, 0], np.cross(from_middle[:, 1], from_middle[:, 2])), count
    )
    inverted = 0
    for shell in np.flatnonzero(volume < 0).tolist():
        # How often the others go around a place of it.
        inverted += bool(turns_around(corners[of != shell], first[shell]) < 0.5)
    return inverted


def _put_together(points: Floats, triangle: Integers, face_of: Integers) -> tuple[Integers, Integers]:
    """The triangles with points that rounding alone keeps apart as one; those without an inside are gone."""
    used = distinct(triangle)
    _, group = near_groups(points[used], ROUNDING * last_place(points))
    first = np.full(int(group.max()) + 1, len(points))
    np.minimum.at(first, group, used)
    target = np.arange(len(points))
    target[used] = first[group]
    triangle = target[triangle]
    real = (triangle != np.roll(triangle, 1, axis=1)).all(axis=1)
    return triangle[real], face_of[real]


def _polygons(
    both: Mesh, points: Floats, triangle: Integers, face_of: Integers, turned: int
) -> tuple[list[Integers], list[int]]:
    """The triangles of each old face joined to polygons again: rings of points, and the old face of each.

    turned: from which face on they run the other way around now.
    """
    order, offsets = group_order(face_of, both.n_faces)
    whole, new_number = _untouched(both, points, triangle, face_of)
    rings = [new_number[both.topology.face(face)[:: -1 if face >= turned else 1]] for face in whole.tolist()]
    origins: list[int] = whole.tolist()
    count = len(points)
    cut = np.diff(offsets) > 0
    cut[whole] = False
    for face in pieces(np.flatnonzero(cut).tolist()):
        flat = triangle[order[offsets[face] : offsets[face + 1]]]
        start, end = flat.ravel(), np.roll(flat, -1, axis=1).ravel()
        key, back = start * count + end, end * count + start
        rim = ~np.isin(key, back)
        for ring in _rings(points, start[rim], end[rim], face, both):
            rings.append(ring)
            origins.append(face)
    return rings, origins


def _untouched(both: Mesh, points: Floats, triangle: Integers, face_of: Integers) -> tuple[Integers, Integers]:
    """The old faces of which every triangle is there as it was, and the new number of each old point, −1 for none."""
    topology = both.topology
    _, name = unique_rows(np.concatenate((both.points, points)))
    of_old, of_new = name[: both.n_points], name[both.n_points :]
    # A face's corners by face and place; a triangle is as it was where its corners are all among them.
    key = np.sort(topology.corner_face * len(name) + of_old[topology.corners])
    wanted = face_of[:, None] * len(name) + of_new[triangle]
    found = key[np.minimum(np.searchsorted(key, wanted), len(key) - 1)] == wanted
    as_it_was = np.bincount(face_of[found.all(axis=1)], minlength=both.n_faces)
    there = np.bincount(face_of, minlength=both.n_faces)
    number = np.full(len(name), -1, dtype=np.int64)
    number[of_new[triangle.ravel()]] = triangle.ravel()
    same = (as_it_was == topology.face_sizes - 2) & (there == as_it_was)
    return np.flatnonzero(same), number[of_old]


def _rings(points: Floats, start: Integers, end: Integers, face: int, both: Mesh) -> list[Integers]:
    """The rim of some triangles of one face as rings; holes are tied to the rim around them."""
    names, number = np.unique(start, return_inverse=True)
    if len(names) < len(start) or not np.array_equal(distinct(end), names):
        # The rim touches itself in a point: cells of the plane figure are plain rings whatever it does.
        return _cells(points, start, end, face, both)
    follower = np.empty(len(names), dtype=np.int64)
    follower[number] = np.searchsorted(names, end)
    members, offsets = cycles(follower)
    loops = [names[members[a:b]] for a, b in zip(offsets[:-1].tolist(), offsets[1:].tolist(), strict=True)]
    if len(loops) == 1:
        return loops
    return _cells(points, start, end, face, both)


def _cells(points: Floats, start: Integers, end: Integers, face: int, both: Mesh) -> list[Integers]:
    # From the rim itself: a face that was taken away looks the other way now.
    middle = points[start].mean(axis=0)
    normal = unit(np.cross(points[start] - middle, points[end] - middle).sum(axis=0)[None])[0]
    if not normal.any():
        normal = face_normals(both.topology, both.points, np.array([face]))[0]
    used, number = np.unique(np.concatenate((start, end)), return_inverse=True)
    places = (points[used] - points[used[0]]) @ flat_axes(normal).T
    sides = number.reshape(2, -1).T
    whole, outer = sides, cells(places, sides)
    if outer and connected_labels(sides, len(places))[0] > 1:
        largest = max(outer, key=lambda ring: area(places[ring]))
        tied = connected(places, sides, places[largest])
        whole = sides if tied is None else tied
    found = []
    # What belongs to the face lies left of its rim: a cell with one of the rim's own directed sides.
    directed = {(int(a), int(b)) for a, b in sides}
    for ring in cells(places, whole):
        pairs = zip(ring.tolist(), np.roll(ring, -1).tolist(), strict=True)
        if any(pair in directed for pair in pairs):
            found.append(used[ring])
    return found


def _without_needless(both: Mesh, points: Floats, rings: list[Integers]) -> list[Integers]:
    """The rings without points that only two of them have and that lie on a straight line between their neighbours.

    Points of the old cages stay: they were put there.
    """
    if not rings:
        return rings
    sizes = np.array([len(ring) for ring in rings], dtype=np.int64)
    corners = np.concatenate(rings)
    _, old = unique_rows(np.concatenate((both.points, points)))
    known = np.isin(old[both.n_points :], old[: both.n_points])
    offsets = offsets_from_sizes(sizes)
    place = np.arange(len(corners))
    first = np.repeat(offsets[:-1], sizes)
    ahead = corners[first + (place - first + 1) % np.repeat(sizes, sizes)]
    behind = corners[first + (place - first - 1) % np.repeat(sizes, sizes)]
    times = np.bincount(corners, minlength=len(points))
    way, to = points[ahead] - points[behind], points[corners] - points[behind]
    off = np.linalg.norm(np.cross(way, to), axis=1)
    straight = off <= 1e-9 * np.maximum(np.einsum("ij,ij->i", way, way), 1e-300)
    bent = np.zeros(len(points), dtype=np.bool_)
    bent[corners[~straight]] = True
    needless = ~bent & (times == 2) & ~known
    result = []
    for ring in rings:
        kept = ring[~needless[ring]]
        result.append(kept if len(kept) >= 3 else ring)
    left = np.concatenate(result)
    # All or none: a point that one ring had to keep stays in every one.
    back = needless & mask_of(left, len(points))
    return [ring[~(needless & ~back)[ring]] for ring in rings] if back.any() else result


def _as_mesh(both: Mesh, points: Floats, rings: list[Integers], origins: list[int]) -> Edit:
    sizes = np.array([len(ring) for ring in rings], dtype=np.int64)
    corners = np.concatenate(rings)
    used = distinct(corners)
    number = np.full(len(points), -1, dtype=np.int64)
    number[used] = np.arange(len(used))
    places = points[used]
    # Points that are exactly where an old one was are that one.
    _, name = unique_rows(np.concatenate((both.points, places)))
    of_name = np.full(int(name.max()) + 1, -1, dtype=np.int64)
    of_name[name[: both.n_points][::-1]] = np.arange(both.n_points)[::-1]
    point_origin = of_name[name[both.n_points :]]
    topology = Topology(offsets_from_sizes(sizes), number[corners], len(used))
    face_origin = np.array(origins, dtype=np.int64)
    on_edge = np.full(len(used), -1, dtype=np.int64)
    new_mesh, origin = carry(both, topology, places, point_origin, face_origin, on_edge, placed=point_origin < 0)
    return Edit(new_mesh, Selection("faces", np.zeros(0, np.int64)), origin)


def _tied(edit: Edit) -> Edit:
    """The edit with an edge at every point that only two faces share along a bent stretch.

    Two polygons that share such a stretch may be drawn with one diagonal over it, and then are no surface as triangles.
    """
    for _ in range(MOST_PASSES):
        mesh = edit.mesh
        topology = mesh.topology
        bent = np.flatnonzero((topology.valence == 2) & (topology.point_face_count == 2))
        normals = face_normals(topology, mesh.points)
        figures: dict[int, Figure] = {}
        for point in bent.tolist():
            faces = topology.faces_of_points(np.array([point]))
            for face in faces[np.argsort(-topology.face_sizes[faces], kind="stable")].tolist():
                if face in figures or not normals[face].any():
                    continue
                segment = _way_across(mesh, face, point, normals[face])
                if segment is not None:
                    figures[face] = Figure(face, segment)
                    break
        if not figures:
            return edit
        try:
            divided = divide_by_figures(mesh, [figures[face] for face in sorted(figures)], np.zeros(0, dtype=np.int64))
        except EditError:
            return edit
        edit = Edit(divided.mesh, edit.selection, through(edit.origin, divided.origin))
    return edit


def _way_across(mesh: Mesh, face: int, point: int, normal: Floats) -> Integers | None:
    """An edge from a point across a face to the nearest corner it sees: (1, 2) points; None for none."""
    rim = mesh.topology.face(face)
    if len(rim) < 5:
        return None
    places = (mesh.points[rim] - mesh.points[rim[0]]) @ flat_axes(normal).T
    sides = np.stack((np.arange(len(rim)), np.roll(np.arange(len(rim)), -1)), axis=1)
    start = int(np.argmax(rim == point))
    allowed = np.ones(len(rim), dtype=np.bool_)
    allowed[[(start - 1) % len(rim), start, (start + 1) % len(rim)]] = False
    found = nearest_seen(places, sides, places, np.array([start]), allowed)
    return None if found is None else np.array([[rim[found[0]], rim[found[1]]]])


def _seam(edit: Edit, n_first: int) -> Booleans:
    """Edges between faces of the one and of the other."""
    pair = edit.mesh.topology.edge_faces
    of_first = np.append(edit.origin.faces < n_first, False)
    return np.asarray((pair[:, 1] >= 0) & (of_first[pair[:, 0]] != of_first[pair[:, 1]]))


def _near(mesh: Mesh, other: Mesh) -> int:
    """How many points of the two nearly meet."""
    both = np.concatenate((mesh.points, other.points))
    edges = np.concatenate((mesh.topology.edges, other.topology.edges + mesh.n_points))
    pairs = np.sort(near_pairs(both, 10.0 * settled(Automatic(NEAR / 10.0), both, edges)), axis=1)
    pairs = pairs[(pairs[:, 0] < mesh.n_points) & (pairs[:, 1] >= mesh.n_points)]
    apart = np.linalg.norm(both[pairs[:, 0]] - both[pairs[:, 1]], axis=1)
    return len(distinct(pairs[apart > last_place(both), 1]))


def _slivers(mesh: Mesh) -> int:
    """How many faces are next to nothing for their length."""
    topology = mesh.topology
    ends = mesh.points[topology.edges]
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)[topology.corner_edge]
    longest = np.maximum.reduceat(length, topology.face_offsets[:-1])
    return int((face_areas(topology, mesh.points) < SLIVER * longest**2).sum())
