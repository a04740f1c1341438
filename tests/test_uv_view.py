"""The UV view in the real window: picked, boxed, dragged, turned by keys; the same selection as in the views."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from driving import CONTROL, LEFT, NONE, SHIFT, Hands, needs_screen
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QWheelEvent
from PySide6.QtWidgets import QApplication

from levelloop.app.panels.uv.flat_drawing import Placing, draw_faces
from levelloop.app.panels.uv.flat_picture import FlatPicture
from levelloop.app.theme import BENCH
from levelloop.core.forms.primitives import box, plane
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.uv.flatten import unwrap
from levelloop.core.uv.moving import island_labels
from levelloop.core.uv.seams import suggest_seams

Key = Qt.Key
NET = FlatPicture(unwrap(suggest_seams(box((20, 30, 10), (2, 2, 1)), NOTHING).mesh, NOTHING).mesh, False)


@given(st.floats(0, 1), st.floats(0, 1))
def test_the_face_at_a_place_is_the_one_whose_outline_goes_around_it(u: float, v: float) -> None:
    """Against the signs of the areas that the place makes with a convex face's sides."""
    place = np.array([u, v])
    way, away = NET.sides[:, 1] - NET.sides[:, 0], place - NET.sides[:, 0]
    turn = (way[:, 0] * away[:, 1] - way[:, 1] * away[:, 0]).reshape(-1, 4)
    if np.abs(turn).min() < 1e-9:
        return
    inside = np.flatnonzero((turn > 0).all(axis=1) | (turn < 0).all(axis=1))
    assert NET.at("faces", place, 0.01) == (int(inside[0]) if len(inside) else None)


@given(st.lists(st.floats(-0.1, 1.1), min_size=4, max_size=4))
def test_boxes_take_what_lies_inside_or_what_they_touch(numbers: list[float]) -> None:
    low, high = np.minimum(numbers[:2], numbers[2:]), np.maximum(numbers[:2], numbers[2:])
    for kind in ("points", "edges", "faces"):
        inside, touched = (set(NET.within(kind, low, high, touch).tolist()) for touch in (False, True))  # type: ignore[arg-type]
        assert inside <= touched
    whole = NET.within("faces", np.full(2, -1.0), np.full(2, 2.0), False)
    assert len(whole) == NET.mesh.n_faces


@given(st.lists(st.tuples(st.floats(0, 0.8), st.floats(0, 0.8), st.booleans()), min_size=1, max_size=80))
def test_each_face_is_drawn_whatever_lies_over_it(rows: list[tuple[float, float, bool]]) -> None:
    """Squares anywhere, some mirrored: drawn many at once, none undoes another."""
    corners = [
        np.array([(x, y), (x + 0.2, y), (x + 0.2, y + 0.2), (x, y + 0.2)])[:: -1 if m else 1] for x, y, m in rows
    ]
    mesh = replace(plane((10, 10), (len(rows), 1)), uv=np.concatenate(corners))
    picture, placing = FlatPicture(mesh, False), Placing(100.0, (0.0, 100.0))
    assert picture.is_mirrored.tolist() == [mirrored for *_, mirrored in rows]
    image = QImage(100, 100, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    draw_faces(painter, placing, picture, "plain", "#AA3322", BENCH)
    painter.end()
    for x, y in placing.to_screen(np.array([corner.mean(axis=0) for corner in corners])).astype(int).tolist():
        assert image.pixelColor(x, y) != QColor("white")


def box_with_uv(hands: Hands) -> None:
    session = hands.session
    session.do("add_box", size=(20, 20, 20))
    session.do("suggest_seams")
    session.select_none()
    session.do("unwrap")
    hands.window.set_kind("faces")
    hands.key(Key.Key_I)
    hands.key(Key.Key_U)
    hands.settle()


def middle_of(hands: Hands, face: int) -> QPoint:
    flat = hands.window.uv.flat
    assert flat.picture is not None
    topology = flat.picture.mesh.topology
    uv = flat.picture.uv[topology.face_offsets[face] : topology.face_offsets[face + 1]].mean(axis=0)
    return QPoint(*np.rint(flat.placing.to_screen(uv)).astype(int).tolist())


def drag(hands: Hands, start: QPoint, end: QPoint, modifiers: Qt.KeyboardModifier = NONE) -> None:
    flat = hands.window.uv.flat
    for kind, place, buttons in (
        (QEvent.Type.MouseButtonPress, start, LEFT),
        (QEvent.Type.MouseMove, start + (end - start) / 2, LEFT),
        (QEvent.Type.MouseMove, end, LEFT),
        (QEvent.Type.MouseButtonRelease, end, Qt.MouseButton.NoButton),
    ):
        button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else LEFT
        everywhere = QPointF(flat.mapToGlobal(place))
        QApplication.sendEvent(flat, QMouseEvent(kind, QPointF(place), everywhere, button, buttons, modifiers))
    hands.settle()


@needs_screen
def test_islands_are_picked_boxed_and_picked_whole(empty: Hands) -> None:
    box_with_uv(empty)
    flat, session, qtbot = empty.window.uv.flat, empty.session, empty.qtbot
    qtbot.mouseClick(flat, LEFT, NONE, middle_of(empty, 2))
    assert session.selection.kind == "faces" and session.selection.indices.tolist() == [2]
    qtbot.mouseClick(flat, LEFT, SHIFT, middle_of(empty, 4))
    assert sorted(session.selection.indices.tolist()) == [2, 4]
    qtbot.mouseClick(flat, LEFT, CONTROL, middle_of(empty, 2))
    assert session.selection.indices.tolist() == [4]
    drag(empty, QPoint(2, 2), QPoint(flat.width() - 2, flat.height() - 2))
    assert len(session.selection) == 6
    empty.window.set_kind("points")
    qtbot.mouseClick(
        flat, LEFT, NONE, QPoint(*np.rint(flat.placing.to_screen(flat.picture.uv[5])).astype(int).tolist())
    )
    assert session.selection.kind == "points" and len(session.selection) == 1
    qtbot.mouseDClick(
        flat, LEFT, NONE, QPoint(*np.rint(flat.placing.to_screen(flat.picture.uv[5])).astype(int).tolist())
    )
    assert len(session.selection) >= 4


@needs_screen
def test_a_drag_moves_an_island_live_and_esc_takes_it_back(empty: Hands) -> None:
    box_with_uv(empty)
    flat, session, window = empty.window.uv.flat, empty.session, empty.window
    before = session.part.mesh.uv.copy()
    empty.qtbot.mouseClick(flat, LEFT, NONE, middle_of(empty, 3))
    start = middle_of(empty, 3)
    drag(empty, start, start + QPoint(40, -20))
    after = session.part.mesh.uv
    moved = (after - before)[12:16]
    expected = flat.placing.to_uv(start + QPoint(40, -20)) - flat.placing.to_uv(start)
    assert np.allclose(moved, expected, atol=1.5 / flat.placing.scale)
    rest = np.ones(24, dtype=bool)
    rest[12:16] = False
    assert np.array_equal(after[rest], before[rest])
    assert window.sentence.is_open and session.state.sentence.startswith("Move the UV of 1 face")
    empty.key(Key.Key_Escape)
    assert np.array_equal(session.part.mesh.uv, before)
    session.redo()
    assert np.array_equal(session.part.mesh.uv, after)


@needs_screen
def test_keys_turn_and_scale_in_the_uv_view_and_move_parts_elsewhere(empty: Hands) -> None:
    box_with_uv(empty)
    flat, session, qtbot = empty.window.uv.flat, empty.session, empty.qtbot
    qtbot.mouseClick(flat, LEFT, NONE, middle_of(empty, 3))
    before, points = session.part.mesh.uv.copy(), session.part.mesh.points.copy()
    qtbot.keyClick(flat, Key.Key_T)
    middle = before[12:16].mean(axis=0)
    away = before[12:16] - middle
    assert np.allclose(session.part.mesh.uv[12:16], middle + away @ [[0, 1], [-1, 0]], atol=1e-9)
    start = middle_of(empty, 3) + QPoint(30, 0)
    qtbot.keyClick(flat, Key.Key_Return)
    drag(empty, start, start + QPoint(0, -30))
    assert session.state.parameters["angle"] == pytest.approx(45.0, abs=3.0)
    qtbot.keyClick(flat, Key.Key_Return)
    qtbot.keyClick(flat, Key.Key_S)
    assert session.state.parameters["scale"] == 0.8
    qtbot.keyClick(flat, Key.Key_Return)
    assert np.array_equal(session.part.mesh.points, points) and empty.view.mode is None
    # In a view the same key is the view's.
    empty.view.setFocus()
    empty.key(Key.Key_M)
    assert empty.view.mode == "move"


@needs_screen
def test_cut_by_a_seam_and_joined_again_by_the_tools_below(empty: Hands) -> None:
    box_with_uv(empty)
    session, panel = empty.session, empty.window.uv
    assert panel.words.text().startswith("6 islands · stretched 1 ×")
    mesh = session.part.mesh
    edge = int(mesh.topology.corner_edge[mesh.topology.face_offsets[0]])
    empty.window.set_kind("edges")
    session.select(edges=[tuple(mesh.topology.edges[edge].tolist())])
    join = next(button for button in panel.tools if button.text() == "Join UV")
    empty.qtbot.mouseClick(join, LEFT)
    assert len(np.unique(island_labels(session.part.mesh))) == 5
    empty.settle()
    assert panel.words.text().startswith("5 islands")
    seam = next(button for button in panel.tools if button.text() == "Seam")
    empty.qtbot.mouseClick(seam, LEFT)
    assert len(np.unique(island_labels(session.part.mesh))) == 6


@needs_screen
def test_grounds_zoom_and_what_has_no_uv(empty: Hands) -> None:
    box_with_uv(empty)
    panel, flat = empty.window.uv, empty.window.uv.flat
    plain = flat.grab().toImage()
    empty.qtbot.mouseClick(panel.buttons["checker"], LEFT)
    assert flat.grab().toImage() != plain and panel.buttons["checker"].isChecked()
    empty.qtbot.mouseClick(panel.buttons["stretch"], LEFT)
    # Even everywhere: white.
    place = middle_of(empty, 3) + QPoint(4, 4)
    assert QColor(flat.grab().toImage().pixel(place)).lightness() > 240
    session = empty.session
    session.select(faces=[3])
    session.select_none()
    session.select(points=[int(session.part.mesh.topology.corners[12])])
    session.do("move_uv", right=0.2)
    empty.settle()
    assert "at most 1 ×" not in panel.words.text()
    under = flat.placing.to_uv(QPointF(50, 60))
    wheel = QWheelEvent(
        QPointF(50, 60), QPointF(flat.mapToGlobal(QPoint(50, 60))), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
        NONE, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(flat, wheel)
    assert np.allclose(flat.placing.to_uv(QPointF(50, 60)), under)
    session.do("add_box", name="bare")
    empty.settle()
    assert flat.picture is None and panel.words.text() == ""
    flat.grab()
    empty.window.uv.toggle()
    assert panel.isHidden()
