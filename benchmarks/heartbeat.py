"""How long the window's thread is blocked in a scripted session on a large cage, drawing not counted.

A timer beats every 5 ms; the longest silence, less what was drawn in it, is what a person would feel as a stop. Of
each step the middle one of several rounds counts: other work of the machine disturbs one round or another.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from statistics import median
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from levelloop.app.main import application
from levelloop.app.view.render.renderer import Renderer
from levelloop.app.view.viewport import Viewport
from levelloop.app.window import Window
from levelloop.core.mesh.selection import Selection
from levelloop.document.operations import REGISTRY
from levelloop.document.session import Session

CELLS = 129  # 6 · 129² = 99,846 faces
BEAT = 5  # milliseconds
ROUNDS = 3
AFTER = 1.2  # seconds of peace after each step: reviews and surfaces arrive


class Heart:
    """Beats in the window's thread; remembers each step's longest silence, in seconds without drawing."""

    def __init__(self) -> None:
        self.drawn = 0.0
        self.longest: dict[str, float] = {}
        self.step = ""
        self._last, self._drawn_before = time.perf_counter(), 0.0
        self._timer = QTimer()
        self._timer.timeout.connect(self._beat)
        self._timer.start(BEAT)
        self._drawing = {name: getattr(Renderer, name) for name in ("draw", "read", "finish")}
        for name, draw in self._drawing.items():
            setattr(Renderer, name, self._timed(draw))

    def stop(self) -> None:
        """Beats no more; what was timed is as it was."""
        self._timer.stop()
        for name, draw in self._drawing.items():
            setattr(Renderer, name, draw)

    def watch(self, view: Viewport) -> None:
        """Counts what the window system makes of a view's picture as drawing too."""
        began = [0.0]

        def start() -> None:
            began[0] = time.perf_counter()

        def end() -> None:
            self.drawn += time.perf_counter() - began[0] if began[0] else 0.0
            began[0] = 0.0

        view.aboutToCompose.connect(start)
        view.frameSwapped.connect(end)

    def _timed(self, draw: Callable[..., Any]) -> Callable[..., Any]:
        def timed(*arguments: Any, **named: Any) -> Any:
            start = time.perf_counter()
            result = draw(*arguments, **named)
            self.drawn += time.perf_counter() - start
            return result

        return timed

    def _beat(self) -> None:
        now = time.perf_counter()
        silence = now - self._last - (self.drawn - self._drawn_before)
        self._last, self._drawn_before = now, self.drawn
        self.longest[self.step] = max(self.longest.get(self.step, 0.0), silence)


def steps(window: Window, folder: Path) -> Iterator[tuple[str, Callable[[], object]]]:
    """What a person does in an hour, one thing after the other."""
    session = window.session

    def pick(kind: str, indices: list[int]) -> None:
        session.set_selection(Selection(kind, np.array(indices)))  # type: ignore[arg-type]

    yield "select a face", lambda: pick("faces", [50])
    yield "grow", lambda: session.do("grow")
    yield "extrude", lambda: window.sentence.start(REGISTRY["extrude"], {"distance": 2.0}, False)
    yield "change the number", lambda: window.sentence.change(distance=3.0)
    yield "undo", window.operating.undo
    yield "redo", window.operating.redo
    yield "select an edge", lambda: pick("edges", [2000])
    yield "select its loop", lambda: session.do("select_loop")
    yield "bevel", lambda: window.sentence.start(REGISTRY["bevel"], {"width": 0.02}, False)
    yield "select all", lambda: window.select_all()
    yield "relax all", lambda: window.sentence.start(REGISTRY["relax"], {"times": 5}, False)
    yield "select a point", lambda: pick("points", [7])
    softly = {"by": (0.0, 0.0, 1.0), "soft_range": 8.0}
    yield "move softly", lambda: window.sentence.start(REGISTRY["move"], softly, False)
    yield "smooth level 1", lambda: window.levels.show(1)
    yield "cage again", lambda: window.levels.show("cage")
    yield "save", lambda: window.on_files.save_path(folder / "large.usdc")
    yield "export", lambda: window.on_files.export_path(folder / "large.stl")
    yield "open", lambda: window.on_files.open_path(folder / "large.usdc")


def longest_silence(told: Callable[[str], None] = lambda _: None) -> float:
    """Runs the session in some rounds; the longest block of the window's thread, in milliseconds."""
    rounds = [one_round() for _ in range(ROUNDS)]
    middles = {name: 1000.0 * median(silences[name] for silences in rounds) for name in rounds[0]}
    for name, silence in middles.items():
        told(f"{name}: {silence:.0f} ms, at most {1000.0 * max(silences[name] for silences in rounds):.0f} ms")
    return max(middles.values())


def one_round() -> dict[str, float]:
    """Runs the session in a window of its own; each step's longest silence, in seconds."""
    application()
    session = Session.new()
    session.do("add_box", size=(100, 100, 100), cells=(CELLS, CELLS, CELLS), name="large")
    session.do("set_level", level=1)
    window = Window(session)
    window.setProperty("unattended", True)
    window.resize(1280, 800)
    window.show()
    heart = Heart()
    for view in window.panes.views:
        heart.watch(view)
    live(AFTER + 2.0)
    heart.longest.clear()
    with TemporaryDirectory() as folder:
        for name, act in steps(window, Path(folder)):
            heart.step = name
            QTimer.singleShot(0, act)
            live(AFTER)
    window.close()
    heart.stop()
    return heart.longest


def live(seconds: float) -> None:
    """Lets the window live, as its own loop does."""
    from PySide6.QtCore import QEventLoop

    loop = QEventLoop()
    QTimer.singleShot(round(1000 * seconds), loop.quit)
    loop.exec()
    QApplication.processEvents()


if __name__ == "__main__":
    longest = longest_silence(print)
    print(f"longest: {longest:.0f} ms")
    sys.exit(0 if longest <= 100 else 1)
