"""The limit surface as values: where the points of a level land on it, which way it faces and how it bends there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, frozen
from levelloop.core.lazy import lazy
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology
from levelloop.core.progress import both
from levelloop.core.surface.bends import Bends
from levelloop.core.surface.jets import rings_of
from levelloop.core.surface.limit import Sectors, sector_normals, sector_places, sectors
from levelloop.core.surface.refine import sharp_of
from levelloop.core.surface.splines import regular_bends
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.values import dataclass

QUARTER = 2  # the level whose cells are a quarter of a cage face wide


@dataclass(frozen=True, eq=False)
class SurfaceSamples:
    """Samples of a limit surface, one for each point of a refined mesh, in the space of its cage.

    mesh: the level's mesh, its points on the limit; points, normals: (n, 3) of it, normals of unit length; k1 ≥ k2 (n,)
    1/mm, positive where the surface bends away from its outward side; d1, d2: (n, 3) their directions. cage_face: (n,)
    the lowest-numbered cage face that holds the sample, −1 for a point without faces. beside: (n,) mm: curvature does
    not exist at a pole, so there it is that of the place a quarter of a cage face away that bends most; 0 elsewhere.
    On a crease a sample is of the side of its cage face. ways: works out d1 and d2 once somebody asks.
    """

    mesh: Mesh
    points: Floats
    normals: Floats
    k1: Floats
    k2: Floats
    cage_face: Integers
    beside: Floats
    ways: Callable[[], tuple[Floats, Floats]]

    @property
    def d1(self) -> Floats:
        """The direction of k1: (n, 3)."""
        return self._directions[0]

    @property
    def d2(self) -> Floats:
        """The direction of k2: (n, 3)."""
        return self._directions[1]

    @lazy
    def _directions(self) -> tuple[Floats, Floats]:
        d1, d2 = self.ways()
        return frozen(d1), frozen(d2)

    def on_cage(self, source: Integers) -> SurfaceSamples:
        """The same with each cage face as the one it comes from: source (m,), −1 for none."""
        return replace(self, cage_face=frozen(np.append(source, -1)[self.cage_face]))


def sampled(surface: SmoothSurface, points: Floats, directions: bool = False) -> SurfaceSamples:
    """The samples of a smooth surface at its level, for points (n, 3) of its cage.

    directions: works them out at once, for who will ask for them.
    """
    deep = _deep(surface)
    count = surface.topology.n_points
    bends, beside = bends_of(deep, points, count, directions)

    def ways() -> tuple[Floats, Floats]:
        with_them = bends if directions else bends_of(deep, points, count, True)[0]
        return with_them.d1, with_them.d2

    # Nobody writes to it any more, so the mesh need not copy it.
    places = frozen(bends.places)
    return SurfaceSamples(
        surface.whole(places, surface.cage),
        places,
        frozen(bends.normals),
        frozen(bends.k1),
        frozen(bends.k2),
        deep.point_face[:count],
        frozen(beside),
        ways,
    )


def bends_of(surface: SmoothSurface, points: Floats, count: int, directions: bool = False) -> tuple[Bends, Floats]:
    """How a surface bends at the first of its points, so many, and how far beside them that was looked at: (count,) mm.

    points: (n, 3) of its cage.
    """
    bends, beside = _bends(_deep(surface), points, QUARTER, directions)
    return (bends, beside) if count == len(beside) else (bends.take(np.arange(count)), beside[:count])


def sampled_mesh(mesh: Mesh, cage_face: Integers) -> SurfaceSamples:
    """The samples of a mesh that lies on a surface already, its derivatives taken as differences between neighbours.

    cage_face: (m,) the cage face of each of its faces. For surfaces that steps have shaped after they were smoothed;
    beside poles the next points count.
    """
    topology = mesh.topology.faces_only
    around = sectors(topology, sharp_of(topology, mesh.creases[~mesh.topology.wire_edges], mesh.corner_sharpness))
    bends = Bends.flat(len(around.point), True)
    known = np.zeros(len(around.point), dtype=np.bool_)
    owners, found = rings_of(topology, around).bends(mesh.points, True, on_surface=True)
    bends.put(owners, found)
    known[owners] = True
    rest = np.flatnonzero(~known)
    bends.normals[rest] = sector_normals(topology, around, mesh.points, rest)[rest]
    bends.places[:] = mesh.points[around.point]
    beside = np.zeros(len(around.point))
    _take_from_neighbours(topology, around.of_corner, np.flatnonzero(~known[around.of_corner]), bends, known, beside)
    sector, has_faces = _sector_of_points(topology, around)
    # A curve has points, and nothing that bends there.
    values = bends.take(sector) if has_faces.any() else Bends.flat(mesh.n_points, True)
    values.numbers[:, ~has_faces] = 0.0
    face = np.full(mesh.n_points, np.iinfo(np.int64).max)
    np.minimum.at(face, topology.corners, cage_face[topology.corner_face])
    return SurfaceSamples(
        mesh,
        mesh.points,
        frozen(values.normals),
        frozen(values.k1),
        frozen(values.k2),
        frozen(np.where(has_faces, face, -1)),
        frozen(np.where(has_faces, beside[sector], 0.0) if has_faces.any() else np.zeros(mesh.n_points)),
        lambda: (values.d1, values.d2),
    )


# Helpers


def _deep(surface: SmoothSurface) -> SmoothSurface:
    """A surface at the level from which on it is known what lies beside a pole.

    The points of a level come first among those of the next.
    """
    return surface if surface.level >= QUARTER else SmoothSurface(surface.cage, QUARTER, like=surface)


def _bends(surface: SmoothSurface, points: Floats, quarter: int, directions: bool) -> tuple[Bends, Floats]:
    """How a surface bends at its points, and how far beside them that was looked at.

    points: (n, 3) of its cage; quarter: the level of a quarter cage face.
    """
    if surface.patched is None:
        return _bends_by_rings(surface, surface.points(points), quarter, directions)
    start, patches, irregular = surface.patched
    local = surface.refined_to(start, points)
    beside = np.zeros(patches.final.n_points)
    if irregular is None:
        bends = regular_bends(patches, local, directions)
    else:
        piece, its_surface = irregular.piece, irregular.surface
        later = max(quarter - start, 0)
        # What the one does alone is done beside the other.
        (found, lost), bends = both(
            lambda: _bends(its_surface, local[piece.used], later, directions),
            lambda: regular_bends(patches, local, directions),
        )
        bends.put(piece.targets, found.take(piece.sources))
        beside[piece.targets] = lost[piece.sources]
    if patches.fans is not None:
        # Corner c of one level is the first corner of face c at the next, at the same point.
        later = max(quarter - start, 0)
        at = 4**later * patches.fans.pole_corners
        beside_poles = surface.steps[start + later].parent if start + later < surface.level else surface.topology
        known = np.ones(len(beside), dtype=np.bool_)
        known[beside_poles.corners[at]] = False
        _take_from_neighbours(beside_poles, beside_poles.corners, at, bends, known, beside)
    bare = np.flatnonzero(surface.topology.point_face_count == 0)
    if len(bare):
        bends.put(bare, _bare(local[bare], directions))
    return bends, beside


def _bare(places: Floats, directions: bool) -> Bends:
    """Of points without faces at some places (n, 3)."""
    result = Bends.flat(len(places), directions)
    result.places[:] = places
    return result


def _bends_by_rings(surface: SmoothSurface, raw: Floats, quarter: int, directions: bool) -> tuple[Bends, Floats]:
    """The same from the points around each; raw: the surface's points."""
    around = surface.sectors
    if len(around.point) == 0:
        return _bare(raw, directions), np.zeros(len(raw))
    bends, known = _known_bends(surface, raw, directions)
    beside = np.zeros(len(around.point))
    _fill_normals(surface, raw, bends, known)
    _look_beside(surface, bends, known, beside, quarter)
    sector, has_faces = _sector_of_points(surface.topology, around)
    found = bends.take(sector)
    bare = np.flatnonzero(~has_faces)
    if len(bare):
        found.put(bare, _bare(raw[bare], directions))
    return found, np.where(has_faces, beside[sector], 0.0)


def _known_bends(deep: SmoothSurface, raw: Floats, directions: bool) -> tuple[Bends, Booleans]:
    """How the surface bends in each sector, and in which of them that is known."""
    bends = Bends.flat(len(deep.sectors.point), directions)
    known = np.zeros(len(deep.sectors.point), dtype=np.bool_)
    owners, found = deep.rings.bends(raw, directions)
    bends.put(owners, found)
    known[owners] = True
    piece = deep.unsettled
    if piece is not None:
        # Sharpness that still fades: what the rules make of the ring once it has faded.
        target = deep.sectors.of_corner[piece.corners]
        known[target] = False
        local = piece.local_points(raw)
        owners, found = rings_of(piece.topology, piece.around).bends(local, directions)
        all_bends = Bends.flat(len(piece.around.point), directions)
        all_bends.put(owners, found)
        is_known = np.zeros(len(piece.around.point), dtype=np.bool_)
        is_known[owners] = True
        source = piece.around.of_corner[4 * np.arange(len(piece.corners))]
        bends.put(target, all_bends.take(source))
        known[target] = is_known[source]
    return bends, known


def _fill_normals(deep: SmoothSurface, raw: Floats, bends: Bends, known: Booleans) -> None:
    """Places and normals where curvature does not exist: poles have both."""
    rest = np.flatnonzero(~known & deep.asked)
    if len(rest) == 0:
        return
    around = deep.sectors
    topology = deep.topology
    if ((topology.twin < 0) & (topology.edge_face_count[topology.corner_edge] == 2)).any():
        # Where neighbouring faces disagree a point's fan is in pieces, though nothing is sharp between them.
        bends.places[rest] = deep.limit(raw)[around.point[rest]]
    else:
        bends.places[rest] = sector_places(topology, around, raw, rest)
    bends.normals[rest] = sector_normals(deep.topology, deep.sectors, raw, rest)[rest]
    piece = deep.unsettled
    if piece is not None:
        places, normals = piece.settled(raw)
        at = np.full(deep.topology.n_points, -1, dtype=np.int64)
        at[piece.points] = np.arange(len(piece.points))
        own = at[deep.sectors.point[rest]]
        bends.places[rest[own >= 0]] = places[own[own >= 0]]
        sector = deep.sectors.of_corner[piece.corners]
        unknown = ~known[sector]
        bends.normals[sector[unknown]] = normals[unknown]


def _look_beside(deep: SmoothSurface, bends: Bends, known: Booleans, beside: Floats, level: int) -> None:
    """Curvature at poles, taken a quarter of a cage face beside them."""
    if (known | ~deep.asked).all():
        return
    quarter = deep.steps[level].parent if deep.level > level else deep.topology
    # Corner c of one level is the first corner of face c at the next, at the same point.
    sector = deep.sectors.of_corner[4 ** (deep.level - level) * np.arange(quarter.n_corners)]
    _take_from_neighbours(quarter, sector, np.flatnonzero((deep.asked & ~known)[sector]), bends, known, beside)


def _take_from_neighbours(
    topology: Topology, sector: Integers, at: Integers, bends: Bends, known: Booleans, beside: Floats
) -> None:
    """The bends of unknown sectors as those of the neighbour that bends most.

    sector: (k,) of each corner; at: (c,) the corners in unknown ones.
    """
    after, before = topology.next_corner[at], topology.previous_corner[at]
    other = sector[np.concatenate((after, topology.next_corner[after], before))]
    owner = np.tile(sector[at], 3)
    fits = known[other]
    other, owner = other[fits], owner[fits]
    if len(owner) == 0:
        return
    order = np.argsort(owner, kind="stable")
    owner, other = owner[order], other[order]
    starts = np.flatnonzero(np.diff(owner, prepend=-1))
    most = np.maximum(np.abs(bends.k1[other]), np.abs(bends.k2[other]))
    is_most = most == np.repeat(np.maximum.reduceat(most, starts), np.diff(starts, append=len(owner)))
    # Of those that bend alike the lowest-numbered.
    target, source = owner[starts], np.minimum.reduceat(np.where(is_most, other, len(known)), starts)
    bends.numbers[6:, target] = bends.numbers[6:, source]
    beside[target] = np.linalg.norm(bends.places[target] - bends.places[source], axis=1)


def _sector_of_points(topology: Topology, around: Sectors) -> tuple[Integers, Booleans]:
    """The sector of each point that its lowest corner is in, and which points have one: (n,), (n,)."""
    first = np.full(topology.n_points, -1, dtype=np.int64)
    first[topology.corners[::-1]] = np.arange(topology.n_corners)[::-1]
    sector = around.of_corner[np.maximum(first, 0)] if topology.n_corners else np.zeros(topology.n_points, np.int64)
    return sector, first >= 0
