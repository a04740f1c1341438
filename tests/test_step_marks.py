"""The marks of the step whose numbers are open: its pivot, axis and limits, dragged in the view."""

from __future__ import annotations

import numpy as np
import pytest
from driving import LEFT, NONE, Hands, needs_screen
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt

from levelloop.app.tools.step_marks import PlaneMarks, StepMarks, marks_of
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.session import Session

Key = Qt.Key


def strip() -> Session:
    session = Session.new()
    session.do("add_box", size=(80, 6, 4), cells=(10, 1, 1), name="strip")
    return session


@pytest.mark.parametrize(
    "kind", [key for key, kind in STEPS.items() if any(p.name == "pivot" for p in kind.parameters)]
)
def test_every_step_with_a_pivot_shows_it(kind: str) -> None:
    session = strip()
    values = {one.name: one.default for one in STEPS[kind].parameters} | {"pivot": (1.0, 2.0, 3.0)}
    marks = marks_of(session.part, values, 0)
    assert isinstance(marks, StepMarks) and marks.grips()["pivot"].tolist() == [1.0, 2.0, 3.0]
    assert marks.moved("pivot", np.array([0.5, 0.0, -1.0])) == {"pivot": (1.5, 2.0, 2.0)}
    assert ("from" in marks.grips()) == (kind == "bend")


def test_what_has_no_pivot_or_no_sense_has_no_marks() -> None:
    session = strip()
    assert marks_of(session.part, {"distance": 1.0}, 0) is None
    assert marks_of(session.part, {"pivot": "nowhere", "axis": "z"}, 0) is None
    assert marks_of(session.part, {"pivot": "middle", "along": "x", "around": "x", "limits": None}, 0) is None


@given(by=st.floats(-500, 500), low=st.floats(-60, 0), high=st.floats(0.1, 60))
def test_limits_stay_in_order_however_far_one_is_dragged(by: float, low: float, high: float) -> None:
    values = {"angle": 90.0, "along": "x", "around": "z", "pivot": "middle", "limits": (low, high)}
    marks = marks_of(strip().part, values, 0)
    assert isinstance(marks, StepMarks)
    for grip, kept in (("from", high), ("to", low)):
        limits = marks.moved(grip, np.array([by, 7.0, -3.0]))["limits"]
        assert limits[0] < limits[1] and kept in limits
        wanted = (low if grip == "from" else high) + by
        if (wanted < high - 1) if grip == "from" else (wanted > low + 1):
            # Only what goes along the bend counts.
            assert wanted == pytest.approx(limits[0 if grip == "from" else 1])


def test_the_sense_follows_the_sign_of_the_angle() -> None:
    for angle, turns in ((90.0, 1), (-30.0, -1), (0.0, 0)):
        marks = marks_of(strip().part, {"angle": angle, "axis": "z", "pivot": "origin"}, 0)
        assert isinstance(marks, StepMarks) and marks.turns == turns


def drag(hands: Hands, marks: StepMarks, grip: str, by: QPoint) -> None:
    x, y = hands.view.on_screen(marks.part.placed(marks.grips()[grip][None]))[0, :2]
    start = QPoint(round(x), round(y))
    assert marks.grip_at(hands.view, start) == grip
    hands.qtbot.mousePress(hands.view, LEFT, NONE, start)
    for share in (0.3, 0.7, 1.0):
        hands.move(start + by * share, LEFT)
    hands.qtbot.mouseRelease(hands.view, LEFT, NONE, start + by)
    hands.settle()


@needs_screen
def test_pivot_and_limits_of_an_open_bend_are_dragged_in_the_view(empty: Hands) -> None:
    session, recipe = empty.session, empty.window.on_recipe
    session.do("add_box", size=(80, 6, 4), cells=(10, 1, 1), name="strip")
    session.do("move", by=(5, 3, 0))
    session.add_step("bend", angle=60, along="x", around="z")
    empty.view.look("top")
    empty.view.frame(everything=True)
    empty.settle()
    assert recipe.marks() is None
    recipe.choose(0)
    empty.settle()
    marks, before = recipe.marks(), len(session.history)
    assert isinstance(marks, StepMarks) and not marks.are_set
    scale = empty.view.camera.millimetres_per_pixel(empty.view.height())
    low, high = marks.limits
    drag(empty, marks, "to", QPoint(-60, 25))
    values = session.part.steps[0].parameters
    assert values["limits"] == pytest.approx((low, high - 60 * scale), abs=2 * scale)
    # One entry for the whole drag, open still: the next drag changes it again.
    assert len(session.history) == before + 1
    marks = recipe.marks()
    assert isinstance(marks, StepMarks) and marks.are_set
    middle = marks.pivot
    drag(empty, marks, "pivot", QPoint(40, -30))
    moved = np.array(session.part.steps[0].parameters["pivot"]) - middle
    assert moved == pytest.approx((40 * scale, 30 * scale, 0), abs=2 * scale)
    assert len(session.history) == before + 1
    empty.key(Key.Key_Return)
    assert recipe.marks() is None
    session.undo()
    assert session.part.steps[0].parameters["pivot"] == "middle"


@given(planes=st.sampled_from(["x", "y", "z", "xy", "yz", "xyz"]), far=st.floats(-50, 50))
def test_a_mirror_shows_its_planes_around_the_cage_and_its_image(planes: str, far: float) -> None:
    session = strip()
    session.do("move", by=(far, 0, far))
    marks = marks_of(session.part, {"planes": planes, "weld": 0.001}, 0)
    assert isinstance(marks, PlaneMarks) and len(marks.squares) == len(planes)
    points = session.part.mesh.points
    for plane, square in zip(planes, marks.squares, strict=True):
        axis = "xyz".index(plane)
        assert not square[:, axis].any()
        # What is seen of the cage from along the axis lies within.
        beside = [other for other in range(3) if other != axis and "xyz"[other] not in planes]
        assert (square[:, beside].min(axis=0) <= points[:, beside].min(axis=0)).all()
        assert (square[:, beside].max(axis=0) >= points[:, beside].max(axis=0)).all()


@needs_screen
def test_an_open_mirror_is_drawn_and_takes_no_pointer(empty: Hands) -> None:
    session, recipe = empty.session, empty.window.on_recipe
    session.do("add_box", size=(20, 20, 20), at=(15, 0, 0))
    session.add_step("mirror", planes="x")
    empty.view.frame(everything=True)
    empty.settle()
    before = empty.view.overlay.grab().toImage()
    recipe.choose(0)
    empty.settle()
    assert isinstance(recipe.marks(), PlaneMarks)
    assert empty.view.overlay.grab().toImage() != before
    middle = empty.view.rect().center()
    empty.qtbot.mousePress(empty.view, LEFT, NONE, middle)
    assert not type(empty.view.gesture).__name__.startswith("DragMark")
    empty.qtbot.mouseRelease(empty.view, LEFT, NONE, middle)
