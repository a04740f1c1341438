"""The list of parts: groups that fold, names, colours, shown or hidden; drag to reorder or regroup."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QItemSelectionModel, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QDragLeaveEvent, QDragMoveEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from levelloop.app.panels.pieces import heading, quiet_list, switch, tool
from levelloop.app.theme import Theme, plain_label, scaled, text_font
from levelloop.app.view.stage import Stage
from levelloop.core.errors import LevelLoopError
from levelloop.document.document import Document
from levelloop.document.operations import keys
from levelloop.document.part import Part
from levelloop.document.running.part_edits import grouped, in_group, moved_in_list, rename_group, show_group
from levelloop.document.session import Session

# What of a part its row shows.
SHOWN = ("id", "name", "colour", "visible", "group", "locked", "helper", "shared", "attached")
INDENT = 16  # pixels for each group a row is in
ROW = 26


@dataclass(frozen=True)
class Row:
    """One row of the list: a part, or a group by its whole path; depth: how many groups it is in."""

    part: Part | None
    group: str
    depth: int


class Name(QLineEdit):
    """A name that can be typed over once asked to; Esc leaves it as it was. named: it was, with what was typed."""

    named = Signal(str)

    def __init__(self, text: str, parent: QWidget) -> None:
        super().__init__(text, parent)
        self._before = text
        self.setFrame(False)
        self.setStyleSheet("QLineEdit { background: transparent; border: none; padding: 1px; }")
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
        smooth = panel.stage.is_smooth(part)
        self.eye = switch(self, theme, "shown" if part.visible else "hidden", "Hide" if part.visible else "Show")
        self.eye.clicked.connect(lambda: self._set(visible=not self.part.visible))
        self.smooth = switch(
            self, theme, "smooth" if smooth else "cage", "Show its cage" if smooth else "Show it smooth"
        )
        self.smooth.clicked.connect(lambda: panel.show_smooth(self.part, not smooth))
        self.lock = switch(self, theme, "locked" if part.locked else "free", "Unlock" if part.locked else "Lock")
        self.lock.clicked.connect(lambda: self._set(locked=not self.part.locked))
        chip = QLabel(self)
        chip.setPixmap(_chip(part.colour))
        self.name = Name(part.name, self)
        self.name.named.connect(self._renamed)
        count = plain_label(f"{part.mesh.n_faces:,}", self)
        count.setObjectName("quiet")
        count.setFont(text_font(8.5))
        count.setToolTip("Faces of the cage")
        for one in (self.eye, self.smooth, self.lock):
            row.addWidget(one)
        row.addSpacing(3)
        row.addWidget(chip)
        row.addSpacing(4)
        row.addWidget(self.name, 1)
        words = [
            "helper" if part.helper else "",
            "instance" if part.shared else "",
            "attached" if part.attached else "",
            "linked" if (links := links_told(panel.session.document, part)) else "",
        ]
        if any(words):
            where = plain_label(" · ".join(filter(None, words)), self)
            where.setObjectName("quiet")
            where.setFont(text_font(8.5))
            where.setToolTip(links)
            row.addWidget(where)
        row.addWidget(count)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.name.geometry().contains(event.position().toPoint()):
            self.begin_rename()

    def begin_rename(self) -> None:
        """Lets the name be typed over."""
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
        row.addWidget(count)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.name.geometry().contains(event.position().toPoint()):
            self.name.begin()


class PartList(QListWidget):
    """A list whose rows can be dragged. dropped: which row, onto or before which other, and which of both.

    mark: where what is dragged would go: around the row that takes it, or a line before the one it comes before.
    """

    dropped = Signal(int, int, bool)

    def __init__(self, tone: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.tone = tone
        self.mark = QFrame(self.viewport())
        self.mark.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.mark.hide()

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


class PartsPanel(QWidget):
    """The parts of the document. told: a sentence for the person."""

    told = Signal(str)
    asked_menu = Signal(object)

    def __init__(self, session: Session, stage: Stage, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.stage, self.theme = session, stage, theme
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 10, 6)
        column.setSpacing(4)
        column.addWidget(heading("Parts", self))
        self.list = PartList(theme.selection, self)
        quiet_list(self, self.list)
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.list.dropped.connect(self.drop)
        self.rows: list[Row] = []
        self._folded: set[str] = set()
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(lambda place: self.asked_menu.emit(self.list.mapToGlobal(place)))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.list.setAccessibleName("Parts")
        self.list.itemSelectionChanged.connect(self._choose)
        column.addWidget(self.list)
        self._shown: tuple[object, ...] = ()
        self.refresh()

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Shows the list in another theme."""
        self.theme, self._shown = theme, ()
        self.list.tone = theme.selection
        self.refresh()

    def refresh(self) -> None:
        """Brings the list up to date."""
        document = self.session.document
        shown = (
            tuple(sorted(self._folded)),
            *(
                (part.mesh.n_faces, self.stage.is_smooth(part), *(getattr(part, name) for name in SHOWN))
                for part in document.parts
            ),
        )
        self.list.blockSignals(True)
        if shown != self._shown:
            self._shown = shown
            self._rebuild()
        here = {part.id: part for part in document.parts}
        chosen = {part.id for part in self.session.state.parts_chosen}
        for number, row in enumerate(self.rows):
            widget = self.list.itemWidget(self.list.item(number))
            if row.part is not None and isinstance(widget, PartRow):
                widget.part = here[row.part.id]
            if row.part is None:
                continue
            item = self.list.item(number)
            item.setSelected(row.part.id in chosen)
            if row.part.id == document.active:
                self.list.setCurrentItem(item, QItemSelectionModel.SelectionFlag.NoUpdate)
        self.list.blockSignals(False)

    def row_of(self, part_id: str) -> int:
        """The row of a part, −1 while its group is folded."""
        return next((n for n, row in enumerate(self.rows) if row.part is not None and row.part.id == part_id), -1)

    def fold(self, group: str) -> None:
        """Folds a group, or opens it."""
        self._folded.symmetric_difference_update({group})
        self.refresh()

    def show_group(self, group: str, shown: bool) -> None:
        """Shows or hides all parts of a group."""
        word = "Show" if shown else "Hide"
        self.session.apply(show_group(self.session.document, group, shown), f"{word} the group “{group}”")

    def rename_group(self, group: str, name: str) -> None:
        """Gives a group another name."""
        if not name.strip() or "/" in name:
            self.told.emit("A group needs a name without “/”.")
            self._shown = ()
            self.refresh()
        elif name.strip() != group.split("/")[-1]:
            document = rename_group(self.session.document, group, name.strip())
            self.session.apply(document, f"Call the group “{name.strip()}”")

    def drop(self, dragged: int, target: int, onto: bool) -> None:
        """Moves a row onto another one or before it: into its group, to its place."""
        if not 0 <= dragged < len(self.rows) or dragged == target:
            return
        moved = self.rows[dragged]
        there = self.rows[target] if target < len(self.rows) else Row(None, "", 0)
        last = target >= len(self.rows)
        before = None if last or there.part is None or onto else there.part.id
        if there.part is None and not last:
            # A group's own row: dropped onto it, into it; dropped before it, beside it.
            group = there.group if onto else there.group.rpartition("/")[0]
            first = in_group(self.session.document, there.group)
            before = None if onto else first[0].id
        else:
            group = there.group
        chosen = [part.id for part in self.session.state.parts_chosen]
        names = (
            chosen
            if moved.part and moved.part.id in chosen
            else [moved.part.id]
            if moved.part
            else [part.id for part in in_group(self.session.document, moved.group)]
        )
        if moved.part is None:
            if group == moved.group or group.startswith(moved.group + "/"):
                self.told.emit("A group cannot go into itself.")
                return
            whole = "/".join(filter(None, (group, moved.group.split("/")[-1])))
        document = self.session.document
        for part_id in names:
            part = document.by_id(part_id)
            goes_to = group if moved.part else whole + part.group[len(moved.group) :]
            document = moved_in_list(document, part_id, before, goes_to)
        word = (
            f"{len(names)} parts"
            if moved.part and len(names) > 1
            else f"“{moved.part.name}”"
            if moved.part
            else f"the group “{moved.group}”"
        )
        where = f" into “{group}”" if group else ""
        self.session.apply(document, f"Move {word}{where} in the list")

    def _rebuild(self) -> None:
        self.list.clear()
        self.rows = []
        document = self.session.document
        for part, group in grouped(document):
            path = group if part is None else part.group
            parents = ["/".join(path.split("/")[: n + 1]) for n in range(path.count("/") + 1)] if path else []
            above = parents if part is not None else parents[:-1]
            if any(parent in self._folded for parent in above):
                continue
            row = Row(part, path, len(above))
            self.rows.append(row)
            item = QListWidgetItem(self.list)
            item.setSizeHint(QSize(100, scaled(ROW)))
            if part is not None:
                widget: QWidget = PartRow(self, part, row.depth)
            else:
                widget = GroupRow(self, path, row.depth, path in self._folded, in_group(document, path))
            self.list.setItemWidget(item, widget)

    def show_smooth(self, part: Part, smooth: bool) -> None:
        """Shows a part smooth or its cage, with it all that are chosen where it is one of them."""
        chosen = self.session.state.parts_chosen
        self.stage.show_smooth(chosen if part.id in {one.id for one in chosen} else [part], smooth)
        self.refresh()

    def _choose(self) -> None:
        """Makes what is picked in the list what is chosen; the row with the keyboard is the active part."""
        rows = sorted(index.row() for index in self.list.selectedIndexes())
        current = self.list.currentRow()
        found = [
            self.rows[row].part for row in (*(r for r in rows if r != current), *(r for r in rows if r == current))
        ]
        parts = [part for part in found if part is not None]
        if parts and {part.id for part in parts} | {parts[-1].id, ""} != {
            *(part.id for part in self.session.state.parts_chosen),
            self.session.document.active,
            "",
        }:
            self.session.choose_parts([part.id for part in parts])


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
