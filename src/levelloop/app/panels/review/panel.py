"""The review panel: readiness for each purpose, findings of the active part first, the chosen one unfolded in place."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPixmap
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from levelloop.app.panels.pieces import heading
from levelloop.app.panels.review.finding_rows import FindingRow, Head, PlacePicture
from levelloop.app.panels.review.grouping import Group, grouped, in_order
from levelloop.app.panels.review.remedies import RemedyList
from levelloop.app.panels.review.sketch import drawn, sketched
from levelloop.app.theme import MARKS, Theme, plain_label, quiet_button, text_font
from levelloop.core.review import Report
from levelloop.core.review.findings import PURPOSES, SEVERITIES, Finding, Purpose, Severity
from levelloop.core.review.why import CAUSES, WHY, cause_of
from levelloop.core.words import counted
from levelloop.document.part import Part
from levelloop.document.scripting.units import told_in
from levelloop.document.session import Session

Reports = list[tuple[Part, Report]]


class ReviewPanel(QWidget):
    """Readiness and findings.

    chosen: a finding and which of its places to show; remedied: run a remedy on all its places (−1), or on one;
    accepted: keep it with a reason.
    """

    chosen = Signal(str, object, int)
    remedied = Signal(str, object, object, int)
    accepted = Signal(str, object, str)
    purpose_changed = Signal(str)

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.purpose: Purpose = "smooth"
        self.reports: Reports = []
        self._found: dict[Purpose, Reports] = {}
        self.rows: list[tuple[str, Finding]] = []
        self._pictures: dict[tuple[object, ...], tuple[Finding, QPixmap]] = {}
        self.row = -1
        self.step = 0
        self._opened: set[tuple[str, str]] = set()
        self._closed: set[tuple[str, str]] = set()
        self._first = ""
        self.counts_locked = False
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 6, 8)
        column.setSpacing(4)
        top = QHBoxLayout()
        top.addWidget(heading("Review", self), 1)
        self.place = plain_label("", self)
        self.place.setFont(text_font(9))
        self.place.setObjectName("quiet")
        top.addWidget(self.place)
        self.previous = self._stepper("‹", "Previous finding (Shift+R)", -1)
        self.next = self._stepper("›", "Next finding (R)", 1)
        top.addWidget(self.previous)
        top.addWidget(self.next)
        column.addLayout(top)
        marks = QHBoxLayout()
        marks.setSpacing(2)
        self.marks: dict[Purpose, QPushButton] = {}
        for purpose in PURPOSES:
            button = QPushButton(self)
            button.setFont(text_font(9))
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, purpose=purpose: self._choose_purpose(purpose))
            self.marks[purpose] = button
            marks.addWidget(button)
        marks.addStretch(1)
        column.addLayout(marks)
        self._scroll = QScrollArea(self)
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._scroll.setAccessibleName("Findings")
        column.addWidget(self._scroll, 1)
        self._detail = self._make_detail()
        self._show_marks()
        self._show_rows()

    # What is shown

    def follow(self, session: Session) -> None:
        """Shows nothing until another session's review is there."""
        self.session = session
        self._opened.clear()
        self._closed.clear()
        self.show_reports({})

    def set_theme(self, theme: Theme) -> None:
        """Shows the findings in another theme."""
        self.theme = theme
        self._show_marks()
        self._show_rows()

    def refresh(self) -> None:
        """Lets the active part's findings come first; what is found is shown when a review has run."""
        if self._first != self.session.document.active:
            self.show_reports(self._found)

    def show_reports(self, reports: dict[Purpose, Reports]) -> None:
        """Shows the reviews for all purposes, keeping the chosen finding where it is still there."""
        if reports is not self._found:
            self._pictures.clear()
        self._found = reports
        self._first = active = self.session.document.active
        before = self.rows[self.row] if 0 <= self.row < len(self.rows) else None
        self.reports = sorted(self._counted(self.purpose), key=lambda report: report[0].id != active)
        self.rows = [
            (part.id, finding) for part, report in self.reports for finding in sorted(report.findings, key=in_order)
        ]
        self._show_marks()
        self.row = -1 if before is None else self._same_as(*before)
        if self.row >= 0:
            self.step = min(self.step, max(self.rows[self.row][1].count - 1, 0))
            self.chosen.emit(*self.rows[self.row], -1 - self.step)
        else:
            self.chosen.emit("", None, 0)
        self._show_rows()

    def show_counts(self, reports: dict[Purpose, Reports]) -> None:
        """Tells how much is found while something is dragged; the rows stay as they are until it is let go."""
        self._found = reports
        self._show_marks()
        found = sum(len(report.findings) for _, report in self._counted(self.purpose))
        self.place.setText(f"{found} found")

    def count_locked(self, on: bool) -> None:
        """Whether what is found of locked parts counts too: who locks a part has done with it, for now."""
        self.counts_locked = on
        self.show_reports(self._found)

    def words(self, row: int) -> str:
        """What a finding says, with the reason why it is accepted."""
        finding = self.rows[row][1]
        said = told_in(finding.message, self.session.document.unit)
        return said + (f" Accepted: {finding.accepted}" if finding.accepted else "")

    def stops(self, purpose: Purpose, part_ids: set[str]) -> int:
        """How many findings keep parts from being ready for a purpose."""
        found = self._found.get(purpose, [])
        return sum(
            finding.severity == "stop" and not finding.accepted
            for part, report in found
            if part.id in part_ids
            for finding in report.findings
        )

    @property
    def told(self) -> str:
        """What is said where there are no findings."""
        if self.rows:
            return ""
        if self.reports:
            return "Nothing found."
        given_out = self.session.document.given_out
        return "Reviewing …" if any(part.mesh.n_faces for part in given_out) else "There is nothing to review yet."

    # Stepping

    def show_row(self, row: int, step: int) -> None:
        """Chooses a finding and one of its places."""
        if not 0 <= row < len(self.rows):
            return
        self.row, self.step = row, step
        # Its part becomes the active one; the order stays while one steps through it.
        self._first = self.rows[row][0]
        self.chosen.emit(*self.rows[row], step)
        self._show_rows()

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
        self.show_row(row, 0 if by > 0 else max(self.rows[row][1].count - 1, 0))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if by:
            self.walk(by)
        else:
            super().keyPressEvent(event)

    # Helpers

    def _same_as(self, part_id: str, finding: Finding) -> int:
        """The row of the finding that another one has become; −1 where it is gone."""
        alike = (finding.check, finding.kind, finding.valence)
        found = (
            row
            for row, (other, now) in enumerate(self.rows)
            if other == part_id and (now.check, now.kind, now.valence) == alike
        )
        return next(found, -1)

    def _counted(self, purpose: Purpose) -> Reports:
        """The reports that count: of parts that are not locked, unless those are asked for."""
        found = self._found.get(purpose, [])
        return [(part, report) for part, report in found if self.counts_locked or not part.locked]

    def _groups(self) -> list[Group]:
        return grouped([(part, len(report.findings)) for part, report in self.reports], self.rows)

    def _is_open(self, group: Group) -> bool:
        if self.row in group.rows or group.key in self._opened:
            return True
        is_first = group.part.id == self.session.document.active and group.kind == "serious"
        return is_first and group.key not in self._closed

    def _show_rows(self) -> None:
        self._detail.setParent(self)
        self._detail.hide()
        inside = QWidget()
        inside.setObjectName("findings")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(1)
        if self.told:
            quiet = plain_label(self.told, inside)
            quiet.setObjectName("quiet")
            quiet.setFont(text_font(9.5))
            column.addWidget(quiet)
        part_open = True
        for group in self._groups():
            if group.kind != "serious" and not part_open:
                continue
            is_open = self._is_open(group)
            if group.kind == "serious":
                others = [one for one in self._groups() if one.part is group.part]
                part_open = is_open = any(self._is_open(one) for one in others)
            self._add_group(column, inside, group, is_open)
        locked = sum(part.locked and bool(report.findings) for part, report in self._found.get(self.purpose, []))
        if locked:
            words = f"{counted(locked, 'locked part')} {'counted' if self.counts_locked else 'left out'}"
            more = quiet_button(words, "Leave them out" if self.counts_locked else "Count them too", inside)
            more.setObjectName("locked")
            more.clicked.connect(lambda: self.count_locked(not self.counts_locked))
            column.addWidget(more, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        self._scroll.setWidget(inside)
        self._show_place()
        if self._detail.isVisibleTo(inside):
            inside.adjustSize()
            self._scroll.ensureWidgetVisible(self._detail, 0, 12)
            chosen = next(row for row in inside.findChildren(FindingRow) if row.property("chosen"))
            self._scroll.ensureWidgetVisible(chosen, 0, 2)

    def _add_group(self, column: QVBoxLayout, inside: QWidget, group: Group, is_open: bool) -> None:
        worst = min((self.rows[row][1].severity for row in group.rows), key=SEVERITIES.index, default="note")
        if group.kind == "accepted":
            words, tone = f"✓ {len(group.rows)} accepted", self.theme.quiet
        elif group.kind == "notes":
            words, tone = f"{MARKS['note']} {counted(len(group.rows), 'note')}", self.theme.severity("note")
        else:
            marks = [
                f"{MARKS[severity]} {count}"
                for severity in SEVERITIES
                if (count := self._count(group.part.id, severity)) and severity != "note"
            ]
            words = "   ".join((group.part.name, *marks))
            tone = self.theme.severity(worst) if group.rows else self.theme.ink
        head = Head(words, tone, is_open, inside)
        head.clicked.connect(lambda _=False: self._fold(group, not is_open))
        column.addWidget(head)
        if not is_open:
            return
        causes = [cause_of(self.rows[number][1].check) for number in group.rows]
        for number, cause, before in zip(group.rows, causes, [-1, *causes], strict=False):
            finding = self.rows[number][1]
            if cause != before and len(set(causes)) > 1:
                column.addWidget(self._cause(CAUSES[cause][0], inside))
            tone = self.theme.quiet if finding.accepted else self.theme.severity(finding.severity)
            picture = self._picture(group.part, finding, tone, inside) if finding.count else None
            row = FindingRow(self.words(number), MARKS[finding.severity], tone, number == self.row, picture, inside)
            row.pressed.connect(lambda number=number: self.show_row(number, 0))
            column.addWidget(row)
            if number == self.row:
                column.addWidget(self._detail)
                self._detail.show()

    def _cause(self, words: str, inside: QWidget) -> QWidget:
        label = plain_label(words, inside)
        label.setObjectName("quiet")
        label.setFont(text_font(8.5))
        label.setContentsMargins(6, 4, 0, 0)
        return label

    def _picture(self, part: Part, finding: Finding, tone: str, inside: QWidget) -> PlacePicture:
        def make(size: QSize, ratio: float) -> QPixmap:
            key = (id(finding), self.theme.name, tone, size.width(), ratio)
            if key not in self._pictures:
                # Beside its finding, so that no other one gets its name meanwhile.
                self._pictures[key] = finding, drawn(sketched(part, finding), size, self.theme, tone, ratio)
            return self._pictures[key][1]

        return PlacePicture(make, inside)

    def _count(self, part_id: str, severity: Severity) -> int:
        return sum(
            1
            for other, finding in self.rows
            if other == part_id and finding.severity == severity and not finding.accepted
        )

    def _fold(self, group: Group, is_open: bool) -> None:
        (self._opened if is_open else self._closed).add(group.key)
        (self._closed if is_open else self._opened).discard(group.key)
        if not is_open and 0 <= self.row < len(self.rows) and self.row in group.rows:
            self.row = -1
            self.chosen.emit("", None, 0)
        self._show_rows()

    def _make_detail(self) -> QFrame:
        """What unfolds below the chosen finding: why it matters, its remedy, the reason why it may stay."""
        detail = QFrame(self)
        detail.setObjectName("detail")
        column = QVBoxLayout(detail)
        column.setContentsMargins(22, 0, 4, 6)
        column.setSpacing(5)
        self.advice = plain_label("", detail)
        self.advice.setWordWrap(True)
        self.advice.setFont(text_font(9))
        self.advice.setObjectName("quiet")
        column.addWidget(self.advice)
        self.remedies = RemedyList(lambda: self.session.document.unit, detail)
        self.remedies.chosen.connect(self._remedy)
        column.addWidget(self.remedies)
        self.reason = QLineEdit(detail)
        self.reason.setFont(text_font(9))
        self.reason.setPlaceholderText("Accept, because …")
        self.reason.setToolTip("Enter keeps the finding as accepted, with this reason, until what it is about moves")
        self.reason.setMaxLength(200)
        self.reason.returnPressed.connect(self._accept)
        column.addWidget(self.reason)
        return detail

    def _stepper(self, sign: str, hint: str, by: int) -> QPushButton:
        button = QPushButton(sign, self)
        button.setProperty("quiet", True)
        button.setToolTip(hint)
        button.setAccessibleName(hint)
        button.setFixedSize(26, 22)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: self.walk(by))
        return button

    def _choose_purpose(self, purpose: Purpose) -> None:
        self.purpose = purpose
        self.purpose_changed.emit(purpose)

    def _show_marks(self) -> None:
        for purpose, button in self.marks.items():
            found = self._counted(purpose) if purpose in self._found else None
            ready = found is None or all(report.ready for _, report in found)
            stops = sum(finding.severity == "stop" for _, report in found or () for finding in report.findings)
            mark = "–" if not found else "✓" if ready else f"■ {stops}"
            tone = self.theme.quiet if not found or ready else self.theme.stop
            button.setText(f"{mark} {purpose}")
            under = self.theme.selection if purpose == self.purpose else "transparent"
            button.setStyleSheet(
                f"QPushButton {{ color: {tone}; padding: 3px 6px; border: none; background: transparent;"
                f" border-bottom: 2px solid {under}; border-radius: 0; }}"
                f" QPushButton:hover {{ background: {self.theme.under}; }}"
                f" QPushButton:focus {{ border: 2px solid {self.theme.selection}; padding: 1px 4px 3px 4px; }}"
            )
            state = "ready" if ready else f"not ready, {stops} to look at"
            button.setToolTip(f"For {purpose}: {state if found else 'there is nothing to review'}")

    def _show_place(self) -> None:
        has = 0 <= self.row < len(self.rows)
        finding = self.rows[self.row][1] if has else None
        words = (WHY.get(finding.check, ""), finding.advice) if finding else ()
        self.advice.setText(" ".join(filter(None, words)))
        self.advice.setVisible(bool(self.advice.text()))
        self.place.setText(f"{self.step + 1} of {finding.count}" if finding and finding.count else "")
        self.remedies.show_finding(finding)
        self.reason.setText(finding.accepted if finding is not None else "")
        for button in (self.previous, self.next):
            button.setEnabled(bool(self.rows))

    def _accept(self) -> None:
        if 0 <= self.row < len(self.rows):
            self.accepted.emit(*self.rows[self.row], self.reason.text())

    def _remedy(self, remedy: object, here_only: bool) -> None:
        if 0 <= self.row < len(self.rows):
            self.remedied.emit(*self.rows[self.row], remedy, self.step if here_only else -1)
