"""Building at the real window: the knife, loops shown before they run, drawn curves and strips, one key for two."""

from __future__ import annotations

import numpy as np
import pytest
from driving import CONTROL, LEFT, NONE, Hands, box_in
from driving import sheet_in as any_sheet_in
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QPushButton

from levelloop.app.main import application
from levelloop.app.tools.knife import Knife, RunLoop
from levelloop.core.mesh.selection import Selection
from levelloop.core.select.where import select_where

pytestmark = pytest.mark.skipif(
    application().platformName() != "xcb", reason="the window's tests need X with OpenGL: run make test"
)


def sheet_in(hands: Hands, cells: int = 4) -> None:
    any_sheet_in(hands, cells, 40)
    hands.session.select_none()


def on_sheet(hands: Hands, x: float, y: float, z: float = 0.0) -> QPoint:
    screen = hands.view.on_screen(np.array([[x, y, z]]))[0]
    return QPoint(round(screen[0]), round(screen[1]))


def click(hands: Hands, place: QPoint, modifiers: Qt.KeyboardModifier = NONE) -> None:
    hands.move(place)
    hands.qtbot.mouseClick(hands.view, LEFT, modifiers, place)
    hands.settle()


def test_the_knife_cuts_over_all_faces_between_two_clicks(empty: Hands) -> None:
    sheet_in(empty)
    empty.view.setFocus()
    empty.key(Qt.Key.Key_C)
    assert isinstance(empty.window.panes.hands.tool, Knife) and empty.window.sentence.is_waiting
    click(empty, on_sheet(empty, -20, -13))
    click(empty, on_sheet(empty, 20, 13))
    path = empty.window.panes.hands.tool.path
    # Both rims and the edges between, some of them across the rows.
    assert len(path) >= 6 and all("edge" in entry or "point" in entry for entry in path)
    plain = empty.view.overlay.grab().toImage()
    empty.move(on_sheet(empty, 0, 15))
    assert empty.view.overlay.grab().toImage() != plain
    empty.key(Qt.Key.Key_Return)
    mesh = empty.session.part.mesh
    assert empty.session.state.key == "cut" and mesh.n_faces == 16 + len(path) - 1
    assert mesh.topology.euler_number() == 1
    # The knife stays until it is left; Esc does one thing a press: takes back the cut, leaves the knife.
    assert isinstance(empty.window.panes.hands.tool, Knife)
    empty.key(Qt.Key.Key_Escape)
    assert empty.session.part.mesh.n_faces == 16 and isinstance(empty.window.panes.hands.tool, Knife)
    empty.key(Qt.Key.Key_Escape)
    assert empty.window.panes.hands.tool is None
    empty.session.redo()
    assert empty.session.part.mesh.n_faces == 16 + len(path) - 1


def test_a_cut_closes_where_it_began_and_starts_anew(empty: Hands) -> None:
    sheet_in(empty, 1)
    empty.window.start("cut")
    for x, y in ((-8, -8), (8, -8), (8, 8), (-8, 8)):
        click(empty, on_sheet(empty, x, y))
    click(empty, on_sheet(empty, -8, -8))
    mesh = empty.session.part.mesh
    assert empty.session.state.parameters["closed"] and mesh.n_faces == 3 and mesh.topology.euler_number() == 1
    empty.key(Qt.Key.Key_Return)
    assert "at least two places" in empty.window.message
    empty.window.on_view.take_tool(None)


def test_control_cuts_straight_through(empty: Hands) -> None:
    box_in(empty)
    empty.session.select_none()
    empty.view.look("front")
    empty.view.camera.perspective = False
    empty.view.frame(everything=True)
    empty.settle()
    empty.window.start("cut")
    click(empty, on_sheet(empty, 0, -10, 6))
    place = on_sheet(empty, 0.01, -10, -6)
    empty.move(place)
    empty.qtbot.keyPress(empty.view, Qt.Key.Key_Control, CONTROL)
    empty.qtbot.mouseClick(empty.view, LEFT, CONTROL, place)
    empty.qtbot.keyRelease(empty.view, Qt.Key.Key_Control)
    empty.settle()
    assert empty.session.state.key == "slice" and empty.session.part.mesh.n_faces == 10
    empty.window.on_view.take_tool(None)


def test_a_loop_is_shown_under_the_pointer_and_run_by_a_click(empty: Hands) -> None:
    sheet_in(empty)
    empty.view.setFocus()
    empty.key(Qt.Key.Key_L)
    assert isinstance(empty.window.panes.hands.tool, RunLoop)
    empty.move(on_sheet(empty, 30, 30))
    bare = empty.view.overlay.grab().toImage()
    place = on_sheet(empty, -17, -10)
    empty.move(place)
    assert empty.view.overlay.grab().toImage() != bare
    click(empty, place)
    assert empty.session.state.key == "run_loop" and empty.session.part.mesh.n_faces == 20
    at = empty.session.part.mesh.points[25:, 0]
    assert np.allclose(at, at[0]) and at[0] == pytest.approx(-17, abs=0.5)
    click(empty, on_sheet(empty, 15, -10))
    assert empty.session.part.mesh.n_faces == 24
    empty.key(Qt.Key.Key_Escape)
    empty.key(Qt.Key.Key_Escape)
    assert len(empty.session.selection) == 0 and empty.session.part.mesh.n_faces == 20
    empty.key(Qt.Key.Key_Escape)
    assert empty.window.panes.hands.tool is None


def test_a_curve_is_drawn_and_swept(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.on_view.draw_curve()
    for x, y in ((-15, -15), (0, 5), (15, -10)):
        click(empty, on_sheet(empty, x, y))
    empty.key(Qt.Key.Key_Return)
    mesh = empty.session.part.mesh
    assert empty.session.state.key == "add_curve" and mesh.curve == "smooth" and mesh.n_points == 3
    assert np.allclose(mesh.points[:, :2], [(-15, -15), (0, 5), (15, -10)], atol=0.3)
    picture = empty.window.stage.picture(empty.session.document.active)
    assert picture is not None and len(picture.curve_lines) == 24
    empty.window.start("sweep")
    empty.settle()
    assert empty.session.part.mesh.n_faces > 0


def test_a_curve_is_drawn_on_a_surface_caught_by_its_points_and_closed(empty: Hands) -> None:
    empty.session.do("add_quad_sphere", diameter=40, cells=8, name="form")
    empty.view.look("top")
    empty.view.camera.perspective = False
    empty.view.frame(everything=True)
    empty.settle()
    points = empty.session.part.mesh.points
    top = int(np.argmax(points[:, 2]))
    empty.window.panes.hands.snaps = {"point"}
    empty.window.on_view.draw_curve()
    for x, y in ((-12, -4), (0, 0.4), (11, -5), (1, -14)):
        click(empty, on_sheet(empty, x, y, np.sqrt(400 - x * x - y * y)))
    assert "4 points" in empty.window.message and "mm away" in empty.window.message
    # The first one again.
    click(empty, on_sheet(empty, -12, -4, np.sqrt(400 - 160)))
    assert empty.session.state.key == "add_curve" and empty.session.state.parameters["closed"]
    drawn = empty.session.part.mesh
    assert drawn.n_points == 4 and len(drawn.topology.wires) == 4
    assert np.linalg.norm(drawn.points, axis=1) == pytest.approx(20.0, abs=0.5)
    # The second one was caught by the point beside it.
    assert drawn.points[1] == pytest.approx(points[top], abs=1e-3)
    # Shown smooth it stays on the smooth surface between its points too.
    empty.window.panes.hands.snaps = set()
    form = empty.session.document.by_name("form")
    empty.window.stage.show_smooth([form], True)
    empty.settle()
    empty.window.on_view.draw_curve()
    for x, y in ((-12, 4), (0, 8), (11, 5)):
        click(empty, on_sheet(empty, x, y, np.sqrt(380 - x * x - y * y)))
    empty.key(Qt.Key.Key_Return)
    assert empty.session.state.parameters["onto"] == "form" and empty.session.part.mesh.n_points > 3


def test_the_next_point_of_a_curve_is_typed(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.on_view.draw_curve()
    # Before the first click there is nothing to go on from.
    empty.key(Qt.Key.Key_5)
    assert empty.window.sentence.running.question is None
    click(empty, on_sheet(empty, -15, -10))
    empty.move(on_sheet(empty, 5, -10))
    empty.type("12.5")
    assert empty.window.sentence.note.text() == "12.5 mm from the last point"
    assert empty.window.panes.hands.tool.aim() is not None
    empty.key(Qt.Key.Key_Return)
    assert "the last 12.5 mm away" in empty.window.message
    # The field is closed again, the tool is still there; Esc takes the question back, not what is drawn.
    empty.type("4")
    empty.key(Qt.Key.Key_Escape)
    empty.key(Qt.Key.Key_Escape)
    assert empty.window.sentence.running.question is None and empty.window.panes.hands.tool.aim() is None
    empty.type("1")
    empty.window.sentence.give({"by": (1.0, 2.0, 3.0)})
    empty.window.sentence.finish(False)
    click(empty, on_sheet(empty, 15, 15))
    empty.key(Qt.Key.Key_Return)
    points = empty.session.part.mesh.points
    assert len(points) == 4
    assert np.linalg.norm(points[1] - points[0]) == pytest.approx(12.5)
    assert (points[1] - points[0])[0] == pytest.approx(12.5, abs=0.05)
    assert points[2] - points[1] == pytest.approx((1, 2, 3))
    # Nothing that makes no sense is taken.
    empty.window.on_view.draw_curve()
    click(empty, on_sheet(empty, 0, 0))
    empty.type("0")
    empty.key(Qt.Key.Key_Return)
    empty.key(Qt.Key.Key_Return)
    assert "above 0" in empty.window.message


def test_strips_are_drawn_over_another_part(empty: Hands) -> None:
    empty.session.do("add_quad_sphere", diameter=40, cells=8, name="form")
    empty.session.do("add_plane", size=(2, 2), at=(60, 0, 0), name="strips")
    empty.view.look("front")
    empty.view.camera.perspective = False
    empty.view.frame(everything=True)
    empty.settle()
    empty.window.start("lay_strip")
    for x, z in ((-10, 0), (0, 4), (10, 0)):
        click(empty, on_sheet(empty, x, -np.sqrt(400 - x * x - z * z), z))
    empty.key(Qt.Key.Key_Return)
    state = empty.session.state
    assert state.key == "lay_strip" and state.parameters["onto"] == "form"
    laid = empty.session.document.by_name("strips").mesh.points[4:]
    assert len(laid) == 18 and np.abs(np.linalg.norm(laid, axis=1) - 20).max() < 0.5
    # Its numbers stand open: another width, live.
    empty.session.change_last(width=8.0, count=4)
    assert empty.session.document.by_name("strips").mesh.n_faces == 5
    empty.window.on_view.take_tool(None)


def test_one_key_joins_points_and_bridges_faces(empty: Hands) -> None:
    empty.session.do("add_box", size=(20, 20, 20), cells=(3, 3, 1))
    mesh = empty.session.part.mesh
    tops = select_where(mesh, "faces", normal="z").indices
    empty.session.set_selection(Selection("faces", tops[[0, 8]]))
    empty.view.setFocus()
    empty.key(Qt.Key.Key_J)
    assert empty.session.state.key == "bridge" and empty.session.part.mesh.topology.euler_number() == 0
    empty.session.undo()
    ring = mesh.topology.face(int(tops[4]))
    empty.session.set_selection(Selection("points", ring[[0, 2]]))
    empty.view.setFocus()
    empty.key(Qt.Key.Key_J)
    assert empty.session.state.key == "join_points"


def test_a_form_takes_as_many_sides_as_are_selected(empty: Hands) -> None:
    empty.session.do("add_cylinder", sides=10, cells=2)
    empty.session.select(edges=[[10, 11]])
    empty.session.do("select_loop")
    empty.window.start("add_cylinder")
    empty.settle()
    offers = [
        button for button in empty.window.sentence.findChildren(QPushButton) if button.text() == "as selected: 10"
    ]
    assert len(offers) == 1
    offers[0].click()
    assert empty.session.state.parameters["sides"] == 10 and "10 sides" in empty.session.state.message


def test_symmetric_cuts_from_the_window(empty: Hands) -> None:
    sheet_in(empty, 2)
    empty.session.do("set_symmetry", axis="x")
    empty.window.start("cut")
    click(empty, on_sheet(empty, 10, -20))
    click(empty, on_sheet(empty, 20, -10))
    empty.key(Qt.Key.Key_Return)
    assert empty.session.part.mesh.n_faces == 6
    empty.window.on_view.take_tool(None)


def test_a_boolean_from_the_menu_asks_for_the_other_part(empty: Hands) -> None:
    empty.session.do("add_box", size=(20, 20, 20), name="block")
    empty.session.do("add_cylinder", diameter=8, height=40, sides=12, name="drill")
    empty.session.set_active("block")
    empty.window.start("boolean")
    assert empty.window.sentence.is_waiting and "other" in empty.window.sentence.fields
    empty.window.sentence.focus("kind")
    empty.key(Qt.Key.Key_Up)
    empty.window.sentence.focus("other")
    empty.type("drill")
    empty.key(Qt.Key.Key_Return)
    assert [part.name for part in empty.session.document.parts] == ["block"]
    # The kind was chosen before the part was named, and is kept.
    assert empty.session.state.parameters["kind"] == "subtract"
    assert empty.session.part.mesh.topology.euler_number() == 0


def test_values_left_out_of_a_sentence_can_be_given_by_a_click(empty: Hands) -> None:
    box_in(empty)
    empty.session.do("move", by=(3, 0, 0))
    empty.window.start("mirror_across")
    empty.settle()
    empty.window.sentence._give("keep")
    assert empty.session.state.parameters["keep"] == "+" and "keep" in empty.window.sentence.fields
    empty.window.start("thicken")
    empty.settle()
    empty.window.sentence._give("profile")
    assert "no other part" in empty.window.message


def test_an_open_edge_is_pulled_out_and_pulled_again(empty: Hands) -> None:
    sheet_in(empty, 2)
    empty.window.set_kind("edges")
    empty.window.start("move")
    empty.settle()
    edge = int(empty.session.part.mesh.topology.find_edges([[2, 5]])[0])

    empty.drag(empty.place("edges", edge), on_sheet(empty, 30, -10), LEFT, CONTROL)
    assert empty.session.state.key == "extrude" and empty.session.part.mesh.n_faces == 5
    moved = int(empty.session.selection.indices[0])
    empty.drag(empty.place("edges", moved), on_sheet(empty, 40, -6), LEFT, CONTROL)
    mesh = empty.session.part.mesh
    assert mesh.n_faces == 6 and mesh.points[:, 0].max() == pytest.approx(40, abs=0.5)
    assert (mesh.topology.twin >= 0).sum() == 2 * int((mesh.topology.edge_face_count == 2).sum())
