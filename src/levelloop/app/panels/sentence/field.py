"""A field of the sentence: one number or word that can be typed, stepped or chosen from a list."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from levelloop.app.theme import text_font


class Field(QLineEdit):
    """One number or word of the sentence; in use it owns the keyboard.

    stepped: arrow keys or wheel, in steps; kept: Enter or Shift+Enter; left: Esc; tabbed: to the next or previous one;
    asked_list: the words that it may be, where it is one of a few.
    """

    stepped = Signal(float)
    kept = Signal(bool)
    left = Signal()
    tabbed = Signal(int)
    axis_turned = Signal(int)
    asked_list = Signal()

    def __init__(self, name: str, hint: str, has_list: bool, parent: QWidget) -> None:
        super().__init__(parent)
        self.name = name
        self.setToolTip(hint)
        self.setAccessibleName(name.replace("_", " "))
        self.setFont(text_font(10))
        self.has_list = has_list
        if has_list:
            self.setTextMargins(0, 0, 12, 0)
        self.textChanged.connect(self._fit)
        self._fit()

    def _fit(self) -> None:
        room = 20 + (14 if self.has_list else 0)
        self.setFixedWidth(max(34, self.fontMetrics().horizontalAdvance(self.text()) + room))

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            # In use it owns the keyboard: no key of it is a command, but those with Ctrl that mean nothing to text.
            held = event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
            if not held or event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                event.accept()
                return True
        return super().event(event)

    def focusNextPrevChild(self, following: bool) -> bool:
        self.tabbed.emit(1 if following else -1)
        return True

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.has_list:
            # A chevron: a click there opens the list of its words.
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(self.palette().text().color(), 1.3))
            x, y = self.width() - 12.0, self.height() / 2.0 - 1.0
            painter.drawPolyline([QPointF(x - 3, y - 1), QPointF(x, y + 2), QPointF(x + 3, y - 1)])
            painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if self.has_list and event.position().x() > self.width() - 20:
            self.asked_list.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, modifiers = event.key(), event.modifiers()
        size = 1.0
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            size = 10.0
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            size = 0.1
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.stepped.emit(size if key == Qt.Key.Key_Up else -size)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.kept.emit(bool(modifiers & Qt.KeyboardModifier.ShiftModifier))
        elif key == Qt.Key.Key_Escape:
            self.left.emit()
        elif key == Qt.Key.Key_F4 and self.has_list:
            self.asked_list.emit()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self.hasSelectedText() and not modifiers:
            self.axis_turned.emit(1 if key == Qt.Key.Key_Right else -1)
            super().keyPressEvent(event)
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        size = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        self.stepped.emit(size if event.angleDelta().y() > 0 else -size)
        event.accept()
