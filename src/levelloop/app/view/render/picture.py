"""Picture: what a part looks like as arrays, ready to be uploaded and picked; made in any thread."""

from __future__ import annotations

from dataclasses import field

import numpy as np
from numpy.typing import NDArray

from levelloop.app.view.render.on_cage import OnCage, on_cage
from levelloop.core.arrays import Floats, Integers
from levelloop.core.errors import LevelLoopError
from levelloop.core.forms.curves import path_of
from levelloop.core.lazy import lazy
from levelloop.core.mesh.faces import (
    corner_normals,
    face_areas,
    face_centres,
    face_normals,
    normal_map,
    second_diagonal,
    triangle_corners,
    triangles,
)
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Kind
from levelloop.core.recipe.chain import Built, build
from levelloop.core.recipe.chain import Stop as Made
from levelloop.core.recipe.surfaces import samples_of
from levelloop.core.surface.face_varying import refined_uv
from levelloop.core.surface.live import LivePiece
from levelloop.core.values import dataclass
from levelloop.document.part import Part

Singles = NDArray[np.float32]
Stop = int | str  # of the level rail: 0 … 6, or "limit"

# Level shown where a part's level is the limit: dense enough to hide the facets.
LIMIT_SHOWN_AT = 3
CURVE_STEPS = 12  # lines between two points of a smooth curve
FAR = 20.0  # times its own size: farther from the middle it is drawn from, single precision shows


@dataclass(frozen=True, eq=False)
class Changes:
    """Which rows of arrays were written in place, ascending; number: counted since the arrays were new."""

    number: int
    rows: Integers


@dataclass(frozen=True, eq=False)
class Picture:
    """A part at the level and the step of its recipe that it is shown at; places in the world.

    until: how many of its steps are shown, None for all. on_limit: its points are on the limit surface. places: (n', 3)
    shown points. vertices: (v, 6) place and normal; indices: (t, 3); triangle_face: (t,) the cage face of each
    triangle, −1 for what only the recipe made. cage: where the cage's points and edges are shown. middle: (3,) the
    place that everything in single precision is relative to, so that parts far from the origin are as sharp. is_quick:
    made while something was dragged. bends: (v, 2) the largest and smallest curvature of the limit surface at each
    vertex, 1/mm, where they were asked for and it is smooth. groups: where faces have materials: the material's number,
    −1 for none, its first triangle and how many it has, one after the other. live: what follows the points that are
    dragged; changes: which vertices were written in place for that. faces: (t,) the face of each triangle among those
    that are shown.
    """

    part: Part
    level: int
    until: int | None
    built: Built
    places: Floats
    vertices: Singles
    indices: NDArray[np.uint32]
    triangle_face: Integers
    cage: OnCage
    middle: Floats
    is_quick: bool = False
    on_limit: bool = False
    bends: Singles | None = None
    groups: tuple[tuple[int, int, int], ...] = ()
    live: LivePiece | None = None
    changes: Changes | None = None
    faces: Integers = field(default_factory=lambda: np.zeros(0, dtype=np.int64))

    @property
    def n_shown_faces(self) -> int:
        """Faces that are shown."""
        return self.built.topology.n_faces

    @property
    def is_flat(self) -> bool:
        """Whether cage edges are shown as straight lines."""
        return self.cage.steps == 1

    def drawn(self, places: Floats) -> Singles:
        """Places in the world as they are drawn: from the picture's middle, in single precision."""
        return np.ascontiguousarray(places - self.middle, dtype=np.float32)

    @lazy
    def cage_places(self) -> Floats:
        """Where the cage's points are shown: (n, 3)."""
        return self.cage.points()

    @lazy
    def edge_middles(self) -> Floats:
        """Where the middle of each cage edge is shown: (e, 3)."""
        middles = self.cage_places[self.part.mesh.topology.edges].mean(axis=1)
        if self.cage.steps % 2 == 0:
            curved = np.flatnonzero(~self.part.mesh.topology.wire_edges)
            middles[curved] = self.cage.chains(curved)[:, self.cage.steps // 2]
        return np.asarray(middles)

    @lazy
    def face_middles(self) -> Floats:
        """Where the middle of each cage face is shown: (m, 3)."""
        middles = face_centres(self.part.mesh.topology, self.cage_places)
        on = self.built.trace.middles
        middles[on >= 0] = self.places[on[on >= 0]]
        return middles

    @lazy
    def wire(self) -> Singles:
        """The lines along the cage's edges that are not hidden: (s, 2, 3)."""
        return self.segments(np.flatnonzero(~self.part.mesh.hidden_edges))

    @lazy
    def copied_lines(self) -> Singles:
        """The edges that the recipe made of cage edges: (s, 2, 3)."""
        return self.drawn(self.places[self.copied_edges[0]])

    @lazy
    def copied_edges(self) -> tuple[Integers, Integers]:
        """Edges that the recipe made of shown cage edges: their ends (s, 2), and what each comes from (s,)."""
        copies, sources = self.built.trace.copied_edges(~self.part.mesh.hidden_edges)
        return self.built.topology.edges[copies], sources

    @lazy
    def copied_points(self) -> tuple[Integers, Integers]:
        """Points that the recipe made of shown cage points: which (k,), and what each comes from (k,)."""
        return self.built.trace.copied_points(~self.part.mesh.hidden_points)

    def stepped_places(self, kind: Kind) -> Floats | None:
        """Where the elements of what the recipe makes of the cage are shown, by their middle.

        None where steps follow the smoothing: then its elements are no more.
        """
        surface = self.built.stops[-1].surface if self.built.stops else None
        if self.until is not None or (surface is None and self.level):
            return None
        topology = self.built.topology if surface is None else surface.cage.topology
        if kind == "points":
            return self.places[: topology.n_points]
        if kind == "edges":
            return np.asarray(self.places[topology.edges].mean(axis=1))
        if surface is None or surface.level == 0:
            return face_centres(topology, self.places)
        first = topology.n_points + topology.faces_only.n_edges
        return self.places[first : first + topology.n_faces]

    def segments(self, edges: Integers | None = None) -> Singles:
        """The lines along cage edges, all or some: (s, 2, 3)."""
        chains = self.cage.chains(edges)
        return self.drawn(np.stack((chains[:, :-1], chains[:, 1:]), axis=2).reshape(-1, 2, 3))

    def face_vertices(self, faces: Integers) -> Singles:
        """The triangles of some cage faces, as they are drawn: (3t, 3)."""
        chosen = np.zeros(self.part.mesh.n_faces, dtype=np.bool_)
        chosen[faces] = True
        shown = np.append(chosen, False)[self.triangle_face]
        return np.ascontiguousarray(self.vertices[self.indices[shown].ravel(), :3])

    @lazy
    def normal_lines(self) -> Singles:
        """A short line from the middle of each shown cage face along its normal: (m, 2, 3)."""
        mesh, places = self.part.mesh, self.cage_places
        shown = np.flatnonzero(~mesh.hidden)
        if len(shown) == 0:
            return np.zeros((0, 2, 3), dtype=np.float32)
        start = self.face_middles[shown]
        length = 0.5 * np.sqrt(np.median(face_areas(mesh.topology, places)[shown]))
        end = start + length * face_normals(mesh.topology, places, shown)
        return self.drawn(np.stack((start, end), axis=1))

    @lazy
    def curve_lines(self) -> Singles:
        """The line of a smooth curve through its points: (s, 2, 3); nothing for other parts."""
        # Surfaces have none, and need not be made into meshes to know.
        if self.built.topology.n_faces or self.built.mesh.curve != "smooth" or not len(self.built.topology.wires):
            return np.zeros((0, 2, 3), dtype=np.float32)
        try:
            path = path_of(self.built.mesh)
        except LevelLoopError:
            return np.zeros((0, 2, 3), dtype=np.float32)
        on = path.at(np.linspace(0.0, path.spans, path.spans * CURVE_STEPS + 1))
        if not self.part.in_place:
            on = on @ self.part.transform[:3, :3] + self.part.transform[3, :3]
        return self.drawn(np.stack((on[:-1], on[1:]), axis=1))

    @lazy
    def unrolled(self) -> Singles:
        """The vertices of each triangle, one after the other, as what has UV is drawn: (3t, 6)."""
        return np.ascontiguousarray(self.vertices[self.indices.ravel()])

    @lazy
    def uv(self) -> Singles | None:
        """The UV at each corner of each triangle: (3t, 2); None where the cage has none."""
        last = self.built.stops[-1] if self.built.stops else None
        if self.part.mesh.uv is None or len(self.faces) != len(self.indices):
            return None
        if last is not None and last.surface is not None:
            own = last.surface.sectors.of_corner.reshape(-1, 4)
            before = last.before.uv
            uv = None if before is None else refined_uv(last.before, before, last.surface.level)
            corners = 4 * self.faces[:, None] + (own[self.faces][:, None] == self.indices[:, :, None]).argmax(axis=2)
        else:
            uv = self.built.mesh.uv
            corners = self._flat_corners()
        return None if uv is None else np.ascontiguousarray(uv[corners.ravel()], dtype=np.float32)

    def _flat_corners(self) -> Integers:
        """The corner at each corner of each triangle, where what is shown is not smoothed last: (t, 3)."""
        mesh = self.built.mesh
        if any(stop.surface is not None for stop in self.built.stops):
            return self.indices.astype(np.int64)
        shown, face = triangles(mesh.topology, self.built.points, mesh.diagonal)
        solid = ~(mesh.hole | mesh.hidden)[face]
        corners = triangle_corners(mesh.topology, shown[solid], face[solid])
        # Each triangle has vertices of its own: they say which one it was before materials put them in order.
        return corners[self.indices[:, 0] // 3]

    def made_ready(self) -> Picture:
        """The same with what a view will ask for worked out: where it is made, the window does not wait for it."""
        _ = self.wire, self.copied_lines, self.edge_middles, self.face_middles, self.part.mesh.hidden_points
        return self

    def extent(self) -> Floats:
        """The points that frame what is shown of the part: (n, 3)."""
        return self.cage.every() if self.part.recipe else self.cage_places


def output_stop(part: Part) -> Stop:
    """The stop of the level rail that a part is given out at."""
    return "limit" if part.limit else part.level


def shown_level(part: Part, smooth: bool, stop: Stop | None = None) -> int:
    """The level a part is shown at; stop: of the rail, None for that of its output."""
    wanted = output_stop(part) if stop is None else stop
    if not smooth:
        return 0
    return wanted if isinstance(wanted, int) else max(part.level, LIMIT_SHOWN_AT)


def make_picture(
    part: Part,
    smooth: bool,
    old: Picture | None = None,
    level: int | None = None,
    until: int | None = None,
    quick: bool = False,
    on_limit: bool | None = None,
    bends: bool = False,
) -> Picture:
    """The picture of a part, at its own level or another, from what the old one was built of where that still fits.

    until: how many of its steps are shown, None for all; quick: while something is dragged; on_limit: None as the part
    is given out; bends: how its limit surface bends too.
    """
    level = shown_level(part, smooth) if level is None else level
    limit = (part.limit if on_limit is None else on_limit) and level > 0
    # What the part knows of its recipe already need not run again.
    known = old.built if old is not None else part.known
    built = build(part.mesh, part.links(level, limit, until), known)
    places = built.points
    turned = None
    if not part.in_place:
        places = places @ part.transform[:3, :3] + part.transform[3, :3]
        turned = normal_map(part.transform)
    middle = _middle(places, old)
    drawn = places - middle if middle.any() else places
    last = built.stops[-1] if built.stops else None
    if last is not None and last.surface is not None:
        # While something is dragged the diagonals stay; at rest they are the ones that files and measures have.
        kept = old if quick and old is not None and old.built.topology is built.topology else None
        vertices, indices, face = _smooth_surface(last, drawn, turned, kept)
    elif any(stop.surface is not None for stop in built.stops):
        vertices, indices, face = _shaped_surface(built.mesh, drawn)
    else:
        vertices, indices, face = _flat_faces(built.mesh, drawn)
    trace = built.trace
    cage = on_cage(trace, places, part.to_world(part.mesh).points, part.mesh.topology.edges)
    owner = np.where(trace.own_faces, trace.source.faces, -1)[face]
    bent = _bends(built, part) if bends else None
    if old is not None and indices is old.indices:
        owner, groups, face = old.triangle_face, old.groups, old.faces
    else:
        order, groups = _by_material(part.mesh, trace.source.faces[face])
        if len(groups):
            indices, owner, face = np.ascontiguousarray(indices[order]), owner[order], face[order]
    return Picture(
        part,
        level,
        until,
        built,
        places,
        vertices,
        indices,
        owner,
        cage,
        middle,
        quick,
        limit,
        bent,
        groups,
        faces=face,
    )


# Helpers

Triangles = tuple[Singles, NDArray[np.uint32], Integers]  # vertices (v, 6), indices (t, 3), the face of each (t,)


def _by_material(mesh: Mesh, source: Integers) -> tuple[Integers, tuple[tuple[int, int, int], ...]]:
    """Triangles in the order of their materials; source: (t,) the cage's face of each, −1 for none."""
    if mesh.n_faces == 0 and mesh.materials:
        # What is made of wires is of what they are said to be of.
        return np.arange(len(source)), ((0, 0, len(source)),)
    if not (mesh.material >= 0).any():
        return source[:0], ()
    material = np.append(mesh.material, -1)[source]
    order = np.argsort(material, kind="stable")
    kinds, first, count = np.unique(material[order], return_index=True, return_counts=True)
    return order, tuple(zip(kinds.tolist(), first.tolist(), count.tolist(), strict=True))


def _middle(places: Floats, old: Picture | None) -> Floats:
    """What places are drawn from: the origin, or what the old picture had, while that is near for their size."""
    if len(places) == 0:
        return np.zeros(3)
    low, high = places.min(axis=0), places.max(axis=0)
    centre, reach = (low + high) / 2.0, FAR * max(float((high - low).max()), 1e-300)
    for known in (np.zeros(3), old.middle if old is not None else centre):
        if np.abs(centre - known).max() <= reach:
            return known
    return np.asarray(centre)


def _bends(built: Built, part: Part) -> Singles | None:
    """How the limit surface bends at the vertices of a smooth picture: (v, 2); None where nothing of it is smooth."""
    samples = samples_of(built, part.placed)
    if samples is None:
        return None
    bends = np.stack((samples.k1, samples.k2), axis=1).astype(np.float32)
    last = built.stops[-1]
    at = last.surface.sectors.point if last.surface is not None else built.topology.corners
    return np.ascontiguousarray(bends[at])


def _smooth_surface(stop: Made, places: Floats, turned: Floats | None, old: Picture | None) -> Triangles:
    """A smooth surface with the normals of its limit; old: one whose triangles stay."""
    surface = stop.surface
    assert surface is not None
    sectors = surface.sectors
    normals = surface.normals(stop.raw, None if stop.around is not None else stop.before.points)
    if turned is not None:
        normals = normals @ turned
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    vertices = np.concatenate((places[sectors.point], normals), axis=1).astype(np.float32)
    shown = ~(surface.left_out | stop.before.hidden[surface.face_origin])
    faces = np.flatnonzero(shown)
    if old is not None and len(old.indices) == 2 * len(faces):
        return vertices, old.indices, np.repeat(faces, 2)
    quads = sectors.of_corner.reshape(-1, 4)[shown].astype(np.uint32)
    quads = np.where(second_diagonal(surface.topology, stop.points, faces)[:, None], np.roll(quads, -1, axis=1), quads)
    return vertices, _halves(quads), np.repeat(faces, 2)


def _shaped_surface(mesh: Mesh, places: Floats) -> Triangles:
    """A surface that steps have changed after it was smoothed: all quads, round but at creases."""
    topology = mesh.topology
    normals = corner_normals(topology, places, mesh.creases == 0)
    vertices = np.concatenate((places[topology.corners], normals), axis=1).astype(np.float32)
    shown, face = triangles(topology, places, mesh.diagonal)
    solid = ~(mesh.hole | mesh.hidden)[face]
    corners = triangle_corners(topology, shown[solid], face[solid])
    return vertices, corners.astype(np.uint32), face[solid]


def _flat_faces(mesh: Mesh, places: Floats) -> Triangles:
    """Faces as they are, shaded round over soft edges only."""
    shown, face = triangles(mesh.topology, places, mesh.diagonal)
    solid = ~(mesh.hole | mesh.hidden)[face]
    shown, face = shown[solid], face[solid]
    if mesh.soft is None or not mesh.soft.any():
        normals = np.repeat(face_normals(mesh.topology, places)[face], 3, axis=0)
    else:
        corners = triangle_corners(mesh.topology, shown, face)
        normals = corner_normals(mesh.topology, places, mesh.soft)[corners.ravel()]
    vertices = np.concatenate((places[shown.ravel()], normals), axis=1)
    indices = np.arange(3 * len(shown), dtype=np.uint32).reshape(-1, 3)
    return vertices.astype(np.float32), indices, face


def _halves(quads: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """Two triangles for each quad: (q, 4) → (2q, 3)."""
    return np.stack((quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]), axis=1).reshape(-1, 3)


def dashed(segments: Singles, count: int) -> Singles:
    """Each segment in that many dashes, with gaps between: (s, 2, 3) → (s · count, 2, 3)."""
    start, along = segments[:, :1], segments[:, 1:] - segments[:, :1]
    ratio = (np.arange(count)[:, None] + np.array([0.2, 0.8])) / count
    return np.ascontiguousarray(
        (start[:, None] + ratio[None, :, :, None] * along[:, None]).reshape(-1, 2, 3), dtype=np.float32
    )
