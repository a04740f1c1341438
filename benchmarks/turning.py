"""How a view follows the hand: frames while it turns, and the element under the pointer lit, in the real window."""

from __future__ import annotations

import time
from statistics import median

from PySide6.QtCore import QEvent, QEventLoop, QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication

from levelloop.app.main import application
from levelloop.app.view.viewport import Viewport
from levelloop.app.window import Window
from levelloop.demo.build import demo_document
from levelloop.document.session import Session

FRAMES = 8
RIGHT, NO_BUTTON, NO_KEY = Qt.MouseButton.RightButton, Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier


def frames() -> dict[str, float]:
    """Milliseconds: a frame of an empty view, at rest and turning; the demo, 100,000 and 1,000,000 faces turning; from
    the pointer to the lit face in the demo, beside a frame of it at rest; what was uploaded for that, kilobytes; and
    100,000 triangles in clay, and in a material with a shadow.
    """
    application()
    result: dict[str, float] = {}
    for name, session in (
        ("empty", Session.new()),
        ("demo", Session(demo_document())),
        ("100,000", boxed(129)),
        ("1,000,000", boxed(408)),
    ):
        window = Window(session)
        window.setProperty("unattended", True)
        window.resize(1280, 800)
        window.show()
        live(2.0)
        window.stage.wait()
        live(3.0)
        result[f"{name} at rest"] = median(frame(window.view) for _ in range(3))
        result[f"{name} turning"] = turning(window.view)
        if name == "demo":
            result["demo lit"], result["demo uploaded"] = lighting(window.view)
        window.close()
    result["plain"], result["in materials"] = clothed()
    return result


def clothed() -> tuple[float, float]:
    """A frame of 100,000 triangles at rest: in clay without a shadow, and in brass with one."""
    session = boxed(91)
    session.do("set_material", material="brass")
    window = Window(session)
    window.setProperty("unattended", True)
    window.resize(1280, 800)
    window.show()
    live(2.0)
    taken = []
    for look in ({"materials": False, "shadow": False}, {"materials": True, "shadow": True}):
        window.on_view.set_look(**look, wire=False)
        live(0.5)
        taken.append(median(frame(window.view) for _ in range(5)))
    window.close()
    return taken[0], taken[1]


def boxed(cells: int) -> Session:
    session = Session.new()
    session.do("add_box", size=(100, 100, 100), cells=(cells, cells, cells))
    return session


def frame(view: Viewport) -> float:
    """One frame, until it is on the screen."""
    start = time.perf_counter()
    view.refresh()
    _swapped(view)
    return 1000.0 * (time.perf_counter() - start)


def turning(view: Viewport) -> float:
    """The middle one of some frames while the right button drags."""
    middle = view.rect().center()
    send(view, QEvent.Type.MouseButtonPress, middle, RIGHT, RIGHT)
    send(view, QEvent.Type.MouseMove, middle + QPoint(10, 0), NO_BUTTON, RIGHT)
    _swapped(view)
    taken = []
    for step in range(FRAMES):
        start = time.perf_counter()
        send(view, QEvent.Type.MouseMove, middle + QPoint(16 + 6 * step, 2 * step), NO_BUTTON, RIGHT)
        _swapped(view)
        taken.append(1000.0 * (time.perf_counter() - start))
    send(view, QEvent.Type.MouseButtonRelease, middle, RIGHT, NO_BUTTON)
    live(1.5)
    return median(taken)


def lighting(view: Viewport) -> tuple[float, float]:
    """From the pointer on another face to that face lit, the middle one; and the most that was uploaded for one."""
    view.kind = "faces"
    live(0.5)
    taken, uploaded = [], []
    middle = view.rect().center()
    for step in range(FRAMES):
        send(view, QEvent.Type.MouseMove, middle + QPoint(14 * step - 50, 9 * step - 30), NO_BUTTON, NO_BUTTON)
        before, written, start = view.hover, view.frames.uploaded, time.perf_counter()
        view.find_hover()
        if view.hover != before:
            _swapped(view)
            taken.append(1000.0 * (time.perf_counter() - start))
            uploaded.append((view.frames.uploaded - written) / 1000.0)
    return median(taken), max(uploaded)


def send(view: Viewport, kind: QEvent.Type, place: QPoint, button: Qt.MouseButton, buttons: Qt.MouseButton) -> None:
    spot = QPointF(place)
    QApplication.sendEvent(view, QMouseEvent(kind, spot, QPointF(view.mapToGlobal(place)), button, buttons, NO_KEY))


def live(seconds: float) -> None:
    loop = QEventLoop()
    QTimer.singleShot(round(1000 * seconds), loop.quit)
    loop.exec()


# Helpers


def _swapped(view: Viewport) -> None:
    loop = QEventLoop()
    view.frameSwapped.connect(loop.quit)
    loop.exec()
    view.frameSwapped.disconnect(loop.quit)


if __name__ == "__main__":
    for name, number in frames().items():
        print(f"{name}: {number:.1f}")
