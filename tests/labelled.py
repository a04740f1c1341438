"""A labelled set: clean forms, and forms with one fault each at a known place; sixteen variations of every kind.

Thresholds of the review were set on the first eight, whose numbers are whole; the table in docs/review.md counts the
other eight, with sizes between those of the first.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from levelloop.core.arrays import Floats
from levelloop.core.edit.bevel.bevel import bevel
from levelloop.core.edit.build.extrude import extrude, inset
from levelloop.core.edit.build.thicken import thicken
from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.edit.divide.join_points import join_points
from levelloop.core.edit.hold.hold import hold
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.forms.solids import torus
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.core.recipe.shaping import bend
from levelloop.core.review import reviews
from levelloop.core.review.findings import Finding
from levelloop.core.review.subject import Subject
from levelloop.core.select.where import select_where
from levelloop.document.session import Session

SET_ON = tuple(float(number) for number in range(8))
COUNTED_ON = tuple(number + 0.5 for number in SET_ON)
VARIATIONS = SET_ON + COUNTED_ON
OF_THE_SURFACE = (
    "pinch",
    "jump",
    "ripple",
    "flat_spot",
    "streak",
    "unequal_turn",
    "missing_support",
    "too_tight",
    "fold_under",
)


@dataclass(frozen=True, eq=False)
class Fault:
    """A form with a fault of a check at places (n, 3), found within a distance of one of them."""

    mesh: Mesh
    check: str
    places: Floats
    within: float


def found(mesh: Mesh) -> list[Finding]:
    """What the review says of the smooth surface."""
    return [one for one in reviews(Subject(mesh))["smooth"].findings if one.check in OF_THE_SURFACE]


def alarms(mesh: Mesh) -> list[str]:
    """What of it is more than a note, in words."""
    return [f"{one.check}: {one.message}" for one in found(mesh) if one.severity != "note"]


def is_found(fault: Fault) -> bool:
    """Whether the fault is told as a warning, at its place."""
    for one in found(fault.mesh):
        if one.check == fault.check and one.severity == "warn":
            apart = np.linalg.norm(one.at[:, None] - fault.places[None], axis=2)
            return bool(apart.min() <= fault.within)
    return False


def elsewhere(fault: Fault, number: float) -> Fault:
    """The same somewhere else, turned, and of another size."""
    size, turn = 10.0 ** (number % 3 - 1), Rotation.random(random_state=int(2 * number)).as_matrix()

    def put(points: Floats) -> Floats:
        return size * points @ turn.T + 7.0 * size * number

    return Fault(fault.mesh.with_points(put(fault.mesh.points)), fault.check, put(fault.places), size * fault.within)


# Clean forms


def held(mesh: Mesh, radius: float, **values: Any) -> Mesh:
    return hold(mesh, select_where(mesh, "edges", angle_over=60), radius=radius, **values).mesh


def made(key: str, **values: Any) -> Mesh:
    session = Session.new()
    session.perform(key, **values)
    return session.part.mesh


def egg(number: float) -> Mesh:
    form = quad_sphere(20, 4 + int(number) % 4)
    points = form.points * (1.0, 0.8, 0.6)
    return form.with_points(points * (1.0 + (0.1 + 0.02 * number) * form.points[:, 2:] / 10.0))


def elbow(number: float) -> Mesh:
    pipe = cylinder(10, 60, 12 + 2 * (int(number) % 3), 12, "open")
    return bend(pipe, 40.0 + 10.0 * number, "z", "x").mesh


def block_out(number: float) -> Mesh:
    form = box((40, 30, 20), (2, 2, 1))
    top = select_where(form, "faces", normal=(0, 0, 1))
    return extrude(form, top, 6.0 + number).mesh


def raised(number: float) -> Mesh:
    form = box((40, 30, 20), (3, 3, 2))
    top = select_where(form, "faces", normal=(0, 0, 1))
    return inset(form, top, 2.0, 0.5 + 0.1 * number).mesh


def half(number: float) -> Mesh:
    session = Session.new()
    session.do("add_quad_sphere", diameter=20, cells=4 + 2 * (int(number) % 3))
    session.do("mirror_across", plane="x", keep="+")
    return session.part.mesh


def bevelled(number: float) -> Mesh:
    form = box((40, 30 + number, 20))
    edges = select_where(form, "edges", angle_over=30)
    return bevel(form, edges, 2.0 + 0.2 * number, middle_loop=True).mesh


def pocket(number: float) -> Mesh:
    form = box((60, 50 + number, 30))
    rim = inset(form, select_where(form, "faces", normal=(0, 0, 1)), 8.0)
    return held(extrude(rim.mesh, rim.selection, -12.0).mesh, 0.8 + 0.05 * number)


CLEAN: dict[str, Callable[[float], Mesh]] = {
    "box": lambda n: box((20 + n, 20, 20 + 2 * n), (1 + int(n) % 3, 1 + int(n) % 2, 1)),
    "held box": lambda n: held(box((40, 30 + n, 20), (1 + int(n) % 2, 1, 1)), 0.4 + 0.1 * n),
    "creased box": lambda n: Mesh(box((20, 20, 20)).topology, box((20, 20, 20)).points, np.full(12, 1.0 + n)),
    "quad sphere": lambda n: quad_sphere(20 + n, 2 + int(n)),
    "egg": egg,
    "geodesic": lambda n: made("add_geodesic", diameter=10 + n, splits=1 + int(n) % 3),
    "torus": lambda n: torus(60, 10 + 2 * n, 8 + 2 * int(n), 6 + int(n) % 4),
    "tube": lambda n: cylinder(20, 40 + n, 6 + 2 * int(n), 4, "open"),
    "elbow": elbow,
    "cylinder, quads": lambda n: cylinder(20, 30 + n, 8 + 4 * int(n), 3, "quads"),
    "cylinder, n-gons": lambda n: cylinder(20, 30 + n, 5 + int(n), 3, "face"),
    "held cylinder": lambda n: held(cylinder(40, 40, 8 + 4 * (int(n) % 4), 1, "quads"), 0.45 + 0.05 * (n % 3)),
    "held as an arc": lambda n: held(cylinder(60, 40, 16 + 4 * (int(n) % 3), 1, "quads"), 0.6 + 0.05 * n, fill="arc"),
    "sheet": lambda n: plane((20 + n, 20), (2 + int(n), 3)),
    "thickened sheet": lambda n: thicken(plane((20 + n, 20), (2 + int(n), 3)), NOTHING, outward=1 + 0.2 * n).mesh,
    "block-out": block_out,
    "raised panel": raised,
    "mirrored half": half,
    "box bevelled around a middle loop": bevelled,
    "held pocket": pocket,
    "box held by arcs": lambda n: held(box((40, 30 + n, 20), (1 + int(n) % 3, 1, 1)), 1.0 + 0.3 * n, fill="arc"),
    "held cylinder with fine caps": lambda n: held(cylinder(60, 50, 16 + 8 * (int(n) % 3), 1, "quads"), 2.0 + 0.3 * n),
}


# Faults


def poled(number: float) -> Fault:
    form = made("add_sphere", diameter=20 + number, sides=16 + 2 * int(number), rows=8 + int(number))
    return Fault(form, "pinch", form.points[form.topology.valence > 6], 0.1)


def creased_inside(number: float) -> Fault:
    form = quad_sphere(20, 4 + int(number) % 4)
    topology = form.topology
    inside = np.flatnonzero((topology.valence == 4)[topology.edges].all(axis=1))
    edge = inside[int((number + 1) * len(inside)) // 10]
    creases = np.zeros(form.n_edges)
    creases[edge] = 10.0 if int(number) % 2 else 4.0
    return Fault(Mesh(topology, form.points, creases), "pinch", form.points[topology.edges[edge]], 0.1)


def uneven(number: float) -> Fault:
    """A box whose top rim is held by unequal supports."""
    form = box((40, 40, 40))
    top = select_where(form, "edges", plane=((0, 0, 20), "z"))
    turned = hold(form, top, distance=2.0).mesh
    beside = select_where(turned, "points", plane=((0, 0, 18), "z"))
    points = turned.points.copy()
    points[beside.indices, 2] -= 0.7 + 0.3 * number
    return Fault(turned.with_points(points), "unequal_turn", np.array([[0.0, 20, 20], [20, 0, 20]]), 2.5)


def under(number: float) -> Fault:
    """A fold that a pushed row of points makes go back under itself."""
    sheet = plane((40, 40), (8, 8))
    points = sheet.points.copy()
    row = np.abs(points[:, 0]) < 1e-9
    points[row, 0] += 7.0 + 0.4 * number
    points[row, 2] += 1.5
    return Fault(sheet.with_points(points), "fold_under", points[row], 5.0)


def raised_point(number: float) -> Fault:
    sheet = plane((80, 80), (8, 8))
    middle = np.flatnonzero(np.abs(sheet.points).sum(axis=1) < 15)[int(number) % 3]
    points = sheet.points.copy()
    points[middle, 2] += 1.0 + 0.5 * number
    return Fault(sheet.with_points(points), "jump", points[[middle]], 0.1)


def off_its_ring(number: float) -> Fault:
    """A row of a tube's points moved outwards."""
    sides = 10 + 2 * (int(number) % 4)
    tube = cylinder(20, 60, sides, 8, "open")
    row = np.hypot(tube.points[:, 0] - 10, tube.points[:, 1]) < 1e-6
    points = tube.points.copy()
    # As a share of how high a face's middle lies under the circle.
    points[row, 0] += (1.1 + 0.1 * number) * 10.0 * (1.0 - np.cos(np.pi / sides))
    return Fault(tube.with_points(points), "jump", points[row], 0.1)


def flat_row(number: float) -> Fault:
    """A row of a tube's points that lies on the chord of its neighbours."""
    sides = 12 + 2 * int(number)
    tube = cylinder(20, 60, sides, 8, "open")
    row = np.hypot(tube.points[:, 0] - 10, tube.points[:, 1]) < 1e-6
    points = tube.points.copy()
    points[row, 0] -= (0.98 + 0.005 * number) * 10.0 * (1.0 - np.cos(2.0 * np.pi / sides))
    return Fault(tube.with_points(points), "flat_spot", points[row], 0.1)


def rippled(number: float) -> Fault:
    """A tube whose rows lie out and in by turns."""
    sides = 16 + 2 * int(number)
    tube = cylinder(20, 60, sides, 8, "open")
    row = np.round(np.degrees(np.arctan2(tube.points[:, 1], tube.points[:, 0])) / (360.0 / sides)).astype(int)
    points = tube.points.copy()
    points[:, :2] *= 1.0 + (0.022 + 0.002 * number) * np.where(row % 2, -1.0, 1.0)[:, None]
    return Fault(tube.with_points(points), "ripple", points, 0.1)


def wavy(number: float) -> Fault:
    """A tube whose rings are wide and narrow by turns."""
    tube = cylinder(20, 60, 16, 12, "open")
    ring = np.round(tube.points[:, 2] / 5.0).astype(int)
    points = tube.points.copy()
    points[:, :2] *= 1.0 + (0.02 + 0.002 * number) * np.where(ring % 2, -1.0, 1.0)[:, None]
    return Fault(tube.with_points(points), "ripple", points, 0.1)


def _on_a_ball(number: float) -> tuple[Mesh, Any]:
    form = quad_sphere(20 + number, 5 + int(number) % 4)
    return form, form.topology.valence == 4


def ngon_on_a_ball(number: float) -> Fault:
    form, plain = _on_a_ball(number)
    edges = np.flatnonzero(plain[form.topology.edges].all(axis=1))
    edge = edges[int((number + 1) * len(edges)) // 10]
    place = form.points[form.topology.edges[edge]].mean(axis=0)
    return Fault(take_out(form, Selection("edges", np.array([edge]))).mesh, "streak", place[None], 1.0)


def triangles_on_a_ball(number: float) -> Fault:
    form, plain = _on_a_ball(number)
    faces = np.flatnonzero(plain[form.topology.corners].reshape(-1, 4).all(axis=1))
    ring = form.topology.face(int(faces[int((number + 1) * len(faces)) // 10]))
    mesh = join_points(form, Selection("points", ring[[0, 2]])).mesh
    return Fault(mesh, "streak", form.points[ring].mean(axis=0)[None], 2.0)


def twisted(number: float) -> Fault:
    form = torus(60, 20, 24 + 2 * int(number), 12)
    ring = form.topology.face(form.n_faces // 3 + int(number))
    points = form.points.copy()
    normal = np.cross(points[ring[1]] - points[ring[0]], points[ring[3]] - points[ring[0]])
    points[ring] += (0.4 + 0.03 * number) * np.array([1, -1, 1, -1])[:, None] * normal / np.linalg.norm(normal)
    return Fault(form.with_points(points), "streak", points[ring].mean(axis=0)[None], 0.1)


def one_rim_held(number: float) -> Fault:
    can = cylinder(40, 40, 16 + 4 * (int(number) % 3), 1, "quads")
    rim = select_where(can, "edges", plane=((0, 0, 20), "z"), angle_over=60)
    form = hold(can, rim, radius=0.25 + 0.02 * number).mesh
    low = form.points[(form.points[:, 2] < -19.9) & (np.hypot(form.points[:, 0], form.points[:, 1]) > 19.9)]
    return Fault(form, "missing_support", low, 5.0)


def held_on_one_side(number: float) -> Fault:
    form = box((40, 40, 40))
    top = select_where(form, "edges", plane=((0, 0, 20), "z"))
    side = "left" if int(number) % 2 else "right"
    mesh = hold(form, top, distance=2.0 + 0.3 * number, sides=side).mesh
    return Fault(mesh, "missing_support", np.array([[0.0, 20, 20], [20, 0, 20], [0, 20, 18], [0, 18, 20]]), 4.0)


def like_a_crack(number: float) -> Fault:
    form = box((40 + 2 * number, 40, 40))
    edges = select_where(form, "edges", angle_over=30)
    mesh = hold(form, edges, distance=0.05 + 0.005 * number).mesh
    return Fault(mesh, "too_tight", form.points[form.topology.edges].mean(axis=1), 1.0)


FAULTS: dict[str, Callable[[float], Fault]] = {
    "a sphere's poles": poled,
    "a crease that ends inside": creased_inside,
    "unequal supports": uneven,
    "a fold under itself": under,
    "a raised point in a sheet": raised_point,
    "a row off its ring": off_its_ring,
    "a flat row of a tube": flat_row,
    "rows out and in by turns": rippled,
    "rings wide and narrow by turns": wavy,
    "an n-gon on a ball": ngon_on_a_ball,
    "triangles on a ball": triangles_on_a_ball,
    "a twisted quad on a torus": twisted,
    "one rim not held": one_rim_held,
    "held on one side": held_on_one_side,
    "supports like a crack": like_a_crack,
}
