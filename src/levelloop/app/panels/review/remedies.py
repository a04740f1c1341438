"""The remedies of a finding, each with what it comes to: tried beforehand on a copy."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from levelloop.app.theme import plain_label, text_font
from levelloop.core.review.findings import Finding, Remedy
from levelloop.document.review.remedies import ONE_BY_ONE, Effect, remedies_of
from levelloop.document.scripting.units import told_in


class RemedyList(QWidget):
    """Up to three remedies below a finding. chosen: one is to be run, on all that was found or here only."""

    chosen = Signal(object, bool)

    def __init__(self, unit: Callable[[], str], parent: QWidget) -> None:
        super().__init__(parent)
        self._unit = unit
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(2)
        self.buttons: list[QPushButton] = []
        self._effects: list[QLabel] = []
        self._finding: Finding | None = None

    def show_finding(self, finding: Finding | None) -> None:
        """Lists the remedies of a finding; what they come to is still to be worked out."""
        if finding is self._finding:
            return
        self._finding = finding
        while self._column.count():
            item = self._column.takeAt(0)
            row = item.widget() if item is not None else None
            if row is not None:
                row.hide()
                row.deleteLater()
        self.buttons, self._effects = [], []
        for remedy in remedies_of(finding) if finding is not None else ():
            self._add(remedy, finding is not None and finding.count > 1)
        self.setVisible(bool(self.buttons))

    def show_effects(self, effects: list[Effect]) -> None:
        """Says what each remedy comes to; those that cannot run are dimmed, with the reason."""
        best = next((effect for effect in effects if effect.better), None)
        for button, label, effect in zip(self.buttons, self._effects, effects, strict=False):
            words = told_in(effect.words, self._unit())
            label.setText(words)
            label.setToolTip(words)
            button.setEnabled(effect.runs)
            button.setObjectName("primary" if effect is best else "")
            button.style().unpolish(button)
            button.style().polish(button)

    @property
    def effects(self) -> list[str]:
        """What is said of each remedy."""
        return [label.text() for label in self._effects]

    # Helpers

    def _add(self, remedy: Remedy, is_several: bool) -> None:
        row = QWidget(self)
        column = QVBoxLayout(row)
        column.setContentsMargins(0, 0, 0, 2)
        column.setSpacing(0)
        line = QHBoxLayout()
        line.setSpacing(4)
        button = QPushButton(remedy.label, row)
        button.setFont(text_font(9))
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: self.chosen.emit(remedy, remedy.key in ONE_BY_ONE))
        line.addWidget(button)
        if is_several and remedy.key not in ONE_BY_ONE:
            here = QPushButton("here only", row)
            here.setProperty("quiet", True)
            here.setFont(text_font(9))
            here.setToolTip("Mends the place that is shown and leaves the others")
            here.clicked.connect(lambda: self.chosen.emit(remedy, True))
            line.addWidget(here)
        line.addStretch(1)
        column.addLayout(line)
        effect = plain_label("…", row)
        effect.setFont(text_font(8.5))
        effect.setObjectName("quiet")
        effect.setWordWrap(True)
        column.addWidget(effect)
        self._column.addWidget(row)
        row.show()
        self.buttons.append(button)
        self._effects.append(effect)
