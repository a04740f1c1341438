"""Work beside the window that nobody waits for; its results come back in the window's thread.

It steps aside while the window has something to do: on few processors it would slow each answer. It rests where it asks
whether it is still wanted, and never for long: who waits for it after all gets it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Event
from typing import Any

from PySide6.QtCore import QObject, QThreadPool

from levelloop.app.defects import told_defect
from levelloop.app.post import Post, post
from levelloop.core.errors import LevelLoopError
from levelloop.core.progress import CancelledError, watched

LONGEST = 0.25  # seconds that work rests at a time

_free = Event()
_free.set()
_began = 0  # how often the window's thread, which alone counts, has begun what it has not ended


def begin() -> None:
    """The window has something to do."""
    global _began
    _began += 1
    _free.clear()


def end() -> None:
    """It has done it."""
    global _began
    _began -= 1
    if _began == 0:
        _free.set()


@contextmanager
def busy() -> Iterator[None]:
    """The window has something to do meanwhile."""
    begin()
    try:
        yield
    finally:
        end()


def _nothing(*_: Any) -> None:
    pass


class Work:
    """One piece of work; one of the three is called in the window's thread once it is over.

    arrived: with its result; failed: with a sentence; stopped: where it was no more wanted.
    """

    def __init__(
        self,
        run: Callable[[], Any],
        arrived: Callable[[Any], None],
        failed: Callable[[str], None] = _nothing,
        stopped: Callable[[], None] = _nothing,
    ) -> None:
        self._run, self._arrived, self._failed, self._when_stopped = run, arrived, failed, stopped
        self._is_stopped = False

    def start(self, pool: QThreadPool) -> None:
        """Has it run by a pool."""
        back = post()
        pool.start(lambda: self._work(back))

    def stop(self) -> None:
        """Its result is wanted no more."""
        self._is_stopped = True

    # Helpers

    def _work(self, back: Post) -> None:
        """In a thread of the pool."""
        result, failure = None, None
        try:
            with watched(None, self._steps_aside):
                result = self._run()
        except CancelledError:
            self._is_stopped = True
        except LevelLoopError as error:
            failure = str(error)
        except Exception as error:
            failure = told_defect(error)
        back.ask(lambda: self._answer(result, failure))

    def _answer(self, result: Any, failure: str | None) -> None:
        """In the window's thread; what answers is let go of here, not in the pool's thread."""
        arrived, failed, stopped = self._arrived, self._failed, self._when_stopped
        self._run = self._arrived = self._failed = self._when_stopped = _nothing
        if self._is_stopped:
            stopped()
        elif failure is not None:
            failed(failure)
        else:
            arrived(result)

    def _steps_aside(self) -> bool:
        _free.wait(LONGEST)
        return self._is_stopped


class Later(QObject):
    """Works out one thing at a time that nobody waits for; only what was asked last is shown."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._asked: tuple[Callable[[], Any], Callable[[Any], None]] | None = None
        self._work: Work | None = None

    def ask(self, work: Callable[[], Any], show: Callable[[Any], None]) -> None:
        """Shows what comes of some work, unless something else is asked for before."""
        self._asked = (work, show)
        if self._work is None:
            self._start()

    def forget(self) -> None:
        """Shows nothing of what was asked for."""
        self._asked = None

    def _start(self) -> None:
        assert self._asked is not None
        asked = self._asked
        self._work = Work(asked[0], lambda result: self._arrived(asked, result), lambda _: self._arrived(None, None))
        self._work.start(self._pool)

    def _arrived(self, asked: tuple[Callable[[], Any], Callable[[Any], None]] | None, result: Any) -> None:
        self._work = None
        if asked is not None and asked is self._asked:
            self._asked = None
            asked[1](result)
        elif self._asked is not None and self._asked is not asked:
            self._start()
