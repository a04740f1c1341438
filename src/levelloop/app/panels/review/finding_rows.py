"""The rows of the review: heads that fold, and findings with a picture of their place."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QAbstractButton, QFrame, QHBoxLayout, QWidget

from levelloop.app.theme import plain_label, scaled, text_font


class Head(QAbstractButton):
    """The line over a group of findings: a click folds it or opens it."""

    def __init__(self, words: str, tone: str, is_open: bool, parent: QWidget) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 3, 4, 3)
        row.setSpacing(6)
        for text, colour in (("▾" if is_open else "▸", ""), (words, tone)):
            label = plain_label(text, self)
            label.setFont(text_font(9, text_font().Weight.DemiBold))
            if colour:
                label.setStyleSheet(f"color: {colour};")
            row.addWidget(label)
        row.addStretch(1)
        self.setText(words)
        self.setAccessibleName(words)
        self.setFixedHeight(24)

    def paintEvent(self, event: object) -> None:
        """Nothing: its labels say it."""


class PlacePicture(QWidget):
    """A small picture of a finding's worst place, made once it is to be seen."""

    def __init__(self, make: Callable[[QSize, float], QPixmap], parent: QWidget) -> None:
        super().__init__(parent)
        self._make = make
        self.setFixedSize(scaled(52), scaled(38))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._make(self.size(), self.devicePixelRatioF()))
        painter.end()


class FindingRow(QFrame):
    """One finding: its mark, its sentence and a picture of its place. pressed: it is chosen."""

    pressed = Signal()

    def __init__(
        self, words: str, mark: str, tone: str, is_chosen: bool, picture: PlacePicture | None, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setObjectName("finding")
        self.setProperty("chosen", is_chosen)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 3, 4, 3)
        row.setSpacing(6)
        sign = plain_label(mark, self)
        sign.setFont(text_font(9))
        sign.setStyleSheet(f"color: {tone};")
        sign.setAlignment(Qt.AlignmentFlag.AlignTop)
        sentence = plain_label(words, self)
        sentence.setFont(text_font(9.5))
        sentence.setWordWrap(True)
        sentence.setAlignment(Qt.AlignmentFlag.AlignTop)
        row.addWidget(sign)
        row.addWidget(sentence, 1)
        if picture is not None:
            row.addWidget(picture, 0, Qt.AlignmentFlag.AlignTop)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pressed.emit()
