"""Selection: which points, edges or faces are meant, and everything that grows or walks one."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from levelloop.core.arrays import (
    Booleans,
    Integers,
    as_indices,
    connected_labels,
    distinct,
    frozen,
    group_order,
    mask_of,
    ranges,
)
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass

Kind = Literal["points", "edges", "faces"]
KINDS: tuple[Kind, ...] = ("points", "edges", "faces")


@dataclass(frozen=True, eq=False)
class Selection:
    """Elements of one kind, each once, in the order they were picked.

    indices: (n,). backwards: (n,) for edges, true where the edge was picked from its higher point.
    """

    kind: Kind
    indices: Integers
    backwards: Booleans | None = None

    def __post_init__(self) -> None:
        indices = as_indices(self.indices)
        unique, first = np.unique(indices, return_index=True)
        if len(unique) < len(indices):
            first.sort()
            indices = indices[first]
            if self.backwards is not None:
                object.__setattr__(self, "backwards", np.array(self.backwards)[first])
        object.__setattr__(self, "indices", frozen(indices))
        if self.kind == "edges" and self.backwards is None:
            object.__setattr__(self, "backwards", np.zeros(len(indices), dtype=np.bool_))
        if self.backwards is not None:
            object.__setattr__(self, "backwards", frozen(np.array(self.backwards, dtype=np.bool_)))

    def __len__(self) -> int:
        return len(self.indices)

    def mask(self, topology: Topology) -> Booleans:
        """True at selected elements: one entry per element of the kind: (count,)."""
        return mask_of(self.indices, count_of(topology, self.kind))

    def same_as(self, other: Selection) -> bool:
        """Whether the same elements are selected, in whatever order."""
        return self.kind == other.kind and np.array_equal(np.sort(self.indices), np.sort(other.indices))


NOTHING = Selection("faces", np.zeros(0, dtype=np.int64))


def count_of(topology: Topology, kind: Kind) -> int:
    """How many elements of a kind there are."""
    if kind == "points":
        return topology.n_points
    return topology.n_edges if kind == "edges" else topology.n_faces


def select(topology: Topology, kind: Kind, values: ArrayLike) -> Selection:
    """A selection by index, or of edges by directed point pairs (n, 2).

    Raises EditError where something named is not there.
    """
    array = np.asarray(values)
    if array.size == 0:
        return Selection(kind, np.zeros(0, dtype=np.int64))
    if not np.issubdtype(array.dtype, np.integer):
        raise EditError(f"A selection of {kind} is a list of whole numbers.")
    if kind == "edges":
        if array.ndim != 2 or array.shape[1] != 2:
            raise EditError("A selection of edges is a list of point pairs [a, b].")
        indices = topology.find_edges(array)
        if (indices < 0).any():
            a, b = array[int(np.argmax(indices < 0))]
            raise EditError(f"There is no edge between points {a} and {b}.")
        return Selection("edges", indices, topology.edges[indices, 0] != array[:, 0])
    if array.ndim != 1:
        raise EditError(f"A selection of {kind} is a list of whole numbers.")
    count = count_of(topology, kind)
    outside = (array < 0) | (array >= count)
    if outside.any():
        raise EditError(f"There is no {kind[:-1]} {int(array[outside][0])}; the cage has {count} {kind}.")
    return Selection(kind, array)


def select_mask(kind: Kind, mask: Booleans) -> Selection:
    """A selection of the masked elements."""
    return Selection(kind, np.flatnonzero(mask))


def select_all(topology: Topology, kind: Kind) -> Selection:
    """Every element of a kind."""
    return Selection(kind, np.arange(count_of(topology, kind)))


def combine(old: Selection, new: Selection, add: bool = False, remove: bool = False) -> Selection:
    """The new selection alone, added to the old one, or taken from it.

    Raises EditError for both add and remove.
    """
    if add and remove:
        raise EditError("A selection can add or remove, not both.")
    if not (add or remove) or (old.kind != new.kind and not remove):
        return new
    if old.kind != new.kind:
        return old
    if remove:
        return _keep(old, ~np.isin(old.indices, new.indices))
    both = np.concatenate((old.indices, new.indices))
    if old.backwards is None or new.backwards is None:
        return Selection(old.kind, both)
    return Selection(old.kind, both, np.concatenate((old.backwards, new.backwards)))


# From one kind to another


def points_of(topology: Topology, selection: Selection) -> Integers:
    """The points of the selected elements, sorted: (p,)."""
    if selection.kind == "points":
        return np.sort(selection.indices)
    if selection.kind == "edges":
        return np.flatnonzero(mask_of(topology.edges[selection.indices].ravel(), topology.n_points))
    corners = topology.corners[topology.corners_of_faces(selection.indices)]
    # A mask is sorted and has each once, many times faster than sorting does it.
    return np.flatnonzero(mask_of(corners, topology.n_points))


def edges_of(topology: Topology, selection: Selection) -> Integers:
    """The edges of selected faces, or those with both ends selected, sorted: (e,)."""
    if selection.kind == "edges":
        return np.sort(selection.indices)
    if selection.kind == "faces":
        edges = topology.corner_edge[topology.corners_of_faces(selection.indices)]
        return np.flatnonzero(mask_of(edges, topology.n_edges))
    chosen = selection.mask(topology)
    return np.flatnonzero(chosen[topology.edges].all(axis=1))


def faces_of(topology: Topology, selection: Selection) -> Integers:
    """Selected faces, or faces with all points selected, sorted: (f,)."""
    if selection.kind == "faces":
        return np.sort(selection.indices)
    chosen = mask_of(points_of(topology, selection), topology.n_points)
    if topology.n_faces == 0:
        return np.zeros(0, dtype=np.int64)
    return np.flatnonzero(np.logical_and.reduceat(chosen[topology.corners], topology.face_offsets[:-1]))


def convert(topology: Topology, selection: Selection, kind: Kind) -> Selection:
    """The selection as another kind: to faces, those with all points selected."""
    if selection.kind == kind:
        return selection
    finder = {"points": points_of, "edges": edges_of, "faces": faces_of}[kind]
    return Selection(kind, finder(topology, selection))


# Walking and growing


def select_loop(topology: Topology, selection: Selection) -> Selection:
    """The edge loops that selected edges lie on, or the face loop two neighbouring faces give.

    Raises EditError for points, or faces that give no direction.
    """
    if selection.kind == "points":
        raise EditError("A loop starts from an edge, or from two neighbouring faces.")
    _need_some(selection)
    if selection.kind == "edges":
        labels = topology.loop_label
        return _from_mask(selection, np.isin(labels, labels[selection.indices]))
    chosen = selection.mask(topology)
    faces = topology.edge_faces
    between = chosen[faces].all(axis=1) & (faces[:, 1] >= 0)
    between &= (topology.face_sizes[faces] == 4).any(axis=1)
    if not between.any():
        raise EditError("A face loop needs two neighbouring faces, to give its direction.")
    in_ring = _ring_mask(topology, np.flatnonzero(between))
    along = np.add.reduceat(in_ring[topology.corner_edge].astype(np.int64), topology.face_offsets[:-1])
    return _from_mask(selection, chosen | ((along >= 1) & (topology.face_sizes == 4)))


def select_ring(topology: Topology, selection: Selection) -> Selection:
    """The edge rings that selected edges lie on: edges across from each other in quads.

    Raises EditError where the selection is not edges.
    """
    if selection.kind != "edges":
        raise EditError("A ring starts from an edge.")
    _need_some(selection)
    return _from_mask(selection, _ring_mask(topology, selection.indices))


def select_boundary(topology: Topology, selection: Selection) -> Selection:
    """All open edges of the boundaries that the selection touches, or of the whole cage if none is selected.

    Raises EditError for a closed cage.
    """
    is_open = topology.open_edges
    if not is_open.any():
        raise EditError("The cage is closed; it has no boundary.")
    if len(selection) == 0:
        return select_mask("edges", is_open)
    pairs = topology.edges[is_open]
    _, labels = connected_labels(pairs, topology.n_points)
    touched = np.isin(labels, labels[points_of(topology, selection)])
    mask = is_open & touched[topology.edges[:, 0]]
    return select_mask("edges", mask)


def grow(topology: Topology, selection: Selection) -> Selection:
    """The selection and everything that touches it at a point."""
    _need_some(selection)
    near = mask_of(points_of(topology, selection), topology.n_points)
    if selection.kind == "points":
        ends = topology.edges[near[topology.edges].any(axis=1)]
        near[ends.ravel()] = True
        return _from_mask(selection, near)
    if selection.kind == "edges":
        return _from_mask(selection, np.asarray(near[topology.edges].any(axis=1)))
    return _from_mask(selection, np.logical_or.reduceat(near[topology.corners], topology.face_offsets[:-1]))


def shrink(topology: Topology, selection: Selection) -> Selection:
    """The selection without what touches something unselected at a point."""
    _need_some(selection)
    outside = Selection(selection.kind, np.flatnonzero(~selection.mask(topology)))
    if len(outside) == 0:
        return selection
    return _from_mask(selection, ~grow(topology, outside).mask(topology))


def select_connected(topology: Topology, selection: Selection) -> Selection:
    """Everything joined to the selection by edges."""
    _need_some(selection)
    _, labels = connected_labels(topology.edges, topology.n_points)
    reached = np.isin(labels, labels[points_of(topology, selection)])
    if selection.kind == "points":
        return _from_mask(selection, reached)
    first = topology.edges[:, 0] if selection.kind == "edges" else topology.corners[topology.face_offsets[:-1]]
    return _from_mask(selection, reached[first])


def outline(topology: Topology, selection: Selection) -> Selection:
    """The edges between the selected faces and the rest."""
    if selection.kind != "faces":
        selection = Selection("faces", faces_of(topology, selection))
    _need_some(selection)
    corners = topology.corners_of_faces(selection.indices)
    inside = np.bincount(topology.corner_edge[corners], minlength=topology.n_edges)
    return select_mask("edges", (inside > 0) & ((inside < topology.edge_face_count) | topology.open_edges))


def select_between(topology: Topology, selection: Selection) -> Selection:
    """The shortest stretch of elements between the last two picks, both included, beside what was selected.

    For edges along their loop where both lie on one; else and for other kinds by the fewest steps.
    Raises EditError where there are no two picks, or no way between them.
    """
    if len(selection) < 2:
        raise EditError("A stretch lies between two picks; select two.")
    start, end = int(selection.indices[-2]), int(selection.indices[-1])
    if selection.kind == "edges" and topology.loop_label[start] == topology.loop_label[end]:
        onwards = topology.continuation
        pairs = np.stack((np.arange(2 * topology.n_edges) // 2, onwards), axis=1)[onwards >= 0]
    else:
        pairs = _neighbours(topology, selection.kind)
    count = count_of(topology, selection.kind)
    way = _shortest_way(pairs, count + topology.n_points, start, end)
    # Where elements touch in points those are steps of the way too.
    way = way[way < count]
    if len(way) == 0:
        raise EditError("The two picks are not connected; there is no stretch between them.")
    return combine(selection, Selection(selection.kind, way), add=True)


def inside(topology: Topology, selection: Selection) -> Selection:
    """The faces on the smaller side of a closed loop of selected edges. Raises EditError where it encloses none."""
    if selection.kind != "edges" or len(selection) == 0:
        raise EditError("To select the inside, select a closed loop of edges.")
    wall = selection.mask(topology)
    faces = topology.edge_faces
    open_way = (topology.edge_face_count >= 2) & ~wall
    _, piece = connected_labels(faces[open_way], topology.n_faces)
    beside = faces[wall & (topology.edge_face_count >= 2)]
    if len(beside) == 0 or (piece[beside[:, 0]] == piece[beside[:, 1]]).any():
        raise EditError("The selected edges do not close: both of their sides are connected.")
    touched = distinct(piece[beside])
    size = np.bincount(piece, minlength=int(piece.max()) + 1)
    # Of the pieces beside the loop all but the largest lie inside.
    outside = touched[np.argmax(size[touched])]
    chosen = np.isin(piece, touched[touched != outside])
    return Selection("faces", np.flatnonzero(chosen))


def without_hidden(mesh: Mesh, selection: Selection) -> Selection:
    """The selection without what is hidden."""
    if not mesh.hidden.any() or len(selection) == 0:
        return selection
    hidden = {"points": mesh.hidden_points, "edges": mesh.hidden_edges, "faces": mesh.hidden}[selection.kind]
    keep = ~hidden[selection.indices]
    return selection if keep.all() else _keep(selection, keep)


def invert(topology: Topology, selection: Selection) -> Selection:
    """Everything of the kind that is not selected."""
    return select_mask(selection.kind, ~selection.mask(topology))


def describe_runs(mesh: Mesh, selection: Selection) -> str:
    """What selected edges make: "1 closed loop", "2 open runs", or nothing to say."""
    from levelloop.core.arrays import chains

    if selection.kind != "edges" or len(selection) < 2:
        return ""
    runs = chains(mesh.topology.edges[np.sort(selection.indices)], mesh.n_points)
    closed = sum(1 for _, is_closed in runs if is_closed)
    opened = len(runs) - closed
    parts = []
    if closed:
        parts.append(f"{closed} closed loop" + ("s" if closed > 1 else ""))
    if opened:
        parts.append(f"{opened} open run" + ("s" if opened > 1 else ""))
    return ", ".join(parts)


# Helpers


def _neighbours(topology: Topology, kind: Kind) -> Integers:
    """Pairs of elements that touch: points by edges, faces by edges; edges and, numbered after them, their points."""
    if kind == "points":
        return topology.edges
    if kind == "faces":
        return topology.edge_faces[topology.edge_face_count >= 2]
    edges = np.repeat(np.arange(topology.n_edges), 2)
    return np.stack((edges, topology.n_edges + topology.edges.ravel()), axis=1)


def _shortest_way(pairs: Integers, count: int, start: int, end: int) -> Integers:
    """The elements on the way with the fewest steps, start and end included; none where there is no way."""
    order, offsets = group_order(np.concatenate((pairs[:, 0], pairs[:, 1])), count)
    others = np.concatenate((pairs[:, 1], pairs[:, 0]))[order]
    came_from = np.full(count, -1, dtype=np.int64)
    came_from[start] = start
    front = np.array([start])
    while len(front) and came_from[end] < 0:
        size = np.diff(offsets)[front]
        reached = others[ranges(offsets[:-1][front], size)]
        origin = np.repeat(front, size)
        fresh = came_from[reached] < 0
        reached, first = np.unique(reached[fresh], return_index=True)
        came_from[reached] = origin[fresh][first]
        front = reached
    if came_from[end] < 0:
        return np.zeros(0, dtype=np.int64)
    way = [end]
    while way[-1] != start:
        way.append(int(came_from[way[-1]]))
    return np.array(way[::-1], dtype=np.int64)


def _need_some(selection: Selection) -> None:
    if len(selection) == 0:
        raise EditError("Nothing is selected yet.")


def _ring_mask(topology: Topology, edges: Integers) -> Booleans:
    labels = topology.ring_label
    seeds = np.concatenate((labels[2 * edges], labels[2 * edges + 1]))
    return np.isin(labels[0::2], seeds)


def _keep(selection: Selection, keep: Booleans) -> Selection:
    backwards = None if selection.backwards is None else selection.backwards[keep]
    return Selection(selection.kind, selection.indices[keep], backwards)


def _from_mask(selection: Selection, mask: Booleans) -> Selection:
    """The masked elements; those selected before come first, with their order and direction."""
    kept = _keep(selection, mask[selection.indices])
    more = np.flatnonzero(mask & ~mask_of(selection.indices, len(mask)))
    return combine(kept, Selection(selection.kind, more), add=True)
