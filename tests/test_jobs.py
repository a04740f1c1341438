"""Work off the window's thread: prepared, run anywhere, committed where nothing else was done; stopped, watched."""

from __future__ import annotations

import gc
import threading
import time
import weakref
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pytest
from driving import NONE, Hands, needs_screen, sheet_in
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, QObject, QPoint, QPointF, Qt, QThreadPool, QTimer
from PySide6.QtGui import QCloseEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QApplication, QWidget

from levelloop.app.beside import Work, busy
from levelloop.app.jobs import _Piece
from levelloop.app.ready import Ready
from levelloop.app.tools.dragging import pixel_step
from levelloop.core.errors import EditError
from levelloop.core.lazy import lazy
from levelloop.core.progress import CancelledError, advance, both, in_two, pieces, watched
from levelloop.document.running.jobs import Job
from levelloop.document.session import Session


def boxed() -> Session:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(6, 6, 6))
    return session


def in_a_thread(run: Callable[[], Any]) -> Any:
    results: list[Any] = []
    thread = threading.Thread(target=lambda: results.append(run()))
    thread.start()
    thread.join()
    return results[0]


@pytest.mark.parametrize(
    ("key", "values"),
    [("inset", {"width": 0.5}), ("grow", {}), ("add_plane", {}), ("duplicate", {}), ("set_level", {"level": 3})],
)
def test_a_job_is_what_doing_it_is(key: str, values: dict[str, Any]) -> None:
    one, other = boxed(), boxed()
    for session in (one, other):
        session.select(faces=[3, 4])
    job = one.prepare(key, **values)
    before = one.document
    state = in_a_thread(job.run)
    # Running it changes nothing.
    assert one.document is before and len(one.history) == 2
    assert one.commit(job, state) == other.do(key, **values)
    assert len(one.history) == len(other.history)
    assert one.selection.same_as(other.selection)
    assert np.array_equal(one.part.mesh.points, other.part.mesh.points)


def test_a_job_is_left_out_where_something_else_was_done() -> None:
    session = boxed()
    session.select(faces=[3])
    job = session.prepare("extrude", distance=2)
    state = job.run()
    session.do("add_plane")
    here = session.document
    with pytest.raises(EditError, match="meanwhile"):
        session.commit(job, state)
    assert session.document is here
    with pytest.raises(EditError, match="no operation"):
        session.prepare("no such thing")


@given(st.integers(1, 6), st.integers(1, 5))
def test_progress_only_grows_and_a_stopped_job_changes_nothing(count: int, stop_after: int) -> None:
    session = boxed()
    told: list[float] = []
    session.prepare("slice", plane="x", offsets=tuple(np.linspace(-8, 8, count))).run(told.append)
    assert told == sorted(told) and told[0] == 0.0 and all(0 <= share <= 1 for share in told)
    asked = 0

    def enough() -> bool:
        nonlocal asked
        asked += 1
        return asked > stop_after

    before = session.state
    job = session.prepare("slice", plane="x", offsets=tuple(np.linspace(-8, 8, 9)))
    with pytest.raises(CancelledError):
        job.run(cancel=enough)
    assert session.state is before and asked == stop_after + 1


def test_pieces_of_pieces_share_the_way() -> None:
    told: list[float] = []
    with watched(told.append):
        for _ in pieces(range(2)):
            for _ in pieces(range(2)):
                advance(0.5)
    assert told == [0.0, 0.0, 0.0, 0.125, 0.25, 0.375, 0.5, 0.5, 0.625, 0.75, 0.875]
    advance(0.3)  # nobody watches any more
    assert len(told) == 11


def test_two_calls_at_once_are_waited_for_and_what_goes_wrong_in_either_is_told() -> None:
    asked = threading.Event()

    def waits() -> int:
        assert asked.wait(10)
        return 1

    def asks() -> str:
        asked.set()
        return "two"

    # Each goes on while the other does.
    assert both(waits, asks) == (1, "two")

    def fails() -> int:
        raise EditError("No.")

    done: list[int] = []
    for one, other in ((fails, lambda: done.append(1)), (lambda: done.append(1), fails)):
        with pytest.raises(EditError, match="No"):
            both(one, other)
    assert done == [1, 1]
    # The one in a thread of its own is watched as the caller is.
    cancelled = False

    def looks() -> None:
        nonlocal cancelled
        cancelled = True
        advance(0.5)

    with pytest.raises(CancelledError), watched(cancel=lambda: cancelled):
        both(looks, lambda: None)


@given(st.integers(0, 60))
def test_work_for_two_is_done_once_each(count: int) -> None:
    done: list[int] = []

    def worker(left: Iterator[int]) -> None:
        for one in left:
            done.append(one)

    in_two(range(count), worker)
    assert sorted(done) == list(range(count))


def test_what_is_worked_out_once_is_one_thing_for_all_threads() -> None:
    class Slow:
        @lazy
        def value(self) -> object:
            time.sleep(0.02)
            return object()

    one, other = Slow(), Slow()
    seen: list[object] = []
    threads = [threading.Thread(target=lambda: seen.append(one.value)) for _ in range(4)]
    for thread in threads:
        thread.start()
    began = time.monotonic()
    assert other.value is not None
    # Another instance does not wait for these.
    assert time.monotonic() - began < 0.06
    for thread in threads:
        thread.join()
    assert len({id(value) for value in seen}) == 1 and seen[0] is one.value


# In the window

SLOW = {"plane": "x", "offsets": tuple(np.linspace(-9.9, 9.9, 600))}


def dense(hands: Hands) -> None:
    hands.session.do("add_box", size=(20, 20, 20), cells=(40, 40, 40))
    hands.window.stage.show_until(hands.session.part.id, None, False)
    hands.settle()


def after(milliseconds: int, act: Callable[[], None]) -> None:
    QTimer.singleShot(milliseconds, act)


def drag(widget: QWidget, button: Qt.MouseButton, way: QPoint) -> None:
    middle = widget.rect().center()
    steps = (
        (QEvent.Type.MouseButtonPress, middle, button, button),
        (QEvent.Type.MouseMove, middle + way / 2, Qt.MouseButton.NoButton, button),
        (QEvent.Type.MouseMove, middle + way, Qt.MouseButton.NoButton, button),
        (QEvent.Type.MouseButtonRelease, middle + way, button, Qt.MouseButton.NoButton),
    )
    for kind, place, which, held in steps:
        spot = QPointF(place)
        QApplication.sendEvent(widget, QMouseEvent(kind, spot, widget.mapToGlobal(spot), which, held, NONE))


def test_esc_stops_what_takes_long_and_the_view_turns_meanwhile(empty: Hands) -> None:
    dense(empty)
    window, view = empty.window, empty.view
    before, turn, told = empty.session.state, view.camera.turn, []
    window.runner.told.connect(told.append)
    after(200, lambda: drag(view, Qt.MouseButton.RightButton, QPoint(120, 0)))
    after(300, lambda: drag(view, Qt.MouseButton.LeftButton, QPoint(120, 0)))
    after(400, lambda: QApplication.sendEvent(window, QCloseEvent()))
    after(1200, lambda: QApplication.sendEvent(view, QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Escape, NONE)))
    began = time.monotonic()
    with pytest.raises(CancelledError):
        empty.session.do("slice", **SLOW)
    assert time.monotonic() - began < 8
    assert empty.session.state is before and not window.runner.is_busy
    assert view.camera.turn != turn and window.isVisible()
    assert any("Slice" in sentence and "Esc" in sentence for sentence in told)
    assert any("still runs" in sentence for sentence in told)
    # What comes after runs as ever.
    empty.session.do("slice", plane="x", offsets=(0.1,))
    assert empty.session.part.mesh.n_faces > before.document.part.mesh.n_faces


def test_the_latest_of_two_wins(empty: Hands) -> None:
    dense(empty)
    outcomes: list[str] = []
    after(150, lambda: outcomes.append(empty.session.do("slice", plane="y", offsets=(0.1,))))
    with pytest.raises(CancelledError, match=r"^$"):
        empty.session.do("slice", **SLOW)
    assert len(outcomes) == 1 and empty.session.state.parameters["plane"] == "y"


def test_a_defect_in_the_work_is_told_and_changes_nothing(empty: Hands, monkeypatch: pytest.MonkeyPatch) -> None:
    before = empty.session.state

    def broken() -> None:
        time.sleep(0.1)
        raise ZeroDivisionError

    assert not empty.window.attempt(lambda: empty.window.runner.run(broken, "Thinking"))
    assert "ZeroDivisionError" in empty.window.message and empty.session.state is before


def test_a_drag_goes_on_after_the_work_it_caused(empty: Hands, monkeypatch: pytest.MonkeyPatch) -> None:
    """Moves that come while one is worked out are not lost: the last of them is where the drag ends."""
    sheet_in(empty)
    empty.window.set_kind("points")
    empty.session.select(points=[0])
    empty.window.start("move")
    corner = int(np.argmax(empty.session.part.mesh.points[:, :2].sum(axis=1)))
    before = empty.session.part.mesh.points
    quick = Job.run

    def slowly(self: Job, *arguments: Any) -> Any:
        time.sleep(0.12)
        return quick(self, *arguments)

    monkeypatch.setattr(Job, "run", slowly)
    place = empty.place("points", corner)
    empty.qtbot.mousePress(empty.view, Qt.MouseButton.LeftButton, NONE, place)
    none, left = Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton

    def post(kind: QEvent.Type, at: QPoint, button: Qt.MouseButton, held: Qt.MouseButton) -> None:
        spot = QPointF(at)
        QApplication.postEvent(empty.view, QMouseEvent(kind, spot, empty.view.mapToGlobal(spot), button, held, NONE))

    for step in range(1, 6):
        post(QEvent.Type.MouseMove, place + QPoint(-12 * step, 0), none, left)
    # In the order in which a hand sends them, however long the drawing takes.
    post(QEvent.Type.MouseButtonRelease, place + QPoint(-60, 0), left, none)
    empty.qtbot.waitUntil(lambda: empty.view.gesture is None and not empty.window.runner.is_busy, timeout=20_000)
    empty.settle()
    moved = empty.session.part.mesh.points[corner] - before[corner]
    scale = empty.view.camera.millimetres_per_pixel(empty.view.height())
    assert moved == pytest.approx([-60 * scale, 0, 0], abs=pixel_step(scale))
    assert len(empty.session.history) == 3


# What ends where


@needs_screen
def test_what_other_threads_hold_is_none_of_the_toolkits(empty: Hands) -> None:
    work = Work(lambda: "done", empty.window.tell)
    piece = _Piece(lambda progress, cancel: None)
    for held in (work, piece):
        assert not isinstance(held, QObject)
        assert not [value for value in vars(held).values() if isinstance(value, QObject)]
    # Once it is over it holds no more of who asked, whoever lets go of it last.
    pool = QThreadPool()
    work.start(pool)
    pool.waitForDone()
    QApplication.processEvents()
    assert empty.window.tell not in vars(work).values()


@needs_screen
def test_garbage_ends_in_the_windows_thread(empty: Hands, monkeypatch: pytest.MonkeyPatch) -> None:
    ended: list[str] = []
    # What a first window has loaded after a second stays for good, and all that is there at that moment with it.
    monkeypatch.setattr(Ready, "_has_frozen", True)

    class Ring(QObject):
        """Holds itself, as a widget does that a closure of its own holds."""

        def __init__(self) -> None:
            super().__init__()
            self.me = self
            weakref.finalize(self, lambda: ended.append(threading.current_thread().name))

    def many() -> int:
        # More new objects than the interpreter leaves without looking for garbage.
        return len([[number] for number in range(200_000)])

    for _ in range(50):
        Ring()
    assert in_a_thread(many) == 200_000 and not ended
    # As many as are worth looking for garbage, whatever was found before.
    kept = [[number] for number in range(2 * gc.get_threshold()[0])]
    empty.qtbot.waitUntil(lambda: len(ended) == 50)
    assert set(ended) == {threading.main_thread().name} and kept


@needs_screen
def test_work_beside_the_window_rests_while_it_is_busy(empty: Hands) -> None:
    steps: list[float] = []
    told: list[object] = []

    def run() -> str:
        for _ in range(3):
            advance(0.0)
            steps.append(time.monotonic())
        return "done"

    pool = QThreadPool()
    with busy():
        Work(run, told.append).start(pool)
        time.sleep(0.1)
        assert not steps
    empty.qtbot.waitUntil(lambda: told == ["done"])
    # But never for long: who waits for it while the window is busy gets it.
    with busy():
        Work(run, told.append).start(pool)
        assert pool.waitForDone(10_000)
    empty.qtbot.waitUntil(lambda: told == ["done", "done"])
    # What is no more wanted is not told, even where it had come to its end.
    stopped: list[bool] = []
    late = Work(run, told.append, stopped=lambda: stopped.append(True))
    late.start(pool)
    assert pool.waitForDone(10_000)
    late.stop()
    empty.qtbot.waitUntil(lambda: stopped == [True])
    assert len(told) == 2
