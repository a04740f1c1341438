"""Hands at the real window: clicks, drags and keys as a person makes them."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QThreadPool, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from levelloop.app.main import application
from levelloop.app.view.picking.picking import element_places
from levelloop.app.window import Window
from levelloop.core.mesh.selection import Kind
from levelloop.core.select.where import select_where
from levelloop.document.session import Session

LEFT = Qt.MouseButton.LeftButton
RIGHT = Qt.MouseButton.RightButton
NONE = Qt.KeyboardModifier.NoModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
CONTROL = Qt.KeyboardModifier.ControlModifier

needs_screen = pytest.mark.skipif(
    application().platformName() != "xcb", reason="the window's tests need X with OpenGL: run make test"
)


class Hands:
    """What a person does at the window."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot, self.view = window, qtbot, window.view

    @property
    def session(self) -> Session:
        return self.window.session

    def settle(self) -> None:
        self.window.stage.wait()
        QApplication.processEvents()

    def review(self) -> None:
        """Reviews what is there now, and waits for what is found."""
        self.window.reviewing.run()
        self.qtbot.waitUntil(lambda: not self.window.reviewing.is_waiting, timeout=60_000)
        self.settle()

    def key(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE) -> None:
        target = QApplication.focusWidget() or self.view
        self.qtbot.keyClick(target, key, modifiers)
        self.settle()

    def type(self, text: str) -> None:
        for letter in text:
            # The first digit opens a field, which takes the others.
            self.qtbot.keyClicks(QApplication.focusWidget() or self.view, letter)
        self.settle()

    def place(self, kind: Kind, index: int) -> QPoint:
        picture = self.window.stage.picture(self.session.document.active)
        assert picture is not None
        x, y, _ = self.view.on_screen(element_places(picture, kind)[[index]])[0]
        return QPoint(round(x), round(y))

    def click(self, kind: Kind, index: int, modifiers: Qt.KeyboardModifier = NONE, times: int = 1) -> None:
        place = self.place(kind, index)
        self.view.choosing.forget_clicks()
        for _ in range(times):
            self.qtbot.mouseClick(self.view, LEFT, modifiers, place)
        self.settle()

    def drag(
        self, start: QPoint, end: QPoint, button: Qt.MouseButton = LEFT, modifiers: Qt.KeyboardModifier = NONE
    ) -> None:
        self.qtbot.mousePress(self.view, button, modifiers, start)
        for share in (0.3, 0.6, 1.0):
            self.move(start + (end - start) * share, button, modifiers)
        self.qtbot.mouseRelease(self.view, button, modifiers, end)
        self.settle()

    def move(
        self,
        place: QPoint,
        button: Qt.MouseButton = Qt.MouseButton.NoButton,
        modifiers: Qt.KeyboardModifier = NONE,
    ) -> None:
        event = QMouseEvent(
            QEvent.Type.MouseMove,
            QPointF(place),
            QPointF(self.view.mapToGlobal(place)),
            Qt.MouseButton.NoButton,
            button,
            modifiers,
        )
        QApplication.sendEvent(self.view, event)
        QApplication.processEvents()

    def edge(self, a: int, b: int) -> int:
        return int(self.session.part.mesh.topology.find_edges([[a, b]])[0])

    def face(self, **conditions: object) -> int:
        found = select_where(self.session.part.mesh, "faces", **conditions)
        return int(found.indices[0])


def opened(session: Session, qtbot: QtBot) -> Iterator[Hands]:
    # A busy machine is no slow hand.
    application().setDoubleClickInterval(5000)
    window = Window(session)
    window.setProperty("unattended", True)
    window.panes.hands.flies = False
    window.resize(1280, 800)
    with qtbot.waitExposed(window):
        window.show()
    window.activateWindow()
    qtbot.waitUntil(lambda: window.view.sight_ready(), timeout=5000)
    hands = Hands(window, qtbot)
    window.view.setFocus()
    hands.settle()
    yield hands
    window.close()
    assert_nothing_runs_on(window)
    window.deleteLater()
    QApplication.processEvents()


def assert_nothing_runs_on(window: Window) -> None:
    """A closed window leaves no timer, thread or window behind."""
    assert not [timer.objectName() for timer in window.findChildren(QTimer) if timer.isActive()]
    pools = [window.stage.findChild(QThreadPool), *window.findChildren(QThreadPool)]
    # What was stopped may still be on its way to the next place where it looks whether it should go on.
    assert all(pool.waitForDone(10_000) for pool in pools if pool is not None)
    others = [widget for widget in QApplication.topLevelWidgets() if widget.isVisible() and widget is not window]
    assert not others, others


def box_in(hands: Hands) -> None:
    hands.window.tools.buttons["add_box"].click()
    hands.settle()
    hands.key(Qt.Key.Key_Return)


def sheet_in(hands: Hands, cells: int = 6, size: float = 60) -> None:
    """A sheet seen straight from above."""
    hands.session.do("add_plane", size=(size, size), cells=(cells, cells))
    hands.view.look("top")
    hands.view.camera.perspective = False
    hands.view.frame(everything=True)
    hands.settle()
