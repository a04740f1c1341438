"""Opening the window."""

from __future__ import annotations

import gc
import os
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QOffscreenSurface, QOpenGLContext, QSurfaceFormat
from PySide6.QtWidgets import QApplication

from levelloop.app.defects import catch_defects
from levelloop.app.icons import icon
from levelloop.app.preferences import Preferences
from levelloop.app.theme import BENCH, load_fonts, style_sheet, text_font
from levelloop.app.view.viewport import surface_format
from levelloop.app.window import Window
from levelloop.core.errors import LevelLoopError
from levelloop.document.session import Session
from levelloop.files.journal import Journal
from levelloop.files.log import keep_log

if TYPE_CHECKING:
    from levelloop.document.document import Document


def application() -> QApplication:
    """The one QApplication, with fonts and style."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication) and existing.property("levelloop"):
        return existing
    QSurfaceFormat.setDefaultFormat(surface_format())
    QApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    app.setProperty("levelloop", True)
    app.setApplicationName("Level Loop")
    app.setDesktopFileName("levelloop")
    app.setStyle("Fusion")
    load_fonts()
    app.setFont(text_font())
    app.setStyleSheet(style_sheet(BENCH))
    app.setWindowIcon(icon("levelloop"))
    return app


def open_window(file: Path | None, made: Callable[[], Document] | None = None) -> int:
    """Opens the window on a file, a document that is being made, or an empty one; returns the exit code."""
    preferences = Preferences.load()
    # A file that cannot be opened is one line on the terminal, before any window appears.
    session = Session(preferences.new_document()) if file is None else Session.open(file)
    _need_screen()
    keep_log()
    app = application()
    _need_opengl()
    safe = preferences.safe
    window = Window(session, Journal() if safe else None)
    catch_defects(window.tell)
    window.resize(1280, 800)
    if made is not None:
        window.adopt(Session(made()))
        # It is there to be seen: smooth, once there is something to see.
        window.view.frameSwapped.connect(window.levels.toggle_all, Qt.ConnectionType.SingleShotConnection)
    window.show()
    # Ctrl+C in the terminal ends the program between two events.
    timer = QTimer()
    timer.start(200)
    timer.timeout.connect(lambda: None)
    signal.signal(signal.SIGINT, lambda *_: app.exit(130))
    # All that was loaded stays; nobody looked through it for garbage so far, nor need anybody.
    gc.freeze()
    return app.exec()


# Helpers


def _need_screen() -> None:
    """Raises LevelLoopError where there is no display: Qt itself would end the process."""
    if sys.platform.startswith("linux") and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        raise LevelLoopError("There is no display to open a window on; the other commands work without one.")


def _need_opengl() -> None:
    """Raises LevelLoopError where OpenGL 3.3 cannot be had: the views would stay empty."""
    surface = QOffscreenSurface()
    surface.create()
    context = QOpenGLContext()
    context.setFormat(surface_format())
    if not context.create() or not context.makeCurrent(surface):
        raise LevelLoopError(
            "This display has no OpenGL, which the views are drawn with; install a driver, such as Mesa."
        )
    version = context.format().version()
    context.doneCurrent()
    if version < (3, 3):
        raise LevelLoopError(f"The views need OpenGL 3.3; this display has {version[0]}.{version[1]}.")
