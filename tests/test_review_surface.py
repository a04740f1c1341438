"""What the review says of smooth surfaces and of parts that meet: faults found in place, clean forms left alone."""

from __future__ import annotations

import runpy
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from labelled import CLEAN, FAULTS, OF_THE_SURFACE, VARIATIONS, Fault, alarms, elsewhere, found, held, is_found, made
from scipy.spatial.transform import Rotation

from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.edit.hold.hold import hold
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, plane, quad_sphere
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.core.mesh.topology import Topology
from levelloop.core.review import between, reviews
from levelloop.core.review.between import Body, Meeting, meetings
from levelloop.core.review.findings import Finding
from levelloop.core.review.subject import Subject
from levelloop.core.select.where import select_where
from levelloop.core.surface.surface import SmoothSurface
from levelloop.demo.build import demo_document
from levelloop.document.session import Session


@pytest.mark.thorough
@pytest.mark.parametrize("name", sorted(CLEAN))
@pytest.mark.parametrize("number", VARIATIONS)
def test_clean_forms_raise_no_alarm(name: str, number: float) -> None:
    form = CLEAN[name](number)
    assert alarms(form) == []
    # Nor do they anywhere else, turned and of another size.
    assert alarms(elsewhere(Fault(form, "", np.zeros((0, 3)), 0.0), number).mesh) == []


@pytest.mark.thorough
@pytest.mark.parametrize("name", sorted(FAULTS))
@pytest.mark.parametrize("number", VARIATIONS)
def test_faults_are_found_at_their_place_however_the_form_stands(name: str, number: float) -> None:
    fault = FAULTS[name](number)
    assert is_found(fault)
    assert is_found(elsewhere(fault, number))


def test_poles_are_told_where_they_are_and_uneven_turns_with_their_remedy() -> None:
    ball = FAULTS["a sphere's poles"](0).mesh
    pinch = next(one for one in found(ball) if one.check == "pinch")
    assert sorted(pinch.indices.tolist()) == np.flatnonzero(ball.topology.valence > 6).tolist()
    turn = next(one for one in found(FAULTS["unequal supports"](0).mesh) if one.check == "unequal_turn")
    assert turn.remedy is not None and turn.remedy.key == "balance" and len(turn.indices) == 4


@pytest.mark.parametrize("check", ["jump", "ripple", "flat_spot", "streak", "missing_support", "too_tight"])
def test_findings_say_how_much_where_and_what_to_do(check: str) -> None:
    fault = next(make(1) for make in FAULTS.values() if make(1).check == check)
    one = next(one for one in found(fault.mesh) if one.check == check)
    assert one.value > 0 and one.unit in ("×", "mm", "°") and len(one.at) == one.count > 0
    assert one.message.endswith(".") and one.advice.endswith(".")


def test_what_nothing_holds_is_a_note_only() -> None:
    told = [one for one in found(box((20, 20, 20), (2, 2, 2))) if one.check == "missing_support"]
    assert [(one.severity, one.count) for one in told] == [("note", 24)]
    assert not found(held(box((40, 40, 40)), 0.5))


def test_poles_and_odd_faces_are_harmless_where_the_surface_is_flat() -> None:
    def severities(mesh: Mesh) -> dict[str, str]:
        return {one.check: one.severity for one in reviews(Subject(mesh))["smooth"].findings}

    sheet = plane((60, 60), (6, 6))
    middle = sheet.topology.faces_of_points(np.array([int(np.argmin(np.abs(sheet.points).sum(axis=1)))]))
    flat = take_out(sheet, Selection("faces", middle)).mesh
    assert severities(flat)["ngons"] == "note"
    ball = quad_sphere(20, 6)
    inside = np.flatnonzero((ball.topology.valence == 4)[ball.topology.edges].all(axis=1))
    curved = take_out(ball, Selection("edges", inside[:1])).mesh
    assert severities(curved)["ngons"] == "warn"
    # A pole of eight in a flat sheet, and the same in a dome.
    disc = made("add_disc", diameter=20, sides=8, fill="triangles")
    assert severities(disc)["poles"] == "note"
    points = disc.points.copy()
    points[:, 2] = 4.0 - 0.04 * (points[:, 0] ** 2 + points[:, 1] ** 2)
    assert severities(disc.with_points(points))["poles"] == "warn"


@pytest.mark.thorough
def test_the_page_of_the_review_counts_what_is_found_now() -> None:
    """Where this fails `make pages` counts anew."""
    root = Path(__file__).parent.parent
    made_page = runpy.run_path(str(root / "tools" / "review_page.py"))["page"]
    assert (root / "docs" / "review.md").read_text(encoding="utf-8") == made_page()


def poled(number: int) -> Mesh:
    return FAULTS["a sphere's poles"](number).mesh


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
        assert not wrong or part.name in ("hive bracket", "lumpy jar"), (part.name, wrong)


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


@pytest.mark.parametrize("seed", range(12))
def test_what_crosses_is_the_same_when_all_faces_are_looked_at(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    random = np.random.default_rng(seed)

    def bodies() -> list[Body]:
        forms = (quad_sphere(10.0, 8), box((9.0, 3.0, 14.0), (3, 1, 4)))
        placed = []
        for number, form in enumerate(forms if seed % 2 else forms[:1] * 2):
            turned = form.points @ Rotation.random(random_state=seed + number).as_matrix().T
            placed.append(Body(f"{number}", form.with_points(turned + number * reach * way), np.arange(form.n_faces)))
        return placed

    way = unit(random.normal(size=(1, 3)))[0]
    reach = random.uniform(5.0, 9.9)
    few = meetings(bodies())
    monkeypatch.setattr(between, "_near", lambda first, second, reach: (first._solid, second._solid))
    every = meetings(bodies())
    assert [(one.check, one.first) for one in few] == [(one.check, one.first) for one in every]
    assert seed % 2 or few
    for one, other in zip(few, every, strict=True):
        assert np.array_equal(np.sort(one.faces), np.sort(other.faces)) and one.value == pytest.approx(other.value)


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
    # On a curve it counts whether the pieces of the split face overlap: its middle must see all sides.
    for inward, severity in ((0.1, "note"), (0.9, "warn")):
        kite = np.array([(-2.0, 0, 0), (0, -2, 0), (2, 0, 0), (0, -inward * 2, 0)])
        tent = np.concatenate((kite, [(0.0, 4, -3)]))
        said = of(Mesh(Topology([0, 4, 7, 10], [0, 1, 2, 3, 2, 4, 3, 3, 4, 0], 5), tent), "concave")
        assert [one.severity for one in said] == [severity], inward
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
