"""Find a command: type part of a name, Enter runs it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QWidget

from levelloop.app.theme import text_font
from levelloop.core.values import dataclass


@dataclass(frozen=True)
class Command:
    """One thing that can be done by name: title, where it stands in the menus, its key, why it cannot run now.

    also: other words that people search for it by.
    """

    title: str
    menu: str
    run: Callable[[], None]
    shortcut: str = ""
    hint: str = ""
    why_not: Callable[[], str] = lambda: ""
    also: str = ""


def matches(query: str, commands: list[Command]) -> list[Command]:
    """The commands whose words begin as the typed ones, best first."""
    words = query.lower().split()
    if not words:
        return list(commands)

    def score(command: Command) -> int:
        title = command.title.lower().split()
        text = f"{command.title} {command.menu} {command.hint} {command.also}".lower()
        total = 0
        for word in words:
            if any(part.startswith(word) for part in title):
                total += 3
            elif word in command.title.lower():
                total += 2
            elif word in text:
                total += 1
            else:
                return 0
        return total

    scored = [(score(command), -place, command) for place, command in enumerate(commands)]
    return [command for points, _, command in sorted(scored, key=lambda entry: entry[:2], reverse=True) if points]


class Finder(QLineEdit):
    """The search field in the menu line, with its list of answers."""

    def __init__(self, commands: Callable[[], list[Command]], told: Callable[[str], None], parent: QWidget) -> None:
        super().__init__(parent)
        self._commands, self._told = commands, told
        self.setPlaceholderText("Find a command  (Ctrl+K)")
        self.setFont(text_font(9.5))
        self.setMinimumWidth(170)
        self.setMaximumWidth(270)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.answers = QListWidget(parent.window())
        self.answers.setFont(text_font(9.5))
        self.answers.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.answers.setObjectName("answers")
        self.answers.hide()
        self.answers.itemClicked.connect(lambda _: self._run())
        self.textEdited.connect(self._search)
        self.found: list[Command] = []
        self.installEventFilter(self)

    def open(self) -> None:
        """Puts the keyboard into the field and lists everything."""
        self.setFocus()
        self.clear()
        self._search("")

    def close_list(self) -> None:
        """Hides the answers and leaves the field."""
        self.answers.hide()
        self.clear()
        self.clearFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.FocusOut:
            self.answers.hide()
        return super().eventFilter(watched, event)

    def mousePressEvent(self, event: object) -> None:
        self.open()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        row = self.answers.currentRow()
        if event.key() == Qt.Key.Key_Down:
            self.answers.setCurrentRow(min(row + 1, self.answers.count() - 1))
        elif event.key() == Qt.Key.Key_Up:
            self.answers.setCurrentRow(max(row - 1, 0))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._run()
        elif event.key() == Qt.Key.Key_Escape:
            self._leave()
        else:
            super().keyPressEvent(event)

    def _search(self, text: str) -> None:
        self.found = matches(text, self._commands())[:14]
        self.answers.clear()
        for command in self.found:
            reason = command.why_not()
            keys = f"    {command.shortcut}" if command.shortcut else ""
            item = QListWidgetItem(f"{command.title}   ·   {command.menu}{keys}", self.answers)
            item.setToolTip(reason or command.hint)
            if reason:
                item.setForeground(Qt.GlobalColor.gray)
        if not self.found:
            QListWidgetItem("No command has that in its name.", self.answers)
        self.answers.setCurrentRow(0)
        height = 12 + self.answers.sizeHintForRow(0) * self.answers.count()
        corner = self.mapTo(self.window(), QPoint(self.width() - 430, self.height() + 6))
        self.answers.setGeometry(max(corner.x(), 4), corner.y(), 430, height)
        self.answers.raise_()
        self.answers.show()

    def _leave(self) -> None:
        self.close_list()
        parent = self.window()
        focus = getattr(parent, "view", None)
        if focus is not None:
            focus.setFocus()

    def _run(self) -> None:
        row = self.answers.currentRow()
        chosen = self.found[row] if 0 <= row < len(self.found) else None
        self._leave()
        if chosen is None:
            return
        reason = chosen.why_not()
        if reason:
            self._told(reason)
        else:
            chosen.run()
