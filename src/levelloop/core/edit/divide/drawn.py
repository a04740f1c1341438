"""A line drawn over a form as it is seen along a direction: the places where it crosses edges, face by face."""

from __future__ import annotations

from collections import defaultdict, deque
from itertools import pairwise

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.geometry.plane_figures import inside
from levelloop.core.geometry.planes import axis_turn
from levelloop.core.mesh.faces import face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.tolerance import SHARE_OF_EDGE, last_place
from levelloop.core.values import dataclass

EDGE_ON = 1e-6  # a face whose normal is nearer to square than this is seen as a line


@dataclass(frozen=True)
class Place:
    """One place of a cut: on a point, on an edge at a ratio from its lower point, or in a face."""

    kind: str
    index: int
    ratio: float = 0.0
    at: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Piece:
    """What a drawn line is in one face; is_there: it runs along the face's rim."""

    face: int
    start: Place
    end: Place
    is_there: bool = False


def drawn_pieces(mesh: Mesh, line: Floats, toward: Floats, closed: bool, through: bool) -> list[Piece]:
    """The pieces of a line of places (n, 3) in the faces it goes over, seen along `toward`.

    through: in every face that lies behind the line too, else only from place to place over the faces that are seen.
    Raises EditError where a place lies on no face, or the way between two leaves what is seen.
    """
    if mesh.n_faces == 0:
        raise EditError("There are no faces to cut; the part has none.")
    view = _View(mesh, toward, through)
    pairs = list(zip(range(len(line)), range(1, len(line)), strict=False))
    if closed:
        pairs.append((len(line) - 1, 0))
    flat = view.flattened(line)
    hits = [view.places_at(flat[n], line[n]) for n in range(len(line))]
    if not through:
        for number, hit in enumerate(hits):
            if not hit:
                raise EditError(f"Place {number + 1} of the cut lies on no face that is seen that way.")
        hits = [_nearest(hit) for hit in hits]
    pieces: list[Piece] = []
    for a, b in pairs:
        found = view.between(flat[a], flat[b], hits[a], hits[b])
        if not through:
            found = _way(found, {place for _, place, _ in hits[a]}, {place for _, place, _ in hits[b]})
            if not found:
                raise EditError(
                    f"Between places {a + 1} and {b + 1} the cut leaves what is seen; add places, or cut through."
                )
        pieces.extend(piece for piece in found if not piece.is_there)
    return pieces


# Helpers

Hit = tuple[int, Place, float]  # the face, where on it, how deep
_Met = tuple[bool, Place]  # whether the line was given that place, and where the line meets a face


class _View:
    """A mesh as it is seen along a direction: points in two dimensions, and the faces that count."""

    def __init__(self, mesh: Mesh, toward: Floats, through: bool) -> None:
        self.mesh, self.toward = mesh, toward
        self._frame = axis_turn(tuple(toward))[:, :2]
        self.flat = self.flattened(mesh.points)
        normals = face_normals(mesh.topology, mesh.points)
        facing = normals @ toward
        self._normals = normals
        self._seen: Booleans = np.abs(facing) > EDGE_ON if through else facing < -EDGE_ON
        self._through = through
        lengths = np.linalg.norm(np.diff(self.flat[mesh.topology.edges], axis=1)[:, 0], axis=1)
        least = last_place(mesh.points)
        real = lengths[lengths > least]
        self._near = max(least, SHARE_OF_EDGE * SHARE_OF_EDGE * float(real.min(initial=np.inf) if len(real) else 0.0))

    def flattened(self, places: Floats) -> Floats:
        """Places as they are seen: (n, 2)."""
        return np.asarray(places @ self._frame)

    def places_at(self, flat: Floats, place: Floats) -> list[Hit]:
        """Every face under a place: (face, where on it, how deep), nearest first."""
        topology = self.mesh.topology
        corners = self.flat[topology.corners]
        starts = topology.face_offsets[:-1]
        low = np.minimum.reduceat(corners, starts, axis=0) - self._near
        high = np.maximum.reduceat(corners, starts, axis=0) + self._near
        found: list[Hit] = []
        for face in np.flatnonzero(self._seen & ((flat >= low) & (flat <= high)).all(axis=1)).tolist():
            outline = topology.face(face)
            rim = self._on_rim(outline, flat)
            if rim is None and not inside(self.flat[outline], flat):
                continue
            normal = self._normals[face]
            depth = float((self.mesh.points[outline].mean(axis=0) - place) @ normal / (self.toward @ normal))
            at = place + depth * self.toward
            found.append((face, rim or Place("face", face, 0.0, (float(at[0]), float(at[1]), float(at[2]))), depth))
        return sorted(found, key=lambda hit: hit[2])

    def between(self, start: Floats, end: Floats, first: list[Hit], last: list[Hit]) -> list[Piece]:
        """The pieces of a straight line in all faces that count."""
        topology = self.mesh.topology
        way = end - start
        length = float(np.linalg.norm(way))
        if length <= self._near:
            raise EditError("Two places of the cut that follow each other are one, seen that way.")
        along = (self.flat - start) @ way / length
        height = (self.flat - start) @ np.array([-way[1], way[0]]) / length
        height[np.abs(height) <= self._near] = 0.0
        ends = height[topology.edges]
        crossed = np.flatnonzero(ends[:, 0] * ends[:, 1] < 0)
        ratio = ends[crossed, 0] / (ends[crossed, 0] - ends[crossed, 1])
        a, b = along[topology.edges[crossed]].T
        where = a + ratio * (b - a)
        here = (where >= -self._near) & (where <= length + self._near)
        in_face: dict[int, list[_Met]] = defaultdict(list)
        for edge, share in zip(crossed[here].tolist(), ratio[here].tolist(), strict=True):
            for face in self._faces_at(Place("edge", edge)):
                in_face[face].append((False, Place("edge", edge, share)))
        touched = np.flatnonzero((height == 0.0) & (along >= -self._near) & (along <= length + self._near))
        for point in touched.tolist():
            for face in self._faces_at(Place("point", point)):
                in_face[face].append((False, Place("point", point)))
        for _, place, _ in (*first, *last):
            for face in self._faces_at(place):
                in_face[face].append((True, place))
        across = np.cross(self.toward, self._frame @ way)
        return [
            piece
            for face, met in sorted(in_face.items())
            if self._through or self._seen[face]
            for piece in self._pieces_in(face, met, across)
        ]

    def _pieces_in(self, face: int, met: list[_Met], across: Floats) -> list[Piece]:
        """The pieces in one face of the plane through the line, where the plane meets the face's rim and the ends."""
        topology = self.mesh.topology
        normal = self._normals[face]
        seats = np.array([self._seat(place) for _, place in met])
        order = seats @ np.cross(normal, across)
        kept: list[int] = []
        for number in np.argsort(order, kind="stable").tolist():
            if kept and np.linalg.norm(seats[number] - seats[kept[-1]]) <= self._near:
                kept[-1] = min(kept[-1], number, key=lambda one: (not met[one][0], met[one][1].kind != "point", one))
            else:
                kept.append(number)
        # What lies inside is told in the face's own plane: a face may be seen edge on.
        axes = np.delete(np.arange(3), np.abs(normal).argmax())
        outline = self.mesh.points[topology.face(face)][:, axes]
        pieces = []
        for one, other in pairwise(kept):
            start, end = met[one][1], met[other][1]
            is_there = self._side_of(face, start, end)
            if is_there or inside(outline, ((seats[one] + seats[other]) / 2.0)[axes]):
                pieces.append(Piece(face, start, end, is_there))
        return pieces

    def _seat(self, place: Place) -> Floats:
        if place.kind == "face":
            return np.array(place.at)
        if place.kind == "point":
            return np.asarray(self.mesh.points[place.index])
        a, b = self.mesh.points[self.mesh.topology.edges[place.index]]
        return np.asarray(a + place.ratio * (b - a))

    def _faces_at(self, place: Place) -> list[int]:
        topology = self.mesh.topology
        if place.kind == "face":
            return [place.index]
        if place.kind == "point":
            return [int(face) for face in topology.faces_of_points(np.array([place.index]))]
        corners = topology.edge_corners[topology.edge_offsets[place.index] : topology.edge_offsets[place.index + 1]]
        return [int(face) for face in topology.corner_face[corners]]

    def _on_rim(self, outline: Integers, flat: Floats) -> Place | None:
        """The place on a face's rim where a place is seen to lie, or None."""
        corners = self.flat[outline]
        near = np.linalg.norm(corners - flat, axis=1)
        if near.min() <= self._near:
            return Place("point", int(outline[near.argmin()]))
        sides = np.roll(corners, -1, axis=0) - corners
        share = ((flat - corners) * sides).sum(axis=1) / np.maximum((sides**2).sum(axis=1), 1e-300)
        off = np.linalg.norm(corners + np.clip(share, 0.0, 1.0)[:, None] * sides - flat, axis=1)
        side = int(off.argmin())
        if off[side] > self._near:
            return None
        a, b = int(outline[side]), int(outline[(side + 1) % len(outline)])
        edge = int(self.mesh.topology.find_edges([[a, b]])[0])
        return Place("edge", edge, float(share[side] if a == self.mesh.topology.edges[edge, 0] else 1.0 - share[side]))

    def _side_of(self, face: int, one: Place, other: Place) -> bool:
        """Whether two places lie on one side of a face, so that what is between them is there already."""
        of_one, of_other = self._sides_at(face, one), self._sides_at(face, other)
        return bool(of_one & of_other)

    def _sides_at(self, face: int, place: Place) -> set[int]:
        topology = self.mesh.topology
        edges = topology.corner_edge[topology.face_offsets[face] : topology.face_offsets[face + 1]]
        if place.kind == "edge":
            return {place.index}
        if place.kind == "point":
            return set(edges[(topology.edges[edges] == place.index).any(axis=1)].tolist())
        return set()


def _nearest(hits: list[Hit]) -> list[Hit]:
    """The hit that is seen, and those on the same edge or point."""
    return [hit for hit in hits if hit[1] == hits[0][1]]


def _way(pieces: list[Piece], start: set[Place], end: set[Place]) -> list[Piece]:
    """The pieces that lead from one place to another, one after the other; none where none do."""
    at: dict[Place, list[tuple[int, Place]]] = defaultdict(list)
    for number, piece in enumerate(pieces):
        at[piece.start].append((number, piece.end))
        at[piece.end].append((number, piece.start))
    came: dict[Place, tuple[int, Place] | None] = dict.fromkeys(start)
    waiting = deque(start)
    while waiting:
        place = waiting.popleft()
        if place in end:
            found = []
            while (last := came[place]) is not None:
                found.append(pieces[last[0]])
                place = last[1]
            return found[::-1]
        for number, other in at[place]:
            if other not in came:
                came[other] = number, place
                waiting.append(other)
    return []
