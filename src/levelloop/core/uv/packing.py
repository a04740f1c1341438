"""Islands put beside each other into the unit square, by a library; each turned to take little room."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.core.uv.islands import faces_or_all, island_uv, uv_islands
from levelloop.core.uv.measure import overlapping_faces
from levelloop.core.words import counted

FEW = 80  # islands that are fitted in the finer way
TRIES = 14  # scales looked at for the largest at which all fit
FULL, LONG = 0.3, 6.0  # of the square, and times its width: below and beyond it is said what limits
TURNS = 90  # directions between 0° and 90° that a lone island is tried in


def pack(
    mesh: Mesh,
    selection: Selection,
    margin: int = 4,
    size: int = 2048,
    turn: bool = True,
    equal_density: bool = True,
) -> Edit:
    """Puts the islands of selected faces, or of all, beside each other into the unit square; of all for points, edges.

    margin: pixels between them and at the rim, of a picture size pixels wide; turn: by any angle; equal_density: all at
    one scale of UV against the surface, else each as large as it is to the others. A layout that is right and fills
    more than what comes out stays. Raises EditError without UV.
    """
    if mesh.uv is None:
        raise EditError("There is no UV to pack yet; unwrap first.")
    # Of seams or points that are selected the whole is meant: what lies beside them would be put over the rest.
    faces = faces_or_all(mesh, selection if selection.kind == "faces" else NOTHING)
    islands = uv_islands(mesh, faces)
    flats = [island_uv(mesh, island) for island in islands]
    if equal_density:
        flats = [
            _to_true_size(flat, mesh.points[island.point], triangles(island.topology, mesh.points[island.point])[0])
            for island, flat in zip(islands, flats, strict=True)
        ]
    uv = mesh.uv.copy()
    shown = [triangles(one.topology, _solid(flat))[0] for one, flat in zip(islands, flats, strict=True)]
    placed = packed(flats, margin, size, turn)
    for island, flat in zip(islands, placed, strict=True):
        uv[island.corners] = flat[island.topology.corners]
    used = sum(_area(flat, corners) for flat, corners in zip(placed, shown, strict=True))
    told = f"{counted(len(islands), 'island fills', 'islands fill')} {100 * used:.0f} % of the square."
    long = max(placed, key=lambda flat: float(np.ptp(flat, axis=0).max()))
    sides = np.sort(np.ptp(long, axis=0))
    if used < FULL and sides[1] > LONG * max(float(sides[0]), 1e-300):
        told += f" The longest, {sides[1] / max(float(sides[0]), 1e-300):.0f} times as long as wide, sets their size."
    before = sum(_area(island_uv(mesh, island), corners) for island, corners in zip(islands, shown, strict=True))
    if used < before and _is_right(mesh, faces):
        kept = f"Nothing was packed: it fills {100 * before:.0f} % of the square as it is, packed {100 * used:.0f} %."
        return Edit(mesh, selection, identity(mesh), kept + told[told.index(".") + 1 :])
    return Edit(replace(mesh, uv=uv), selection, identity(mesh), told)


def packed(flats: Sequence[Floats], margin: int = 4, size: int = 2048, turn: bool = True) -> list[Floats]:
    """Islands, places (v, 2) of each, at one scale, put into the unit square.

    margin: pixels between them and at the rim, of a picture size pixels wide. Raises EditError where the margin
    leaves no room.
    """
    if not flats:
        return []
    rim = margin / size
    if rim >= 0.25:
        raise EditError("The margin is too large for a picture of that size.")
    turned = [_turned(flat, len(flats) == 1) if turn else flat - flat.min(axis=0) for flat in flats]
    if len(flats) == 1:
        side = np.ptp(turned[0], axis=0)
        scale = (1.0 - 2 * rim) / max(float(side.max()), 1e-300)
        return [turned[0] * scale + rim + 0.5 * (1.0 - 2 * rim - side * scale)]
    return [rim + (1.0 - 2 * rim) * flat for flat in _beside_each_other(turned, rim / (1.0 - 2 * rim), turn)]


# Helpers


def _is_right(mesh: Mesh, faces: Integers) -> bool:
    """Whether the UV of some faces lies in the unit square, and no face of the mesh over another."""
    assert mesh.uv is not None
    uv = mesh.uv[mesh.topology.corners_of_faces(faces)]
    return bool((uv >= 0.0).all() and (uv <= 1.0).all()) and len(overlapping_faces(mesh)[0]) == 0


def _solid(flat: Floats) -> Floats:
    return np.concatenate((flat, np.zeros((len(flat), 1))), axis=1)


def _area(flat: Floats, shown: Integers) -> float:
    a, b, c = (flat[shown[:, n]] for n in range(3))
    one, other = b - a, c - a
    return float(0.5 * np.abs(one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0]).sum())


def _to_true_size(flat: Floats, points: Floats, shown: Integers) -> Floats:
    """An island sized so that its area is that of its surface, mm²."""
    a, b, c = (points[shown[:, n]] for n in range(3))
    real = 0.5 * float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())
    own = _area(flat, shown)
    return flat * np.sqrt(real / own) if own > 0 and real > 0 else flat


def _turned(flat: Floats, is_alone: bool) -> Floats:
    """An island turned so that its box is smallest: its longer side where it is alone, else its area."""
    away = flat - flat.mean(axis=0)
    angles = np.radians(np.arange(TURNS) * 90.0 / TURNS)
    best = _box(away, angles, is_alone)
    finer = angles[best] + np.radians(np.linspace(-1.0, 1.0, 41) * 90.0 / TURNS)
    angle = finer[_box(away, finer, is_alone)]
    cosine, sine = np.cos(angle), np.sin(angle)
    turned = away @ np.array([[cosine, sine], [-sine, cosine]])
    return np.asarray(turned - turned.min(axis=0))


def _box(flat: Floats, angles: Floats, is_alone: bool) -> int:
    """Which of some angles makes the box smallest."""
    x = np.ptp(flat @ np.stack((np.cos(angles), -np.sin(angles))), axis=0)
    y = np.ptp(flat @ np.stack((np.sin(angles), np.cos(angles))), axis=0)
    return int(np.argmin(np.maximum(x, y) if is_alone else x * y))


def _beside_each_other(flats: list[Floats], gap: float, turn: bool) -> list[Floats]:
    """Islands by their boxes at the largest scale at which they fit, a gap between any two, into the unit square."""
    sizes = np.array([np.ptp(flat, axis=0) for flat in flats])
    area = max(float(np.sqrt(sizes.prod(axis=1).sum())), 1e-300)
    low, high = 0.0, 1.0 / max(area, float(sizes.max()))
    found: tuple[float, Floats, Booleans] | None = None
    for _ in range(TRIES):
        scale = 0.5 * (low + high) if found is not None else 0.8 * high
        fits = _fit(sizes * scale + gap, 1.0 + gap, turn)
        if fits is None:
            high = scale
        else:
            low, found = scale, (scale, *fits)
    if found is None:
        raise EditError("The islands do not fit into the square with that margin.")
    scale, places, quarter = found
    result = []
    for flat, place, is_quarter in zip(flats, places, quarter, strict=True):
        one = np.stack((flat[:, 1].max() - flat[:, 1], flat[:, 0]), axis=1) if is_quarter else flat
        result.append(one * scale + place)
    return result


def _fit(sizes: Floats, side: float, turn: bool) -> tuple[Floats, Booleans] | None:
    """Where boxes lie in a square, and whether each is turned by a quarter; None where they do not fit."""
    from rectpack import GuillotineBssfSas, MaxRectsBssf, PackingMode, newPacker

    grid = 1 << 24  # the library counts in whole numbers
    whole = np.ceil(sizes * grid).astype(np.int64)
    # The finer way takes cubic time: 5 s for 200 boxes, of which the other one fills 1 % less in 0.6 s.
    way = MaxRectsBssf if len(sizes) <= FEW else GuillotineBssfSas
    packer = newPacker(mode=PackingMode.Offline, pack_algo=way, rotation=turn)
    for number, (width, height) in enumerate(whole.tolist()):
        packer.add_rect(width, height, number)
    packer.add_bin(int(side * grid), int(side * grid))
    packer.pack()
    found = packer.rect_list()
    if len(found) < len(sizes):
        return None
    places, quarter = np.zeros((len(sizes), 2)), np.zeros(len(sizes), dtype=np.bool_)
    for _, x, y, width, _, number in found:
        places[number] = x / grid, y / grid
        quarter[number] = width != whole[number, 0]
    return places, quarter
