"""Calls in the window's thread that other threads ask for, and garbage that is collected only there.

The toolkit's objects may end in the window's thread alone: ending, one holds a lock of the toolkit and waits for the
interpreter, while that thread may hold the interpreter and wait for the lock. So what other threads hold are plain
values, never such objects, and the interpreter looks for cycles, of which such objects are part, here and nowhere else.
"""

from __future__ import annotations

import contextlib
import gc
from collections.abc import Callable
from functools import cache

from PySide6.QtCore import QObject, Qt, QTimer, Signal

COLLECTED_EVERY = 500  # milliseconds between two looks at what could be collected


class Post(QObject):
    """Carries calls to the thread it was made in."""

    _asked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._asked.connect(self._call, Qt.ConnectionType.QueuedConnection)

    def ask(self, call: Callable[[], None]) -> None:
        """Has something called in the window's thread, soon; from any thread."""
        # Where the program has ended meanwhile there is nobody left to call.
        with contextlib.suppress(RuntimeError):
            self._asked.emit(call)

    def _call(self, call: Callable[[], None]) -> None:
        call()


@cache
def post() -> Post:
    """The post of the program; first asked for in the window's thread."""
    return Post()


class Collector(QObject):
    """Collects cycles in the window's thread alone, by the interpreter's own thresholds, until it is stopped."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.collect)
        self._timer.start(COLLECTED_EVERY)

    def stop(self) -> None:
        """Leaves it to the interpreter again."""
        self._timer.stop()
        gc.enable()

    def collect(self) -> None:
        """Collects the youngest that are many, and older ones as often as the interpreter would."""
        counts, thresholds = gc.get_count(), gc.get_threshold()
        due = [age for age in range(3) if counts[age] > thresholds[age]]
        if due:
            gc.collect(due[-1])
