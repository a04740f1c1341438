"""Running new edge loops through the rings of a cage."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, inverse_of
from levelloop.core.errors import EditError
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import edge_lengths
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.outlines import outline_with_cuts
from levelloop.core.mesh.selection import Selection, select_mask
from levelloop.core.mesh.topology import Topology


def run_loop(
    mesh: Mesh,
    selection: Selection,
    ratio: float | None = None,
    distance: float | None = None,
    count: int = 1,
    mirrored: bool = False,
    follow: float = 0.0,
    within_selection: bool = False,
) -> Edit:
    """Inserts edge loops around the rings that the selected edges lie on.

    ratio: 0…1 along each edge of the ring, from the point the selected edge was picked from; distance: mm, the same
    but exact; neither: count loops, evenly. mirrored: adds each loop's twin from the other end. follow: 1 puts the
    new points where the curve through the edges beyond both ends runs, 0 straight between them. within_selection:
    only between edges that are selected. The loop stops at faces that are not quads; they get a point more.
    Selected after: the new loops' edges. Raises EditError where no edge of a ring with faces is selected, or its
    sides come back exchanged.
    """
    topology = mesh.topology
    if selection.kind != "edges" or len(selection) == 0:
        raise EditError("To run a loop, select at least one edge of the ring.")
    if (topology.edge_face_count[selection.indices] == 0).all():
        raise EditError("A loop runs through faces; these edges have none.")
    cut, forward, twisted = _ring(topology, selection)
    if within_selection:
        cut &= selection.mask(topology)
        if not _has_a_strip(topology, cut):
            raise EditError("No two of the selected edges lie across from each other; select a stretch of the ring.")
    edges = np.flatnonzero(cut)
    places = _places(mesh, edges, ratio, distance, count, mirrored)
    if twisted and not np.allclose(places, 1.0 - places[:, ::-1]):
        raise EditError("This ring comes back with its sides exchanged; only loops that lie mirrored fit it.")
    per_edge = places.shape[1]
    check_fits(mesh.n_faces + len(edges) * per_edge)
    start = topology.edges[edges, np.where(forward[edges], 0, 1)]
    end = topology.edges[edges, np.where(forward[edges], 1, 0)]
    along = mesh.points[end] - mesh.points[start]
    on_edges = mesh.points[start][:, None] + places[:, :, None] * along[:, None]
    if follow:
        on_edges += follow * _bend(mesh, edges, start, places)
    first_new = mesh.n_points + per_edge * inverse_of(edges, topology.n_edges)
    ring = _Ring(cut, first_new, per_edge, forward)

    faces_cut = np.zeros(topology.n_faces, dtype=np.bool_)
    faces_cut[topology.corner_face[cut[topology.corner_edge]]] = True
    builder = MeshBuilder(mesh)
    builder.points(on_edges.reshape(-1, 3), on_edge=np.repeat(edges, per_edge))
    builder.points(_cut_quads(topology, ring, faces_cut, builder, places, mesh, len(edges)))
    others = np.flatnonzero(faces_cut & ~_crossed(topology, cut))
    if len(others):
        sizes, corners = outline_with_cuts(topology, others, cut, first_new, per_edge, forward)
        builder.replace(sizes, corners, others)
    new_mesh, origin = builder.build()
    # New edges but for those along the old ones.
    is_loop = (new_mesh.topology.edges >= mesh.n_points).all(axis=1) & (origin.edges < 0)
    message = ""
    if len(others):
        quads_too = " at the end of the selection" if within_selection else " with other than four sides"
        message = f"The loop stopped at {_counted(len(others), 'face')}{quads_too}."
    return Edit(new_mesh, select_mask("edges", is_loop), origin, message)


# Helpers


class _Ring:
    """Which edges are cut, where their new points start, how many each gets, and their direction."""

    def __init__(self, cut: Booleans, first_new: Integers, per_edge: int, forward: Booleans) -> None:
        self.cut, self.first_new, self.per_edge, self.forward = cut, first_new, per_edge, forward


def _crossed(topology: Topology, cut: Booleans) -> Booleans:
    """Quads whose cut edges lie across from each other, in one pair or in two: (m,)."""
    result: Booleans = topology.face_sizes == 4
    first = topology.face_offsets[:-1][result]
    edge = topology.corner_edge
    one, three = cut[edge[first]], cut[edge[first + 2]]
    two, four = cut[edge[first + 1]], cut[edge[first + 3]]
    result[np.flatnonzero(result)] = (one == three) & (two == four) & (one | two)
    return result


def _has_a_strip(topology: Topology, cut: Booleans) -> bool:
    return bool(_crossed(topology, cut).any())


def _bend(mesh: Mesh, edges: Integers, start: Integers, places: Floats) -> Floats:
    """How far off the straight edge the curve runs that goes on beyond both its ends: (edges, per edge, 3).

    The cubic with the slopes of a Catmull-Rom spline (Catmull & Rom 1974); where nothing goes on beyond an end, it ends
    there as curved as an arc from the other end does.
    """
    topology, points = mesh.topology, mesh.points
    ends = topology.edges[edges]
    own = np.where(ends[:, 0] == start, 0, 1)
    span = points[ends[np.arange(len(edges)), 1 - own]] - points[start]

    def slope(side: Integers) -> tuple[Floats, Booleans]:
        here = ends[np.arange(len(edges)), side]
        beyond = topology.continuation[2 * edges + side]
        pair = topology.edges[beyond]
        other = np.where(pair[:, 0] == here, pair[:, 1], pair[:, 0])
        there = ends[np.arange(len(edges)), 1 - side]
        half = 0.5 * (points[there] - points[other])
        turned = half * np.where(side == own, 1.0, -1.0)[:, None]
        return np.asarray(turned), beyond >= 0

    (first, has_first), (last, has_last) = slope(own), slope(1 - own)
    # An arc leaves its chord at one end as it meets it at the other.
    square = np.maximum(np.einsum("ij,ij->i", span, span), 1e-300)[:, None]

    def mirrored(other: Floats) -> Floats:
        along = np.einsum("ij,ij->i", other, span)[:, None] * span / square
        return np.asarray(2.0 * along - other)

    first, last = (
        np.where(has_first[:, None], first, np.where(has_last[:, None], mirrored(last), span)),
        np.where(has_last[:, None], last, np.where(has_first[:, None], mirrored(first), span)),
    )
    t = places[:, :, None]
    return np.asarray((t**3 - 2 * t**2 + t) * (first - span)[:, None] + (t**3 - t**2) * (last - span)[:, None])


def _counted(number: int, noun: str) -> str:
    return f"{number} {noun}" + ("" if number == 1 else "s")


def _ring(topology: Topology, selection: Selection) -> tuple[Booleans, Booleans, bool]:
    """Edges of the rings, whether each runs along its own direction, and whether a ring is twisted."""
    labels = topology.ring_label
    assert selection.backwards is not None
    slot = 2 * selection.indices + selection.backwards
    ahead, back = labels[slot], labels[slot ^ 1]
    direction = np.zeros(int(labels.max(initial=0)) + 1, dtype=np.int64)
    # Of several picks in one ring the first gives the direction.
    _, first = np.unique(np.minimum(ahead, back), return_index=True)
    direction[back[first]] = -1
    direction[ahead[first]] = 1
    twisted = bool((ahead == back).any())
    sense = direction[labels[0::2]]
    return sense != 0, sense == 1, twisted


def _places(
    mesh: Mesh, edges: Integers, ratio: float | None, distance: float | None, count: int, mirrored: bool
) -> Floats:
    """Where along each ring edge the new points lie, ascending: (edges, per edge), 0…1."""
    if ratio is not None and distance is not None:
        raise EditError("A loop is placed by ratio or by distance, not both.")
    if distance is not None:
        lengths = edge_lengths(mesh.topology, mesh.points)[edges]
        shortest = float(lengths.min())
        room = shortest / 2 if mirrored else shortest
        if not 0 < distance < room:
            raise EditError(
                f"A loop at {distance:g} mm does not fit: the shortest edge of the ring is {shortest:.4g} mm"
                + (" and two loops share it." if mirrored else ".")
            )
        places = np.broadcast_to((distance / lengths)[:, None], (len(edges), 1))
    else:
        base = np.array([ratio]) if ratio is not None else np.arange(1, count + 1) / (count + 1)
        places = np.broadcast_to(base, (len(edges), len(base)))
    if mirrored:
        places = np.concatenate((places, 1.0 - places), axis=1)
    places = np.sort(places, axis=1)
    if (places <= 0).any() or (places >= 1).any():
        raise EditError("A loop lies between the two ends of its ring: the ratio must be above 0 and below 1.")
    keep = np.ones(places.shape[1], dtype=np.bool_)
    keep[1:] = ~np.all(np.isclose(places[:, 1:], places[:, :-1]), axis=0)
    return np.ascontiguousarray(places[:, keep])


def _cut_quads(
    topology: Topology,
    ring: _Ring,
    faces_cut: Booleans,
    builder: MeshBuilder,
    places: Floats,
    mesh: Mesh,
    n_cut: int,
) -> Floats:
    """Puts the strips of cut quads into the builder; returns the points inside quads that are cut both ways."""
    first_corner = topology.face_offsets[:-1]
    quads = np.flatnonzero(faces_cut & _crossed(topology, ring.cut))
    cut = ring.cut[topology.corner_edge]
    one_way, other_way = cut[first_corner[quads]], cut[first_corner[quads] + 1]
    for turn, chosen in ((0, one_way & ~other_way), (1, other_way & ~one_way)):
        faces = quads[chosen]
        corner = first_corner[faces][:, None] + (np.arange(4) + turn) % 4
        low = _side(topology, ring, corner[:, 0], False)
        high = _side(topology, ring, corner[:, 2], True)
        _put_strips(builder, low, high, faces)
    faces = quads[one_way & other_way]
    if len(faces) == 0:
        return np.zeros((0, 3))
    corner = first_corner[faces][:, None] + np.arange(4)
    count = ring.per_edge
    bottom, top = _side(topology, ring, corner[:, 0], False), _side(topology, ring, corner[:, 2], True)
    left, right = _side(topology, ring, corner[:, 3], True), _side(topology, ring, corner[:, 1], False)
    first = mesh.n_points + n_cut * count
    inner = first + np.arange(len(faces) * count * count).reshape(len(faces), count, count)
    rows = [bottom]
    rows += [
        np.concatenate((left[:, row, None], inner[:, row - 1], right[:, row, None]), axis=1)
        for row in range(1, count + 1)
    ]
    rows.append(top)
    low_side, high_side = np.concatenate(rows[:-1]), np.concatenate(rows[1:])
    _put_strips(builder, low_side, high_side, np.tile(faces, count + 1))
    across = places[inverse_of(np.flatnonzero(ring.cut), topology.n_edges)]

    def ratios(side: Integers, against: bool) -> Floats:
        edge = topology.corner_edge[side]
        along = (topology.corners[side] == topology.edges[edge, 0]) == ring.forward[edge]
        values = across[edge]
        result = np.where(along[:, None], values, 1.0 - values[:, ::-1])
        return 1.0 - result[:, ::-1] if against else result

    u = 0.5 * (ratios(corner[:, 0], False) + ratios(corner[:, 2], True))[:, None, :, None]
    v = 0.5 * (ratios(corner[:, 1], False) + ratios(corner[:, 3], True))[:, :, None, None]
    p = mesh.points[topology.corners[corner]][:, :, None, None]
    inside = (1 - v) * ((1 - u) * p[:, 0] + u * p[:, 1]) + v * ((1 - u) * p[:, 3] + u * p[:, 2])
    return np.asarray(inside.reshape(-1, 3))


def _side(topology: Topology, ring: _Ring, corner: Integers, against: bool) -> Integers:
    """The points along each corner's half-edge with the new ones in it: (q, per edge + 2)."""
    edge = topology.corner_edge[corner]
    along = (topology.corners[corner] == topology.edges[edge, 0]) == ring.forward[edge]
    step = np.arange(ring.per_edge)
    new = ring.first_new[edge][:, None] + np.where(along[:, None], step, ring.per_edge - 1 - step)
    side = np.concatenate((topology.corners[corner][:, None], new, topology.corner_end[corner][:, None]), axis=1)
    return side[:, ::-1] if against else side


def _put_strips(builder: MeshBuilder, low: Integers, high: Integers, faces: Integers) -> None:
    """One quad between each two neighbours of low and high: (q, n) each."""
    strips = np.stack((low[:, :-1], low[:, 1:], high[:, 1:], high[:, :-1]), axis=2)
    builder.split(strips.reshape(-1, 4), np.repeat(faces, low.shape[1] - 1))
