"""The panels at the right: parts, history, review."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPixmap
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from levelloop.app.icons import icon
from levelloop.app.theme import MARKS, Theme, text_font
from levelloop.core.review import Report
from levelloop.core.review.findings import PURPOSES, Finding, Purpose
from levelloop.document.document import Part
from levelloop.document.session import Session


def heading(text: str, parent: QWidget) -> QLabel:
    """A small heading over a panel."""
    label = QLabel(text, parent)
    label.setObjectName("heading")
    label.setFont(text_font(8.5, text_font().Weight.DemiBold))
    return label


def quiet_list(parent: QWidget) -> QListWidget:
    """A list that takes no keyboard and never scrolls sideways."""
    result = QListWidget(parent)
    result.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    result.setFont(text_font(9))
    result.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return result


class PartRow(QWidget):
    """One part: colour, name (double-click renames), shown or hidden."""

    def __init__(self, session: Session, part: Part, parent: QWidget, told: Signal, theme: Theme) -> None:
        super().__init__(parent)
        self.session, self.part, self._told = session, part, told
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 1, 4, 1)
        row.setSpacing(7)
        self.eye = QToolButton(self)
        self.eye.setIcon(icon("shown" if part.visible else "hidden", theme.ink, theme.selection))
        self.eye.setIconSize(QSize(15, 15))
        self.eye.setToolTip("Hide" if part.visible else "Show")
        self.eye.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.eye.clicked.connect(self._toggle)
        chip = QLabel(self)
        chip.setPixmap(_chip(part.colour))
        self.name = QLineEdit(part.name, self)
        self.name.setFrame(False)
        self.name.setReadOnly(True)
        self.name.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.name.setStyleSheet("QLineEdit { background: transparent; border: none; padding: 1px; }")
        self.name.setFont(text_font(9.5))
        self.name.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.name.editingFinished.connect(self._renamed)
        count = QLabel(f"{part.mesh.n_faces:,}", self)
        count.setObjectName("quiet")
        count.setFont(text_font(8.5))
        count.setToolTip("Faces of the cage")
        row.addWidget(self.eye)
        row.addWidget(chip)
        row.addWidget(self.name, 1)
        if part.group or part.locked or part.shared:
            words = [part.group, "locked" if part.locked else "", "instance" if part.shared else ""]
            where = QLabel(" · ".join(filter(None, words)), self)
            where.setObjectName("quiet")
            where.setFont(text_font(8.5))
            row.addWidget(where)
        row.addWidget(count)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.begin_rename()

    def begin_rename(self) -> None:
        """Lets the name be typed over."""
        self.name.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents, False)
        self.name.setReadOnly(False)
        self.name.setFocus()
        self.name.selectAll()

    def _renamed(self) -> None:
        if self.name.isReadOnly():
            return
        self.name.setReadOnly(True)
        text = self.name.text().strip()
        if not text:
            self.name.setText(self.part.name)
            self._told.emit("A part needs a name.")
        elif text != self.part.name:
            free = self.session.document.free_name(text)
            self.session.edit_part(self.part.id, f"Call the part “{free}”", name=free)
            if free != text:
                self._told.emit(f"The name “{text}” is taken; the part is now “{free}”.")

    def _toggle(self) -> None:
        word = "Hide" if self.part.visible else "Show"
        self.session.edit_part(self.part.id, f"{word} “{self.part.name}”", visible=not self.part.visible)


class PartsPanel(QWidget):
    """The parts of the document. told: a sentence for the person."""

    told = Signal(str)
    asked_menu = Signal(object)

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 10, 6)
        column.setSpacing(4)
        column.addWidget(heading("PARTS", self))
        self.list = quiet_list(self)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(lambda place: self.asked_menu.emit(self.list.mapToGlobal(place)))
        self.list.currentRowChanged.connect(self._chosen)
        column.addWidget(self.list)
        self._shown: tuple[object, ...] = ()
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Shows the list in another theme."""
        self.theme, self._shown = theme, ()
        self.refresh()

    def refresh(self) -> None:
        """Brings the list up to date."""
        document = self.session.document
        shown = tuple(
            (part.id, part.name, part.colour, part.visible, part.mesh.n_faces, part.group, part.locked, part.shared)
            for part in document.parts
        )
        self.list.blockSignals(True)
        if shown != self._shown:
            self._shown = shown
            self.list.clear()
            for part in document.parts:
                item = QListWidgetItem(self.list)
                item.setSizeHint(QSize(100, 30))
                self.list.setItemWidget(item, PartRow(self.session, part, self.list, self.told, self.theme))
        for row, part in enumerate(document.parts):
            widget = self.list.itemWidget(self.list.item(row))
            if isinstance(widget, PartRow):
                widget.part = part
            if part.id == document.active:
                self.list.setCurrentRow(row)
        self.list.blockSignals(False)

    def _chosen(self, row: int) -> None:
        parts = self.session.document.parts
        if 0 <= row < len(parts) and parts[row].id != self.session.document.active:
            self.session.set_active(parts[row].id)


class HistoryPanel(QWidget):
    """What was done, in sentences; a click goes there."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 10, 6)
        column.setSpacing(4)
        column.addWidget(heading("HISTORY", self))
        self.list = quiet_list(self)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.itemClicked.connect(lambda item: self.session.go_to(self.list.row(item)))
        column.addWidget(self.list)
        self.refresh()

    def refresh(self) -> None:
        """Brings the list up to date; entries that were undone are grey."""
        history = self.session.history
        self.list.blockSignals(True)
        while self.list.count() > len(history):
            self.list.takeItem(self.list.count() - 1)
        for row, state in enumerate(history):
            item = self.list.item(row)
            if item is None:
                item = QListWidgetItem(self.list)
            if item.text() != state.sentence:
                item.setText(state.sentence)
                item.setToolTip(" ".join(filter(None, (state.sentence + ".", state.message))))
            item.setForeground(QColor(self.theme.ink if row <= self.session.here else self.theme.faint))
        self.list.setCurrentRow(self.session.here)
        self.list.blockSignals(False)


class ReviewPanel(QWidget):
    """Readiness and findings. chosen: a finding and which of its places to show; remedied: run its remedy."""

    chosen = Signal(str, object, int)
    remedied = Signal(str, object)
    purpose_changed = Signal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.purpose: Purpose = "smooth"
        self.reports: list[tuple[Part, Report]] = []
        self.rows: list[tuple[str, Finding]] = []
        self.step = 0
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 10, 10)
        column.setSpacing(6)
        column.addWidget(heading("REVIEW", self))
        marks = QHBoxLayout()
        marks.setSpacing(4)
        self.marks: dict[Purpose, QPushButton] = {}
        for purpose in PURPOSES:
            button = QPushButton(self)
            button.setFont(text_font(9))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setCheckable(True)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            button.clicked.connect(lambda _=False, purpose=purpose: self._choose_purpose(purpose))
            self.marks[purpose] = button
            marks.addWidget(button)
        column.addLayout(marks)
        self.list = quiet_list(self)
        self.list.setWordWrap(True)
        self.list.itemClicked.connect(lambda item: self.show_row(self.list.row(item), 0))
        column.addWidget(self.list, 1)
        self.advice = QLabel(self)
        self.advice.setWordWrap(True)
        self.advice.setFont(text_font(9))
        self.advice.setObjectName("quiet")
        self.advice.setMinimumHeight(34)
        column.addWidget(self.advice)
        steps = QHBoxLayout()
        steps.setSpacing(4)
        self.previous = QPushButton("‹", self)
        self.previous.setToolTip("Previous finding (,)")
        self.next = QPushButton("›", self)
        self.next.setToolTip("Next finding (.)")
        self.place = QLabel("", self)
        self.place.setFont(text_font(9))
        self.place.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.remedy = QPushButton("", self)
        self.remedy.setObjectName("primary")
        for button in (self.previous, self.next):
            button.setFixedWidth(32)
        for button in (self.previous, self.next, self.remedy):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.previous.clicked.connect(lambda: self.walk(-1))
        self.next.clicked.connect(lambda: self.walk(1))
        self.remedy.clicked.connect(self._remedy)
        steps.addWidget(self.previous)
        steps.addWidget(self.place, 1)
        steps.addWidget(self.next)
        steps.addWidget(self.remedy)
        column.addLayout(steps)
        self._show_marks({})

    @property
    def row(self) -> int:
        """The chosen finding's row, −1 for none."""
        return self.list.currentRow()

    def show_reports(self, reports: dict[Purpose, list[tuple[Part, Report]]]) -> None:
        """Shows the reviews for all purposes, keeping the chosen finding where it is still there."""
        chosen = self.rows[self.row] if 0 <= self.row < len(self.rows) else None
        self.reports = reports.get(self.purpose, [])
        self._show_marks({purpose: all(r.ready for _, r in found) for purpose, found in reports.items()})
        self.rows = [(part.id, finding) for part, report in self.reports for finding in report.findings]
        several = len(self.reports) > 1
        self.list.clear()
        names = {part.id: part.name for part, _ in self.reports}
        for part_id, finding in self.rows:
            where = f"{names[part_id]}: " if several else ""
            item = QListWidgetItem(f"{MARKS[finding.severity]}  {where}{finding.message}", self.list)
            item.setForeground(QColor(self.theme.severity(finding.severity)))
        if not self.rows:
            item = QListWidgetItem("Nothing found." if self.reports else "Nothing to review yet.", self.list)
            item.setFlags(Qt.ItemFlag.NoItemFlags)
        kept = -1
        if chosen is not None:
            same = [
                row
                for row, (part_id, finding) in enumerate(self.rows)
                if part_id == chosen[0]
                and (finding.check, finding.kind, finding.valence)
                == (chosen[1].check, chosen[1].kind, chosen[1].valence)
            ]
            kept = same[0] if same else -1
        self.list.setCurrentRow(kept)
        if kept >= 0:
            self.step = min(self.step, self.rows[kept][1].count - 1)
            self.chosen.emit(self.rows[kept][0], self.rows[kept][1], -1 - self.step)
        else:
            self.chosen.emit("", None, 0)
        self._show_place()

    def show_row(self, row: int, step: int) -> None:
        """Chooses a finding and one of its places."""
        if not 0 <= row < len(self.rows):
            return
        self.list.setCurrentRow(row)
        self.step = step
        self._show_place()
        part_id, finding = self.rows[row]
        self.chosen.emit(part_id, finding, step)

    def walk(self, by: int) -> None:
        """Goes to the next or previous place, over all findings."""
        if not self.rows:
            return
        if self.row < 0:
            self.show_row(0 if by > 0 else len(self.rows) - 1, 0)
            return
        step = self.step + by
        if 0 <= step < self.rows[self.row][1].count:
            self.show_row(self.row, step)
            return
        row = (self.row + by) % len(self.rows)
        self.show_row(row, 0 if by > 0 else self.rows[row][1].count - 1)

    # Helpers

    def _choose_purpose(self, purpose: Purpose) -> None:
        self.purpose = purpose
        self.purpose_changed.emit(purpose)

    def _show_marks(self, ready: dict[Purpose, bool]) -> None:
        for purpose, button in self.marks.items():
            word = purpose.capitalize()
            mark = "" if purpose not in ready else "✓ " if ready[purpose] else "■ "
            tone = self.theme.ink if ready.get(purpose, True) else self.theme.stop
            button.setText(mark + word)
            button.setChecked(purpose == self.purpose)
            under = self.theme.selection if purpose == self.purpose else self.theme.line
            button.setStyleSheet(
                f"QPushButton {{ color: {tone}; padding: 4px 2px; border: 1px solid {self.theme.line};"
                f" border-bottom: 2px solid {under}; }}"
            )
            state = "ready" if ready.get(purpose) else "not ready"
            button.setToolTip(f"{word}: {state}" if purpose in ready else word)

    def _show_place(self) -> None:
        has = 0 <= self.row < len(self.rows)
        finding = self.rows[self.row][1] if has else None
        self.advice.setText(finding.advice if finding else "")
        self.place.setText(f"{self.step + 1} of {finding.count}" if finding else "")
        self.remedy.setVisible(finding is not None and finding.remedy is not None)
        if finding is not None and finding.remedy is not None:
            self.remedy.setText(finding.remedy.label)
        for button in (self.previous, self.next):
            button.setVisible(bool(self.rows))

    def _remedy(self) -> None:
        if 0 <= self.row < len(self.rows):
            part_id, finding = self.rows[self.row]
            self.remedied.emit(part_id, finding)


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
