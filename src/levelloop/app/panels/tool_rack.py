"""The tool rack: tools by purpose, with words; it shows what the selection allows."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QScrollArea, QToolButton, QVBoxLayout, QWidget

from levelloop.app.icons import icon
from levelloop.app.theme import Theme, plain_label, text_font
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation
from levelloop.document.session import Session

GROUPS = ("Shape", "Build", "Cut", "Join", "Smooth")


class ToolRack(QScrollArea):
    """A narrow column of tools. chosen: the key of a tool; mode: says which handle the views show."""

    chosen = Signal(str)

    def __init__(self, session: Session, mode: Callable[[], str | None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self._mode = session, mode
        self.setObjectName("rack")
        self.setFixedWidth(124)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        inside = QWidget()
        inside.setObjectName("rack")
        column = QVBoxLayout(inside)
        column.setContentsMargins(6, 6, 4, 6)
        column.setSpacing(0)
        self.buttons: dict[str, QToolButton] = {}
        for group in GROUPS:
            label = plain_label(group.upper(), inside)
            label.setObjectName("heading")
            label.setFont(text_font(7.5, text_font().Weight.DemiBold))
            label.setContentsMargins(5, 6 if group != GROUPS[0] else 2, 0, 2)
            column.addWidget(label)
            for operation in REGISTRY.all():
                if operation.group == group:
                    column.addWidget(self._button(operation, inside))
        column.addStretch(1)
        self.setWidget(inside)

    def _button(self, operation: Operation, parent: QWidget) -> QToolButton:
        button = QToolButton(parent)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        button.setIcon(icon(operation.icon))
        button.setIconSize(QSize(17, 17))
        button.setText(operation.title)
        button.setFont(text_font(9))
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        button.setFixedSize(106, 24)
        button.clicked.connect(lambda: self.chosen.emit(operation.key))
        self.buttons[operation.key] = button
        return button

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Draws the icons in another theme's colours."""
        for key, button in self.buttons.items():
            button.setIcon(icon(REGISTRY[key].icon, theme.ink, theme.selection))

    def refresh(self) -> None:
        """Shows which tools fit the selection."""
        selection = self.session.selection if self.session.document.parts else None
        for key, button in self.buttons.items():
            operation = REGISTRY[key]
            reason = ""
            if operation.acts_on == "cage":
                reason = "There is no part yet." if selection is None else operation.why_not(selection)
                if operation.tool and selection is not None and len(selection) == 0:
                    # A click in the view picks what it needs.
                    reason = ""
            button.setEnabled(not reason)
            keys = f"  ({operation.shortcut})" if operation.shortcut else ""
            button.setToolTip(operation.hint + keys + (f"\n{reason}" if reason else ""))
            is_on = bool(operation.handle) and operation.handle == self._mode()
            button.setCheckable(is_on)
            button.setChecked(is_on)
