"""Mesh: connectivity, points and tags as one immutable value."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field, fields, replace
from typing import Any, Literal, Self

import numpy as np
from numpy.typing import ArrayLike

from levelloop.core.arrays import AnyArray, Booleans, Floats, Integers, as_indices, as_points, distinct, frozen
from levelloop.core.errors import MeshError
from levelloop.core.lazy import lazy
from levelloop.core.mesh.tags import CREASE, SEAM, SHARPNESS_NEVER_FADES, SOFT, TAGS, Tag
from levelloop.core.mesh.topology import Topology, topology_of_faces
from levelloop.core.values import dataclass

Boundary = Literal["edgeAndCorner", "edgeOnly", "none"]
TriangleRule = Literal["catmullClark", "smooth"]
UVRule = Literal["none", "cornersOnly", "cornersPlus1", "cornersPlus2", "boundaries", "all"]
CreaseRule = Literal["uniform", "chaikin"]
CurveKind = Literal["", "straight", "smooth"]
BOUNDARIES: tuple[Boundary, ...] = ("edgeAndCorner", "edgeOnly", "none")
TRIANGLE_RULES: tuple[TriangleRule, ...] = ("catmullClark", "smooth")
UV_RULES: tuple[UVRule, ...] = ("none", "cornersOnly", "cornersPlus1", "cornersPlus2", "boundaries", "all")
CREASE_RULES: tuple[CreaseRule, ...] = ("uniform", "chaikin")


UV_NAME = "st"  # of the only UV a mesh has, as OpenUSD calls it


@dataclass(frozen=True)
class Scheme:
    """How a cage is smoothed where that is a choice, in OpenUSD's words.

    boundary (interpolateBoundary): edgeAndCorner keeps points of one open face, edgeOnly rounds them, none leaves the
    faces at the boundary out of the surface. triangles (triangleSubdivisionRule): smooth has rounder weights.
    uv (faceVaryingLinearInterpolation): where UV is kept straight along the rims of its islands. creases: chaikin
    evens out different sharpness along a crease; USD has no word for that.
    """

    boundary: Boundary = "edgeAndCorner"
    triangles: TriangleRule = "catmullClark"
    uv: UVRule = "cornersPlus1"
    creases: CreaseRule = "uniform"


@dataclass(frozen=True, eq=False)
class NamedSet:
    """Elements of one kind kept under a name: indices (n,), sorted, each once."""

    name: str
    kind: Literal["points", "edges", "faces"]
    indices: Integers

    def __post_init__(self) -> None:
        object.__setattr__(self, "indices", frozen(distinct(as_indices(self.indices))))


@dataclass(frozen=True, eq=False)
class UVSet:
    """UV that is kept beside the one that is worked on: uv (k, 2) for each corner."""

    name: str
    uv: Floats


@dataclass(frozen=True, eq=False)
class Mesh:
    """A cage or a surface: who touches whom, where the points are, and what is tagged.

    points: (n, 3) float64, millimetres, Z up, faces counter-clockwise seen from outside.
    crease_sharpness: (e,) along topology.edges, corner_sharpness: (n,); 0 smooth … 10 never fades.
    material: (m,) index into materials, −1 for none. seam: (e,) edges where UV islands end; hole: (m,) faces that
    are no part of the surface; uv: (k, 2) for each corner, None for a mesh without, uv_name: what it is called;
    uv_sets: others that are kept; sets: named selections;
    diagonal: (m,) along which a quad is split into triangles: 0 the better one, 1 from its first corner, 2 from its
    second; hidden: (m,) faces that nobody sees, picks or moves for now; soft: (e,) edges over which a cage is shaded
    as if it were round, where it is shown without smoothing; curve: whether wires are a curve, and how it runs through
    its points; radius: (n,) mm, of what is swept along a curve; normals: (k, 3) unit, at each corner, of a surface that
    knows its own; moving points or changing faces lets go of them.
    Raises MeshError where arrays don't fit.
    """

    topology: Topology
    points: Floats
    crease_sharpness: Floats | None = None
    corner_sharpness: Floats = field(default=None)  # type: ignore[arg-type]
    material: Integers = field(default=None)  # type: ignore[arg-type]
    materials: tuple[str, ...] = ()
    scheme: Scheme = Scheme()
    seam: Booleans | None = None
    hole: Booleans = field(default=None)  # type: ignore[arg-type]
    uv: Floats | None = None
    sets: tuple[NamedSet, ...] = ()
    diagonal: Integers = field(default=None)  # type: ignore[arg-type]
    hidden: Booleans = field(default=None)  # type: ignore[arg-type]
    soft: Booleans | None = None
    curve: CurveKind = ""
    radius: Floats | None = None
    normals: Floats | None = None
    uv_name: str = UV_NAME
    uv_sets: tuple[UVSet, ...] = ()

    def __post_init__(self) -> None:
        topology = self.topology
        points = self.points
        if points.flags.writeable:
            points = frozen(as_points(points))
        if len(points) != topology.n_points:
            raise MeshError(f"The faces count on {topology.n_points} points, but {len(points)} are given.")
        object.__setattr__(self, "points", points)
        for tag in TAGS:
            values = getattr(self, tag.name)
            if values is not None or not tag.optional:
                object.__setattr__(self, tag.name, self._checked(tag, values))
        if self.uv is not None:
            object.__setattr__(self, "uv", self._checked_uv(self.uv))
        if self.uv_sets:
            kept = tuple(UVSet(one.name, self._checked_uv(one.uv)) for one in self.uv_sets)
            if any(new.uv is not old.uv for new, old in zip(kept, self.uv_sets, strict=True)):
                object.__setattr__(self, "uv_sets", kept)
        if self.normals is not None and self.normals.shape != (topology.n_corners, 3):
            raise MeshError(f"normals must be {topology.n_corners} directions, got {self.normals.shape}.")

    def _checked(self, tag: Tag, values: AnyArray | None) -> AnyArray:
        count = self.count(tag.on)
        if values is None:
            return tag.all_alike(count)
        if values.shape != (count,):
            raise MeshError(f"{tag.name} must have {count} entries, got {values.shape}.")
        # What is frozen already was looked at when it was made: moving points costs nothing here.
        if not values.flags.writeable:
            return values
        return tag.all_alike(count) if (values == tag.default).all() else frozen(np.array(values, dtype=tag.type))

    def _checked_uv(self, uv: Floats) -> Floats:
        given = uv if not uv.flags.writeable else np.array(uv, dtype=np.float64)
        if given.shape != (self.topology.n_corners, 2):
            raise MeshError(f"uv must have 2 numbers for each of {self.topology.n_corners} corners, got {given.shape}.")
        return frozen(given)

    def count(self, kind: Literal["points", "edges", "faces"]) -> int:
        """How many elements of a kind there are; edges are derived for it."""
        if kind == "edges":
            return self.topology.n_edges
        return self.topology.n_points if kind == "points" else self.topology.n_faces

    def tagged(self, tag: Tag) -> AnyArray:
        """What is said of every element, the default where nobody said anything: (n,), (e,) or (m,)."""
        values: AnyArray | None = getattr(self, tag.name)
        return tag.all_alike(self.count(tag.on)) if values is None else values

    @property
    def creases(self) -> Floats:
        """Sharpness of every edge: (e,)."""
        return self.tagged(CREASE)

    @property
    def seams(self) -> Booleans:
        """Whether each edge is a seam: (e,)."""
        return self.tagged(SEAM)

    @property
    def soft_edges(self) -> Booleans:
        """Whether each edge is shaded soft: (e,)."""
        return self.tagged(SOFT)

    @lazy
    def hidden_points(self) -> Booleans:
        """Points all of whose faces are hidden: (n,)."""
        if not self.hidden.any():
            return frozen(np.zeros(self.n_points, dtype=np.bool_))
        seen = np.bincount(self.topology.corners[~self.hidden[self.topology.corner_face]], minlength=self.n_points)
        return frozen((seen == 0) & (self.topology.point_face_count > 0))

    @lazy
    def hidden_edges(self) -> Booleans:
        """Edges all of whose faces are hidden: (e,)."""
        if not self.hidden.any():
            return frozen(np.zeros(self.n_edges, dtype=np.bool_))
        shown = self.topology.corner_edge[~self.hidden[self.topology.corner_face]]
        seen = np.bincount(shown, minlength=self.n_edges)
        return frozen((seen == 0) & (self.topology.edge_face_count > 0))

    @property
    def n_points(self) -> int:
        """How many points there are."""
        return self.topology.n_points

    @property
    def n_edges(self) -> int:
        """How many edges there are."""
        return self.topology.n_edges

    @property
    def n_faces(self) -> int:
        """How many faces there are."""
        return self.topology.n_faces

    def with_points(self, points: ArrayLike) -> Self:
        """The same mesh with its points elsewhere; connectivity and tags are shared, not copied."""
        return replace(self, points=frozen(as_points(points)), normals=None)

    def with_tags(self, values: Mapping[str, Any]) -> Self:
        """The same mesh with other tags, by their names in the table."""
        return replace(self, **values)

    def with_creases(self, sharpness: Floats) -> Self:
        """The same mesh with other edge sharpness: (e,)."""
        return replace(self, crease_sharpness=np.clip(sharpness, 0.0, SHARPNESS_NEVER_FADES))

    def same_but_points(self, other: Mesh) -> bool:
        """Whether the other is this mesh with points elsewhere: every tag is the very same."""
        return all(
            getattr(self, field.name) is getattr(other, field.name) for field in fields(self) if field.name != "points"
        )

    def same_tags(self, other: Mesh) -> bool:
        """Whether smoothing treats both alike: the same connectivity, sharpness and scheme."""
        return (
            self.topology is other.topology
            and self.scheme == other.scheme
            and bool(
                np.array_equal(self.creases, other.creases)
                and np.array_equal(self.corner_sharpness, other.corner_sharpness)
                and np.array_equal(self.hole, other.hole)
            )
        )


def mesh_of_faces(points: ArrayLike, faces: list[list[int]]) -> Mesh:
    """A mesh from points and plain lists of point indices.

    >>> mesh_of_faces([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]]).n_edges
    3
    """
    array = as_points(points)
    return Mesh(topology_of_faces(faces, len(array)), array)


def empty_mesh() -> Mesh:
    """A mesh without points or faces."""
    return mesh_of_faces(np.zeros((0, 3)), [])
