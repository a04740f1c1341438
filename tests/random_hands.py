"""Random hands at the real window over the demo: keys, clicks, drags, wheel, commands, fields, undo, four views.

`python tests/random_hands.py SEED COUNT` does so many things, in a process of its own; it exits with 1 where a defect
was told, and however the window ends where it ends. Every draw is checked: no index beyond the vertices of a buffer.
"""

from __future__ import annotations

import faulthandler
import random
import sys
import traceback
from types import TracebackType
from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QSettings, Qt, QTimer
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu, QMessageBox

from levelloop.app.main import application
from levelloop.app.view.render.kept import Kept
from levelloop.app.view.render.pace import Pace
from levelloop.app.view.render.picture import Picture
from levelloop.app.view.viewport import Viewport
from levelloop.app.window import Window
from levelloop.demo.build import demo_document
from levelloop.document.session import Session

BUTTONS = (Qt.MouseButton.LeftButton,) * 5 + (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton)
HELD = (Qt.KeyboardModifier.NoModifier,) * 4 + (Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier)
KEYS = "PEFAMTSUNBLDCJWOKHIVRXYZ123450.-"
MORE = (
    Qt.Key.Key_Escape,
    Qt.Key.Key_Return,
    Qt.Key.Key_Tab,
    Qt.Key.Key_Space,
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Home,
    Qt.Key.Key_Delete,
    Qt.Key.Key_BracketRight,
)
# What leaves the window, or takes longer than a hand has patience for.
LEFT_OUT = ("Quit", "Close", "Still picture", "Open", "Settings", "Shortcut", "Help", "demo", "lesson", "Recent")
MOST_FACES = 20_000


class Hands:
    """A hand that does anything, and what went wrong meanwhile."""

    def __init__(self, window: Window, seed: int) -> None:
        self.window, self.dice = window, random.Random(seed)
        self.done: list[str] = []
        self.defects: list[str] = []
        self.actions = [
            action for name, action in window.key_actions.items() if not any(word in name for word in LEFT_OUT)
        ]
        sys.excepthook = self.tell

    def tell(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """Keeps a defect, with what led to it."""
        lines = "".join(traceback.format_exception(kind, error, trace)[-4:])
        self.defects.append(f"{lines}after {self.done[-6:]}")

    def act(self) -> None:
        """Does something."""
        what = self.dice.choices(
            (self.key, self.click, self.drag, self.move, self.wheel, self.command, self.back, self.views),
            (30, 20, 10, 12, 5, 14, 6, 3),
        )[0]
        what()
        QApplication.processEvents()
        self.close_menus()
        check_pictures(self.window)
        if sum(part.mesh.n_faces for part in self.window.session.document.parts) > MOST_FACES:
            while self.window.session.can_undo:
                self.window.session.undo()

    def key(self) -> None:
        """Presses a key, now and then with another one held."""
        wanted: Any = self.dice.choice(KEYS) if self.dice.random() < 0.7 else self.dice.choice(MORE)
        held = self.dice.choice(HELD)
        if wanted == "O" and held == Qt.KeyboardModifier.ControlModifier:
            return
        self.done.append(f"key {wanted} {held.name}")
        QTest.keyClick(QApplication.focusWidget() or self.view(), wanted, held)

    def click(self) -> None:
        """Clicks somewhere in a view, or on any other widget of the window."""
        view, place, held = self.view(), self.place(), self.dice.choice(HELD)
        times = self.dice.choice((1, 1, 1, 2, 3))
        self.done.append(f"click {place.x(), place.y()} × {times} {held.name}")
        for _ in range(times):
            QTest.mouseClick(view, self.dice.choice(BUTTONS[:5]), held, place)

    def drag(self) -> None:
        """Drags in a view, with any button."""
        view, button, held = self.view(), self.dice.choice(BUTTONS), self.dice.choice(HELD)
        start, end = self.place(), self.place()
        self.done.append(f"drag {button.name} {held.name}")
        QTest.mousePress(view, button, held, start)
        for share in (0.3, 0.7, 1.0):
            QTest.mouseMove(view, start + (end - start) * share)
            QApplication.processEvents()
        QTest.mouseRelease(view, button, held, end)

    def move(self) -> None:
        """Lets the pointer rest somewhere."""
        self.done.append("move")
        QTest.mouseMove(self.view(), self.place())

    def wheel(self) -> None:
        """Turns the wheel."""
        view, at = self.view(), QPointF(self.place())
        self.done.append("wheel")
        turn, held = QPoint(0, self.dice.choice((120, -120))), self.dice.choice(HELD)
        phase = Qt.ScrollPhase.NoScrollPhase
        event = QWheelEvent(at, view.mapToGlobal(at), QPoint(), turn, Qt.MouseButton.NoButton, held, phase, False)
        QApplication.sendEvent(view, event)

    def command(self) -> None:
        """Runs a command of the menus."""
        action = self.dice.choice(self.actions)
        self.done.append(f"command {action.text()}")
        action.trigger()

    def back(self) -> None:
        """Undoes or redoes, or makes another part the active one."""
        session = self.window.session
        what = self.dice.choice(("undo", "redo", "other"))
        self.done.append(what)
        if what == "other" and session.document.parts:
            session.set_active(self.dice.choice(session.document.parts).name)
        elif what == "undo" and session.can_undo:
            session.undo()
        elif what == "redo" and session.can_redo:
            session.redo()

    def views(self) -> None:
        """Shows one, two or four views."""
        count = self.dice.choice((1, 2, 4))
        self.done.append(f"{count} views")
        self.window.panes.show_views(count)

    def view(self) -> Viewport:
        """One of the views that are shown."""
        return self.dice.choice([view for view in self.window.panes.views if view.isVisible()])

    def place(self) -> QPoint:
        """Somewhere in a view, mostly near its middle, where things are."""
        view = self.window.view
        spread = self.dice.choice((0.1, 0.25, 0.5))
        return QPoint(
            round(view.width() * (0.5 + self.dice.uniform(-spread, spread))),
            round(view.height() * (0.5 + self.dice.uniform(-spread, spread))),
        )

    def close_menus(self) -> None:
        """Closes whatever has opened over the window."""
        for widget in QApplication.topLevelWidgets():
            if widget is not self.window and widget.isVisible() and (isinstance(widget, QMenu) or widget.isModal()):
                widget.close()
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()


def check_pictures(window: Window) -> None:
    """Raises AssertionError where what a picture draws names vertices or places that it has not."""
    for picture in window.stage.pictures.values():
        check_picture(picture)


def check_picture(picture: Picture) -> None:
    """The same for one picture."""
    assert int(picture.indices.max(initial=0)) < max(len(picture.vertices), 1)
    assert len(picture.triangle_face) == len(picture.indices)
    assert int(picture.triangle_face.max(initial=-1)) < picture.part.mesh.n_faces
    assert all(first >= 0 and first + count <= len(picture.indices) for _, first, count in picture.groups)
    assert picture.bends is None or len(picture.bends) == len(picture.vertices)
    assert len(picture.cage_places) == picture.part.mesh.n_points
    for kind_of in (picture.copied_points, picture.copied_edges):
        numbers, sources = kind_of
        assert int(np.max(numbers, initial=-1)) < len(picture.places) and len(numbers) == len(sources)
    if picture.changes is not None:
        assert int(picture.changes.rows.max(initial=-1)) < len(picture.vertices)


def main() -> int:
    """Lets hands loose; 1 where something went wrong."""
    faulthandler.enable()
    seed, count = int(sys.argv[1]), int(sys.argv[2])
    QFileDialog.getOpenFileName = staticmethod(lambda *_, **__: ("", ""))  # type: ignore[assignment]
    QFileDialog.getSaveFileName = staticmethod(lambda *_, **__: ("", ""))  # type: ignore[assignment]
    QMessageBox.exec = lambda _: QMessageBox.StandardButton.Cancel  # type: ignore[assignment, method-assign]
    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, sys.argv[3])
    if seed % 5:
        # Without a graphics card a fine picture takes half a second; most seeds do more in that time.
        Pace.grade = lambda self, turns, load: "plain"  # type: ignore[method-assign, assignment]
    Kept.is_checked = True
    app = application()
    window = Window(Session(demo_document()))
    window.setProperty("unattended", True)
    window.resize(1280, 800)
    window.show()
    QTest.qWaitForWindowExposed(window)
    hands = Hands(window, seed)
    # A menu that is open waits for a hand.
    closing = QTimer()
    closing.timeout.connect(hands.close_menus)
    closing.start(300)
    for _ in range(count):
        try:
            hands.act()
        except Exception as error:
            # A call from Python into the toolkit gives back what was raised within.
            hands.tell(type(error), error, error.__traceback__)
        told = window.message
        if told.startswith("■ That went wrong") and told not in hands.done:
            hands.defects.append(f"{told} after {hands.done[-6:]}")
            hands.done.append(told)
    window.stage.wait()
    window.close()
    app.processEvents()
    for defect in hands.defects:
        print(defect)
    print(f"{len(hands.done)} things done with seed {seed}, {len(hands.defects)} defects")
    return 1 if hands.defects else 0


if __name__ == "__main__":
    sys.exit(main())
