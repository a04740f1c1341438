"""What a cage looks like in UV, and what of it lies where: plain arrays, without a widget."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of
from levelloop.core.lazy import lazy
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Kind, Selection
from levelloop.core.uv.flatten import limit_of
from levelloop.core.uv.islands import uv_cuts
from levelloop.core.uv.measure import FaceStretch, filled, signed_areas, stretch_of_faces
from levelloop.core.uv.moving import island_labels
from levelloop.core.values import dataclass
from levelloop.core.words import counted


@dataclass(frozen=True, eq=False)
class FlatPicture:
    """A cage with UV. is_smooth: whether it is stretched against its smooth surface or the cage."""

    mesh: Mesh
    is_smooth: bool = True

    @property
    def uv(self) -> Floats:
        """The UV of each corner: (k, 2)."""
        assert self.mesh.uv is not None
        return self.mesh.uv

    @lazy
    def sides(self) -> Floats:
        """Each corner's side to the next one: (k, 2, 2)."""
        return np.stack((self.uv, self.uv[self.mesh.topology.next_corner]), axis=1)

    @lazy
    def at_rim(self) -> Booleans:
        """Sides along the rim of an island: (k,)."""
        topology = self.mesh.topology
        return np.asarray((uv_cuts(self.mesh) | topology.open_edges)[topology.corner_edge])

    @lazy
    def at_seam(self) -> Booleans:
        """Sides along edges that are marked as seams: (k,)."""
        return np.asarray(self.mesh.seams[self.mesh.topology.corner_edge])

    @lazy
    def is_mirrored(self) -> Booleans:
        """Faces that lie mirrored: (m,)."""
        return signed_areas(self.mesh) < 0

    @lazy
    def stretch(self) -> FaceStretch:
        """How each face is stretched against where it lies in space."""
        return stretch_of_faces(self.mesh, limit_of(self.mesh) if self.is_smooth else self.mesh.points)

    @lazy
    def words(self) -> str:
        """Its islands, their stretch and how much they fill, in words."""
        label = island_labels(self.mesh)
        said = [counted(int(label.max(initial=-1)) + 1, "island")]
        angle = self.stretch.angle[np.isfinite(self.stretch.angle)]
        if len(angle):
            said.append(f"stretched {angle.mean():.3g} ×, at most {angle.max():.3g} ×")
        said.append(f"fills {100.0 * filled(self.mesh):.0f} %")
        flipped = int(self.stretch.flipped.sum())
        if flipped:
            said.append(f"{counted(flipped, 'face')} mirrored")
        return " · ".join(said)

    def box(self, selection: Selection) -> tuple[Floats, Floats]:
        """The lower and upper corner of what is selected, of all where nothing is: (2,), (2,)."""
        chosen = self.uv[self.sides_of(selection)] if len(selection) else self.uv
        return chosen.min(axis=0), chosen.max(axis=0)

    def sides_of(self, selection: Selection) -> Integers:
        """The corners that stand for what is selected: at points, of edges' sides, of faces: (s,)."""
        topology = self.mesh.topology
        owner = {"points": topology.corners, "edges": topology.corner_edge, "faces": topology.corner_face}
        chosen = mask_of(selection.indices, self.mesh.count(selection.kind))
        return np.flatnonzero(chosen[owner[selection.kind]])

    def at(self, kind: Kind, place: Floats, reach: float) -> int | None:
        """The element at a place, within a reach: the nearest point or side, the face around it; None for none."""
        topology = self.mesh.topology
        if topology.n_corners == 0:
            return None
        if kind == "faces":
            inside = np.flatnonzero(self._around(place))
            return int(inside[-1]) if len(inside) else None
        if kind == "points":
            far = np.linalg.norm(self.uv - place, axis=1)
        else:
            start, end = self.sides[:, 0], self.sides[:, 1]
            way = end - start
            length = np.maximum(np.einsum("ij,ij->i", way, way), 1e-300)
            along = np.clip(np.einsum("ij,ij->i", place - start, way) / length, 0.0, 1.0)
            far = np.linalg.norm(start + along[:, None] * way - place, axis=1)
        nearest = int(far.argmin())
        if far[nearest] > reach:
            return None
        return int((topology.corners if kind == "points" else topology.corner_edge)[nearest])

    def within(self, kind: Kind, low: Floats, high: Floats, touched: bool) -> Integers:
        """The elements inside a box, or that it touches with one of their ends: (s,)."""
        topology = self.mesh.topology
        inside: Booleans = np.asarray(((self.uv >= low) & (self.uv <= high)).all(axis=1))
        if kind == "points":
            return np.asarray(distinct(topology.corners[inside]))
        if kind == "edges":
            ends = np.stack((inside, inside[topology.next_corner]))
            return np.asarray(distinct(topology.corner_edge[ends.any(axis=0) if touched else ends.all(axis=0)]))
        combine = np.logical_or if touched else np.logical_and
        return np.flatnonzero(combine.reduceat(inside, topology.face_offsets[:-1]))

    # Helpers

    def _around(self, place: Floats) -> Booleans:
        """Faces whose outline goes around a place an odd number of times: (m,)."""
        start, end = self.sides[:, 0] - place, self.sides[:, 1] - place
        crosses = (start[:, 1] > 0) != (end[:, 1] > 0)
        rise = np.where(crosses, end[:, 1] - start[:, 1], 1.0)
        ahead = crosses & (start[:, 0] - start[:, 1] * (end[:, 0] - start[:, 0]) / rise > 0)
        return np.asarray(np.add.reduceat(ahead, self.mesh.topology.face_offsets[:-1], dtype=np.int64) % 2 == 1)
