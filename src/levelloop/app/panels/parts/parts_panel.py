"""The list of parts: groups that fold, names, colours, shown or hidden; drag to reorder or regroup."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QItemSelectionModel, QPoint, QSize, Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QListWidgetItem, QVBoxLayout, QWidget

from levelloop.app.panels.parts.part_list import PartList
from levelloop.app.panels.parts.part_rows import GroupRow, PartRow, Row, links_told
from levelloop.app.panels.pieces import heading, quiet_list
from levelloop.app.theme import Theme, scaled
from levelloop.app.view.stage import Stage
from levelloop.document.document import Document
from levelloop.document.part import Part
from levelloop.document.running.part_edits import grouped, in_group, moved_in_list, regrouped, rename_group, show_group
from levelloop.document.session import Session

# What of a part its row shows.
SHOWN = ("id", "name", "colour", "visible", "group", "locked", "helper", "shared", "attached")
ROW = 26


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
        self.list.asked_name.connect(self.begin_rename)
        self.list.folded.connect(self._fold_row)
        self.list.turned.connect(self._dress_seen)
        self.rows: list[Row] = []
        self._folded: set[str] = set()
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(lambda place: self.asked_menu.emit(self.list.mapToGlobal(place)))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.list.setAccessibleName("Parts")
        self.list.itemSelectionChanged.connect(self._choose)
        column.addWidget(self.list)
        self._looks: list[tuple[object, ...]] = []
        self.refresh()

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Shows the list in another theme."""
        self.theme, self._looks = theme, []
        self.list.tone = theme.selection
        self.refresh()

    def refresh(self) -> None:
        """Brings the list up to date."""
        document = self.session.document
        self.list.blockSignals(True)
        self._show_rows(rows_of(document, self._folded))
        chosen = {part.id for part in self.session.state.parts_chosen}
        for number, row in enumerate(self.rows):
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

    def group_at(self, place: QPoint) -> str:
        """The group whose own row is at a place on the screen; empty where there is none."""
        index = self.list.indexAt(self.list.mapFromGlobal(place))
        row = self.rows[index.row()] if 0 <= index.row() < len(self.rows) else None
        return row.group if row is not None and row.part is None else ""

    def begin_rename(self, row: int) -> None:
        """Lets the name of a row's part or group be typed over."""
        if 0 <= row < len(self.rows):
            self.list.scrollToItem(self.list.item(row))
            self.widget_of(row).name.begin()

    def widget_of(self, row: int) -> PartRow | GroupRow:
        """What stands in a row; it is made once somebody sees or asks for it."""
        item = self.list.item(row)
        widget = self.list.itemWidget(item)
        if not isinstance(widget, PartRow | GroupRow):
            widget = self._widget(self.rows[row])
            self.list.setItemWidget(item, widget)
        return widget

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
            self._looks = []
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
        if moved.part is None:
            document = regrouped(document, moved.group, whole)
        for part_id in names:
            document = moved_in_list(document, part_id, before, group if moved.part else document.by_id(part_id).group)
        word = (
            f"{len(names)} parts"
            if moved.part and len(names) > 1
            else f"“{moved.part.name}”"
            if moved.part
            else f"the group “{moved.group}”"
        )
        where = f" into “{group}”" if group else ""
        self.session.apply(document, f"Move {word}{where} in the list")

    def _show_rows(self, rows: list[Row]) -> None:
        """Shows these rows; those that look as before stay as they are, and those that nobody sees have nothing yet."""
        looks = [self._look(row) for row in rows]
        if [(row.name, row.depth) for row in rows] != [(row.name, row.depth) for row in self.rows]:
            self.list.clear()
            self._looks = []
            for _ in rows:
                QListWidgetItem(self.list).setSizeHint(QSize(100, scaled(ROW)))
        self.rows = rows
        for number, (row, look) in enumerate(zip(rows, looks, strict=True)):
            item = self.list.item(number)
            widget = self.list.itemWidget(item)
            if not self._looks or (row.part is None and self._looks[number] != look):
                self.list.removeItemWidget(item)
            elif row.part is not None and isinstance(widget, PartRow):
                if self._looks[number] != look:
                    widget.dress(row.part)
                widget.follow(row.part)
        self._looks = looks
        self._dress_seen()

    def _dress_seen(self) -> None:
        """Gives rows that have come into sight what stands in them."""
        for row in self.list.seen:
            if row < len(self.rows):
                self.widget_of(row)

    def _fold_row(self, row: int, closed: bool) -> None:
        """Folds a group's row or opens it; from a part one goes up to its group."""
        if not 0 <= row < len(self.rows):
            return
        here = self.rows[row]
        if here.part is not None:
            above = [number for number in range(row) if self.rows[number].part is None]
            inside = [number for number in above if self.rows[number].group == here.group]
            if closed and inside:
                self.list.setCurrentRow(inside[-1])
        elif (here.group in self._folded) != closed:
            self.fold(here.group)
            self.list.setCurrentRow(row)

    def _look(self, row: Row) -> tuple[object, ...]:
        """All that decides how a row looks, but for what it follows."""
        document = self.session.document
        if row.part is None:
            parts = in_group(document, row.group)
            steps = len(document.group_recipes.get(row.group, ()))
            return (row.group, row.group in self._folded, len(parts), any(part.visible for part in parts), steps)
        part = row.part
        looks = (getattr(part, name) for name in SHOWN)
        return (self.stage.is_smooth(part), links_told(document, part), *looks)

    def _widget(self, row: Row) -> PartRow | GroupRow:
        if row.part is not None:
            return PartRow(self, row.part, row.depth)
        return GroupRow(
            self, row.group, row.depth, row.group in self._folded, in_group(self.session.document, row.group)
        )

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


def rows_of(document: Document, folded: Collection[str]) -> list[Row]:
    """The rows of a document's parts and groups, in their order; what is in a folded group has none."""
    rows = []
    for part, group in grouped(document):
        path = group if part is None else part.group
        parents = ["/".join(path.split("/")[: n + 1]) for n in range(path.count("/") + 1)] if path else []
        above = parents if part is not None else parents[:-1]
        if not any(parent in folded for parent in above):
            rows.append(Row(part, path, len(above)))
    return rows
