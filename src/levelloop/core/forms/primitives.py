"""Starting forms: plane, box, disc caps and cylinder."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from levelloop.core.arrays import Floats, Integers, offsets_from_sizes
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_vector, axis_turn
from levelloop.core.limits import check_fits
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.outlines import merge_points
from levelloop.core.mesh.topology import Topology

Caps = Literal["face", "quads", "triangles", "open"]


def plane(size: Any = (20.0, 20.0), cells: Any = (1, 1)) -> Mesh:
    """A grid of quads in the xy plane, facing +z. size: (x, y) mm; cells: (x, y) counts."""
    width, depth = _sizes(size, 2)
    across, along = _cells(cells, 2)
    check_fits(across * along)
    x, y = np.linspace(-width / 2, width / 2, across + 1), np.linspace(-depth / 2, depth / 2, along + 1)
    grid_y, grid_x = np.meshgrid(y, x, indexing="ij")
    points = np.stack((grid_x, grid_y, np.zeros_like(grid_x)), axis=2).reshape(-1, 3)
    return _quads(points, _grid_faces(across, along))


def box(size: Any = (20.0, 20.0, 20.0), cells: Any = (1, 1, 1)) -> Mesh:
    """A closed box of quads. size: (x, y, z) mm; cells: (x, y, z) counts.

    Faces of a plain box, in order: bottom, top, front (−y), right (+x), back (+y), left (−x).
    """
    lengths = _sizes(size, 3)
    counts = _cells(cells, 3)
    check_fits(2 * (counts[0] * counts[1] + counts[1] * counts[2] + counts[2] * counts[0]))
    sides = ((1, 0, 2, -1), (0, 1, 2, 1), (0, 2, 1, -1), (1, 2, 0, 1), (0, 2, 1, 1), (1, 2, 0, -1))
    all_points, all_faces, first = [], [], 0
    for u, v, w, sign in sides:
        # u × v points along w for (0,1), (1,2); the sign and the order of u and v make the face look outwards.
        if ((u, v) in ((0, 1), (1, 2), (2, 0)) and sign < 0) or ((u, v) in ((1, 0), (0, 2)) and sign > 0):
            u, v = v, u
        a = np.linspace(-0.5, 0.5, counts[u] + 1) * lengths[u]
        b = np.linspace(-0.5, 0.5, counts[v] + 1) * lengths[v]
        grid_b, grid_a = np.meshgrid(b, a, indexing="ij")
        points = np.empty((grid_a.size, 3))
        points[:, u], points[:, v], points[:, w] = grid_a.ravel(), grid_b.ravel(), sign * lengths[w] / 2
        all_points.append(points)
        all_faces.append(_grid_faces(counts[u], counts[v]) + first)
        first += len(points)
    return _joined(np.concatenate(all_points), np.concatenate(all_faces))


def cylinder(
    diameter: float = 20.0, height: float = 20.0, sides: int = 16, cells: int = 1, caps: Caps = "face"
) -> Mesh:
    """A cylinder along z. diameter: of the circle its points lie on, mm; sides: around; cells: along.

    caps: one face each, quads (sides must be even), triangles around a middle point, or open. Raises EditError for
    sizes that are not above 0.
    """
    if diameter <= 0 or height <= 0:
        raise EditError("A cylinder needs a diameter and a height above 0 mm.")
    circle = circle_points(diameter, sides)
    heights = np.linspace(-height / 2, height / 2, cells + 1)
    rings = np.stack([circle + np.array([0.0, 0.0, z]) for z in heights])
    around = np.arange(sides)
    return with_both_caps(ring_walls(rings), around, around + cells * sides, caps)


def disc(diameter: float = 20.0, sides: int = 16, fill: Caps = "quads") -> Mesh:
    """A flat disc facing +z. diameter: of the circle its points lie on, mm.

    fill: quads (sides must be even), one face, triangles around a middle point, or open: its circle of edges alone.
    Raises EditError for a diameter that is not above 0.
    """
    if diameter <= 0:
        raise EditError("A disc needs a diameter above 0 mm.")
    rim = Mesh(Topology([0], [], sides), circle_points(diameter, sides))
    if fill == "open":
        around = np.arange(sides)
        return Mesh(rim.topology.with_wires(np.stack((around, np.roll(around, -1)), axis=1)), rim.points)
    return with_cap(rim, np.arange(sides), fill)


def quad_sphere(diameter: float = 20.0, cells: int = 4) -> Mesh:
    """A sphere of six patches of quads, every point on it. cells: quads along each patch's edge.

    The patches' lines stand at equal angles, so that quads near a patch's corner are not much smaller. Raises
    EditError for a diameter that is not above 0.
    """
    if diameter <= 0:
        raise EditError("A sphere needs a diameter above 0 mm.")
    cube = box((2.0, 2.0, 2.0), (cells, cells, cells))
    spread = np.tan(cube.points * (np.pi / 4.0))
    return cube.with_points(0.5 * diameter * spread / np.linalg.norm(spread, axis=1, keepdims=True))


def circle_points(diameter: float, sides: int) -> Floats:
    """Points on a circle in the xy plane, the first on +x, counter-clockwise: (sides, 3)."""
    angle = 2.0 * np.pi * np.arange(sides) / sides
    return 0.5 * diameter * np.stack((np.cos(angle), np.sin(angle), np.zeros(sides)), axis=1)


def placed(mesh: Mesh, at: Any = (0.0, 0.0, 0.0), axis: Any = "z", turn: float = 0.0) -> Mesh:
    """The form with its own z along the axis, turned by degrees about it, its centre at a place."""
    return mesh.with_points(mesh.points @ axis_turn(axis, turn).T + as_vector(at))


def ring_walls(rings: Floats, closed: bool = False) -> Mesh:
    """Quads between rings of points (r, n, 3), facing away from the axis they go round where they rise along it.

    closed: the last ring leads back to the first.
    """
    count, sides = rings.shape[:2]
    around = np.arange(sides)
    beside = (around + 1) % sides
    rows = np.arange(count if closed else count - 1)
    low, high = rows * sides, (rows + 1) % count * sides
    walls = np.stack(
        (low[:, None] + around, low[:, None] + beside, high[:, None] + beside, high[:, None] + around), axis=2
    )
    return _quads(rings.reshape(-1, 3), walls.reshape(-1, 4))


def merged_tip(mesh: Mesh, ring: Integers) -> Mesh:
    """The mesh with a ring of points become the one at their middle."""
    target = np.arange(mesh.n_points)
    target[ring] = ring[0]
    keep = target == np.arange(mesh.n_points)
    points = mesh.points.copy()
    points[ring[0]] = mesh.points[ring].mean(axis=0)
    merged, _, _ = merge_points(mesh, (np.cumsum(keep) - 1)[target], points[keep])
    return Mesh(merged.topology, merged.points)


def with_both_caps(mesh: Mesh, low: Integers, high: Integers, caps: Caps) -> Mesh:
    """The mesh with caps over its first and last ring, each counter-clockwise seen from above.

    The grids of both have their corners at the same places, so that a loop over one comes back over the other.
    """
    mesh = with_cap(mesh, high, caps)
    return with_cap(mesh, low[::-1], caps, corner_backwards(len(low)))


def with_cap(mesh: Mesh, ring: Integers, caps: Caps, corner: int | None = None) -> Mesh:
    """The mesh with a cap whose outline is the ring, counter-clockwise seen from outside.

    corner: where the first corner of a grid of quads is, as for grid_inside.
    """
    if caps == "open":
        return mesh
    topology, points = mesh.topology, mesh.points
    n_points, count = mesh.n_points, len(ring)
    if caps == "face":
        sizes, corners, added = np.array([count]), ring, np.zeros((0, 3))
    elif caps == "triangles":
        fan = np.stack((ring, np.roll(ring, -1), np.full(count, n_points)), axis=1)
        sizes, corners, added = np.full(count, 3), fan.ravel(), points[ring].mean(axis=0)[None]
    else:
        faces, added = grid_inside(points[ring], ring, n_points, corner)
        sizes, corners = np.full(len(faces), 4), faces.ravel()
    offsets = offsets_from_sizes(np.concatenate((topology.face_sizes, sizes)))
    all_points = np.concatenate((points, added))
    return Mesh(Topology(offsets, np.concatenate((topology.corners, corners)), len(all_points)), all_points)


def grid_inside(outline: Floats, ring: Integers, first_new: int, corner: int | None = None) -> tuple[Integers, Floats]:
    """A grid of quads that fills an outline with an even number of sides, as near square as it can be.

    outline: (n, 3); ring: (n,) point numbers; corner: where in it the grid's first corner is, with the shorter side
    after it; None: so that its corners lie evenly around the first point. Returns quads (q, 4) and the new inner
    points, numbered from first_new; they follow the outline as a Coons patch (Coons 1967). Raises EditError for an
    odd number of sides, or fewer than four.
    """
    count = len(ring)
    first = first_corner(count) if corner is None else corner
    if count % 2:
        raise EditError(f"Quads fill an outline with an even number of sides; this one has {count}.")
    across = count // 4
    along = count // 2 - across
    if across < 1:
        raise EditError("Quads need an outline of at least four sides.")
    numbers = np.empty((along + 1, across + 1), dtype=np.int64)
    places = np.empty((along + 1, across + 1, 3))
    loop = np.roll(np.arange(count), -first)
    edge_rows = np.concatenate((np.zeros(across), np.arange(along), np.full(across, along), np.arange(along, 0, -1)))
    edge_columns = np.concatenate(
        (np.arange(across), np.full(along, across), np.arange(across, 0, -1), np.zeros(along))
    )
    rows, columns = edge_rows.astype(np.int64), edge_columns.astype(np.int64)
    numbers[rows, columns] = ring[loop]
    places[rows, columns] = outline[loop]
    v, u = np.meshgrid(np.arange(along + 1) / along, np.arange(across + 1) / across, indexing="ij")
    u, v = u[..., None], v[..., None]
    bottom, top = places[:1], places[-1:]
    left, right = places[:, :1], places[:, -1:]
    corners = (
        (1 - u) * (1 - v) * places[0, 0]
        + u * (1 - v) * places[0, -1]
        + (1 - u) * v * places[-1, 0]
        + u * v * places[-1, -1]
    )
    patch = (1 - v) * bottom + v * top + (1 - u) * left + u * right - corners
    inner = np.zeros((along + 1, across + 1), dtype=np.bool_)
    inner[1:-1, 1:-1] = True
    numbers[inner] = first_new + np.arange(int(inner.sum()))
    quads = np.stack((numbers[:-1, :-1], numbers[:-1, 1:], numbers[1:, 1:], numbers[1:, :-1]), axis=2)
    return quads.reshape(-1, 4), patch[inner]


def first_corner(count: int) -> int:
    """Where a grid over so many sides begins so that its corners lie evenly around the first point."""
    return -(count // 4 // 2) % count


def corner_backwards(count: int) -> int:
    """Where the grid of first_corner begins in the same ring run backwards."""
    return (count - 1 - (first_corner(count) + count // 4)) % count


# Helpers


def _sizes(size: Any, count: int) -> list[float]:
    lengths = [float(length) for length in np.atleast_1d(np.asarray(size, dtype=np.float64))]
    if len(lengths) != count or not all(np.isfinite(length) and length > 0 for length in lengths):
        raise EditError(f"The size must be {count} lengths above 0 mm.")
    return lengths


def _cells(cells: Any, count: int) -> list[int]:
    counts = [int(cell) for cell in np.atleast_1d(np.asarray(cells))]
    if len(counts) != count or min(counts) < 1:
        raise EditError(f"The cells must be {count} whole numbers of at least 1.")
    return counts


def _grid_faces(across: int, along: int) -> Integers:
    row, column = np.divmod(np.arange(across * along), across)
    first = row * (across + 1) + column
    return np.stack((first, first + 1, first + across + 2, first + across + 1), axis=1)


def _quads(points: Floats, faces: Integers) -> Mesh:
    return Mesh(Topology(4 * np.arange(len(faces) + 1), faces.ravel(), len(points)), points)


def _joined(points: Floats, faces: Integers) -> Mesh:
    """The mesh with equal points made one."""
    rounded = np.round(points / max(1e-12, float(np.abs(points).max())), 9) + 0.0
    _, first, inverse = np.unique(rounded, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    number = np.empty(len(first), dtype=np.int64)
    number[order] = np.arange(len(first))
    mesh, _, _ = merge_points(_quads(points, faces), number[inverse.reshape(-1)], points[first[order]])
    return Mesh(mesh.topology, mesh.points)
