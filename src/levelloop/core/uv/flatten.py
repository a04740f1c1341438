"""Islands laid flat with little stretch: from a map without flips to the least symmetric Dirichlet energy."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of, unique_rows
from levelloop.core.errors import EditError
from levelloop.core.geometry.boxes import BoxTree
from levelloop.core.mesh.faces import edge_lengths, triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.core.progress import pieces
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.uv.islands import Island, faces_meant, islands_of
from levelloop.core.uv.measure import jacobians
from levelloop.core.uv.packing import pack as packed_whole
from levelloop.core.uv.packing import packed
from levelloop.core.uv.seams import cut_to_discs
from levelloop.core.values import dataclass
from levelloop.core.words import counted

Method = Literal["low stretch", "angles"]
STEPS, ROUNDS = 4, 10  # of the descent: looked at after each four whether it still moves
AT_REST = 5e-4  # of the island's size in one round
FIRMLY = 1e5  # how firmly what is pinned stays, in units of the energy
PINNED = "pinned"  # the named set whose points keep their UV
MOST_HALVINGS = 12  # of an island that overlaps itself


@dataclass(frozen=True)
class Stretch:
    """How an island's triangles are stretched: the larger singular value of each over the smaller, and areas.

    angle, area: (t,) at least 1, after all have been brought to one mean size; weights: (t,) their areas in space.
    """

    angle: Floats
    area: Floats
    weights: Floats

    @property
    def worst(self) -> float:
        """The largest change of a length against another at one place."""
        return float(self.angle.max(initial=1.0))

    @property
    def mean(self) -> float:
        """The mean of that over the area."""
        return float(np.average(self.angle, weights=self.weights)) if len(self.angle) else 1.0


def unwrap(
    mesh: Mesh,
    selection: Selection,
    method: Method = "low stretch",
    pack: bool = True,
    margin: int = 4,
    size: int = 2048,
    smooth: bool = False,
) -> Edit:
    """Lays selected faces, or all, flat: an island between each run of seams, as true to the surface as it goes.

    Where edges or points are selected, as seams are once they are suggested, the islands beside them are meant.

    method: "low stretch" keeps lengths, "angles" keeps angles. What cannot be laid flat is cut where that is cheapest,
    and the cuts become seams. Points of the set "pinned" keep their UV. pack: puts the islands into the unit square.
    smooth: by where the points lie on the smooth surface, else by the cage. Raises EditError where there are no faces.
    From the least squares conformal map (Lévy et al. 2002), or where that flips Tutte's on a circle (Tutte 1963), by
    scalable locally injective maps (Rabinovich et al. 2017).
    """
    if mesh.n_faces == 0:
        raise EditError("There are no faces to lay flat.")
    faces = faces_meant(mesh, selection, mesh.seams)
    places = limit_of(mesh) if smooth else mesh.points
    cost = edge_lengths(mesh.topology, places)
    seams = cut_to_discs(mesh, faces, mesh.seams, cost)
    uv = np.zeros((mesh.topology.n_corners, 2)) if mesh.uv is None else mesh.uv.copy()
    pinned = _pinned(mesh)
    found: list[tuple[Island, Floats]] = []
    for island in pieces(islands_of(mesh, faces, seams)):
        for part, flat in _laid_flat(mesh, island, places, method, pinned, seams):
            found.append((part, flat))
    stretch = [stretch_of(island, places, flat) for island, flat in found]
    if pack and not pinned.any():
        flats = packed([flat for _, flat in found], margin, size)
    else:
        flats = [flat for _, flat in found]
    for (island, _), flat in zip(found, flats, strict=True):
        uv[island.corners] = flat[island.topology.corners]
    new = int((seams & ~mesh.seams).sum())
    worst = max((one.worst for one in stretch), default=1.0)
    weights = [float(one.weights.sum()) for one in stretch]
    mean = float(np.average([one.mean for one in stretch], weights=weights)) if stretch else 1.0
    told = f"{counted(len(found), 'island')}; stretched {mean:.3g} × on average, at most {worst:.3g} ×."
    if new:
        told += f" {counted(new, 'edge', 'edges')} became seams, so that all could be laid flat."
    laid = replace(mesh, uv=uv, seam=seams)
    if pack and selection.kind != "faces" and len(faces) < mesh.n_faces and mesh.uv is not None:
        # The islands beside what is selected find their place among the others.
        edit = packed_whole(laid, NOTHING, margin, size)
        return replace(edit, selection=selection, message=f"{told} {edit.message}")
    return Edit(laid, selection, identity(mesh), told)


def limit_of(mesh: Mesh) -> Floats:
    """Where the cage's points lie on its limit surface, those without faces where they are: (n, 3)."""
    surface = SmoothSurface(mesh, 0)
    return np.where(mesh.topology.point_face_count[:, None] > 0, surface.limit(mesh.points), mesh.points)


def stretch_of(island: Island, places: Floats, flat: Floats) -> Stretch:
    """How an island is stretched; places: (n, 3) of the mesh's points, flat: (v, 2) of the island's places."""
    shown, _ = triangles(island.topology, places[island.point])
    jacobian, area, _ = jacobians(places[island.point], flat, shown)
    singular = np.linalg.svd(jacobian, compute_uv=False)
    singular = np.maximum(singular, 1e-12)
    scale = singular.prod(axis=1)
    mean = max(float((scale * area).sum() / max(area.sum(), 1e-300)), 1e-300)
    return Stretch(singular[:, 0] / singular[:, 1], np.maximum(scale / mean, mean / scale), area)


# Helpers


def _pinned(mesh: Mesh) -> Booleans:
    named = next((one for one in mesh.sets if one.name == PINNED and one.kind == "points"), None)
    if named is None or mesh.uv is None:
        return np.zeros(mesh.n_points, dtype=np.bool_)
    return mask_of(named.indices, mesh.n_points)


def _laid_flat(
    mesh: Mesh, island: Island, places: Floats, method: Method, pinned: Booleans, seams: Booleans
) -> list[tuple[Island, Floats]]:
    """An island as it lies flat, or the pieces it was cut into where it lay over itself; seams takes up the cuts."""
    waiting, done, halvings = [island], [], 0
    while waiting:
        one = waiting.pop(0)
        flat = _flat(mesh, one, places, method, pinned)
        if halvings < MOST_HALVINGS and len(one.faces) > 1 and overlaps_itself(one, flat):
            halvings += 1
            waiting += _halves(mesh, one, places, seams)
        else:
            done.append((one, flat))
    return done


def _flat(mesh: Mesh, island: Island, places: Floats, method: Method, pinned: Booleans) -> Floats:
    import igl

    points = np.asfortranarray(places[island.point])
    shown, _ = triangles(island.topology, points)
    shown = _with_area(points, shown)
    if len(shown) == 0:
        # Nothing to measure by: it lies where it is seen from the side it spreads most in.
        return _seen_flat(points)
    start = _start(island, points, shown)
    energy = igl.MappingEnergyType
    kind = energy.SYMMETRIC_DIRICHLET if method == "low stretch" else energy.CONFORMAL
    at = np.flatnonzero(pinned[island.point])
    wanted = np.zeros((len(at), 2))
    if len(at):
        assert mesh.uv is not None
        known = np.zeros((island.topology.n_points, 2))
        known[island.topology.corners] = mesh.uv[island.corners]
        wanted = known[at]
        start = _onto(start, at, wanted)
    data = igl.slim_precompute(
        points,
        np.asfortranarray(shown.astype(np.int32)),
        np.asfortranarray(start),
        kind,
        at.astype(np.int32),
        np.asfortranarray(wanted),
        FIRMLY if len(at) else 0.0,
    )
    flat = start
    for _ in range(ROUNDS):
        before, flat = flat, np.array(igl.slim_solve(data, STEPS), dtype=np.float64)[:, :2]
        if not np.abs(flat - before).max() > AT_REST * np.ptp(flat):
            break
    # What went wrong is no map; the start is one, if a stretched one.
    return flat if np.isfinite(flat).all() and not _flips(flat, shown) else start


def _with_area(points: Floats, shown: Integers) -> Integers:
    """Triangles that have an area."""
    a, b, c = (points[shown[:, n]] for n in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    return np.asarray(shown[area > 1e-12 * max(float(area.max(initial=0.0)), 1e-300)])


def _start(island: Island, points: Floats, shown: Integers) -> Floats:
    """A map without flips: the least squares conformal one where it has none, exact on what can be unrolled."""
    import igl

    places = distinct(shown)
    far = points[places]
    first = int(np.argmax(np.linalg.norm(far - far.mean(axis=0), axis=1)))
    second = int(np.argmax(np.linalg.norm(far - far[first], axis=1)))
    apart = float(np.linalg.norm(far[first] - far[second]))
    number = np.full(len(points), -1, dtype=np.int64)
    number[places] = np.arange(len(places))
    if len(places) == len(points) and apart > 0:
        held = np.array([first, second], dtype=np.int64)
        flat, _ = igl.lscm(np.ascontiguousarray(points), number[shown], held, np.array([[0.0, 0.0], [apart, 0.0]]))
        flat = np.asarray(flat, dtype=np.float64)
        if np.isfinite(flat).all():
            if _signed(flat, shown).sum() < 0:
                flat[:, 1] = -flat[:, 1]
            if not _flips(flat, shown):
                return _true_size(flat, points, shown)
    return _tutte(island, points, shown)


def _true_size(flat: Floats, points: Floats, shown: Integers) -> Floats:
    """A map sized so that its area is that in space."""
    a, b, c = (points[shown[:, n]] for n in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()
    own = np.abs(_signed(flat, shown)).sum()
    return np.asarray(flat * np.sqrt(area / max(float(own), 1e-300)))


def _tutte(island: Island, points: Floats, shown: Integers) -> Floats:
    """The map whose rim lies on a circle and whose every other place is the mean of its neighbours: no flips."""
    from scipy.sparse import csr_array
    from scipy.sparse.linalg import spsolve

    flat = island.topology
    members, offsets, _ = flat.boundary_chains
    sizes = np.diff(offsets)
    longest = int(np.argmax(sizes))
    rim = flat.corners[members[offsets[longest] : offsets[longest + 1]]]
    step = np.linalg.norm(np.roll(points[rim], -1, axis=0) - points[rim], axis=1)
    # What has no length yet has a place of its own on the circle.
    step = np.maximum(step, 1e-3 * max(float(step.mean()), 1e-300))
    angle = 2.0 * np.pi * np.concatenate(([0.0], np.cumsum(step)[:-1])) / step.sum()
    count = flat.n_points
    result = np.zeros((count, 2))
    result[rim] = np.stack((np.cos(angle), np.sin(angle)), axis=1)
    # Over triangles: with each face's own edges alone an inner n-gon could fold.
    pairs = np.concatenate((shown[:, [0, 1]], shown[:, [1, 2]], shown[:, [2, 0]]))
    pairs = unique_rows(np.concatenate((pairs, pairs[:, ::-1])))[0]
    weights = csr_array((np.ones(len(pairs)), pairs.T), shape=(count, count))
    weights.data[:] = 1.0
    degree = np.maximum(np.asarray(weights.sum(axis=1)).ravel(), 1.0)
    inner = np.ones(count, dtype=np.bool_)
    inner[rim] = False
    if inner.any():
        laplacian = (csr_array((degree, (np.arange(count),) * 2)) - weights)[inner]
        solved = spsolve(laplacian[:, inner].tocsc(), -(laplacian[:, ~inner] @ result[~inner]))
        result[inner] = np.asarray(solved).reshape(-1, 2)
    if _signed(result, shown).sum() < 0:
        result[:, 0] = -result[:, 0]
    return _true_size(result, points, shown)


def _onto(flat: Floats, at: Integers, wanted: Floats) -> Floats:
    """A map turned, moved and sized so that some places come near to where they are wanted."""
    middle, target = flat[at].mean(axis=0), wanted.mean(axis=0)
    if len(at) < 2:
        return np.asarray(flat + (target - middle))
    one = (flat[at] - middle) @ np.array([1, 1j])
    other = (wanted - target) @ np.array([1, 1j])
    turn = (np.conj(one) @ other) / max(float((np.abs(one) ** 2).sum()), 1e-300)
    moved = ((flat - middle) @ np.array([1, 1j])) * (turn if abs(turn) > 1e-12 else 1.0)
    return np.asarray(np.stack((moved.real, moved.imag), axis=1) + target)


def _signed(flat: Floats, shown: Integers) -> Floats:
    """Twice the signed area of each triangle: (t,)."""
    a, b, c = (flat[shown[:, n]] for n in range(3))
    one, other = b - a, c - a
    return np.asarray(one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0])


def _flips(flat: Floats, shown: Integers) -> bool:
    return bool((_signed(flat, shown) <= 0).any())


def _seen_flat(points: Floats) -> Floats:
    """Points as they are seen from the side in which they spread most: (n, 2)."""
    away = points - points.mean(axis=0)
    _, _, axes = np.linalg.svd(away, full_matrices=False)
    return np.asarray(away @ axes[:2].T)


def overlaps_itself(island: Island, flat: Floats) -> bool:
    """Whether an island's rim crosses itself: without flips it then lies over itself."""
    rim = island.topology.edges[island.topology.open_edges]
    a, b = flat[rim[:, 0]], flat[rim[:, 1]]
    low, high = (np.pad(one, ((0, 0), (0, 1))) for one in (np.minimum(a, b), np.maximum(a, b)))
    tree = BoxTree(low, high)
    one, other = tree.meeting(tree)
    apart = (one < other) & (rim[one][:, :, None] != rim[other][:, None, :]).all(axis=(1, 2))
    one, other = one[apart], other[apart]

    def side(p: Floats, q: Floats, r: Floats) -> Floats:
        return np.asarray((q[:, 0] - p[:, 0]) * (r[:, 1] - p[:, 1]) - (q[:, 1] - p[:, 1]) * (r[:, 0] - p[:, 0]))

    first = side(a[one], b[one], a[other]) * side(a[one], b[one], b[other])
    second = side(a[other], b[other], a[one]) * side(a[other], b[other], b[one])
    return bool(((first < 0) & (second < 0)).any())


def _halves(mesh: Mesh, island: Island, places: Floats, seams: Booleans) -> list[Island]:
    """An island cut across the way it is longest, into pieces that are discs."""
    middles = np.zeros((len(island.faces), 3))
    offsets = island.topology.face_offsets
    middles[:] = np.add.reduceat(places[island.point][island.topology.corners], offsets[:-1], axis=0)
    middles /= np.diff(offsets)[:, None]
    away = middles - middles.mean(axis=0)
    _, _, axes = np.linalg.svd(away, full_matrices=False)
    along = away @ axes[0]
    far = along > np.median(along)
    if far.all() or not far.any():
        far = np.arange(len(along)) >= len(along) // 2
    side = np.full(mesh.n_faces, -1)
    side[island.faces] = far
    faces = mesh.topology.edge_faces
    both = (faces >= 0).all(axis=1)
    between = both & (side[faces[:, 0]] >= 0) & (side[np.maximum(faces[:, 1], 0)] >= 0)
    between &= side[faces[:, 0]] != side[np.maximum(faces[:, 1], 0)]
    seams |= between
    seams[:] = cut_to_discs(mesh, island.faces, seams, edge_lengths(mesh.topology, places))
    return islands_of(mesh, island.faces, seams)
