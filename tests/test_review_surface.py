"""What the review says of smooth surfaces and of parts that meet: faults found in place, clean forms left alone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from levelloop.core.edit.build.thicken import thicken
from levelloop.core.edit.hold.hold import hold
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.forms.solids import torus
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.mesh.topology import Topology
from levelloop.core.review import reviews
from levelloop.core.review.between import Body, Meeting, meetings
from levelloop.core.review.findings import Finding
from levelloop.core.review.subject import Subject
from levelloop.core.select.where import select_where
from levelloop.core.surface.surface import SmoothSurface
from levelloop.demo.build import demo_document
from levelloop.document.session import Session

OF_THE_SURFACE = ("pinch", "unequal_turn", "fold_under")


def found(mesh: Mesh) -> list[Finding]:
    return [one for one in reviews(Subject(mesh))["smooth"].findings if one.check in OF_THE_SURFACE]


def alarms(mesh: Mesh) -> list[str]:
    return [one.message for one in found(mesh) if one.severity != "note"]


def held(mesh: Mesh, radius: float, **values: Any) -> Mesh:
    return hold(mesh, select_where(mesh, "edges", angle_over=60), radius=radius, **values).mesh


def made(key: str, **values: Any) -> Mesh:
    session = Session.new()
    session.do(key, **values)
    return session.part.mesh


CLEAN: dict[str, Callable[[int], Mesh]] = {
    "box": lambda n: box((20 + n, 20, 20 + 2 * n), (1 + n % 3, 1 + n % 2, 1)),
    "held box": lambda n: held(box((40, 30 + n, 20), (1 + n % 2, 1, 1)), 0.4 + 0.1 * n),
    "quad sphere": lambda n: quad_sphere(20, 2 + n),
    "geodesic": lambda n: made("add_geodesic", diameter=10 + n, splits=1 + n % 3),
    "torus": lambda n: torus(60, 10 + 2 * n, 8 + 2 * n, 6 + n % 4),
    "tube": lambda n: cylinder(20, 40, 6 + 2 * n, 4, "open"),
    "cylinder, quads": lambda n: cylinder(20, 30, 8 + 4 * n, 3, "quads"),
    "cylinder, n-gons": lambda n: cylinder(20, 30, 5 + n, 3, "face"),
    "held cylinder": lambda n: held(cylinder(40, 40, 8 + 4 * (n % 4), 1, "quads"), 0.5 + 0.1 * (n % 3)),
    "sheet": lambda n: plane((20, 20), (2 + n, 3)),
    "thickened sheet": lambda n: thicken(plane((20, 20), (2 + n, 3)), NOTHING, outward=1 + 0.2 * n).mesh,
    "creased box": lambda n: Mesh(box((20, 20, 20)).topology, box((20, 20, 20)).points, np.full(12, 1.0 + n)),
    "held as an arc": lambda n: held(cylinder(60, 40, 16 + 4 * (n % 3), 1, "quads"), 0.6 + 0.05 * n, fill="arc"),
}


@pytest.mark.parametrize("name", sorted(CLEAN))
@pytest.mark.parametrize("number", range(8))
def test_clean_forms_raise_no_alarm(name: str, number: int) -> None:
    assert alarms(CLEAN[name](number)) == []


def poled(number: int) -> Mesh:
    return made("add_sphere", diameter=20 + number, sides=16 + 2 * number, rows=8 + number)


def uneven(number: int) -> Mesh:
    """A box whose top rim is held by unequal supports."""
    form = box((40, 40, 40))
    top = select_where(form, "edges", plane=((0, 0, 20), "z"))
    turned = hold(form, top, distance=2.0).mesh
    beside = select_where(turned, "points", plane=((0, 0, 18), "z"))
    points = turned.points.copy()
    points[beside.indices, 2] -= 0.7 + 0.3 * number
    return turned.with_points(points)


def under(number: int) -> Mesh:
    """A fold that a pushed row of points makes go back under itself."""
    sheet = plane((40, 40), (8, 8))
    points = sheet.points.copy()
    row = np.abs(points[:, 0]) < 1e-9
    points[row, 0] += 7.0 + 0.4 * number
    points[row, 2] += 1.5
    return sheet.with_points(points)


FAULTS: dict[str, tuple[str, Callable[[int], Mesh]]] = {
    "a sphere's poles": ("pinch", poled),
    "unequal supports": ("unequal_turn", uneven),
    "a fold under itself": ("fold_under", under),
}


@pytest.mark.parametrize("name", sorted(FAULTS))
@pytest.mark.parametrize("number", range(8))
@pytest.mark.parametrize("turned", [False, True])
def test_faults_are_found_at_their_place_however_the_form_stands(name: str, number: int, turned: bool) -> None:
    check, make = FAULTS[name]
    mesh = make(number)
    if turned:
        turn = np.linalg.qr(np.random.default_rng(number).normal(size=(3, 3)))[0]
        turn *= np.sign(np.linalg.det(turn))
        mesh = mesh.with_points(1e3 * mesh.points @ turn + 1e4)
    warned = [one for one in found(mesh) if one.severity == "warn"]
    assert [one.check for one in warned] == [check]
    if check == "pinch":
        assert sorted(warned[0].indices.tolist()) == np.flatnonzero(mesh.topology.valence > 6).tolist()
    if check == "unequal_turn":
        assert warned[0].remedy is not None and warned[0].remedy.key == "balance"
        assert len(warned[0].indices) == 4


def test_a_quad_sphere_beats_one_with_poles_by_the_findings_numbers() -> None:
    worst = max(one.value for one in found(poled(0)) if one.check == "pinch")
    assert worst > 1.5 and not found(quad_sphere(20, 4))


def test_the_nearer_the_support_the_tighter_the_turn() -> None:
    form = box((40, 40, 40))
    sharp = select_where(form, "edges", angle_over=30)
    radii = []
    for distance in (1.0, 2.0, 4.0):
        subject = Subject(hold(form, sharp, distance=distance).mesh)
        radii.append(1 / float(subject.bend.max()))
    assert radii == sorted(radii) and radii[0] < 0.5 * radii[2]


def test_the_demos_good_parts_raise_no_alarm_of_the_surface() -> None:
    session = Session(demo_document())
    for part, report in session.reports():
        warned = {one.check for one in report.findings if one.severity != "note"}
        wrong = warned & {*OF_THE_SURFACE, "crossing"}
        assert not wrong or part.name == "hive bracket", (part.name, wrong)


def test_parts_that_go_through_each_other_or_come_too_near_are_told() -> None:
    session = Session.new()
    session.do("add_quad_sphere", diameter=20, cells=6, name="ball")
    session.do("add_quad_sphere", diameter=20, cells=6, at=(19, 0, 0), name="other")
    crossing = [one for one in session.review() if one.check == "crossing"]
    # Smooth they are 19.57 mm across, so 0.57 mm deep in each other.
    assert len(crossing) == 1 and crossing[0].value == pytest.approx(0.57, abs=0.12)
    assert np.abs(crossing[0].at[:, 0] - 9.5).max() < 1.5 and "goes through" in crossing[0].message
    session.do("move", by=(2, 0, 0))
    assert not [one for one in session.review() if one.check in ("crossing", "clearance")]
    near = [one for one in session.review(clearance=2.0) if one.check == "clearance"]
    assert len(near) == 1 and near[0].value == pytest.approx(21 - 19.6, abs=0.1)
    assert not [one for one in session.review(clearance=1.0) if one.check == "clearance"]
    with pytest.raises(EditError, match="above 0"):
        session.review(clearance=-1.0)
    # Two bars through each other, corners far outside.
    session = Session.new()
    session.do("add_box", size=(100, 4, 4))
    session.do("add_box", size=(4, 100, 4))
    session.do("set_level", level=0)
    assert [one.check for one in session.review() if one.check == "crossing"] == ["crossing"]
    # Side by side they only touch.
    session.do("move", by=(0, 0, 4))
    assert not [one for one in session.review() if one.check == "crossing"]


@pytest.mark.parametrize("size", [1e-2, 1.0, 1e3])
@pytest.mark.parametrize("turn", [(0, 0, 0), (31, 17, 53)])
@pytest.mark.parametrize("cells", [1, 4])
def test_parts_whose_faces_read_as_one_are_told(size: float, turn: tuple[float, float, float], cells: int) -> None:
    turned = Rotation.from_euler("xyz", turn, degrees=True).as_matrix()

    def flush(*at: float, sizes: tuple[float, ...] = (10, 10, 10), level: int = 0) -> list[Meeting]:
        bodies = []
        for name, place, sides in (("one", (0.0, 0.0, 0.0), (10, 10, 10)), ("other", at, sizes)):
            cage = box(sides, (cells, cells, cells))
            surface = SmoothSurface(cage, level)
            points = surface.limit(surface.points(cage.points)) if level else cage.points
            mesh = surface.whole(points, cage) if level else cage
            world = size * (mesh.points + np.array(place)) @ turned.T + 3 * size
            bodies.append(Body(name, mesh.with_points(world), np.arange(mesh.n_faces)))
        found = meetings(bodies)
        assert {one.check for one in found} <= {"flush"}
        return found

    # Side by side: their tops, bottoms, fronts and backs are one plane each, and the faces at the other are told.
    side = flush(10, 0, 0)
    assert [len(one.faces) for one in side] == [4 * cells]
    assert side[0].value == pytest.approx(0.0, abs=1e-9 * size)
    # A step that is not seen still reads as one, and is told; one that is seen does not.
    slight = flush(10, 0.003, 0.003)
    assert [len(one.faces) for one in slight] == [4 * cells]
    assert slight[0].value == pytest.approx(0.003 * size, rel=1e-6)
    assert not flush(10, 0.3, 0.3)
    # Beside each other, a gap apart: two things on one table.
    assert not flush(11, 0, 0)
    # Narrower: only the tops and bottoms are in line. Contact alone is no fault.
    assert [len(one.faces) for one in flush(10, 0, 0, sizes=(10, 4, 10))] == [{1: 2, 4: 4}[cells]]
    assert not flush(0, 0, 7, sizes=(4, 4, 4))
    # Soft boxes have no flats.
    assert not flush(10, 0, 0, level=2)


def test_flush_parts_are_a_note_of_the_review() -> None:
    session = Session.new()
    session.do("add_box", size=(10, 10, 10), name="one")
    session.do("set_level", level=0)
    session.do("add_box", size=(10, 10, 10), at=(10, 0, 0), name="other")
    session.do("set_level", level=0)
    told = [one for one in session.review() if one.check == "flush"]
    assert [(one.severity, one.count, one.unit) for one in told] == [("note", 4, "mm")]
    assert told[0].message == "“one” and “other” are flush at 4 faces."
    session.do("move", by=(0, 0.5, 0.5))
    assert not [one for one in session.review() if one.check == "flush"]


def test_points_on_foreign_edges_concave_faces_and_shells_within_shells() -> None:
    from levelloop.core.mesh.combine import combined

    def of(mesh: Mesh, check: str, purpose: Any = "smooth") -> list[Finding]:
        return [one for one in reviews(Subject(mesh))[purpose].findings if one.check == check]

    rough, fine = plane((20, 20), (2, 2)), plane((20, 20), (2, 4))
    seam = combined([rough, fine.with_points(fine.points + np.array([20.0, 0.0, 0.0]))])
    for size in (1e-3, 1.0, 1e3):
        lies = of(seam.with_points(size * seam.points + 50 * size), "on_edge")
        assert len(lies) == 1 and lies[0].count == 2 and lies[0].remedy is not None
        assert np.abs(lies[0].at[:, 0] - 60 * size).max() < 1e-6 * size
    assert of(seam, "on_edge", "print")[0].severity == "stop"
    assert not of(combined([rough, rough.with_points(rough.points + np.array([20.0, 0, 0]))]), "on_edge")
    sheet = plane((20, 20), (4, 4))
    points = sheet.points.copy()
    middle = int(np.argmin(np.abs(points).sum(axis=1)))
    points[middle, :2] += 3.5
    dented = of(sheet.with_points(points), "concave")
    assert len(dented) == 1 and dented[0].severity == "note" and dented[0].count >= 1
    assert not of(sheet, "concave")
    # Corners on straight sides turn neither way, wherever the form stands and however it is turned.
    ngon = np.array([(x, y, 0.0) for x, y in ((0, 0), (5, 0), (9, 0), (9, 7), (3, 7), (0, 7), (0, 2))])
    for number in range(40):
        turn = Rotation.random(random_state=number).as_matrix()
        far = 10.0 ** (number % 5 - 2) * (ngon @ turn.T) + 1e5 * (number % 2)
        assert not of(Mesh(Topology([0, 7], range(7), 7), far), "concave"), number
    outer, inner = box((20, 20, 20)), quad_sphere(8, 2)
    within = of(combined([outer, inner]), "inside")
    assert len(within) == 1 and within[0].count == inner.n_faces
    # A hollow is meant, and what stands beside is no part of it.
    from levelloop.core.edit.clean.simple import flip

    assert not of(combined([outer, flip(inner, NOTHING).mesh]), "inside")
    assert not of(combined([outer, inner.with_points(inner.points + 30.0)]), "inside")
