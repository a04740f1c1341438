"""What parts measure on their smooth surfaces, and how far two versions of them are apart."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, mask_of
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import path_of
from levelloop.core.geometry.closest import closest_places
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.faces import face_areas, signed_volume
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.progress import pieces
from levelloop.core.values import dataclass
from levelloop.document.document import Document
from levelloop.document.part import Part

FINE = 3  # the level that measures are taken at, or the part's own where that is finer
FLAT = 1e-9  # of one over the part's size: less is no curvature


@dataclass(frozen=True)
class Measures:
    """A part's measures in the world: mm, mm², mm³, 1/mm.

    cage_size, size: of the boxes around cage and smooth surface; volume: None where the surface is open; k1, k2:
    smallest and largest principal curvatures, positive where the surface bends away from its outward side;
    smallest_radius: None on a flat surface; at: where that is. length: of a curve, which has no area.
    """

    name: str
    cage_size: tuple[float, float, float]
    size: tuple[float, float, float]
    area: float
    volume: float | None
    k1: tuple[float, float]
    k2: tuple[float, float]
    smallest_radius: float | None
    at: tuple[float, float, float] | None
    length: float | None = None

    def as_json(self) -> dict[str, Any]:
        """As plain values."""
        return asdict(self)


@dataclass(frozen=True)
class Deviation:
    """How far two surfaces are apart: largest, mean and rms distance both ways, mm, and where the largest is."""

    largest: float
    mean: float
    rms: float
    where: tuple[float, float, float]


def measured(part: Part) -> Measures:
    """The measures of a part's smooth surface, or of a curve. Raises EditError for neither, or a step that cannot run.

    A curve's smallest radius is that of the circle through neighbouring places of a smooth one.
    """
    if not part.stepped.n_faces and len(part.mesh.topology.wires):
        return _measured_curve(part)
    surface = part.surface(max(part.level, FINE), in_world=True)
    shown = ~surface.mesh.hole
    topology = surface.mesh.topology
    used = mask_of(topology.corners[shown[topology.corner_face]], topology.n_points)
    if not used.any():
        raise EditError(f"All faces of “{part.name}” are holes; it has no surface.")
    places = surface.points[used]
    area = float(face_areas(topology, surface.points)[shown].sum())
    closed = not topology.open_edges.any() and bool(shown.all())
    size = np.ptp(places, axis=0)
    sharpest = np.where(used, np.maximum(np.abs(surface.k1), np.abs(surface.k2)), 0.0)
    worst = int(sharpest.argmax())
    is_flat = sharpest[worst] * float(size.max()) <= FLAT
    return Measures(
        part.name,
        _triple(np.ptp(part.to_world(part.mesh).points, axis=0)),
        _triple(size),
        area,
        signed_volume(surface.mesh) if closed else None,
        (float(surface.k1[used].min()), float(surface.k1[used].max())),
        (float(surface.k2[used].min()), float(surface.k2[used].max())),
        None if is_flat else 1.0 / float(sharpest[worst]),
        None if is_flat else _triple(surface.points[worst]),
    )


def compared(first: Document, second: Document) -> tuple[Deviation, list[tuple[str, Deviation]]]:
    """How far the smooth surfaces of two documents are apart, in all and for each part that both have.

    Parts are told by their names; where no name is in both, everything is compared with everything. Raises EditError
    where one has no surface.
    """
    ours, theirs = (_surfaces(document) for document in (first, second))
    shared = [name for name in ours if name in theirs]
    if not shared:
        apart = _apart(combined(list(ours.values())), combined(list(theirs.values())))
        return _deviation(*apart), []
    found = [(name, _apart(ours[name], theirs[name])) for name in pieces(shared)]
    distances = np.concatenate([one[0] for _, one in found])
    places = np.concatenate([one[1] for _, one in found])
    return _deviation(distances, places), [(name, _deviation(*one)) for name, one in found]


# Helpers


def _measured_curve(part: Part) -> Measures:
    """The measures of a curve. Raises EditError where its wires are not one run."""
    path = path_of(part.to_world(part.mesh))
    tightest = path.tightest()
    return Measures(
        part.name,
        _triple(np.ptp(path.points, axis=0)),
        _triple(np.ptp(path.at(path.fine()), axis=0)),
        0.0,
        None,
        (0.0, 0.0),
        (0.0, 0.0),
        None if tightest is None else tightest[0],
        None if tightest is None else _triple(tightest[1]),
        path.length(),
    )


def _surfaces(document: Document) -> dict[str, Mesh]:
    surfaces = {}
    for part in document.given_out:
        if part.stepped.n_faces:
            surfaces[part.name] = part.output(max(part.level, FINE), True, normals=False)
    if not surfaces:
        raise EditError("There is no surface to compare; one of the two has no faces.")
    return surfaces


def _apart(one: Mesh, other: Mesh) -> tuple[Floats, Floats]:
    """Distances from the points of each to the surface of the other, and where they were measured."""
    distances, places = [], []
    for here, there in ((one, other), (other, one)):
        points = here.points[here.topology.point_face_count > 0]
        nearest, _ = closest_places(there, points)
        distances.append(np.linalg.norm(nearest - points, axis=1))
        places.append(points)
    return np.concatenate(distances), np.concatenate(places)


def _deviation(distances: Floats, places: Floats) -> Deviation:
    worst = int(distances.argmax())
    return Deviation(
        float(distances[worst]),
        float(distances.mean()),
        float(np.sqrt((distances**2).mean())),
        _triple(places[worst]),
    )


def _triple(values: Floats) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in values)
    return x, y, z
