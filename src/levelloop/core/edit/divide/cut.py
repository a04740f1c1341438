"""Cutting by hand: a line of places on points, edges and faces becomes edges."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers
from levelloop.core.edit.divide.divide_faces import (
    Figure,
    divide_by_figures,
    then,
    with_inner_points,
    with_points_on_edges,
)
from levelloop.core.edit.divide.drawn import Piece, Place, drawn_pieces
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_direction, as_vector
from levelloop.core.mesh.faces import face_centres, face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.words import counted

AT_END = 1e-9  # a ratio this near to 0 or 1 is the point there


def cut(
    mesh: Mesh,
    selection: Selection,
    path: Sequence[Any] = (),
    closed: bool = False,
    ratio: float | None = None,
    toward: Any = None,
    through: bool = False,
) -> Edit:
    """Draws edges through faces along a path.

    path: places {"edge": [a, b], "ratio": t}, {"point": i} or {"face": f, "at": (x, y, z)} in order; each two that
    follow each other lie on one face. Or, with `toward`, places anywhere, also (x, y, z): a line drawn over the
    form as it is seen in that direction, over all edges on its way. closed: back to the first; ratio: where all
    edges are crossed, from the point each names first; through: what lies behind is cut too. Ends inside a face are
    tied to its nearest corner, so that all faces stay plain polygons. Selected after: the new edges. Raises
    EditError for too few places, places without a direction to be seen along, or neighbours that share no face.
    """
    if len(path) < (3 if closed else 2):
        raise EditError(f"A cut needs at least {3 if closed else 2} places.")
    if ratio is not None:
        path = [{**entry, "ratio": ratio} if "edge" in entry else entry for entry in path]
    if toward is not None:
        line = np.array([_seat(mesh, entry) for entry in path])
        return _divided(mesh, drawn_pieces(mesh, line, as_direction(toward), closed, through))
    if through or not all(isinstance(entry, Mapping) for entry in path):
        raise EditError("Places in space and a cut through need the direction they are seen along; give toward.")
    places = [_read(mesh, entry) for entry in path]
    pairs = list(zip(range(len(places) - 1), range(1, len(places)), strict=True))
    if closed:
        pairs.append((len(places) - 1, 0))
    topology = mesh.topology
    pieces: list[Piece] = []
    for a, b in pairs:
        if places[a] == places[b] or _along_one_edge(topology, places[a], places[b]):
            continue
        shared = sorted(_faces_at(topology, places[a]) & _faces_at(topology, places[b]))
        if not shared:
            raise EditError(f"Places {a + 1} and {b + 1} of the cut share no face; put one on each edge between.")
        pieces.append(Piece(shared[0], places[a], places[b]))
    drawn = {place for piece in pieces for place in (piece.start, piece.end)}
    if any(place.kind == "face" and place not in drawn for place in places):
        raise EditError("A place inside a face is joined to nothing.")
    return _divided(mesh, pieces)


def mirrored_path(mesh: Mesh, path: Sequence[Any], twin: Integers, across: Floats) -> list[Any]:
    """The path across a plane, by a matrix (4, 4); raises EditError where a place has no twin."""
    result: list[Any] = []
    for entry in path:
        if not isinstance(entry, Mapping):
            result.append(tuple((as_vector(entry) @ across[:3, :3] + across[3, :3]).tolist()))
            continue
        place = _read(mesh, entry)
        if place.kind == "face":
            corners = twin[mesh.topology.face(place.index)]
            at = np.array(place.at) @ across[:3, :3] + across[3, :3]
            # The twin face has the twins of its corners.
            around = mesh.topology.faces_of_points(corners[corners >= 0][:1])
            fits = [face for face in around.tolist() if set(mesh.topology.face(face).tolist()) == set(corners.tolist())]
            if not fits:
                raise EditError("The cut has no place on the other side: a face has no twin.")
            result.append({"face": fits[0], "at": tuple(at.tolist())})
            continue
        ends = [int(twin[n]) for n in (entry["edge"] if place.kind == "edge" else [place.index])]
        if min(ends) < 0:
            raise EditError("The cut has no place on the other side: a point has no twin.")
        result.append({"edge": ends, "ratio": entry.get("ratio", 0.5)} if len(ends) == 2 else {"point": ends[0]})
    return result


# Helpers


def _divided(mesh: Mesh, pieces: list[Piece]) -> Edit:
    """The faces cut by the pieces of lines in them."""
    if not pieces:
        raise EditError("The cut runs along edges that are there already, or over no face.")
    places = list(dict.fromkeys(place for piece in pieces for place in (piece.start, piece.end)))
    edit, numbers = _with_places(mesh, places)
    number = dict(zip(places, numbers, strict=True))
    of_face: dict[int, list[tuple[int, int]]] = {}
    for piece in pieces:
        segment = number[piece.start], number[piece.end]
        if segment[0] != segment[1]:
            of_face.setdefault(piece.face, []).append(segment)
    figures = [Figure(face, np.array(segments, dtype=np.int64)) for face, segments in sorted(of_face.items())]
    inner = np.array([number[place] for place in places if place.kind == "face"], dtype=np.int64)
    result = then(edit, divide_by_figures(edit.mesh, figures, inner))
    told = f"{counted(len(of_face), 'face was', 'faces were')} cut."
    return Edit(result.mesh, result.selection, result.origin, told)


def _seat(mesh: Mesh, entry: Any) -> Floats:
    """Where a place of a path is: (3,)."""
    if not isinstance(entry, Mapping):
        return as_vector(entry)
    place = _read(mesh, entry)
    if place.kind == "edge":
        a, b = mesh.points[mesh.topology.edges[place.index]]
        return np.asarray(a + place.ratio * (b - a))
    return mesh.points[place.index] if place.kind == "point" else np.array(place.at)


def _read(mesh: Mesh, entry: Mapping[str, Any]) -> Place:
    topology = mesh.topology
    try:
        if "edge" in entry:
            a, b = (int(end) for end in entry["edge"])
            ratio = float(entry.get("ratio", 0.5))
            edge = int(topology.find_edges([[a, b]])[0])
            if edge < 0:
                raise EditError(f"There is no edge between points {a} and {b}.")
            if not 0.0 <= ratio <= 1.0:
                raise EditError(f"A cut crosses an edge between its ends: the ratio is 0 to 1, not {ratio:g}.")
            if min(ratio, 1.0 - ratio) <= AT_END:
                return Place("point", a if ratio < 0.5 else b)
            return Place("edge", edge, ratio if a == topology.edges[edge, 0] else 1.0 - ratio)
        if "point" in entry:
            point = int(entry["point"])
            if not 0 <= point < mesh.n_points:
                raise EditError(f"There is no point {point}; the cage has {mesh.n_points} points.")
            return Place("point", point)
        if "face" in entry:
            face = int(entry["face"])
            if not 0 <= face < mesh.n_faces:
                raise EditError(f"There is no face {face}; the cage has {mesh.n_faces} faces.")
            at = as_vector(entry["at"])
            # Onto the face's own plane, so that the cut bends nothing.
            normal = face_normals(topology, mesh.points, np.array([face]))[0]
            at = at - normal * float((at - face_centres(topology, mesh.points)[face]) @ normal)
            return Place("face", face, 0.0, (float(at[0]), float(at[1]), float(at[2])))
    except (TypeError, ValueError, KeyError) as error:
        raise EditError(f"{dict(entry) if isinstance(entry, Mapping) else entry!r} is no place for a cut.") from error
    raise EditError("A place of a cut is on a point, an edge or a face.")


def _with_places(mesh: Mesh, places: list[Place]) -> tuple[Edit, list[int]]:
    """The mesh with the points that the places need, and the number of each place's point."""
    wanted = sorted({(place.index, round(place.ratio, 12)) for place in places if place.kind == "edge"})
    edges = np.array([edge for edge, _ in wanted], dtype=np.int64)
    edit, new = with_points_on_edges(mesh, edges, np.array([ratio for _, ratio in wanted]))
    on_edge = dict(zip(wanted, new.tolist(), strict=True))
    inside = sorted({place.at for place in places if place.kind == "face"})
    more, free = with_inner_points(edit.mesh, np.array(inside, dtype=np.float64).reshape(-1, 3))
    in_face = dict(zip(inside, free.tolist(), strict=True))
    numbers = [
        place.index
        if place.kind == "point"
        else on_edge[(place.index, round(place.ratio, 12))]
        if place.kind == "edge"
        else in_face[place.at]
        for place in places
    ]
    return then(edit, more), numbers


def _faces_at(topology: Topology, place: Place) -> set[int]:
    if place.kind == "face":
        return {place.index}
    if place.kind == "edge":
        corners = topology.edge_corners[topology.edge_offsets[place.index] : topology.edge_offsets[place.index + 1]]
        return set(topology.corner_face[corners].tolist())
    return set(topology.faces_of_points(np.array([place.index])).tolist())


def _along_one_edge(topology: Topology, one: Place, other: Place) -> bool:
    """Whether two places lie on one edge, so that what is between them is there already."""
    if one.kind == "face" or other.kind == "face":
        return False
    if one.kind == "edge" and other.kind == "edge":
        return one.index == other.index
    if one.kind == "point" and other.kind == "point":
        return bool(topology.find_edges([[one.index, other.index]])[0] >= 0)
    edge, point = (one.index, other.index) if one.kind == "edge" else (other.index, one.index)
    return bool((topology.edges[edge] == point).any())
