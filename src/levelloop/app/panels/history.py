"""The history, opened from the sentence bar: what was done in sentences, a click goes there, numbers can be changed."""

from __future__ import annotations

import html

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from levelloop.app.theme import Theme, plain_label, text_font
from levelloop.document.running.replay import briefly
from levelloop.document.session import Session


class HistoryPopover(QWidget):
    """Every entry of the history; what was undone is faint.

    asked_change: the numbers of an entry are to be changed; asked_compare: it is to be held against what is now.
    """

    asked_change = Signal(int)
    asked_compare = Signal(int)

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popover")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session, self.theme = session, theme
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(6)
        told = plain_label("What was done. A click goes there; its numbers can be changed.", self)
        told.setFont(text_font(9))
        told.setObjectName("quiet")
        column.addWidget(told)
        self.list = QListWidget(self)
        self.list.setFont(text_font(9.5))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.itemClicked.connect(lambda item: self.session.go_to(self.list.row(item)))
        self.list.itemActivated.connect(lambda item: self.session.go_to(self.list.row(item)))
        column.addWidget(self.list, 1)
        self.change = QPushButton("Change its numbers", self)
        self.change.setToolTip("What follows runs again; what no longer fits is said and left out")
        self.change.clicked.connect(self._ask_change)
        self.compare = QPushButton("Compare with now", self)
        self.compare.setToolTip("As it was then left of a line across the view, as it is now right of it")
        self.compare.clicked.connect(self._ask_compare)
        line = QHBoxLayout()
        line.addWidget(self.change, 1)
        line.addWidget(self.compare, 1)
        column.addLayout(line)
        self.list.currentRowChanged.connect(lambda _: self._follow_row())
        self.resize(440, 360)

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.list.clear()
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Shows the list in another theme."""
        self.theme = theme
        self.refresh()

    def open_at(self, place: QPoint) -> None:
        """Shows itself below a place on the screen, at what was done last."""
        self.move(place)
        self.show()
        self.refresh()
        self.list.setFocus()

    def refresh(self) -> None:
        """Brings the list up to date while it is open."""
        if not self.isVisible():
            return
        history = self.session.history
        self.list.blockSignals(True)
        while self.list.count() > len(history):
            self.list.takeItem(self.list.count() - 1)
        for row, state in enumerate(history):
            item = self.list.item(row)
            if item is None:
                item = QListWidgetItem(self.list)
            words = briefly(state)
            if item.text() != words:
                item.setText(words)
                item.setToolTip(html.escape(" ".join(filter(None, (state.sentence + ".", state.message)))))
            item.setForeground(QColor(self.theme.ink if row <= self.session.here else self.theme.faint))
        self.list.setCurrentRow(self.session.here)
        self.list.scrollToItem(self.list.item(self.session.here))
        self.list.blockSignals(False)
        self._follow_row()

    # Helpers

    def _follow_row(self) -> None:
        row = self.list.currentRow()
        history = self.session.history
        self.compare.setEnabled(0 <= row < len(history) and row != self.session.here)
        self.change.setEnabled(0 < row < len(history) and bool(history[row].key) and bool(history[row].parameters))

    def _ask_compare(self) -> None:
        row = self.list.currentRow()
        self.hide()
        self.asked_compare.emit(row)

    def _ask_change(self) -> None:
        row = self.list.currentRow()
        self.hide()
        self.asked_change.emit(row)
