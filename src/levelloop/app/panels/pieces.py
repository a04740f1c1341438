"""Small pieces that panels are made of."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QListWidget, QWidget

from levelloop.app.theme import plain_label, text_font


def heading(text: str, parent: QWidget) -> QLabel:
    """A small heading over a panel."""
    label = plain_label(text, parent)
    label.setObjectName("heading")
    label.setFont(text_font(9.5, text_font().Weight.DemiBold))
    return label


def quiet_list(parent: QWidget, result: QListWidget | None = None) -> QListWidget:
    """A list that never scrolls sideways; one that is there already, or a new one."""
    result = QListWidget(parent) if result is None else result
    result.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    result.setFont(text_font(9))
    result.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return result
