"""The rows of the parts list: a part with its switches, name and faces; a group that folds."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QWidget

from levelloop.app.panels.pieces import switch, tool, turn
from levelloop.app.theme import plain_label, text_font
from levelloop.core.errors import LevelLoopError
from levelloop.core.values import dataclass
from levelloop.core.words import counted
from levelloop.document.document import Document
from levelloop.document.operations import keys
from levelloop.document.part import Part

if TYPE_CHECKING:
    from levelloop.app.panels.parts.parts_panel import PartsPanel

LEFT = 3  # pixels between a field's side and its text
INDENT = 16  # pixels for each group a row is in


@dataclass(frozen=True)
class Row:
    """One row of the list: a part, or a group by its whole path; depth: how many groups it is in."""

    part: Part | None
    group: str
    depth: int

    @property
    def name(self) -> str:
        """What tells the row from the others: the id of its part, or the path of its group."""
        return self.group + "/" if self.part is None else self.part.id


class Name(QLineEdit):
    """A name that can be typed over once asked to; Esc leaves it as it was. named: it was, with what was typed."""

    named = Signal(str)

    def __init__(self, text: str, parent: QWidget) -> None:
        super().__init__(text, parent)
        self._before = text
        self.setFrame(False)
        self.setObjectName("name")
        self.setFont(text_font(9.5))
        self._lock(True)
        # A name that is too long for its place is read from its start.
        self.home(False)
        self.editingFinished.connect(self._finished)

    def begin(self) -> None:
        """Lets the name be typed over."""
        self._before = self.text()
        self._lock(False)
        self.setFocus()
        self.selectAll()

    def paintEvent(self, event: QPaintEvent) -> None:
        if not self.isReadOnly():
            super().paintEvent(event)
            return
        # A field shows no sign of what it cuts off.
        painter, place = QPainter(self), self.rect().adjusted(LEFT, 0, -1, 0)
        told = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, place.width())
        painter.setPen(self.palette().text().color())
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, told)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.setText(self._before)
            self._leave()
        else:
            super().keyPressEvent(event)

    def _finished(self) -> None:
        if not self.isReadOnly():
            text = self.text().strip()
            self._leave()
            self.named.emit(text)

    def _leave(self) -> None:
        """Gives the keyboard back: later keys are commands again."""
        self._lock(True)
        self.home(False)
        self.clearFocus()

    def _lock(self, on: bool) -> None:
        self.setReadOnly(on)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus if on else Qt.FocusPolicy.ClickFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents, on)


class PartRow(QWidget):
    """One part: shown, smooth, locked, colour, name (double-click renames), faces of its cage."""

    def __init__(self, panel: PartsPanel, part: Part, depth: int = 0) -> None:
        super().__init__(panel.list)
        # Through the panel: the document it shows may become another one.
        self._panel, self.part = panel, part
        theme = panel.theme
        row = QHBoxLayout(self)
        row.setContentsMargins(4 + INDENT * depth, 0, 4, 0)
        row.setSpacing(3)
        self.eye, self.smooth, self.lock = (switch(self, theme, *what) for what in self._switched(part))
        self.eye.clicked.connect(lambda: self._set(visible=not self.part.visible))
        self.smooth.clicked.connect(lambda: panel.show_smooth(self.part, not panel.stage.is_smooth(self.part)))
        self.lock.clicked.connect(lambda: self._set(locked=not self.part.locked))
        self._chip = QLabel(self)
        self.name = Name(part.name, self)
        self.name.named.connect(self._renamed)
        self._words, self._count = plain_label("", self), plain_label("", self)
        for label in (self._words, self._count):
            label.setObjectName("quiet")
            label.setFont(text_font(8.5))
        self._count.setToolTip("Faces of the cage")
        for one in (self.eye, self.smooth, self.lock):
            row.addWidget(one)
        row.addSpacing(3)
        row.addWidget(self._chip)
        row.addSpacing(4)
        row.addWidget(self.name, 1)
        row.addWidget(self._words)
        row.addWidget(self._count)
        self._dress(part)

    def dress(self, part: Part) -> None:
        """Shows the part as it looks now."""
        for one, what in zip((self.eye, self.smooth, self.lock), self._switched(part), strict=True):
            turn(one, self._panel.theme, *what)
        if self.name.isReadOnly() and self.name.text() != part.name:
            self.name.setText(part.name)
            self.name.home(False)
        self._dress(part)

    def _switched(self, part: Part) -> tuple[tuple[str, str], ...]:
        """What each switch shows, and says that a click does."""
        return (
            ("shown", "Hide") if part.visible else ("hidden", "Show"),
            ("smooth", "Show its cage") if self._panel.stage.is_smooth(part) else ("cage", "Show it smooth"),
            ("locked", "Unlock") if part.locked else ("free", "Lock"),
        )

    def _dress(self, part: Part) -> None:
        """What is told beside the switches and the name; where a name is cut off, a pointer that rests tells it."""
        self.setToolTip(part.name)
        self._chip.setPixmap(_chip(part.colour))
        words = [
            "helper" if part.helper else "",
            "instance" if part.shared else "",
            "attached" if part.attached else "",
            "linked" if (links := links_told(self._panel.session.document, part)) else "",
        ]
        self._words.setText(" · ".join(filter(None, words)))
        self._words.setToolTip(links)
        self._words.setVisible(any(words))
        self.follow(part)

    def follow(self, part: Part) -> None:
        """Shows the part as it is now, where only its cage may be another one."""
        self.part = part
        count = f"{part.mesh.n_faces:,}"
        if self._count.text() != count:
            self._count.setText(count)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.name.geometry().contains(event.position().toPoint()):
            self.name.begin()

    def _renamed(self, text: str) -> None:
        if not text:
            self.name.setText(self.part.name)
            self._panel.told.emit("A part needs a name.")
        elif text != self.part.name:
            self._set(name=text)

    def _set(self, **looks: Any) -> None:
        """Changes the part's looks; what is switched on one of several chosen parts is switched on all."""
        session = self._panel.session
        chosen = session.state.parts_chosen
        try:
            if len(chosen) > 1 and "name" not in looks and self.part.id in {part.id for part in chosen}:
                session.edit_chosen(_told(looks, len(chosen)), **looks)
            else:
                session.do(keys.SET_PART, part=self.part.name, **looks)
        except LevelLoopError as error:
            self.name.setText(self.part.name)
            self._panel.told.emit(str(error))
        else:
            self._panel.told.emit(self._panel.session.state.message)


def links_told(document: Document, part: Part) -> str:
    """Which parts a part's steps take, and which take it; empty where there are none."""
    takes = [other.name for other in part.inputs.values()]
    feeds = [other.name for other in document.parts if part.id in other.inputs]
    told = (("Made with", takes), ("Part of what makes", feeds))
    return " ".join(f"{words} {', '.join(names)}." for words, names in told if names)


class GroupRow(QWidget):
    """One group: folded or open, name (double-click renames), all of it shown or hidden."""

    def __init__(self, panel: PartsPanel, group: str, depth: int, folded: bool, parts: list[Part]) -> None:
        super().__init__(panel.list)
        self.group = group
        row = QHBoxLayout(self)
        row.setContentsMargins(4 + INDENT * depth, 0, 4, 0)
        row.setSpacing(3)
        self.fold = tool(self, "Open" if folded else "Fold")
        self.fold.setText("▸" if folded else "▾")
        self.fold.clicked.connect(lambda: panel.fold(group))
        shown = any(part.visible for part in parts)
        self.eye = switch(
            self, panel.theme, "shown" if shown else "hidden", "Hide the group" if shown else "Show the group"
        )
        self.eye.clicked.connect(lambda: panel.show_group(group, not shown))
        self.name = Name(group.split("/")[-1], self)
        self.name.setFont(text_font(9.5, text_font().Weight.DemiBold))
        self.name.named.connect(lambda name: panel.rename_group(group, name))
        count = plain_label(f"{len(parts)}", self)
        count.setObjectName("quiet")
        count.setFont(text_font(8.5))
        count.setToolTip("Parts in the group")
        for widget in (self.fold, self.eye):
            row.addWidget(widget)
        row.addWidget(self.name, 1)
        steps = panel.session.document.group_recipes.get(group, ())
        if steps:
            told = plain_label(counted(len(steps), "step"), self)
            told.setObjectName("quiet")
            told.setFont(text_font(8.5))
            told.setToolTip("Steps of the group's recipe, which all its parts have")
            row.addWidget(told)
        row.addWidget(count)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.name.geometry().contains(event.position().toPoint()):
            self.name.begin()


@cache
def _chip(name: str) -> QPixmap:
    pixmap = QPixmap(12, 12)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor(name))
    painter.setPen(QColor("#8B857A"))
    painter.drawRoundedRect(1, 1, 10, 10, 3, 3)
    painter.end()
    return pixmap


def _told(looks: Mapping[str, Any], count: int) -> str:
    """What is done to several parts at once, in words."""
    words = {"visible": ("Show", "Hide"), "locked": ("Lock", "Unlock")}
    name, value = next(iter(looks.items()))
    verb = words[name][0 if value else 1] if name in words else "Change"
    return f"{verb} {count} parts"
