"""A view that turns follows the hand: as finely as it can be drawn in time, and all of it again at rest."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from driving import NONE, RIGHT, Hands, needs_screen
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from levelloop.app.main import application
from levelloop.app.view.render.lighter import CELLS, MANY, lighter, thinned
from levelloop.app.view.render.pace import FAST, Pace
from levelloop.app.view.render.renderer import Renderer
from levelloop.app.window import Window
from levelloop.core.forms.primitives import quad_sphere
from levelloop.core.mesh.faces import triangles
from levelloop.core.mesh.selection import Kind
from levelloop.document.session import Session

NO_BUTTON = Qt.MouseButton.NoButton


@given(st.integers(1, 10**7), st.floats(1e-4, 10), st.floats(1e-4, 10))
def test_a_view_is_drawn_as_finely_as_follows_the_hand(load: int, fine: float, plain: float) -> None:
    pace = Pace()
    assert pace.grade(False, load) == "fine" and pace.tells("fine", load)
    pace.took("fine", load, fine)
    pace.took("plain", load, plain)
    assert pace.grade(False, load) == "fine"
    wanted = "fine" if fine <= FAST else "plain" if plain <= FAST else "light"
    assert pace.grade(True, load) == wanted
    assert not pace.tells("plain", load) and pace.tells("plain", 2 * load + 2)
    # A hundredth of what is drawn takes a hundredth of the time.
    if plain <= 100 * FAST < 100 * fine:
        assert pace.grade(True, load // 100) != "light"
    # What was slow once is tried again after a while.
    for _ in range(60):
        pace.rest()
    assert pace.grade(True, load) != "light"


@some(20)
@given(st.integers(40, 110), st.floats(0.01, 1000), st.tuples(*[st.floats(-1e3, 1e3)] * 3))
def test_a_thinned_surface_stands_for_the_whole(cells: int, size: float, at: tuple[float, float, float]) -> None:
    mesh = quad_sphere(size, cells)
    flat, _ = triangles(mesh.topology, mesh.points)
    vertices = np.concatenate((mesh.points + np.array(at) * 1e-3 * size, mesh.points), axis=1).astype(np.float32)
    indices = flat.astype(np.uint32)
    found = thinned(vertices, indices)
    assert len(found) <= len(indices) and found.max() < len(vertices)
    assert (np.sort(found, axis=1)[:, 1:] != np.sort(found, axis=1)[:, :-1]).all()
    assert len(np.unique(np.sort(found, axis=1), axis=0)) == len(found)
    # It encloses what the whole encloses, facing outward, and no place of it is farther off than a cell is wide.
    a, b, c = (vertices[found[:, corner], :3].astype(np.float64) - vertices[:, :3].mean(axis=0) for corner in range(3))
    volume = np.einsum("ij,ij->", a, np.cross(b, c)) / 6
    assert volume == pytest.approx(np.pi * size**3 / 6, rel=0.06)
    assert np.abs(np.linalg.norm(a, axis=1) - size / 2).max() < 2 * size / CELLS


class Drawn:
    """What a window's views have drawn: whether finely, and how much."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.frames: list[tuple[bool, int]] = []
        draw = Renderer.draw

        def noted(renderer: Renderer, target: int, scene: Any, camera: Any, *rest: Any) -> None:
            self.frames.append((rest[2], scene.load))
            draw(renderer, target, scene, camera, *rest)

        monkeypatch.setattr(Renderer, "draw", noted)


def turn(hands: Hands, kind: QEvent.Type, by: int, button: Qt.MouseButton, buttons: Qt.MouseButton) -> None:
    place = hands.view.rect().center() + QPoint(by, 0)
    spot = QPointF(place)
    event = QMouseEvent(kind, spot, QPointF(hands.view.mapToGlobal(place)), button, buttons, NONE)
    QApplication.sendEvent(hands.view, event)
    QApplication.processEvents()


@needs_screen
def test_many_faces_turn_as_fewer_and_are_all_there_at_rest(empty: Hands, monkeypatch: pytest.MonkeyPatch) -> None:
    empty.session.do("add_box", size=(20, 20, 20), cells=(80, 80, 80))
    empty.settle()
    whole = empty.view.scene()
    assert len(whole.solids[0].picture.indices) > MANY
    assert lighter(whole).load < 0.6 * whole.load
    # As on a machine without a graphics card, however fast this one is.
    empty.view.frames.pace.took("fine", whole.load, 1.0)
    drawn = Drawn(monkeypatch)
    turn(empty, QEvent.Type.MouseButtonPress, 0, RIGHT, RIGHT)
    drawn.frames.clear()
    for step in range(1, 4):
        turn(empty, QEvent.Type.MouseMove, 20 * step, NO_BUTTON, RIGHT)
    turning = list(drawn.frames)
    assert turning and all(not fine and load < 0.6 * whole.load for fine, load in turning)
    turn(empty, QEvent.Type.MouseButtonRelease, 60, RIGHT, NO_BUTTON)
    empty.qtbot.waitUntil(lambda: drawn.frames[-1] == (True, whole.load))
    # So with the wheel, once it has stood for a moment.
    drawn.frames.clear()
    place = QPointF(empty.view.rect().center())
    empty.view.frames.pace.took("fine", whole.load, 1.0)
    event = QWheelEvent(
        place,
        place,
        QPoint(),
        QPoint(0, 120),
        NO_BUTTON,
        NONE,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(empty.view, event)
    QApplication.processEvents()
    assert drawn.frames and not drawn.frames[0][0]
    empty.qtbot.waitUntil(lambda: drawn.frames[-1] == (True, whole.load))


@needs_screen
@pytest.mark.parametrize("kind", ["points", "edges", "faces"])
def test_what_is_selected_is_worked_out_once_for_all_frames(empty: Hands, kind: Kind) -> None:
    empty.session.do("add_box", size=(20, 20, 20), cells=(4, 4, 4))
    empty.session.select_all(kind)
    empty.settle()

    def lit() -> list[int]:
        scene = empty.view.scene()
        arrays = [*(one.places for one in scene.patches), *(one.segments for one in scene.lines)]
        return [id(one) for one in (*arrays, *(dots.places for dots in scene.dots))]

    first = lit()
    empty.view.camera.turn += 20
    assert lit() == first
    # Another selection, other places: what is lit is theirs.
    kept = empty.view.scene()
    empty.session.do("move", by=(3, 0, 0))
    empty.settle()
    moved = empty.view.scene()
    before, after = (
        np.concatenate([one.reshape(-1, 3) for one in (*(p.places for p in s.patches), *(d.places for d in s.dots))])
        if kind != "edges"
        else s.lines[-1].segments.reshape(-1, 3)
        for s in (kept, moved)
    )
    assert after[:, 0] - before[:, 0] == pytest.approx(np.full(len(after), 3.0), abs=1e-5)
    empty.session.select_none()
    assert len(empty.view.scene().patches) == 0


@needs_screen
def test_a_new_window_draws_everything_once(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    application()
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), at=(500, 0, 0))
    drawn = Drawn(monkeypatch)
    window = Window(session)
    window.setProperty("unattended", True)
    qtbot.addWidget(window)
    window.resize(900, 700)
    with qtbot.waitSignal(window.view.frameSwapped):
        window.show()
    assert len(drawn.frames) == 1
    # And it is in the middle of the view.
    assert np.abs(np.array(window.view.camera.target) - [500, 0, 0]).max() < 1
    window.close()
