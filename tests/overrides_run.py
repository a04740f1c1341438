"""Every method of the toolkit that the program overrides, called by the toolkit with errors of compiled code in it.

Run in a process of its own: it ends here where an error is let out unguarded. Prints how often the toolkit called.
"""

from __future__ import annotations

import importlib
import pkgutil
import sys
from collections.abc import Callable, Iterator

import shiboken6
from PySide6.QtCore import QCoreApplication, QEvent, QMimeData, QObject, QPoint, QPointF, QSize, Qt
from PySide6.QtGui import (
    QCloseEvent,
    QContextMenuEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QEnterEvent,
    QFocusEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import QApplication, QHBoxLayout, QListWidget, QWidget

import levelloop.app
from levelloop.app.guard import overrides_of

HERE, THERE, LEFT, PLAIN = QPointF(1, 1), QPoint(1, 1), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
ERRORS: dict[str, Callable[[], object]] = {
    "IndexError": lambda: [][1],
    "ZeroDivisionError": lambda: 1 / len(()),
    "ValueError": lambda: int("x"),
    "StopIteration": lambda: next(iter(())),
    "KeyError": lambda: {}["x"],
}


def our_classes() -> Iterator[type]:
    """Every class of the package that is derived from one of the toolkit's."""
    for module in pkgutil.walk_packages(levelloop.app.__path__, "levelloop.app."):
        importlib.import_module(module.name)
    left, seen = [shiboken6.Shiboken.Object], set()
    while left:
        for kind in type.__subclasses__(left.pop()):
            if kind not in seen:
                seen.add(kind)
                left.append(kind)
                if kind.__module__.startswith("levelloop"):
                    yield kind


def overridden() -> list[tuple[type, str]]:
    """The toolkit's classes, and the methods of theirs that ours override."""
    found = {
        (next(base for base in kind.__mro__ if base.__module__.startswith("PySide6")), name)
        for kind in our_classes()
        for name in overrides_of(kind)
    }
    return sorted(found, key=lambda one: (one[0].__name__, one[1]))


def mouse(kind: QEvent.Type) -> QMouseEvent:
    return QMouseEvent(kind, HERE, HERE, LEFT, LEFT, PLAIN)


def key(kind: QEvent.Type, what: Qt.Key = Qt.Key.Key_B) -> QKeyEvent:
    return QKeyEvent(kind, what, PLAIN)


def drop(kind: type, data: QMimeData) -> QEvent:
    where = HERE if kind is QDropEvent else THERE
    return kind(where, Qt.DropAction.CopyAction, data, LEFT, PLAIN)  # type: ignore[no-any-return]


DATA = QMimeData()
EVENTS: dict[str, Callable[[], QEvent]] = {
    "changeEvent": lambda: QEvent(QEvent.Type.StyleChange),
    "closeEvent": QCloseEvent,
    "contextMenuEvent": lambda: QContextMenuEvent(QContextMenuEvent.Reason.Keyboard, THERE, THERE),
    "dragEnterEvent": lambda: drop(QDragEnterEvent, DATA),
    "dragLeaveEvent": QDragLeaveEvent,
    "dragMoveEvent": lambda: drop(QDragMoveEvent, DATA),
    "dropEvent": lambda: drop(QDropEvent, DATA),
    "enterEvent": lambda: QEnterEvent(HERE, HERE, HERE),
    "event": lambda: QEvent(QEvent.Type.User),
    "focusInEvent": lambda: QFocusEvent(QEvent.Type.FocusIn),
    "hideEvent": QHideEvent,
    "keyPressEvent": lambda: key(QEvent.Type.KeyPress),
    "keyReleaseEvent": lambda: key(QEvent.Type.KeyRelease),
    "focusNextPrevChild": lambda: key(QEvent.Type.KeyPress, Qt.Key.Key_Tab),
    "leaveEvent": lambda: QEvent(QEvent.Type.Leave),
    "mouseDoubleClickEvent": lambda: mouse(QEvent.Type.MouseButtonDblClick),
    "mouseMoveEvent": lambda: mouse(QEvent.Type.MouseMove),
    "mousePressEvent": lambda: mouse(QEvent.Type.MouseButtonPress),
    "mouseReleaseEvent": lambda: mouse(QEvent.Type.MouseButtonRelease),
    "paintEvent": lambda: QPaintEvent(QWidget().rect()),
    "resizeEvent": lambda: QResizeEvent(QSize(5, 5), QSize(4, 4)),
    "showEvent": QShowEvent,
    "wheelEvent": lambda: QWheelEvent(
        HERE, HERE, THERE, THERE, Qt.MouseButton.NoButton, PLAIN, Qt.ScrollPhase.NoScrollPhase, False
    ),
}


def call(thing: QObject, name: str) -> None:
    """Lets the toolkit call a method of an object."""
    other = QWidget()
    if name == "eventFilter":
        other.installEventFilter(thing)
        QCoreApplication.sendEvent(other, QEvent(QEvent.Type.User))
    elif name == "sizeHint":
        QHBoxLayout(other).addWidget(thing)
        other.layout().sizeHint()
    elif isinstance(thing, QListWidget) and name in ("mimeTypes", "mimeData"):
        thing.addItem("one")
        thing.model().mimeTypes() if name == "mimeTypes" else thing.model().mimeData([thing.model().index(0, 0)])
    elif isinstance(thing, QOpenGLWidget) and name.endswith("GL"):
        thing.resize(20, 20)
        thing.show()
        thing.grabFramebuffer()
    elif name.startswith(("drag", "drop")):
        # The application would want a whole drag: what it calls in the end is asked for at once.
        take = QListWidget.viewportEvent if isinstance(thing, QListWidget) else QWidget.event
        take(thing, EVENTS[name]())
    else:
        within = isinstance(thing, QListWidget) and name == "resizeEvent"
        QCoreApplication.sendEvent(thing.viewport() if within else thing, EVENTS[name]())


def main() -> None:
    app = QApplication(sys.argv)
    told: list[type] = []
    sys.excepthook = lambda kind, error, trace: told.append(kind)
    called = 0
    for base, name in overridden():
        for wanted, fail in ERRORS.items():
            calls = []

            def override(self: object, *given: object, calls: list[int] = calls, fail: object = fail) -> object:
                calls.append(1)
                return fail()  # type: ignore[operator]

            kind = type("Tried", (base,), {name: override})
            print(base.__name__, name, wanted, flush=True)
            told.clear()
            thing = kind()
            try:
                # Where the toolkit was called from Python the error comes back there; else it is told by the hook.
                call(thing, name)
                app.processEvents()
            except Exception as error:
                told.append(type(error))
            if not calls:
                print(f"NOT CALLED: {base.__name__}.{name}")
            elif wanted not in {one.__name__ for one in told}:
                print(f"NOT TOLD: {base.__name__}.{name} {wanted}: {told}")
            called += len(calls)
            if shiboken6.isValid(thing):
                shiboken6.delete(thing)
    print(f"{called} calls survived")


if __name__ == "__main__":
    main()
