"""PySide6 6.12.0 loses references on Python 3.11 until the process dies; the pinned version must not."""

from __future__ import annotations

import sys

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot


class Sender(QObject):
    said = Signal(bool)


def test_a_hundred_signals_cost_no_reference_to_true(qtbot: QtBot) -> None:
    sender, heard = Sender(), []
    sender.said.connect(heard.append)
    before = sys.getrefcount(True)
    for _ in range(100):
        sender.said.emit(True)
    heard.clear()
    assert abs(sys.getrefcount(True) - before) < 20


def test_a_hundred_clicks_cost_no_reference_to_none(qtbot: QtBot) -> None:
    button = QPushButton()
    qtbot.addWidget(button)
    pressed = []
    button.clicked.connect(lambda: pressed.append(1))
    button.show()
    before = sys.getrefcount(None)
    for _ in range(100):
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    assert len(pressed) == 100
    assert sys.getrefcount(None) - before > -20
