"""Opening the window."""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QSurfaceFormat
from PySide6.QtWidgets import QApplication

from levelloop.app.icons import icon
from levelloop.app.theme import BENCH, load_fonts, style_sheet, text_font
from levelloop.app.viewport import surface_format
from levelloop.app.window import Window
from levelloop.document.session import Session


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


def open_window(file: Path | None, demo: bool) -> int:
    """Opens the window on a file, the demo or an empty document; returns the exit code."""
    session = Session.new()
    if demo:
        from levelloop.demo.build import demo_document

        session = Session(demo_document())
    elif file is not None:
        # A file that cannot be opened is one line on the terminal, before any window appears.
        session = Session.open(file)
    app = application()
    window = Window(session)
    window.resize(1280, 800)
    window.show()
    return app.exec()
