"""Small pieces that panels are made of."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QLabel, QListWidget, QToolButton, QWidget

from levelloop.app.icons import icon
from levelloop.app.theme import Theme, plain_label, scaled, text_font


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


def switch(parent: QWidget, theme: Theme, picture: str, hint: str) -> QToolButton:
    """A small switch of a row: its picture says what holds, its hint what a click does."""
    button = tool(parent, hint)
    button.setIconSize(QSize(scaled(15), scaled(15)))
    button.setFixedSize(scaled(20), scaled(20))
    turn(button, theme, picture, hint)
    return button


def turn(button: QToolButton, theme: Theme, picture: str, hint: str) -> None:
    """Lets a switch say that something else holds."""
    button.setAccessibleName(hint)
    button.setToolTip(hint)
    button.setIcon(icon(picture, theme.ink, theme.selection))


def tool(parent: QWidget, hint: str) -> QToolButton:
    """A small button of a row."""
    button = QToolButton(parent)
    button.setToolTip(hint)
    button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return button
