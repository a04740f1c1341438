"""SmoothSurface: a cage's connectivity and tags refined to a level, ready for any points."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers, distinct, frozen, mask_of
from levelloop.core.errors import EditError
from levelloop.core.lazy import lazy
from levelloop.core.mesh.mesh import Mesh, NamedSet, UVSet
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.mesh.tags import SHARPNESS_NEVER_FADES, TAGS, Tag
from levelloop.core.mesh.topology import Topology
from levelloop.core.progress import both
from levelloop.core.surface.face_varying import refined_uv
from levelloop.core.surface.jets import Rings, rings_of
from levelloop.core.surface.limit import (
    Sectors,
    Unsettled,
    limit_points,
    sector_normals,
    sectors,
    unsettled,
)
from levelloop.core.surface.patches import LEAST_REGULAR, Patches, Piece
from levelloop.core.surface.refine import Step, refine, sharp_of
from levelloop.core.surface.splines import regular_normals
from levelloop.core.values import dataclass

if TYPE_CHECKING:
    from scipy.sparse import csr_array

HIGHEST_LEVEL = 6


def faces_at(topology: Topology, level: int) -> int:
    """Faces at a level, known without the edges.

    >>> from levelloop.core.forms.primitives import box
    >>> [faces_at(box().topology, level) for level in (0, 1, 2)]
    [6, 24, 96]
    """
    return topology.n_faces if level == 0 else topology.n_corners * 4 ** (level - 1)


@dataclass(frozen=True, eq=False)
class Irregular:
    """The irregular faces of a surface's patches, and the surface of these alone, with what is around them."""

    piece: Piece
    surface: SmoothSurface


class SmoothSurface:
    """The Catmull-Clark surface of a cage at a level; connectivity once, points every frame.

    level: 0 (the cage itself) … 6. Points of the surface are numbered cage points first.
    like: a surface of the same cage with other tags; its connectivity is used again; patches_from: the level from which
    on regular faces are patches; asked: (k,) the points whose normals and bends are asked for, None for all; faces:
    (f,) those of the cage whose surface is asked for, None for all: that of others may mean nothing.
    """

    steps: tuple[Step, ...]

    def __init__(
        self,
        mesh: Mesh,
        level: int,
        like: SmoothSurface | None = None,
        patches_from: int = 0,
        asked: Integers | None = None,
        faces: Integers | None = None,
    ) -> None:
        if not 0 <= level <= HIGHEST_LEVEL:
            raise EditError(f"Smoothing levels go from 0 to {HIGHEST_LEVEL}, not {level}.")
        self.cage = mesh
        self.level = level
        self._patches_from = patches_from
        self._asked = asked
        self._faces = faces
        steps: list[Step] = []
        # Wires are no surface; their points stay where they are.
        topology = mesh.topology.faces_only
        creases = mesh.creases if topology is mesh.topology else mesh.creases[~mesh.topology.wire_edges]
        sharp = sharp_of(topology, creases, mesh.corner_sharpness, mesh.scheme.boundary)
        known: tuple[Step, ...] = like.steps if like is not None and like.cage.topology is mesh.topology else ()
        self._sharp = [sharp]
        for depth in range(level):
            child = known[depth].child if depth < len(known) else None
            step = refine(topology, sharp, mesh.scheme.triangles == "smooth", child, mesh.scheme.creases)
            steps.append(step)
            topology, sharp = step.child, step.sharp
            self._sharp.append(sharp)
        self.steps = tuple(steps)
        self.topology = topology
        self.sharp = sharp

    @lazy
    def creases(self) -> Floats:
        """What is left of the creases on the surface: (e',)."""
        if self.level == 0 and self.topology is self.cage.topology:
            return self.cage.creases
        left = self.sharp.creases(self.topology.n_edges)
        left[self.topology.edge_face_count != 2] = 0.0
        return frozen(left)

    @lazy
    def soft(self) -> Booleans:
        """Edges that are no creases on the surface: (e',)."""
        return frozen(np.asarray(self.creases == 0))

    @lazy
    def corner_sharpness(self) -> Floats:
        """What is left of the corner sharpness on the surface: (n',)."""
        return frozen(self.sharp.corners(self.topology.n_points)) if self.level else self.cage.corner_sharpness

    def fits(self, mesh: Mesh) -> bool:
        """Whether the surface also serves another mesh: the same connectivity and tags, other points."""
        return self.cage.same_tags(mesh)

    def points(self, points: Floats) -> Floats:
        """The surface's points for the cage's: (n, d) → (n', d)."""
        return self._points(points, keep=False, out=None)

    @lazy
    def matrices(self) -> tuple[csr_array, ...]:
        """One stencil matrix per level; applied in turn they cost less than their product."""
        return tuple(step.matrix for step in self.steps)

    @lazy
    def stencils(self) -> csr_array:
        """The weights of cage points in surface points: (n', n)."""
        from scipy.sparse import csr_array, eye_array

        product = csr_array(eye_array(self.cage.n_points, format="csr"))
        for matrix in self.matrices:
            product = csr_array(matrix @ product)
        return product

    def fast_points(self, points: Floats, out: Floats | None = None) -> Floats:
        """As points(), by matrices that are kept; for surfaces whose points change often.

        out: (d, n') to write into, for those that come every frame.
        """
        return self._points(points, keep=True, out=out)

    def _points(self, points: Floats, keep: bool, out: Floats | None) -> Floats:
        start, patches = self._patches
        for step in self.steps[:start]:
            points = step.matrix @ points if keep else step.points(points)
        if patches is not None:
            return patches.points(points, keep, out)
        if out is not None:
            out[:] = points.T
            return out.T
        return points

    @lazy
    def _patches(self) -> tuple[int, Patches | None]:
        """The patches of the first level that is mostly regular, and that level; the surface's level where none is.

        For less than two levels a patch has more to gather than to give.
        """
        for depth in range(self._patches_from, self.level - 1):
            topology = self.steps[depth].parent
            if depth == 0 and (len(topology.face_sizes) == 0 or (topology.face_sizes != 4).any()):
                continue
            # Where poles are looked at a quarter of a cage face aside, the faces of patches are no smaller than half.
            poles = self._patches_from == 0 and depth <= 1
            wanted = None if self._faces is None else self._wanted(depth)
            patches = Patches(topology, self._sharp[depth], self.level - depth, self.topology, poles, wanted)
            if patches.share >= LEAST_REGULAR:
                return depth, patches
        return self.level, None

    @lazy
    def sectors(self) -> Sectors:
        """The fans of faces between sharp edges around each point of the surface."""
        return sectors(self.topology, self.sharp)

    @lazy
    def rings(self) -> Rings:
        """The points around those of the surface whose derivatives are known from them."""
        return rings_of(self.topology, self.sectors, self.asked)

    @lazy
    def asked(self) -> Booleans:
        """The sectors whose normals and bends are asked for: (s,)."""
        if self._asked is None:
            return np.ones(len(self.sectors.point), dtype=np.bool_)
        return mask_of(self._asked, self.topology.n_points)[self.sectors.point]

    @lazy
    def _odd_sectors(self) -> Integers:
        """Sectors that are no plain ring of four faces."""
        return np.flatnonzero(self.asked & ~mask_of(self.rings.inner_of, len(self.sectors.point)))

    @lazy
    def patched(self) -> tuple[int, Patches, Irregular | None] | None:
        """The level whose regular faces are patches, these, and the surface of the others; None without patches."""
        start, patches = self._patches
        if patches is None:
            return None
        piece = patches.piece
        if len(piece.targets) == 0:
            return start, patches, None
        topology = piece.topology
        creases, corners = piece.sharp.creases(topology.n_edges), piece.sharp.corners(topology.n_points)
        cage = Mesh(topology, np.zeros((topology.n_points, 3)), creases, corners, scheme=self.cage.scheme)
        # A piece is as irregular as it was cut out; what it becomes is less so.
        surface = SmoothSurface(cage, self.level - start, patches_from=1, asked=piece.sources)
        return start, patches, Irregular(piece, surface)

    def refined_to(self, level: int, points: Floats) -> Floats:
        """The points of a lower level for the cage's: (n', 3)."""
        for step in self.steps[:level]:
            points = step.points(points)
        return points

    @lazy
    def point_face(self) -> Integers:
        """The lowest-numbered cage face at each point, −1 for none: (n',); faces come in the order of the cage's."""
        topology = self.topology
        face = np.full(topology.n_points, -1, dtype=np.int64)
        face[topology.corners[::-1]] = self.face_origin[topology.corner_face[::-1]]
        return frozen(face)

    @lazy
    def unsettled(self) -> Unsettled | None:
        """The points whose masks do not hold yet, None where all do."""
        return unsettled(self.topology, self.sharp, self.cage.scheme)

    def limit(self, surface_points: Floats) -> Floats:
        """Where the surface's points land in the limit, exactly, at any level: (n', 3), from points()."""
        result = limit_points(self.topology, self.sectors, surface_points)
        if self.unsettled is not None:
            result[self.unsettled.points] = self.unsettled.settled(surface_points)[0]
        return result

    def normals(self, surface_points: Floats, points: Floats | None = None) -> Floats:
        """Unit limit normals, one for each sector: (s, 3), from points(); points: the cage's, where it is theirs.

        With the cage's points the regular faces take a fraction of the time.
        """
        if points is not None and self.patched is not None:
            return self._patched_normals(points)
        result = sector_normals(self.topology, self.sectors, surface_points, self._odd_sectors)
        result[self.rings.inner_of] = self.rings.inner_normals(surface_points)
        if self.unsettled is not None:
            around = self.unsettled
            result[self.sectors.of_corner[around.corners]] = around.settled(surface_points)[1]
        return result

    def _patched_normals(self, points: Floats) -> Floats:
        assert self.patched is not None
        start, patches, irregular = self.patched
        local = self.refined_to(start, points)

        def of_regular() -> Floats:
            normals = regular_normals(patches, local)
            return normals if self.sectors.one_each else normals[self.sectors.point]

        if irregular is None:
            return of_regular()

        def of_irregular() -> Floats:
            there, surface = local[irregular.piece.used], irregular.surface
            patched = surface.patched is not None
            return surface._patched_normals(there) if patched else surface.normals(surface.points(there))

        # What the one does alone is done beside the other.
        found, normals = both(of_irregular, of_regular)
        targets, sources = self._irregular_sectors
        for mine, theirs in zip(normals.T, found.T, strict=True):
            mine[targets] = theirs[sources]
        return normals

    @lazy
    def _irregular_sectors(self) -> tuple[Integers, Integers]:
        """The sectors of irregular faces here, and which they are on the surface of these alone."""
        assert self.patched is not None
        _, _, irregular = self.patched
        assert irregular is not None
        piece, surface = irregular.piece, irregular.surface
        targets, first = np.unique(self.sectors.of_corner[piece.final_corners], return_index=True)
        return targets, surface.sectors.of_corner[piece.own_corners[first]]

    @lazy
    def face_origin(self) -> Integers:
        """The cage face that each face of the surface comes from: (m',)."""
        origin = np.arange(self.cage.n_faces)
        for step in self.steps:
            origin = origin[step.parent.corner_face]
        return origin

    @lazy
    def edge_origin(self) -> Integers:
        """The cage edge that each edge of the surface is a piece of, −1 for those inside faces: (e',)."""
        origin = np.flatnonzero(~self.cage.topology.wire_edges)
        for step in self.steps:
            inner = np.full(step.parent.n_corners, -1, dtype=np.int64)
            origin = np.concatenate((np.repeat(origin, 2), inner))
        return origin

    @lazy
    def edge_chains(self) -> Integers:
        """The surface points along each cage edge, from edges[:, 0] to edges[:, 1]: (e, 2^level + 1).

        A wire goes straight from its start to its end, which is repeated.
        """
        faces_only = self.steps[0].parent if self.steps else self.topology
        chain = faces_only.edges
        parts = np.arange(len(chain))[:, None]
        for step in self.steps:
            parent = step.parent
            middle = parent.n_points + parts
            longer = np.empty((len(chain), 2 * chain.shape[1] - 1), dtype=np.int64)
            longer[:, 0::2] = chain
            longer[:, 1::2] = middle
            against = (parent.edges[parts, 0] != chain[:, :-1]).astype(np.int64)
            halves = np.empty((len(parts), 2 * parts.shape[1]), dtype=np.int64)
            halves[:, 0::2] = 2 * parts + against
            halves[:, 1::2] = 2 * parts + 1 - against
            chain, parts = longer, halves
        cage = self.cage.topology
        if faces_only is cage:
            return chain
        whole = np.repeat(cage.edges[:, 1:], chain.shape[1], axis=1)
        whole[:, 0] = cage.edges[:, 0]
        whole[~cage.wire_edges] = chain
        return whole

    @lazy
    def left_out(self) -> Booleans:
        """Faces that are no part of the surface: (m',).

        They come from holes of the cage and, with boundary "none" above level 0, from its faces that touch a boundary
        edge's end, but for edges whose crease never fades: these are kept as they are.
        """
        topology = self.cage.topology
        out = self.cage.hole
        if self.cage.scheme.boundary == "none" and self.level:
            out = out.copy()
            loose = topology.open_edges & (self.cage.creases < SHARPNESS_NEVER_FADES)
            out[topology.faces_of_points(distinct(topology.edges[loose]))] = True
        return frozen(np.asarray(out[self.face_origin]))

    def mesh(self, surface_points: Floats) -> Mesh:
        """The surface as a mesh of its own, with what is left of its creases, and its other tags, without its holes."""
        return without_holes(self.whole(surface_points, self.cage))

    def whole(self, surface_points: Floats, cage: Mesh) -> Mesh:
        """The surface as a mesh of its own, what is left out of it as holes.

        cage: the one it was made of, or one of the same connectivity with other tags that smoothing does not ask for.
        """
        inherited: dict[str, Any] = {
            tag.name: self._pieces(tag, getattr(cage, tag.name))
            for tag in TAGS
            if tag.pieces and getattr(cage, tag.name) is not None and (getattr(cage, tag.name) != tag.default).any()
        }
        return Mesh(
            self.topology,
            surface_points,
            crease_sharpness=self.creases,
            corner_sharpness=self.corner_sharpness,
            materials=cage.materials,
            scheme=cage.scheme,
            uv=None if cage.uv is None else refined_uv(cage, cage.uv, self.level),
            uv_name=cage.uv_name,
            uv_sets=tuple(UVSet(kept.name, refined_uv(cage, kept.uv, self.level)) for kept in cage.uv_sets),
            hole=self.left_out,
            soft=self.soft,
            sets=tuple(NamedSet(named.name, named.kind, self._members(named)) for named in cage.sets),
            **inherited,
        )

    # Helpers

    def _wanted(self, level: int) -> Booleans:
        """Which faces of a level are pieces of those that are asked for."""
        assert self._faces is not None
        wanted = mask_of(self._faces, self.cage.n_faces)
        for step in self.steps[:level]:
            wanted = wanted[step.parent.corner_face]
        return wanted

    def _pieces(self, tag: Tag, values: AnyArray) -> AnyArray:
        """What is said of the cage's edges or faces, of their pieces."""
        return tag.taken(values, self.edge_origin if tag.on == "edges" else self.face_origin)

    def _on_edges(self, mask: Booleans) -> Booleans:
        """The parts of masked cage edges: (e',)."""
        return np.asarray(np.append(mask, False)[self.edge_origin])

    def _members(self, named: NamedSet) -> Integers:
        """What a named set of the cage is on the surface; points keep their numbers."""
        if named.kind == "points":
            return named.indices
        if named.kind == "faces":
            return np.flatnonzero(mask_of(named.indices, self.cage.n_faces)[self.face_origin])
        return np.flatnonzero(self._on_edges(mask_of(named.indices, self.cage.n_edges)))


def smooth(mesh: Mesh, level: int, limit: bool = False) -> Mesh:
    """The mesh smoothed to a level; with limit, its points put on the limit surface. Holes are left out."""
    if level == 0 and not limit:
        return without_holes(mesh)
    surface = SmoothSurface(mesh, max(1, level) if limit else level)
    points = surface.points(mesh.points)
    if limit:
        points = surface.limit(points)
    return surface.mesh(points)


def without_holes(mesh: Mesh) -> Mesh:
    """The mesh without the faces that are no part of the surface."""
    return drop_faces(mesh, mesh.hole, keep_unattached=False)[0] if mesh.hole.any() else mesh
