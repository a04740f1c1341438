"""The panels at the right: history and review."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from levelloop.app.theme import MARKS, Theme, plain_label, text_font
from levelloop.core.review import Report
from levelloop.core.review.findings import PURPOSES, Finding, Purpose
from levelloop.document.document import Part
from levelloop.document.session import Session


def heading(text: str, parent: QWidget) -> QLabel:
    """A small heading over a panel."""
    label = plain_label(text, parent)
    label.setObjectName("heading")
    label.setFont(text_font(8.5, text_font().Weight.DemiBold))
    return label


def quiet_list(parent: QWidget, result: QListWidget | None = None) -> QListWidget:
    """A list that takes no keyboard and never scrolls sideways; one that is there already, or a new one."""
    result = QListWidget(parent) if result is None else result
    result.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    result.setFont(text_font(9))
    result.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return result


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

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Shows the list in another theme."""
        self.theme = theme
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
                item.setToolTip(html.escape(" ".join(filter(None, (state.sentence + ".", state.message)))))
            item.setForeground(QColor(self.theme.ink if row <= self.session.here else self.theme.faint))
        self.list.setCurrentRow(self.session.here)
        self.list.blockSignals(False)


class ReviewPanel(QWidget):
    """Readiness and findings.

    chosen: a finding and which of its places to show; remedied: run its remedy; accepted: keep it with a reason.
    """

    chosen = Signal(str, object, int)
    remedied = Signal(str, object)
    accepted = Signal(str, object, str)
    purpose_changed = Signal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.purpose: Purpose = "smooth"
        self.reports: list[tuple[Part, Report]] = []
        self._found: dict[Purpose, list[tuple[Part, Report]]] = {}
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
        self.advice = plain_label("", self)
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
        self.place = plain_label("", self)
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
        self.reason = QLineEdit(self)
        self.reason.setFont(text_font(9))
        self.reason.setPlaceholderText("Accept, because …")
        self.reason.setToolTip("Enter keeps the finding as accepted, with this reason, until what it is about moves")
        self.reason.setMaxLength(200)
        self.reason.returnPressed.connect(self._accept)
        column.addWidget(self.reason)
        self._show_marks({})
        self._show_place()

    @property
    def row(self) -> int:
        """The chosen finding's row, −1 for none."""
        return self.list.currentRow()

    def follow(self, session: Session) -> None:
        """Shows nothing until another session's review is there."""
        self.show_reports({})

    def set_theme(self, theme: Theme) -> None:
        """Shows the findings in another theme."""
        self.theme = theme
        self.show_reports(self._found)

    def refresh(self) -> None:
        """Nothing: what is found is shown when a review has run."""

    def show_reports(self, reports: dict[Purpose, list[tuple[Part, Report]]]) -> None:
        """Shows the reviews for all purposes, keeping the chosen finding where it is still there."""
        self._found = reports
        chosen = self.rows[self.row] if 0 <= self.row < len(self.rows) else None
        self.reports = reports.get(self.purpose, [])
        self._show_marks({purpose: all(r.ready for _, r in found) for purpose, found in reports.items()})
        self.rows = [(part.id, finding) for part, report in self.reports for finding in report.findings]
        several = len(self.reports) > 1
        self.list.clear()
        names = {part.id: part.name for part, _ in self.reports}
        for part_id, finding in self.rows:
            where = f"{names[part_id]}: " if several else ""
            reason = f" Accepted: {finding.accepted}" if finding.accepted else ""
            item = QListWidgetItem(f"{MARKS[finding.severity]}  {where}{finding.message}{reason}", self.list)
            tone = self.theme.quiet if finding.accepted else self.theme.severity(finding.severity)
            item.setForeground(QColor(tone))
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
        self.place.setText(f"{self.step + 1} of {finding.count}" if finding and finding.count else "")
        self.remedy.setVisible(finding is not None and finding.remedy is not None)
        if finding is not None and finding.remedy is not None:
            self.remedy.setText(finding.remedy.label)
        self.reason.setVisible(finding is not None)
        self.reason.setText(finding.accepted if finding is not None else "")
        for button in (self.previous, self.next):
            button.setVisible(bool(self.rows))

    def _accept(self) -> None:
        if 0 <= self.row < len(self.rows):
            part_id, finding = self.rows[self.row]
            self.accepted.emit(part_id, finding, self.reason.text())

    def _remedy(self) -> None:
        if 0 <= self.row < len(self.rows):
            part_id, finding = self.rows[self.row]
            self.remedied.emit(part_id, finding)
