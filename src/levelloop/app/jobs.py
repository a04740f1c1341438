"""Work off the window's thread that somebody waits for, with progress and a way to stop it.

What takes up to 20 ms is waited for; what takes longer goes on while the window lives: the views turn, fields take
text, Esc stops the work. Only one is waited for at a time, and the latest wins.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any, TypeVar

from PySide6.QtCore import QCoreApplication, QEvent, QEventLoop, QObject, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from levelloop.app.beside import busy
from levelloop.app.post import Post, post
from levelloop.core.progress import Cancel, CancelledError, Progress, watched
from levelloop.document.running.jobs import Job
from levelloop.document.running.running import State

AT_ONCE = 0.020  # seconds that the window waits before it goes on living beside the work
SHOWN_EVERY = 100  # milliseconds between two looks at the progress
Result = TypeVar("Result")


class Runner(QObject):
    """Runs what the window waits for.

    told: how far it is, in a sentence. is_steering: whether pointer and wheel on a widget only turn a view.
    """

    told = Signal(str)

    def __init__(self, is_steering: Callable[[QWidget], bool], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._is_steering = is_steering
        self._piece: _Piece | None = None
        self._held: list[tuple[QObject, QEvent]] = []

    @property
    def is_busy(self) -> bool:
        """Whether something runs that is waited for."""
        return self._piece is not None

    def run_job(self, job: Job) -> State:
        """What a job comes to. Raises what it raises, CancelledError where it was stopped."""
        return self._run(lambda progress, cancel: job.run(progress, cancel), job.operation.title)

    def run(self, work: Callable[[], Result], title: str) -> Result:
        """What other work comes to, as for a job."""

        def run_watched(progress: Progress, cancel: Cancel) -> Result:
            with watched(progress, cancel):
                return work()

        return self._run(run_watched, title)

    def stop(self) -> None:
        """Stops what runs: its result is dropped, whatever it still does."""
        if self._piece is not None:
            self._piece.stop("Stopped; nothing has changed.")

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """While something runs: what would edit waits or is dropped, what only looks goes on."""
        if self._piece is None or not isinstance(watched, QWidget) or event.type() not in _INPUT:
            return False
        if isinstance(event, QKeyEvent):
            if event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape:
                self.stop()
                return True
            return not isinstance(watched, QLineEdit)
        if event.type() == QEvent.Type.Close:
            self.told.emit("Something still runs; Esc stops it.")
            event.ignore()
            return True
        if isinstance(event, QMouseEvent):
            return self._mouse(watched, event)
        return not (event.type() == QEvent.Type.Wheel and self._is_steering(watched))

    # Helpers

    def _run(self, work: Callable[[Progress, Cancel], Result], title: str) -> Result:
        outer = self._piece
        if outer is not None:
            # The latest wins.
            outer.stop("")
        piece = _Piece(work)
        self._piece = piece
        try:
            with busy():
                piece.worker.start()
                if not piece.ended.wait(AT_ONCE):
                    self._live_beside(piece, title)
        finally:
            self._piece = outer
        return piece.result()  # type: ignore[no-any-return]

    def _live_beside(self, piece: _Piece, title: str) -> None:
        loop, ticking, began = QEventLoop(), QTimer(), time.monotonic()
        piece.when_over = loop.quit

        def tick() -> None:
            if time.monotonic() - began > 3 * SHOWN_EVERY / 1000.0:
                share = f" {piece.share:.0%}" if piece.share > 0 else ""
                self.told.emit(f"{title} …{share} (Esc stops it)")

        ticking.timeout.connect(tick)
        ticking.start(SHOWN_EVERY)
        application = QCoreApplication.instance()
        assert application is not None
        application.installEventFilter(self)
        try:
            if not piece.is_over:
                loop.exec()
        finally:
            piece.when_over = None
            application.removeEventFilter(self)
            ticking.stop()
            held, self._held = self._held, []
            for receiver, event in held:
                QCoreApplication.postEvent(receiver, event)
        if time.monotonic() - began > 3 * SHOWN_EVERY / 1000.0:
            self.told.emit("")

    def _mouse(self, widget: QWidget, event: QMouseEvent) -> bool:
        left = Qt.MouseButton.LeftButton
        if event.type() == QEvent.Type.MouseButtonPress or event.type() == QEvent.Type.MouseButtonDblClick:
            return event.button() == left or not self._is_steering(widget)
        if event.button() == left or event.buttons() & left:
            # A drag goes on from where the pointer is once the work is done.
            if event.type() == QEvent.Type.MouseMove:
                self._held = [kept for kept in self._held if kept[1].type() != QEvent.Type.MouseMove]
            self._held.append((widget, event.clone()))
            return True
        return not self._is_steering(widget)


class _Piece:
    """One piece of work that is waited for, in a thread of its own.

    when_over: called in the window's thread once it is.
    """

    def __init__(self, work: Callable[[Progress, Cancel], Any]) -> None:
        self._work = work
        self.share = 0.0
        self.ended = threading.Event()
        self.when_over: Callable[[], None] | None = None
        self.worker = threading.Thread(target=self._run, args=(post(),), daemon=True, name="work")
        self._stopped: str | None = None
        self._result: Any = None
        self._error: BaseException | None = None

    @property
    def is_over(self) -> bool:
        return self.ended.is_set() or self._stopped is not None

    def stop(self, reason: str) -> None:
        self._stopped = reason
        self._tell_over()

    def result(self) -> Any:
        if self._stopped is not None:
            raise CancelledError(self._stopped)
        if self._error is not None:
            raise self._error
        return self._result

    def _run(self, over: Post) -> None:
        try:
            self._result = self._work(self._advance, lambda: self._stopped is not None)
        except BaseException as error:
            # Raised again in the thread that waits, by result().
            self._error = error
        finally:
            self.ended.set()
            over.ask(self._tell_over)

    def _tell_over(self) -> None:
        if self.when_over is not None:
            self.when_over()

    def _advance(self, share: float) -> None:
        self.share = share


_INPUT = frozenset(
    {
        QEvent.Type.KeyPress,
        QEvent.Type.Shortcut,
        QEvent.Type.MouseButtonPress,
        QEvent.Type.MouseButtonRelease,
        QEvent.Type.MouseButtonDblClick,
        QEvent.Type.MouseMove,
        QEvent.Type.Wheel,
        QEvent.Type.ContextMenu,
        QEvent.Type.Close,
        QEvent.Type.Drop,
    }
)
