"""The tool line: what can be done with what is selected, in one line of words; one fixed line for each kind."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QFontMetrics, QKeyEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QMenu, QWidget

from levelloop.app.icons import draw_icon
from levelloop.app.theme import BENCH, Theme, colour, plain_label, scaled, text_font
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Line, Operation
from levelloop.document.running.running import described
from levelloop.document.session import Session

HEIGHT, GAP, LEFT = 36, 2, 12
ICON = 16


class ToolWord(QAbstractButton):
    """One tool: its icon, its name and its key. reason: why it does not fit now, empty where it does."""

    def __init__(self, title: str, key: str, picture: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setText(title)
        self.setAccessibleName(title)
        self.key, self.picture, self.theme = key, picture, BENCH
        self.reason = ""
        self.is_on = False
        self.setFont(text_font(9.5))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)

    def sizeHint(self) -> QSize:
        words = self.fontMetrics().horizontalAdvance(self.text())
        letter = self._key_metrics().horizontalAdvance(self.key) + 5 if self.key else 0
        return QSize(words + letter + 14 + (scaled(ICON) + 5 if self.picture else 0), scaled(HEIGHT) - 8)

    def paintEvent(self, event: QPaintEvent) -> None:
        theme, painter = self.theme, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.underMouse() and not self.reason:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour(theme.under))
            painter.drawRoundedRect(self.rect(), 5, 5)
        tone = theme.faint if self.reason else theme.ink
        x = 7
        if self.picture:
            side = scaled(ICON)
            place = QRectF(x, (self.height() - side) // 2, side, side)
            draw_icon(painter, place, self.picture, tone, theme.faint if self.reason else theme.selection)
            x += side + 5
        painter.setPen(QColor(tone))
        painter.setFont(self.font())
        painter.drawText(self.rect().adjusted(x, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, self.text())
        if self.key:
            painter.setFont(text_font(8))
            painter.setPen(QColor(theme.faint if self.reason else theme.quiet))
            box = self.rect().adjusted(0, 1, -7, 0)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self.key)
        if self.is_on:
            painter.fillRect(QRect(4, self.height() - 2, self.width() - 8, 2), QColor(theme.selection))
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.selection), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 5, 5)
        painter.end()

    @staticmethod
    def _key_metrics() -> QFontMetrics:
        return QFontMetrics(text_font(8))


class ToolLine(QWidget):
    """One line of tools. chosen: the key of a tool; told: why one does not fit, in a sentence.

    kind: what is selected for; reason: why an operation cannot run now; running: the operations that are under way.
    """

    chosen = Signal(str)
    told = Signal(str)

    def __init__(
        self,
        session: Session,
        kind: Callable[[], str],
        reason: Callable[[Operation], str],
        running: Callable[[], frozenset[str]],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.session, self._kind, self._reason, self._running = session, kind, reason, running
        self.theme = BENCH
        self.setObjectName("tools")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(scaled(HEIGHT))
        self.subject = plain_label("", self)
        self.subject.setFont(text_font(9.5, text_font().Weight.DemiBold))
        self.arrow = plain_label("→", self)
        self.arrow.setObjectName("quiet")
        self.more = ToolWord("more", "", "", self)
        self.more.setAccessibleName("More tools")
        self.more.clicked.connect(self._open_more)
        self._lines: dict[Line, dict[str, ToolWord]] = {}
        self._shown: Line = "nothing"
        self._folded: list[str] = []
        self.refresh()

    @property
    def line(self) -> Line:
        """Which line is shown: that of what is selected, of parts, or of nothing."""
        if not self.session.document.parts:
            return "nothing"
        if self._kind() == "parts":
            return "parts"
        chosen = self.session.state.shown_selections
        selection = chosen.get(self.session.document.active) or next(iter(chosen.values()), None)
        return selection.kind if selection is not None else "nothing"

    @property
    def buttons(self) -> dict[str, ToolWord]:
        """The tools of the line that is shown, by the keys of their operations."""
        return self._words_of(self._shown)

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Draws the tools in another theme's colours."""
        self.theme = theme
        for words in (*self._lines.values(), {"": self.more}):
            for word in words.values():
                word.theme = theme
                word.update()

    def refresh(self) -> None:
        """Shows the line of what is selected, with what does not fit now dimmed."""
        self._shown = self.line
        running = self._running()
        for key, word in self.buttons.items():
            operation = REGISTRY[key]
            word.reason = self._reason(operation)
            word.is_on = key in running
            word.setToolTip("\n".join(filter(None, (operation.hint, word.reason))))
            word.update()
        self.subject.setText(self._subject())
        self._arrange()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._arrange()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        focused = self.focusWidget()
        words = [word for word in (*self.buttons.values(), self.more) if word.isVisible()]
        if step is not None and focused in words:
            words[(words.index(focused) + step) % len(words)].setFocus(Qt.FocusReason.TabFocusReason)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        next(iter(self.buttons.values())).setFocus(Qt.FocusReason.TabFocusReason)

    # Helpers

    def _subject(self) -> str:
        if self._shown == "nothing":
            return "Start with" if not self.session.document.parts else "Nothing selected"
        if self._shown == "parts":
            chosen = self.session.state.parts_chosen
            return f"“{self.session.part.name}”" if len(chosen) < 2 else f"{len(chosen)} parts"
        return described(*self.session.state.shown_selections.values())

    def _words_of(self, line: Line) -> dict[str, ToolWord]:
        if line not in self._lines:
            self._lines[line] = {}
            for operation in REGISTRY.on_line(line):
                key = REGISTRY.key_of(operation, line)
                word = ToolWord(operation.title, key, operation.icon, self)
                word.theme = self.theme
                word.clicked.connect(lambda _=False, key=operation.key: self._choose(key))
                self._lines[line][operation.key] = word
        return self._lines[line]

    def _choose(self, key: str) -> None:
        reason = self.buttons[key].reason
        if reason:
            self.told.emit(reason)
        else:
            self.chosen.emit(key)

    def _arrange(self) -> None:
        """Puts the tools side by side; what has no room goes to "more", by its place and never by what fits."""
        for line, words in self._lines.items():
            if line != self._shown:
                for word in words.values():
                    word.hide()
        middle = self.height() // 2
        self.subject.adjustSize()
        self.subject.move(LEFT, middle - self.subject.height() // 2)
        self.arrow.adjustSize()
        # A fixed start, so that a longer count does not push the words about.
        start = LEFT + max(scaled(108), 24 * (self.subject.width() // 24 + 1))
        self.arrow.move(start - 2, middle - self.arrow.height() // 2)
        x = start + 20
        room = self.width() - LEFT - self.more.sizeHint().width() - GAP
        self._folded = []
        for key, word in self.buttons.items():
            size = word.sizeHint()
            if self._folded or x + size.width() > room:
                self._folded.append(key)
                word.hide()
                continue
            word.setGeometry(x, (self.height() - size.height()) // 2, size.width(), size.height())
            word.show()
            x += size.width() + GAP
        size = self.more.sizeHint()
        self.more.setGeometry(x, (self.height() - size.height()) // 2, size.width(), size.height())
        self.more.setVisible(bool(self._folded))

    def _open_more(self) -> None:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for key in self._folded:
            word, operation = self.buttons[key], REGISTRY[key]
            action = menu.addAction(f"{operation.title}\t{word.key}" if word.key else operation.title)
            action.setToolTip(word.toolTip())
            action.setEnabled(not word.reason)
            action.triggered.connect(lambda _=False, key=key: self._choose(key))
        menu.popup(self.more.mapToGlobal(QPoint(0, self.more.height())))
        menu.aboutToHide.connect(menu.deleteLater)
