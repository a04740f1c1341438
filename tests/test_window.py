"""The real window, driven by pointer and keys under a screen with OpenGL."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from driving import CONTROL, LEFT, NONE, RIGHT, SHIFT, Hands, box_in
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QMenu, QPushButton

from levelloop.app.commands.shell.menus import fitting_menu
from levelloop.app.main import application
from levelloop.core.mesh.faces import edge_lengths, signed_volume
from levelloop.core.select.where import select_where

pytestmark = pytest.mark.skipif(
    application().platformName() != "xcb", reason="the window's tests need X with OpenGL: run make test"
)


def test_the_whole_story(demo: Hands, tmp_path: Path) -> None:
    """From a box to a reviewed, saved, printable part."""
    window, session = demo.window, demo.session
    assert [part.name for part in session.document.parts][:2] == ["good jar", "hive bracket"]

    # A box from the rack, its size typed: the bar takes the keyboard at once.
    window.tools.buttons["add_box"].click()
    demo.type("30 x 20 x 10")
    demo.key(Qt.Key.Key_Return)
    assert session.part.name == "box" and session.part.mesh.points.max(axis=0).tolist() == [15, 10, 5]
    for part in session.document.parts:
        if part.name != "box":
            session.edit_part(part.id, "Hide", visible=False)
    window.view.frame()
    demo.settle()

    # The top face, picked by the pointer, extruded and inset by typed millimetres.
    demo.key(Qt.Key.Key_F)
    demo.click("faces", demo.face(normal="z"))
    assert session.selection.indices.tolist() == [demo.face(normal="z")]
    demo.key(Qt.Key.Key_U)
    demo.type("4 mm")
    demo.key(Qt.Key.Key_Return)
    assert signed_volume(session.part.mesh) == pytest.approx(30 * 20 * 14)
    demo.key(Qt.Key.Key_N)
    demo.type("0.2 cm")
    demo.key(Qt.Key.Key_Return)
    top = demo.face(normal="z", plane=((0, 0, 9), "z"))
    assert session.part.mesh.n_faces == 14 and top >= 0

    # A mirrored pair of support loops at an exact distance.
    demo.key(Qt.Key.Key_E)
    upright = next(
        i
        for i, e in enumerate(session.part.mesh.topology.edges)
        if np.allclose(np.sort(session.part.mesh.points[e][:, 2]), [-5, 5])
        and np.allclose(session.part.mesh.points[e][:, :2], [15, -10])
    )
    demo.click("edges", upright)
    assert session.selection.kind == "edges" and len(session.selection) == 1
    session.do("run_loop", distance=1.5, mirrored=True)
    assert len(session.selection) == 8
    demo.settle()

    # The loop around the top rim by double-click, creased.
    demo.key(Qt.Key.Key_E)
    rim = next(
        i
        for i, e in enumerate(session.part.mesh.topology.edges)
        if np.allclose(session.part.mesh.points[e][:, 2], 3.5) and np.allclose(session.part.mesh.points[e][:, 1], -10)
    )
    demo.click("edges", rim, times=2)
    assert len(session.selection) == 4
    demo.key(Qt.Key.Key_K)
    demo.type("3")
    demo.key(Qt.Key.Key_Return)
    assert (session.part.mesh.creases == 3).sum() == 4

    # Smoothed on the rail, by a click on its stop.
    stop = next(place for place in window.line.places() if place.stop == 3)
    demo.qtbot.mouseClick(window.line, LEFT, NONE, QPoint(round(stop.x), 27))
    demo.settle()
    picture = window.stage.picture(session.document.active)
    assert picture is not None and picture.level == 3 and session.part.level == 2

    # Undone and redone by keys.
    faces = session.part.mesh.n_faces
    for _ in range(3):
        demo.key(Qt.Key.Key_Z, CONTROL)
    assert session.part.mesh.n_faces < faces
    for _ in range(3):
        demo.key(Qt.Key.Key_Z, CONTROL | SHIFT)
    assert session.part.mesh.n_faces == faces and session.part.level == 2

    # Saved, opened again, exported.
    assert window.on_files.save_path(tmp_path / "part.usda")
    assert session.is_saved
    assert window.on_files.open_path(tmp_path / "part.usda")
    assert window.session.part.mesh.n_faces == faces
    assert window.on_files.export_path(tmp_path / "part.stl")
    solid = trimesh.load_mesh(tmp_path / "part.stl")
    assert solid.is_watertight and solid.volume > 0
    assert "1 part" in window.message


def test_the_review_finds_and_the_repairs_mend(demo: Hands) -> None:
    """The faulty bracket: flipped face, n-gon, triangles, each mended the way a person would."""
    window, session = demo.window, demo.session
    session.set_active("hive bracket")
    demo.review()
    checks = [finding.check for part_id, finding in window.review.rows if part_id == session.document.active]
    assert {"flipped", "ngons", "triangles", "poles"} <= set(checks)

    def row(check: str) -> int:
        return next(i for i, (_, finding) in enumerate(window.review.rows) if finding.check == check)

    # Flipped: chosen in the list, mended by its remedy.
    window.review.show_row(row("flipped"), 0)
    demo.settle()
    assert len(session.selection) == 1 and session.selection.kind == "faces"
    window.review.remedies.buttons[0].click()
    demo.review()
    assert "flipped" not in [finding.check for _, finding in window.review.rows]

    # The n-gon: two of its points picked in the view and joined with Y.
    window.review.show_row(row("ngons"), 0)
    demo.settle()
    face = int(session.selection.indices[0])
    outline = session.part.mesh.topology.face(face).tolist()
    assert len(outline) == 5
    session.select_none()
    demo.key(Qt.Key.Key_P)
    places = {i: demo.place("points", i) for i in outline}
    assert all(demo.view.rect().contains(place) for place in places.values())
    demo.click("points", 33)
    demo.click("points", 39, SHIFT)
    assert sorted(session.selection.indices.tolist()) == [33, 39]
    demo.key(Qt.Key.Key_J)
    demo.review()
    assert "ngons" not in [finding.check for _, finding in window.review.rows]

    # The two triangles that are left share an edge; without it they are a quad.
    window.review.show_row(row("triangles"), 0)
    session.select(edges=[[32, 39]])
    demo.settle()
    window.view.setFocus()
    demo.key(Qt.Key.Key_O)
    demo.review()
    here = session.document.active
    assert "triangles" not in [finding.check for part_id, finding in window.review.rows if part_id == here]
    assert all(report.ready for _, report in window.review.reports)


def test_picking_respects_what_is_visible(empty: Hands) -> None:
    box_in(empty)
    session = empty.session
    far = empty.face(normal="y")
    empty.click("faces", far)
    assert session.selection.indices.tolist() != [far]
    empty.key(Qt.Key.Key_P)
    hidden = int(np.argmax(session.part.mesh.points @ [-1, 1, -1.0]))
    empty.click("points", hidden)
    assert len(session.selection) == 0
    empty.view.reach = "through"
    empty.click("points", hidden)
    assert session.selection.indices.tolist() == [hidden]


def test_adding_removing_and_boxes(empty: Hands) -> None:
    box_in(empty)
    session, view = empty.session, empty.view
    top, front = empty.face(normal="z"), empty.face(normal="-y")
    empty.click("faces", top)
    empty.click("faces", front, SHIFT)
    assert set(session.selection.indices.tolist()) == {top, front}
    empty.click("faces", top, CONTROL)
    assert session.selection.indices.tolist() == [front]
    empty.key(Qt.Key.Key_P)
    empty.drag(QPoint(5, 5), QPoint(view.width() - 5, view.height() - 5))
    assert session.selection.kind == "points" and len(session.selection) == 7  # the eighth is hidden
    view.reach = "through"
    empty.drag(QPoint(5, 5), QPoint(view.width() - 5, view.height() - 5))
    assert len(session.selection) == 8
    empty.drag(QPoint(5, 5), QPoint(view.width() - 5, view.height() - 5), modifiers=CONTROL)
    assert len(session.selection) == 0


def test_rings_by_triple_click_and_conversion(demo: Hands) -> None:
    session = demo.session
    demo.key(Qt.Key.Key_E)
    wall = demo.edge(194, 210)
    demo.click("edges", wall, times=3)
    assert len(session.selection) == 16
    demo.key(Qt.Key.Key_P)
    demo.key(Qt.Key.Key_P)
    assert session.selection.kind == "points" and len(session.selection) == 32
    demo.key(Qt.Key.Key_Up, SHIFT)
    assert len(session.selection) == 64
    demo.key(Qt.Key.Key_Down, SHIFT)
    assert len(session.selection) == 32


def test_the_handle_moves_and_one_undo_takes_it_back(empty: Hands) -> None:
    box_in(empty)
    session = empty.session
    empty.click("faces", empty.face(normal="z"))
    empty.view.setFocus()
    empty.key(Qt.Key.Key_M)
    handle = empty.view.handle()
    assert handle is not None
    arms = handle.arms(empty.view.camera, empty.view.width(), empty.view.height())
    tip = QPoint(round(arms[3, 0]), round(arms[3, 1]))
    empty.drag(tip, tip + QPoint(0, -60))
    top = session.part.mesh.points[:, 2].max()
    assert top > 12
    assert np.ptp(session.part.mesh.points[:, 0]) == pytest.approx(20)
    entries = len(session.history)
    empty.key(Qt.Key.Key_Z, CONTROL)
    assert session.part.mesh.points[:, 2].max() == 10 and len(session.history) == entries


def test_typed_transforms_with_axes(empty: Hands) -> None:
    box_in(empty)
    session = empty.session
    empty.click("faces", empty.face(normal="z"))
    empty.key(Qt.Key.Key_M)
    empty.type("12 z")
    assert session.part.mesh.points[:, 2].max() == 22
    empty.key(Qt.Key.Key_Escape)
    assert session.part.mesh.points[:, 2].max() == 10 and empty.window.sentence.is_open
    empty.key(Qt.Key.Key_Escape)
    empty.key(Qt.Key.Key_S)
    empty.type("0.5 xy")
    empty.key(Qt.Key.Key_Return)
    assert signed_volume(session.part.mesh) == pytest.approx(20 / 3 * (400 + 100 + 200))
    empty.key(Qt.Key.Key_T)
    empty.type("90")
    empty.key(Qt.Key.Key_Return)
    assert session.state.sentence == "Rotate 1 face by 90° about z, pivot middle"


def test_arrow_keys_step_and_escape_reverts(empty: Hands) -> None:
    box_in(empty)
    session = empty.session
    empty.click("faces", empty.face(normal="z"))
    empty.key(Qt.Key.Key_U)
    assert session.state.parameters["distance"] == 5
    empty.key(Qt.Key.Key_Up)
    assert session.state.parameters["distance"] == 6 and not empty.window.sentence.is_typing
    empty.key(Qt.Key.Key_Tab)
    assert empty.window.sentence.is_typing
    empty.key(Qt.Key.Key_Up, SHIFT)
    empty.key(Qt.Key.Key_Down, CONTROL)
    assert session.state.parameters["distance"] == pytest.approx(15.9)
    empty.key(Qt.Key.Key_Escape)
    assert session.state.parameters["distance"] == 6 and not empty.window.sentence.is_typing
    empty.key(Qt.Key.Key_Escape)
    assert session.part.mesh.n_faces == 6 and session.can_redo


def test_a_mistyped_number_changes_nothing_and_says_why(empty: Hands) -> None:
    box_in(empty)
    session = empty.session
    empty.click("faces", empty.face(normal="z"))
    empty.key(Qt.Key.Key_U)
    before = session.part.mesh
    empty.type("3,5 mm")
    assert session.part.mesh is not before or session.state.parameters["distance"] in (3, 5)
    assert "decimals with a point" in empty.window.message
    assert signed_volume(session.part.mesh) == pytest.approx(400 * 23)
    field = next(iter(empty.window.sentence.fields.values()))
    assert field.objectName() == "wrong"


def test_keep_and_again(empty: Hands) -> None:
    empty.session.do("add_box", size=(20, 20, 20), cells=(2, 2, 1))
    empty.view.look("top")
    empty.view.frame(everything=True)
    sentence = empty.window.sentence
    sentence.close_fields()
    tops = select_where(empty.session.part.mesh, "faces", normal="z").indices
    empty.key(Qt.Key.Key_F)
    empty.click("faces", int(tops[0]))
    empty.key(Qt.Key.Key_U)
    empty.type("2")
    empty.key(Qt.Key.Key_Return, SHIFT)
    before = empty.session.here
    # Kept, and lit: the next plain picks are extruded as far, each an entry of its own.
    assert sentence.again.isVisible() and sentence.again.property("lit") and not sentence.is_open
    for step, face in enumerate(tops[1:3], 1):
        empty.view.choosing.forget_clicks()
        empty.click("faces", int(face))
        assert empty.session.here == before + step and empty.session.state.key == "extrude"
    assert signed_volume(empty.session.part.mesh) == pytest.approx(20**3 + 3 * 200)
    # Esc ends it and takes nothing back; the next pick only selects; a second Esc takes the last one back.
    empty.key(Qt.Key.Key_Escape)
    assert not sentence.again.property("lit") and empty.session.here == before + 2
    empty.key(Qt.Key.Key_Escape)
    assert empty.session.here == before + 1
    empty.view.choosing.forget_clicks()
    empty.click("faces", int(tops[3]))
    assert empty.session.here == before + 1 and len(empty.session.selection) == 1
    # A form acts on nothing that could be picked: it is made once more.
    empty.session.do("add_box")
    sentence.reopen()
    sentence.finish(True)
    assert len(empty.session.document.parts) == 3 and not sentence.again.property("lit")


def test_space_taps_and_peeks(demo: Hands) -> None:
    window, stage = demo.window, demo.window.stage
    part = demo.session.part
    assert not stage.is_smooth(part)
    demo.qtbot.keyPress(demo.view, Qt.Key.Key_Space)
    demo.qtbot.keyRelease(demo.view, Qt.Key.Key_Space)
    demo.qtbot.wait(80)
    assert stage.is_smooth(part)
    demo.qtbot.keyPress(demo.view, Qt.Key.Key_Space)
    demo.qtbot.wait(350)
    assert not stage.is_smooth(part)
    demo.qtbot.keyRelease(demo.view, Qt.Key.Key_Space)
    demo.qtbot.wait(80)
    assert stage.is_smooth(part)
    demo.key(Qt.Key.Key_PageUp)
    assert demo.session.part.level == 2 and window.line.stop == 3 and demo.session.is_saved


def test_large_levels_arrive_later_and_the_window_goes_on(demo: Hands) -> None:
    window = demo.window
    window.levels.show(4)
    picture = window.stage.picture("part1")
    assert picture is not None and picture.level == 0 and window.stage._running
    demo.settle()
    picture = window.stage.picture("part1")
    assert picture is not None and picture.level == 4 and picture.n_shown_faces == 512 * 256


def test_a_level_that_does_not_fit_is_refused_in_words(empty: Hands) -> None:
    session = empty.session
    session.do("add_box", cells=(60, 60, 60))
    empty.window.stage.show_until(session.document.active, None, True)
    session.do("set_level", level=6)
    empty.settle()
    assert "more than fits" in empty.window.message
    picture = empty.window.stage.picture(session.document.active)
    assert picture is not None and picture.level == 0


def test_directions_zoom_orbit_and_frame(demo: Hands) -> None:
    camera = demo.view.camera
    demo.key(Qt.Key.Key_Up, CONTROL)
    assert (camera.turn, camera.tilt) == (0, 90)
    demo.key(Qt.Key.Key_Down, CONTROL)
    assert (camera.turn, camera.tilt, camera.perspective) == (0, 0, False)
    turn = camera.turn
    demo.drag(QPoint(300, 300), QPoint(380, 300), RIGHT)
    assert camera.turn != turn
    target = camera.target.copy()
    demo.drag(QPoint(300, 300), QPoint(340, 320), Qt.MouseButton.MiddleButton)
    assert not np.allclose(camera.target, target)
    place = demo.place("faces", 0)
    before = demo.view.on_screen(demo.window.stage.extent()[:1])
    distance = camera.distance
    wheel = QWheelEvent(
        place,
        demo.view.mapToGlobal(place),
        QPoint(),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        NONE,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(demo.view, wheel)
    assert camera.distance < distance
    assert demo.view.on_screen(demo.window.stage.extent()[:1]) != pytest.approx(before)
    demo.key(Qt.Key.Key_Home, SHIFT)
    screen = demo.view.on_screen(demo.window.stage.extent())
    assert screen[:, 0].min() > 0 and screen[:, 0].max() < demo.view.width()


def test_find_a_command(demo: Hands) -> None:
    demo.click("faces", demo.face(normal="z", plane=((0, 0, 87), "z")))
    demo.key(Qt.Key.Key_K, CONTROL)
    assert demo.window.finder.hasFocus()
    demo.type("ins")
    assert demo.window.finder.found[0].title == "Inset"
    demo.key(Qt.Key.Key_Return)
    assert demo.session.state.key == "inset"
    demo.key(Qt.Key.Key_Escape)
    demo.session.select_none()
    demo.window.finder.open()
    demo.type("bevelation")
    assert demo.window.finder.found == []


def test_right_click_offers_what_fits(empty: Hands) -> None:
    titles = [action.text() for action in fitting_menu(empty.window).actions()]
    assert titles[:5] == ["Plane", "Box", "Cylinder", "Disc", "Quad sphere"] and len(titles) == 13
    box_in(empty)
    empty.click("faces", empty.face(normal="z"))
    titles = [action.text() for action in fitting_menu(empty.window).actions()]
    assert "Extrude" in titles and "Join points" not in titles and titles[0] == "1 face"


def test_parts_are_renamed_hidden_and_removed(demo: Hands) -> None:
    parts, session = demo.window.parts, demo.session
    first = session.document.parts[0].id
    row = parts.list.itemWidget(parts.list.item(parts.row_of(first)))
    row.name.begin()  # type: ignore[union-attr]
    name: QLineEdit = row.name  # type: ignore[union-attr]
    name.setText("big jar")
    demo.qtbot.keyClick(name, Qt.Key.Key_Return)
    assert session.part.name == "big jar"
    row = parts.list.itemWidget(parts.list.item(parts.row_of(first)))
    row.eye.click()  # type: ignore[union-attr]
    assert not session.document.by_name("big jar").visible
    demo.window.start("flip")
    session.remove_part("part1")
    assert session.document.parts[0].name == "hive bracket"
    session.undo()
    assert session.document.parts[1].name == "hive bracket"


def test_a_damaged_file_leaves_the_document_alone(demo: Hands, tmp_path: Path) -> None:
    bad = tmp_path / "bad.usda"
    bad.write_text("nothing of use", encoding="utf-8")
    before = demo.session
    assert not demo.window.on_files.open_path(bad)
    assert demo.window.session is before and "damaged" in demo.window.message
    assert not demo.window.on_files.save_path(tmp_path / "no folder" / "x.usda")
    assert "cannot be written" in demo.window.message
    demo.window.start("extrude")
    assert demo.window.message == "Extrude needs selected points, edges or faces."


def test_strays_on_the_far_side_are_told_and_dropped(empty: Hands) -> None:
    box_in(empty)
    empty.session.select_all("faces")
    text = empty.window.strip.readout.text()
    assert "6 faces" in text and "3 on the far side" in text
    empty.window._follow("drop:far")
    assert len(empty.session.selection) == 3


def test_the_history_goes_where_it_is_clicked(empty: Hands) -> None:
    box_in(empty)
    empty.session.select(faces=[1])
    empty.session.do("extrude", distance=5)
    empty.key(Qt.Key.Key_H, CONTROL)
    history = empty.window.history
    assert history.list.count() == 3
    history.list.itemClicked.emit(history.list.item(1))
    assert empty.session.part.mesh.n_faces == 6 and empty.session.can_redo
    history.hide()


def test_every_shortcut_is_bound_once(empty: Hands) -> None:
    keys = [command.shortcut for command in empty.window.commands if command.shortcut]
    assert len(keys) == len(set(keys))


def test_hover_lights_what_a_click_would_pick(empty: Hands) -> None:
    box_in(empty)
    top = empty.face(normal="z")
    empty.move(empty.place("faces", top))
    empty.qtbot.waitUntil(lambda: empty.view.hover is not None, timeout=2000)
    assert empty.view.hover is not None and empty.view.hover.index == top


def test_an_empty_cage_shows_nothing_and_breaks_nothing(empty: Hands, tmp_path: Path) -> None:
    (tmp_path / "points.obj").write_text("v 0 0 0\nv 1 0 0\n", encoding="utf-8")
    window = empty.window
    assert window.on_files.open_path(tmp_path / "points.obj")
    empty.settle()
    window.levels.toggle()
    window.reviewing.run()
    empty.settle()
    assert window.session.part.mesh.n_faces == 0
    assert "belong to no face" in window.review.words(0)
    assert not window.on_files.export_path(tmp_path / "out.stl")
    assert "would be empty" in window.message and not (tmp_path / "out.stl").exists()


def test_long_sentences_do_not_widen_the_window(empty: Hands) -> None:
    empty.window.resize(1024, 700)
    empty.window.start("add_cylinder")
    empty.settle()
    assert empty.window.width() == 1024
    last = list(empty.window.sentence.fields.values())[-1]
    last.setFocus()
    empty.settle()
    assert (
        empty.window.sentence._scroll.viewport()
        .visibleRegion()
        .boundingRect()
        .contains(last.mapTo(empty.window.sentence._scroll.viewport(), last.rect().center()))
    )


def test_named_values_and_names_wait_for_their_words(empty: Hands) -> None:
    box_in(empty)
    window, session = empty.window, empty.session
    window.start("set_value")
    assert len(session.history) == 2
    empty.type("wall")
    field = window.sentence.fields["value"]
    field.setFocus()
    field.selectAll()
    empty.type("2.5 mm")
    empty.key(Qt.Key.Key_Return)
    assert session.document.values["wall"] == ("2.5 mm", 2.5) and len(session.history) == 3
    empty.click("faces", empty.face(normal="z"))
    empty.key(Qt.Key.Key_N)
    empty.type("2*wall")
    assert session.state.parameters["width"] == 5
    empty.key(Qt.Key.Key_Return)
    window.start("rename_part")
    empty.type("lantern")
    empty.key(Qt.Key.Key_Return)
    assert session.part.name == "lantern"


def test_last_typed_numbers_are_offered_again_where_they_fit(empty: Hands) -> None:
    box_in(empty)
    session = empty.session
    session.select(edges=[[0, 1]])
    empty.window.start("run_loop")
    session.change_last(distance=3.0, count=1)
    assert session.part.mesh.n_faces == 10
    empty.window.sentence.finish(False)
    # The ring across is cut at 3 mm: another 3 mm fits into its longer part only.
    mesh = session.part.mesh
    lengths = edge_lengths(mesh.topology, mesh.points)
    session.select(edges=mesh.topology.edges[[int(np.argmin(lengths))]])
    empty.window.start("run_loop")
    assert session.state.parameters["distance"] is None and session.part.mesh.n_faces == 14


def test_edges_are_bevelled_by_key_and_the_numbers_changed(empty: Hands) -> None:
    box_in(empty)
    empty.window.set_kind("edges")
    mesh = empty.session.part.mesh
    edge = int(
        np.argmax(np.minimum(*mesh.points[mesh.topology.edges][:, :, 2].T) + mesh.points[mesh.topology.edges][:, 0, 0])
    )
    empty.session.select(edges=[mesh.topology.edges[edge].tolist()])
    empty.key(Qt.Key.Key_B)
    assert empty.session.part.mesh.n_faces == 7
    empty.session.change_last(width=4.0, steps=3)
    assert empty.session.part.mesh.n_faces == 9
    assert (empty.session.part.mesh.topology.face_sizes > 4).sum() == 2
    empty.key(Qt.Key.Key_Escape)
    assert empty.session.part.mesh.n_faces == 6


def test_a_wire_is_drawn_from_a_point_picked_and_deleted(empty: Hands) -> None:
    box_in(empty)
    empty.window.set_kind("points")
    corner = int(np.argmax(empty.session.part.mesh.points.sum(axis=1)))
    empty.session.select(points=[corner])
    empty.session.do("extrude", distance=10.0)
    topology = empty.session.part.mesh.topology
    assert topology.wire_edges.sum() == 1
    empty.settle()
    empty.window.set_kind("edges")
    empty.view.frame(everything=True)
    empty.settle()
    wire = int(np.flatnonzero(topology.wire_edges)[0])
    empty.click("edges", wire)
    assert empty.session.selection.indices.tolist() == [wire]
    empty.key(Qt.Key.Key_Delete)
    assert empty.session.part.mesh.n_points == 8 and empty.session.part.mesh.n_faces == 6


def test_seams_are_shown(empty: Hands) -> None:
    box_in(empty)
    empty.session.select(edges=[[0, 1]])
    empty.session.do("seam")
    violet = tuple(round(int("7A3DB0"[i : i + 2], 16) / 255, 3) for i in (0, 2, 4))
    lines = [line for line in empty.view.scene().lines if tuple(round(c, 3) for c in line.colour[:3]) == violet]
    assert len(lines) == 1 and len(lines[0].segments) == 4


def test_findings_of_a_part_that_went_and_pictures_of_hidden_ones_do_no_harm(demo: Hands) -> None:
    session = demo.session
    session.set_active("hive bracket")
    part_id = session.part.id
    demo.qtbot.waitUntil(lambda: any(row[0] == part_id for row in demo.window.review.rows), timeout=8000)
    row = next(n for n, (of, _) in enumerate(demo.window.review.rows) if of == part_id)
    finding = demo.window.review.rows[row][1]
    # An edit of a hidden part leaves its picture behind; what asks for it must not read the new cage by it.
    session.edit_part(part_id, "Hide", visible=False)
    session.add_step("mirror")
    session.bake_steps()
    demo.window.view.frame()
    assert demo.window.stage.picture(part_id) is None and demo.window.view.handle() is None
    session.remove_part(part_id)
    demo.window.reviewing.choose(part_id, finding, 0)
    assert demo.window.panes.hands.finding is None


def test_a_finding_is_accepted_with_a_reason_typed_in_the_review(demo: Hands) -> None:
    window, session = demo.window, demo.session
    demo.review()
    row = next(i for i, (_, finding) in enumerate(window.review.rows) if finding.check == "poles")
    window.review.show_row(row, 0)
    demo.settle()
    part_id, finding = window.review.rows[row]
    before = len(session.history)
    window.review.reason.setFocus()
    # Every letter is text here, none a command.
    demo.type("harmless on the bench")
    demo.key(Qt.Key.Key_Return)
    assert len(session.history) == before + 1 and "Accept" in session.state.sentence
    demo.review()
    again = next(one for part, one in window.review.rows if part == part_id and one.message == finding.message)
    assert again.accepted == "harmless on the bench"
    assert any("Accepted: harmless" in window.review.words(i) for i in range(len(window.review.rows)))
    session.undo()
    demo.review()
    assert not any(one.accepted for _, one in window.review.rows)


def test_edges_are_held_from_the_keyboard_and_the_sentence(empty: Hands) -> None:
    empty.session.do("add_cylinder", diameter=40, height=40, sides=16, caps="face")
    empty.session.select_where("edges", angle_over=80)
    empty.settle()
    empty.view.setFocus()
    empty.key(Qt.Key.Key_H)
    assert empty.session.state.key == "hold" and empty.window.sentence.is_open
    assert "radius" in empty.session.state.sentence and "Supports at" in empty.window.message
    empty.window.sentence.change(radius=2.0)
    assert 1 / empty.session.part.surface(3).k1.max() == pytest.approx(2.0, rel=0.03)
    with_crease = empty.session.part.mesh.n_faces
    empty.session.undo()
    empty.session.select_where("edges", angle_over=80)
    empty.window.start("crease")
    empty.window.sentence.change(weight=1.5)
    assert "at the limit; sharp below level 2" in empty.session.state.message
    assert empty.session.part.mesh.n_faces < with_crease


@pytest.mark.parametrize("level", [0, 2])
@pytest.mark.parametrize(
    ("step", "values", "away"),
    [("mirror", {"planes": "x"}, (-1, 1, 1)), ("array", {"count": 2, "move": (0.0, 60.0, 0.0)}, None)],
)
def test_a_click_on_a_copy_picks_what_it_is_a_copy_of(
    empty: Hands, level: int, step: str, values: dict[str, object], away: tuple[int, int, int] | None
) -> None:
    session, view = empty.session, empty.view
    session.do("add_box", size=(20, 20, 20), at=(25, 0, 0), cells=(2, 2, 1))
    session.add_step(step, **values)
    session.select_none()
    empty.window.stage.show_until(session.part.id, None, level > 0)
    view.look("top")
    view.frame(everything=True)
    empty.settle()
    mesh = session.part.mesh
    for face in range(mesh.n_faces):
        middle = mesh.points[mesh.topology.face(face)].mean(axis=0)
        if middle[2] < 9:
            continue
        there = middle * away if away else middle + np.array([0, 60, 0])
        place = view.on_screen(np.array([there]))[0]
        empty.qtbot.mouseClick(view, LEFT, NONE, QPoint(round(place[0]), round(place[1])))
        assert session.selection.kind == "faces" and session.selection.indices.tolist() == [face]
    # Points and edges of the copy are those of the cage too.
    picture = view.stage.picture(session.part.id)
    assert picture is not None
    for kind, (copies, sources) in (("points", picture.copied_points), ("edges", picture.copied_edges)):
        empty.window.set_kind(kind)
        middles = picture.places[copies] if kind == "points" else picture.places[copies].mean(axis=1)
        top = np.flatnonzero(middles[:, 2] > middles[:, 2].max() - (2.0 if level else 1e-6))
        assert len(top)
        for copy in top[:6]:
            place = view.on_screen(middles[copy][None])[0]
            empty.qtbot.mouseClick(view, LEFT, NONE, QPoint(round(place[0]), round(place[1])))
            assert session.selection.kind == kind and session.selection.indices.tolist() == [sources[copy]]


def test_findings_of_locked_parts_count_where_they_are_asked_for(empty: Hands) -> None:
    session, panel = empty.session, empty.window.review
    for name in ("done", "at work"):
        session.do("add_box", name=name, at=(0 if name == "done" else 60, 0, 0))
        session.select(faces=[0])
        session.do("flip")
    session.do("set_part", part="done", locked=True)
    empty.review()
    assert {part.name for part, _ in panel.reports} == {"at work"} and panel.marks["smooth"].text() == "■ 1 smooth"
    more = panel.findChild(QPushButton, "locked")
    assert more.text() == "1 locked part left out"
    empty.qtbot.mouseClick(more, LEFT)
    assert {part.name for part, _ in panel.reports} == {"at work", "done"}
    assert panel.marks["smooth"].text() == "■ 2 smooth"
    # An export counts them all the same: they leave with the others.
    assert panel.stops("smooth", {part.id for part in session.document.parts}) == 2
    session.do("set_part", part="done", locked=False)
    empty.review()
    assert panel.findChild(QPushButton, "locked") is None


def test_the_menu_key_opens_what_fits_and_f6_reaches_what_is_shown(empty: Hands) -> None:
    box_in(empty)
    empty.session.select(faces=[0])
    titles: list[str] = []

    def look() -> None:
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        titles.extend(action.text() for action in menu.actions())
        menu.close()

    QTimer.singleShot(200, look)
    empty.key(Qt.Key.Key_Menu)
    assert any("Extrude" in title for title in titles)
    window = empty.window
    window.uv.toggle()
    window.materials.toggle()
    empty.view.setFocus()
    reached = set()
    for _ in range(8):
        QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_F6)
        focused = QApplication.focusWidget()
        reached |= {
            name for name in ("uv", "materials", "parts", "review") if getattr(window, name).isAncestorOf(focused)
        }
    assert reached >= {"uv", "materials", "parts"}
