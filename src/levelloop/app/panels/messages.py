"""Messages: sentences for the person, with their mark, gone after a while; all of them kept in a log."""

from __future__ import annotations

import html
from collections import deque
from datetime import datetime

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QLabel, QListWidget, QSizePolicy, QVBoxLayout, QWidget

from levelloop.app.theme import plain_label, text_font

SHOWN_FOR = 6_000  # milliseconds
KEPT = 300


class Messages(QLabel):
    """The last message, cut to the width there is, until it has been read."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setFont(text_font(9.5))
        self.setObjectName("quiet")
        self.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.setMinimumWidth(60)
        self.last = ""
        self.log: deque[tuple[datetime, str]] = deque(maxlen=KEPT)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(SHOWN_FOR)
        self._timer.timeout.connect(self.fade)

    def tell(self, sentence: str) -> None:
        """Shows a sentence for a while; an empty one takes the last away."""
        self.last = sentence
        if sentence and not (sentence.endswith("(Esc stops it)")):
            self.log.append((datetime.now(), sentence))
        self.setToolTip(html.escape(sentence))
        self._show(sentence)
        if sentence:
            self._timer.start()
        else:
            self._timer.stop()

    def fade(self) -> None:
        """Takes the sentence away from the screen; it stays in the log."""
        self._timer.stop()
        self._show("")

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self.text():
            self._show(self.last)

    def _show(self, sentence: str) -> None:
        self.setText(self.fontMetrics().elidedText(sentence, Qt.TextElideMode.ElideRight, max(self.width() - 4, 40)))


class MessageLog(QWidget):
    """All messages with their times, the last one on top, in a small window above the strip."""

    def __init__(self, messages: Messages, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popover")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        heading = plain_label("What was said", self)
        heading.setObjectName("quiet")
        heading.setFont(text_font(9))
        column.addWidget(heading)
        self.list = QListWidget(self)
        self.list.setFont(text_font(9.5))
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for at, sentence in reversed(messages.log):
            self.list.addItem(f"{at:%H:%M:%S}   {sentence}")
        if not messages.log:
            self.list.addItem("Nothing yet.")
        column.addWidget(self.list)
        self.resize(460, 320)

    def open_above(self, place: QPoint) -> None:
        """Shows itself with its lower right corner at a place on the screen."""
        self.move(place.x() - self.width(), place.y() - self.height() - 4)
        self.show()
        self.list.setFocus()
