"""Selecting, looking and nudging at the real window: views, lasso, brush, reach, hiding, soft range, snapping."""

from __future__ import annotations

import numpy as np
import pytest
from driving import CONTROL, LEFT, NONE, SHIFT, Hands, box_in, sheet_in
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication

from levelloop.app.main import application
from levelloop.app.tools.dragging import pixel_step
from levelloop.core.mesh.selection import Selection
from levelloop.document.operations import REGISTRY
from levelloop.document.session import Session

pytestmark = pytest.mark.skipif(
    application().platformName() != "xcb", reason="the window's tests need X with OpenGL: run make test"
)


def place_of(hands: Hands, x: float, y: float, z: float = 0.0) -> QPoint:
    screen = hands.view.on_screen(np.array([[x, y, z]]))[0]
    return QPoint(round(screen[0]), round(screen[1]))


def trace(hands: Hands, places: list[QPoint], modifiers: Qt.KeyboardModifier = NONE) -> None:
    """Presses at the first place, goes over all and lets go at the last."""
    hands.qtbot.mousePress(hands.view, LEFT, modifiers, places[0])
    for place in places[1:]:
        hands.move(place, LEFT)
    hands.qtbot.mouseRelease(hands.view, LEFT, modifiers, places[-1])
    hands.settle()


def test_four_views_show_and_select_the_same(demo: Hands) -> None:
    panes = demo.window.panes
    demo.window.commands[[c.title for c in demo.window.commands].index("Four views")].run()
    demo.settle()
    QApplication.processEvents()
    assert panes.count == 4 and all(view.sight_ready() for view in panes.views)
    assert panes.active is panes.views[0]
    panes.frame(everything=True)
    demo.settle()
    demo.session.set_active("hive bracket")
    # A click in another view makes it the active one and selects for all.
    second = panes.views[1]
    bracket = demo.window.stage.picture(demo.session.document.active)
    assert bracket is not None
    x, y, _ = second.on_screen(bracket.face_middles[:1] * [1, 1, 0] + bracket.extent().max(axis=0) * [0, 0, 1])[0]
    demo.qtbot.mouseClick(second, LEFT, NONE, QPoint(round(x), round(y)))
    demo.settle()
    assert panes.active is second and demo.window.view is second
    assert len(demo.session.selection) == 1
    scenes = [view.scene() for view in panes.views]
    assert all(scene.patches for scene in scenes)
    # Each has its own direction and look.
    tilts = [view.camera.tilt for view in panes.views]
    demo.window.on_view.set_look(shading="silhouette")
    assert [view.scene().shading for view in panes.views] == ["clay", "silhouette", "clay", "clay"]
    assert len(set(tilts)) >= 2
    panes.show_views(1)
    demo.settle()
    assert panes.count == 1 and panes.active is panes.views[0]


def test_orbiting_one_view_leaves_the_others_alone(demo: Hands) -> None:
    panes = demo.window.panes
    panes.show_views(2)
    demo.settle()
    before = (panes.views[1].camera.turn, panes.views[1].camera.tilt)
    turn = panes.views[0].camera.turn
    demo.drag(QPoint(100, 200), QPoint(160, 220), Qt.MouseButton.RightButton)
    assert panes.views[0].camera.turn != turn
    assert (panes.views[1].camera.turn, panes.views[1].camera.tilt) == before


def test_a_lasso_takes_what_lies_inside(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.set_kind("points")
    empty.qtbot.keyPress(empty.view, Qt.Key.Key_G)
    corners = [(-35, -35), (37, -35), (-35, 37), (-35, -34)]
    trace(empty, [place_of(empty, x, y) for x, y in corners])
    empty.qtbot.keyRelease(empty.view, Qt.Key.Key_G)
    points = empty.session.part.mesh.points[empty.session.selection.indices]
    assert (points[:, 0] + points[:, 1] <= 1).all() and len(points) == 28
    # Without the key the same drag is a box.
    trace(empty, [QPoint(4, 4), QPoint(60, 60), QPoint(empty.view.width() - 4, empty.view.height() - 4)])
    assert len(empty.session.selection) == 49


def test_a_brush_paints_and_takes_away(empty: Hands) -> None:
    sheet_in(empty, 12)
    empty.window.set_kind("faces")
    empty.qtbot.keyPress(empty.view, Qt.Key.Key_Q)
    assert empty.view.brush is not None
    stroke = [place_of(empty, x, 2.5) for x in np.linspace(-27.5, 27.5, 24)]
    trace(empty, stroke)
    painted = len(empty.session.selection)
    assert painted >= 12
    trace(empty, stroke[:12], CONTROL)
    left = len(empty.session.selection)
    assert 0 < left < painted
    trace(empty, [place_of(empty, x, -17.5) for x in np.linspace(-27.5, 27.5, 24)], SHIFT)
    assert len(empty.session.selection) > left
    empty.qtbot.keyRelease(empty.view, Qt.Key.Key_Q)
    assert empty.view.brush is None


def test_reach_goes_from_seen_to_facing_to_through(empty: Hands) -> None:
    box_in(empty)
    empty.session.do("add_box", size=(8, 8, 8), at=(0, 0, -40))
    empty.session.set_active("box")
    empty.view.look("top")
    empty.view.camera.perspective = False
    empty.view.frame(everything=True)
    empty.window.set_kind("faces")
    counts = {}
    corner = QPoint(empty.view.width() - 4, empty.view.height() - 4)
    for _ in range(3):
        trace(empty, [QPoint(4, 4), QPoint(100, 100), corner])
        counts[empty.view.reach] = len(empty.session.selection)
        empty.window.on_view.toggle_reach()
    assert counts["facing"] == 1 and counts["through"] == 6
    assert empty.view.reach == "visible"


def test_hidden_faces_are_neither_seen_nor_picked(empty: Hands) -> None:
    sheet_in(empty)
    middle = empty.face(box=((-11, -11, -1), (1, 1, 1)))
    empty.click("faces", middle)
    empty.key(Qt.Key.Key_V)
    assert empty.session.part.mesh.hidden.sum() == 1 and len(empty.session.selection) == 0
    empty.qtbot.mouseClick(empty.view, LEFT, NONE, place_of(empty, -5, -5))
    empty.settle()
    assert len(empty.session.selection) == 0
    empty.click("faces", 0)
    empty.qtbot.keyClick(empty.view, Qt.Key.Key_V, SHIFT)
    empty.settle()
    assert (~empty.session.part.mesh.hidden).sum() == 1
    picture = empty.window.stage.picture(empty.session.document.active)
    assert picture is not None and len(picture.indices) == 2
    empty.session.select_none()
    empty.qtbot.keyClick(empty.view, Qt.Key.Key_V)
    empty.settle()
    assert not empty.session.part.mesh.hidden.any()
    empty.session.undo()
    assert empty.session.part.mesh.hidden.sum() == 35


def test_the_stretch_between_two_clicks(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.set_kind("edges")
    mesh = empty.session.part.mesh
    middles = mesh.points[mesh.topology.edges].mean(axis=1)
    row = np.flatnonzero(np.isclose(mesh.points[mesh.topology.edges][:, :, 1], 0).all(axis=1))
    row = row[np.argsort(middles[row, 0])]
    empty.click("edges", int(row[0]))
    empty.click("edges", int(row[4]), SHIFT | CONTROL)
    assert sorted(empty.session.selection.indices.tolist()) == sorted(row[:5].tolist())


def test_an_unselected_point_is_dragged_at_once_with_the_move_tool(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.set_kind("points")
    empty.session.select(points=[0])
    empty.window.start("move")
    corner = int(np.argmax(empty.session.part.mesh.points[:, :2].sum(axis=1)))
    before = empty.session.part.mesh.points.copy()
    start = empty.place("points", corner)
    trace(empty, [start, start + QPoint(-12, 10), start + QPoint(-30, 30)])
    after = empty.session.part.mesh.points
    moved = np.flatnonzero((after != before).any(axis=1))
    assert moved.tolist() == [corner] and empty.session.selection.indices.tolist() == [corner]
    scale = empty.view.camera.millimetres_per_pixel(empty.view.height())
    assert after[corner] - before[corner] == pytest.approx([-30 * scale, -30 * scale, 0], abs=pixel_step(scale))
    assert len(empty.session.history) == 3  # one entry for the whole drag


def test_a_drag_is_caught_by_points_middles_and_the_grid(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.set_kind("points")
    empty.window.start("move") if len(empty.session.selection) else empty.session.select(points=[0])
    empty.window.start("move")
    corner = int(np.argmax(empty.session.part.mesh.points[:, :2].sum(axis=1)))
    for snap, near, exact, word in (
        ("point", (10.4, 9.7), (10, 10), "point"),
        ("middle", (15.3, 10.4), (15, 10), "edge middle"),
        ("grid", (23.3, 17.8), (23, 18), "grid"),
    ):
        empty.window.on_view.toggle_snap(snap)  # type: ignore[arg-type]
        start = empty.place("points", corner)
        empty.qtbot.mousePress(empty.view, LEFT, NONE, start)
        empty.move(start + QPoint(-9, 9), LEFT)
        empty.move(place_of(empty, *near), LEFT)
        assert empty.view.catch is not None and empty.view.catch.by == word
        empty.qtbot.mouseRelease(empty.view, LEFT, NONE, place_of(empty, *near))
        empty.settle()
        assert empty.session.part.mesh.points[corner] == pytest.approx([*exact, 0], abs=1e-9)
        assert empty.view.catch is None
        empty.window.on_view.toggle_snap(snap)  # type: ignore[arg-type]
        empty.session.undo()


def test_a_locked_axis_is_respected_by_snapping(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.set_kind("points")
    corner = int(np.argmax(empty.session.part.mesh.points[:, :2].sum(axis=1)))
    empty.session.select(points=[corner])
    empty.window.start("move")
    empty.window.on_view.toggle_snap("point")
    handle = empty.view.handle()
    assert handle is not None
    arm = handle.arms(empty.view.camera, empty.view.width(), empty.view.height())[1, :2]
    start = QPoint(round(arm[0]), round(arm[1]))
    end = place_of(empty, 10.2, 19.8)
    trace(empty, [start, start + QPoint(-9, 2), end])
    after = empty.session.part.mesh.points[corner]
    assert after[1] == 30 and after[0] == pytest.approx(10)


def test_the_soft_range_is_switched_by_key_and_shown(empty: Hands) -> None:
    sheet_in(empty, 12)
    empty.window.set_kind("points")
    middle = int(np.argmin(np.linalg.norm(empty.session.part.mesh.points, axis=1)))
    empty.session.select(points=[middle])
    empty.view.setFocus()
    empty.key(Qt.Key.Key_S, SHIFT)
    assert empty.window.panes.hands.soft["soft_range"] > 5
    empty.window.start("move")
    empty.settle()
    assert "soft range" in empty.window.sentence.fields or "soft_range" in empty.window.sentence.fields
    dots = len(empty.view.scene().dots)
    start = empty.place("points", middle)
    trace(empty, [start, start + QPoint(9, 9), start + QPoint(40, 0)])
    moved = empty.session.part.mesh.points[:, 0] - np.round(empty.session.part.mesh.points[:, 0] / 5) * 5
    assert np.count_nonzero(np.abs(moved) > 1e-6) > 8
    empty.window.on_view.toggle_soft()
    assert len(empty.view.scene().dots) < dots
    assert empty.window.panes.hands.soft == {}


def test_measuring_tells_the_distance_between_two_picks(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.set_kind("points")
    plain = empty.view.grab().toImage()
    empty.window.on_view.toggle_measure()
    empty.session.select(points=[0, 48])
    empty.settle()
    assert empty.view.grab().toImage() != plain
    assert empty.window.message.startswith("Pick two")


def test_parts_fade_and_views_are_cut_open(demo: Hands) -> None:
    part = demo.session.part
    demo.session.edit_part(part.id, "Fade", opacity=0.4)
    solid = next(solid for solid in demo.view.scene().solids if solid.picture.part.id == part.id)
    assert solid.colour[3] == pytest.approx(0.4)
    demo.view.look("front")
    whole = demo.view.sight().what.numbers
    demo.window.on_view.cut_view()
    assert demo.view.look_of.section is not None and demo.view.look_of.section[0] == 1
    assert (demo.view.sight().what.numbers != whole).any()
    demo.window.on_view.cut_view()
    assert np.array_equal(demo.view.sight().what.numbers, whole)


def test_symmetric_drags_move_both_sides(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.set_kind("points")
    empty.session.do("set_symmetry", axis="x")
    empty.window.start("move")
    points = empty.session.part.mesh.points
    corner = int(np.argmax(points[:, :2].sum(axis=1)))
    other = int(np.argmax(points[:, 1] - points[:, 0]))
    empty.session.set_selection(Selection("points", np.array([corner])))
    empty.window.start("move")
    start = empty.place("points", corner)
    trace(empty, [start, start + QPoint(-9, 9), start + QPoint(-30, 0)])
    after = empty.session.part.mesh.points
    assert after[other] == pytest.approx(after[corner] * [-1, 1, 1])


def test_a_large_smooth_part_is_shown_at_a_lower_level_while_it_is_dragged(empty: Hands) -> None:
    empty.session.do("add_box", size=(60, 60, 60), cells=(12, 12, 12))
    part = empty.session.part
    empty.window.stage.show_until(part.id, None, True)
    empty.settle()
    whole = empty.window.stage.picture(part.id)
    assert whole is not None and whole.level == 2
    empty.view.frame(everything=True)
    empty.window.set_kind("points")
    corner = int(np.argmax(part.mesh.points @ [0.2, -0.5, 1.0]))
    empty.session.select(points=[corner])
    empty.window.start("move")
    empty.settle()
    start = empty.place("points", corner)
    empty.qtbot.mousePress(empty.view, LEFT, NONE, start)
    for offset in (8, 16, 24):
        empty.move(start + QPoint(0, -offset), LEFT)
    during = empty.window.stage.picture(part.id)
    assert during is not None and during.level == 1 and during.part.mesh.points[corner, 2] > part.mesh.points[corner, 2]
    empty.qtbot.mouseRelease(empty.view, LEFT, NONE, start + QPoint(0, -24))
    empty.settle()
    after = empty.window.stage.picture(part.id)
    assert after is not None and after.level == 2


def test_a_pull_test_springs_back(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.set_kind("points")
    corner = int(np.argmax(empty.session.part.mesh.points[:, :2].sum(axis=1)))
    before = empty.session.part.mesh.points
    empty.qtbot.keyPress(empty.view, Qt.Key.Key_Z)
    start = empty.place("points", corner)
    empty.qtbot.mousePress(empty.view, LEFT, NONE, start)
    empty.move(start + QPoint(-12, 12), LEFT)
    empty.move(start + QPoint(-40, 20), LEFT)
    assert not np.array_equal(empty.session.part.mesh.points, before)
    empty.qtbot.mouseRelease(empty.view, LEFT, NONE, start + QPoint(-40, 20))
    empty.settle()
    assert empty.session.part.mesh.points is before
    empty.qtbot.keyRelease(empty.view, Qt.Key.Key_Z)
    assert len(empty.session.history) == 2


def test_the_nudge_brush_draws_on_the_surface(empty: Hands) -> None:
    sheet_in(empty, 24)
    empty.view.setFocus()
    empty.key(Qt.Key.Key_N, SHIFT)
    assert empty.window.sentence.is_waiting and set(empty.window.sentence.fields) == {"mode", "radius", "strength"}
    # Numbers may be typed before the first stroke; nothing runs yet.
    empty.window.sentence.focus("radius")
    empty.type("12")
    assert empty.session.state.key == "add_plane" and "radius" in empty.window.sentence.fields
    trace(empty, [place_of(empty, -10, 0), place_of(empty, 0, 0), place_of(empty, 6, 0)])
    state = empty.session.state
    assert state.key == "nudge" and state.parameters["radius"] == 12 and len(state.parameters["path"]) > 3
    rest = empty.session.history[empty.session.here - 1].document.part.mesh.points
    moved = empty.session.part.mesh.points - rest
    assert moved[:, 0].max() > 2 and np.abs(moved[:, 2]).max() < 1e-9
    before = empty.session.here
    empty.session.change_last(mode="swell", strength=1.0)
    trace(empty, [place_of(empty, 15, 15), place_of(empty, 18, 15)])
    assert empty.session.here == before + 1 and empty.session.part.mesh.points[:, 2].max() > 0.5
    trace(empty, [place_of(empty, 200, 200), place_of(empty, 100, 100)])
    assert "Begin on the active part" in empty.window.message
    empty.view.setFocus()
    empty.key(Qt.Key.Key_Escape)
    assert empty.window.panes.hands.tool is not None and empty.session.here == before
    empty.key(Qt.Key.Key_Escape)
    assert empty.window.panes.hands.tool is None


def test_a_locked_selection_stays_under_clicks_boxes_and_drags(empty: Hands) -> None:
    sheet_in(empty)
    empty.session.select(faces=[3])
    empty.view.setFocus()
    empty.key(Qt.Key.Key_L, CONTROL)
    empty.click("faces", 8)
    empty.drag(place_of(empty, -80, -80), place_of(empty, 20, 20))
    assert empty.session.selection.indices.tolist() == [3] and "locked" in empty.window.message
    empty.window.start("move")
    points = empty.session.part.mesh.points
    empty.drag(empty.place("faces", 20), empty.place("faces", 21))
    assert np.array_equal(empty.session.part.mesh.points, points)
    empty.key(Qt.Key.Key_Escape)
    empty.window.on_view.toggle_kept()
    empty.window.view.mode = None
    empty.click("faces", 8)
    assert empty.session.selection.indices.tolist() == [8]


def test_shift_click_applies_the_open_operation_there_too(empty: Hands) -> None:
    sheet_in(empty)
    empty.click("faces", 7)
    empty.window.start("inset")
    empty.session.change_last(width=2.0)
    count = empty.session.part.mesh.n_faces
    empty.click("faces", 28, SHIFT)
    assert empty.session.part.mesh.n_faces == count + 4 and empty.session.state.parameters["width"] == 2.0
    # Once the numbers are kept, Shift adds to the selection again.
    empty.view.setFocus()
    empty.window.sentence.finish(False)
    empty.click("faces", 14, SHIFT)
    assert empty.session.part.mesh.n_faces == count + 4 and len(empty.session.selection) == 2


def test_the_wheel_sizes_the_soft_range_and_its_curve_is_shown(empty: Hands) -> None:
    from PySide6.QtCore import QPointF
    from PySide6.QtGui import QWheelEvent

    sheet_in(empty, 12)
    empty.session.select(faces=[60])
    plain = empty.view.overlay.grab().toImage()
    empty.window.on_view.toggle_soft()
    empty.window.start("move")
    empty.settle()
    assert empty.view.overlay.grab().toImage() != plain
    before = empty.window.panes.hands.soft["soft_range"]
    distance = empty.view.camera.distance
    middle = QPointF(empty.view.rect().center())
    event = QWheelEvent(
        middle,
        QPointF(empty.view.mapToGlobal(middle.toPoint())),
        QPoint(),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        CONTROL,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(empty.view, event)
    assert empty.window.panes.hands.soft["soft_range"] == pytest.approx(before * 1.001**240, abs=1e-3)
    assert empty.view.camera.distance == distance


def test_a_condition_is_typed_as_a_sentence(empty: Hands) -> None:
    sheet_in(empty)
    empty.window.start("select_where")
    empty.type("points where open")
    assert len(empty.session.selection) == 24 and empty.view.kind == "points"
    empty.key(Qt.Key.Key_Return)
    assert not empty.window.sentence.is_open and empty.session.state.key == "add_plane"
    empty.window.start("select_where")
    empty.type("faces where colour > 3")
    assert "not understood" in empty.window.message and len(empty.session.selection) == 24


def test_clicks_on_what_faces_away_find_nothing(empty: Hands) -> None:
    sheet_in(empty)
    empty.view.reach = "facing"
    empty.click("faces", 7)
    assert empty.session.selection.indices.tolist() == [7]
    empty.view.look("bottom")
    empty.settle()
    empty.click("faces", 8)
    assert len(empty.session.selection) == 0
    for kind in ("points", "edges"):
        empty.window.set_kind(kind)  # type: ignore[arg-type]
        empty.click(kind, 20)  # type: ignore[arg-type]
        assert len(empty.session.selection) == 0
    empty.view.reach = "visible"
    empty.click("edges", 20)
    assert len(empty.session.selection) == 1


def test_points_without_a_twin_are_marked(empty: Hands) -> None:
    sheet_in(empty)
    empty.session.do("set_symmetry", axis="x")
    empty.settle()
    dots = len(empty.view.scene().dots)
    empty.session.do("set_symmetry", axis="off")
    empty.session.select(points=[0])
    empty.session.do("move", by=(1, 0, 0))
    empty.session.do("set_symmetry", axis="x")
    empty.session.select_none()
    empty.settle()
    marked = [dots for dots in empty.view.scene().dots if dots.width > 10]
    assert len(marked) == 1 and len(marked[0].places) == 2
    assert len(empty.view.scene().dots) >= dots


def test_one_of_four_views_redraws_alone(demo: Hands) -> None:
    demo.window.panes.show_views(4)
    demo.settle()
    demo.qtbot.wait(100)
    painted = [0, 0, 0, 0]
    for number, view in enumerate(demo.window.panes.views):
        original = view.scene

        def counting(number: int = number, original: object = original) -> object:
            painted[number] += 1
            return original()  # type: ignore[operator]

        view.scene = counting  # type: ignore[method-assign, assignment]
    active = demo.window.panes.views[2]
    active.camera.orbit(10, 5)
    active.moved()
    demo.qtbot.wait(100)
    assert painted[2] >= 1 and painted[0] == painted[1] == painted[3] == 0
    demo.session.select(faces=[0])
    demo.qtbot.wait(100)
    assert min(painted) >= 1
    demo.window.panes.show_views(1)


def test_the_handle_goes_along_other_axes_and_in_planes(empty: Hands) -> None:
    sheet_in(empty)
    session = empty.session
    session.do("instance", name="turned")
    session.do("rotate", angle=45, axis="z")
    empty.settle()
    empty.window.on_view.set_axes("part")
    session.select(points=[24])
    empty.window.start("move")
    empty.settle()
    handle = empty.view.handle()
    assert handle is not None and np.allclose(handle.frame[0], (np.sqrt(0.5), np.sqrt(0.5), 0))
    arms = handle.arms(empty.view.camera, empty.view.width(), empty.view.height())
    start = session.part.to_world(session.part.mesh).points[24]

    def towards(share_x: float, share_y: float) -> QPoint:
        place = arms[0, :2] + share_x * (arms[1, :2] - arms[0, :2]) + share_y * (arms[2, :2] - arms[0, :2])
        return QPoint(round(place[0]), round(place[1]))

    empty.drag(towards(0.9, 0), towards(1.4, 0.3))
    moved = session.part.to_world(session.part.mesh).points[24] - start
    assert session.state.parameters["frame"] == "part" and moved[0] == pytest.approx(moved[1]) and moved[0] > 1
    session.undo()
    empty.settle()
    empty.drag(towards(0.4, 0.4), towards(1.0, 0.7))
    by = session.state.parameters["by"]
    assert by[0] > 1 and by[1] > 0.5 and by[2] == 0.0
    empty.window.on_view.set_axes("world")
    empty.window.on_view.set_pivot("last")
    empty.window.start("rotate")
    assert empty.window.sentence.running.numbers(REGISTRY["rotate"])["pivot"] == "last"
    empty.window.on_view.set_pivot("anchor")
    assert "no anchor yet" in empty.window.message
    empty.window.on_view.set_pivot("middle")


def test_any_size_at_any_place_looks_alike(empty: Hands) -> None:
    """Single precision on the GPU is about 1e-7 of a coordinate: 20 mm at 10 km would jump by a whole millimetre."""
    seen = []
    for size, at in ((1.0, (0.0, 0.0, 0.0)), (1.0, (1e7, -1e7, 3e6)), (1e-4, (0.0, 0.0, 0.0)), (1e4, (0.0, 0.0, 0.0))):
        session = Session.new()
        session.do("add_quad_sphere", diameter=20 * size, cells=4, at=at)
        session.do("add_box", size=(12 * size,) * 3, at=tuple(np.array(at) + size * np.array([8.0, 3.0, 6.0])))
        session.select_all("edges")
        empty.window.adopt(session)
        empty.view.look_of.ground = False  # It lies where z is 0, whatever the size.
        empty.view.frame(everything=True)
        empty.settle()
        image = empty.view.grabFramebuffer().convertToFormat(QImage.Format.Format_RGB888)
        pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        seen.append(pixels[:, : 3 * image.width()].reshape(image.height(), -1, 3).astype(np.int64))
    for other in seen[1:]:
        assert other.shape == seen[0].shape
        differs = np.abs(other - seen[0]).max(axis=2) > 24
        assert differs.mean() < 2e-3
