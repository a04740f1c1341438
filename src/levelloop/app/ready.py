"""What the first operation and the first file would wait for is made ready while nobody waits."""

from __future__ import annotations

import gc
import time
from threading import Thread

from PySide6 import QtCore, QtGui, QtWidgets
from PySide6.QtCore import QObject, QTimer

from levelloop.files.usd import make_ready as make_stages_ready

AFTER = 1000  # milliseconds that a new window is left alone
PAUSE = 10  # milliseconds between two slices
SLICE = 0.003  # seconds


class Ready(QObject):
    """Makes things ready beside a window, a few at a time."""

    _has_frozen = False  # once for the program: what windows after the first leave behind is garbage

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        # The toolkit makes its types when they are met; the first event that a filter sees would meet all of them.
        self._types = ((module, name) for module in (QtCore, QtGui, QtWidgets) for name in dir(module))
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._make_some)
        self._is_begun = False

    def begin(self) -> None:
        """Begins a while from now."""
        self._timer.start(AFTER)

    def stop(self) -> None:
        """Leaves the rest to when it is needed."""
        self._timer.stop()

    def _make_some(self) -> None:
        if not self._is_begun:
            self._is_begun = True
            Thread(target=_load, name="ready").start()
            self._timer.start(PAUSE)
        until = time.perf_counter() + SLICE
        for module, name in self._types:
            getattr(module, name)
            if time.perf_counter() > until:
                return
        self._timer.stop()
        # What is there by now stays: looking through it for garbage would take 60 ms each time.
        if not Ready._has_frozen:
            Ready._has_frozen = True
            gc.freeze()


# Helpers


def _load() -> None:
    make_stages_ready()
    # What sorts out the elements of large cages.
    import scipy.sparse.csgraph  # noqa: F401
