"""The list that rows of parts and groups stand in: they are dragged to other places."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, Qt, Signal
from PySide6.QtGui import QDragLeaveEvent, QDragMoveEvent, QDropEvent, QKeyEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QAbstractItemView, QFrame, QListWidget, QWidget


class PartList(QListWidget):
    """A list whose rows can be dragged. dropped: which row, onto or before which other, and which of both.

    asked_name: a row's name is to be typed over (F2); folded: a group's row is to be folded (←) or opened (→); turned:
    other rows than before are seen.

    mark: where what is dragged would go: around the row that takes it, or a line before the one it comes before.
    """

    dropped = Signal(int, int, bool)
    asked_name = Signal(int)
    folded = Signal(int, bool)
    turned = Signal()

    def __init__(self, tone: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.tone = tone
        self.mark = QFrame(self.viewport())
        self.mark.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.mark.hide()
        self.verticalScrollBar().valueChanged.connect(self.turned)

    @property
    def seen(self) -> range:
        """The rows that are seen, wholly or in part."""
        if not self.isVisible():
            return range(0)
        first, last = (self.indexAt(place).row() for place in (QPoint(1, 1), QPoint(1, self.viewport().height() - 1)))
        return range(max(first, 0), (last if last >= 0 else self.count() - 1) + 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.turned.emit()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.turned.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_F2:
            self.asked_name.emit(self.currentRow())
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.folded.emit(self.currentRow(), key == Qt.Key.Key_Left)
        elif event.text().isprintable() and event.text():
            # A letter is a command here too, not the beginning of a name.
            event.ignore()
        else:
            super().keyPressEvent(event)

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        super().dragMoveEvent(event)
        self.show_target(*self._target(event.position().toPoint()))

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self.mark.hide()
        super().dragLeaveEvent(event)

    def dropEvent(self, event: QDropEvent) -> None:
        """Tells where the row was let go; the list itself is only changed by the document."""
        row, onto = self._target(event.position().toPoint())
        self.mark.hide()
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        self.dropped.emit(self.currentRow(), row, onto)

    def show_target(self, row: int, onto: bool) -> None:
        """Marks the row that something would be dropped onto, or the place before it."""
        shown = self.visualItemRect(self.item(min(row, self.count() - 1))) if self.count() else QRect()
        if not onto:
            edge = shown.top() if row < self.count() else shown.bottom()
            shown = QRect(shown.left(), edge - 1, shown.width(), 3)
        self.mark.setStyleSheet(f"border: 2px solid {self.tone}; border-radius: {4 if onto else 1}px;")
        self.mark.setGeometry(shown)
        self.mark.raise_()
        self.mark.show()

    def _target(self, place: QPoint) -> tuple[int, bool]:
        """The row at a place, and whether something is dropped onto it, or before it."""
        target, position = self.indexAt(place), self.dropIndicatorPosition()
        row = target.row() if target.isValid() else self.count()
        below = position == QAbstractItemView.DropIndicatorPosition.BelowItem
        return row + below, position == QAbstractItemView.DropIndicatorPosition.OnItem
