"""The card of an empty document: start with a form, open a file, rescue unsaved work, recent files, a first lesson."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from levelloop.app.commands.files.recent import HIGH, WIDE, picture_of, recent_files
from levelloop.app.icons import icon
from levelloop.app.theme import BENCH, Theme, plain_label, text_font
from levelloop.document.operations import REGISTRY
from levelloop.files.journal import Rescued

FORMS = 6  # that stand on the card
RECENT = 3


class StartCard(QFrame):
    """Lies over the view while there is no part.

    form: the key of a starting form; asked_open: a file is to be chosen; opened: a recent one; taken_up, given_up:
    rescued work; asked_lesson, asked_demo.
    """

    form = Signal(str)
    asked_open = Signal()
    opened = Signal(object)
    taken_up = Signal(object)
    given_up = Signal(object)
    asked_lesson = Signal()
    asked_demo = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme = BENCH
        self.rescued: Sequence[Rescued] = ()
        self.setObjectName("card")
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(28, 22, 28, 22)
        self._column.setSpacing(12)
        self._rows: list[QWidget] = []

    def set_theme(self, theme: Theme) -> None:
        """Shows itself in a theme's colours."""
        self.theme = theme
        self.fill(self.rescued)

    def fill(self, rescued: Sequence[Rescued]) -> None:
        """Shows what there is to start from."""
        self.rescued = rescued
        for row in self._rows:
            row.setParent(None)
            row.deleteLater()
        self._rows = []
        if rescued:
            self._add("Unsaved work was found", self._rescued_row(rescued[0]))
        self._add("Start with a form", self._forms())
        files = recent_files()[:RECENT]
        if files:
            self._add("Recent files", self._files(files))
        self._add("", self._others())
        self.adjustSize()

    def place(self) -> None:
        """Stands in the middle of what it lies over."""
        parent = self.parentWidget()
        if parent is not None:
            self.adjustSize()
            self.move((parent.width() - self.width()) // 2, max((parent.height() - self.height()) // 2, 8))

    # Helpers

    def _add(self, heading: str, inside: QWidget) -> None:
        if heading:
            label = plain_label(heading, self)
            label.setFont(text_font(10.5, text_font().Weight.DemiBold))
            self._column.addWidget(label)
            self._rows.append(label)
        self._column.addWidget(inside)
        self._rows.append(inside)

    def _forms(self) -> QWidget:
        row = QWidget(self)
        line = QGridLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        forms = [one for one in REGISTRY.on_line("nothing") if one.acts_on == "form" and one.icon][:FORMS]
        for number, operation in enumerate(forms):
            button = QPushButton(operation.title, row)
            button.setIcon(icon(operation.icon, self.theme.ink, self.theme.selection))
            button.setIconSize(QSize(18, 18))
            button.setToolTip(operation.hint)
            button.clicked.connect(lambda _=False, key=operation.key: self.form.emit(key))
            line.addWidget(button, 0, number)
        return row

    def _files(self, files: Sequence[Path]) -> QWidget:
        row = QWidget(self)
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(10)
        for path in files:
            picture = picture_of(path)
            button = self._pictured(picture, path.name, row)
            button.setToolTip(str(path))
            button.clicked.connect(lambda _=False, path=path: self.opened.emit(path))
            line.addWidget(button)
        line.addStretch(1)
        return row

    def _rescued_row(self, work: Rescued) -> QWidget:
        row = QWidget(self)
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(12)
        picture = QPixmap(str(work.picture)) if work.picture is not None else None
        shown = self._pictured(picture, work.name, row)
        shown.clicked.connect(lambda: self.taken_up.emit(work))
        line.addWidget(shown)
        column = QVBoxLayout()
        told = plain_label(f"“{work.name}”, as it was on {work.at:%d %B at %H:%M}.", row)
        told.setFont(text_font(10))
        column.addStretch(1)
        column.addWidget(told)
        buttons = QHBoxLayout()
        for words, signal, name in (("Go on with it", self.taken_up, "primary"), ("Give it up", self.given_up, "")):
            button = QPushButton(words, row)
            button.setObjectName(name)
            button.clicked.connect(lambda _=False, signal=signal: signal.emit(work))
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        column.addStretch(1)
        line.addLayout(column, 1)
        return row

    def _others(self) -> QWidget:
        row = QWidget(self)
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 4, 0, 0)
        line.setSpacing(8)
        for words, signal in (
            ("Open a file …", self.asked_open),
            ("A first part in six steps", self.asked_lesson),
            ("Look at the demo", self.asked_demo),
        ):
            button = QPushButton(words, row)
            button.clicked.connect(lambda _=False, signal=signal: signal.emit())
            line.addWidget(button)
        told = plain_label("or drop one here", row)
        told.setObjectName("quiet")
        told.setFont(text_font(9))
        line.addWidget(told)
        line.addStretch(1)
        return row

    def _pictured(self, picture: QPixmap | None, words: str, parent: QWidget) -> QToolButton:
        button = QToolButton(parent)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        blank = QPixmap(WIDE, HIGH)
        blank.fill(self.theme.ground)
        button.setIcon(QIcon(picture if picture is not None and not picture.isNull() else blank))
        button.setIconSize(QSize(int(WIDE * 0.7), int(HIGH * 0.7)))
        button.setText(self.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, int(WIDE * 0.7)))
        button.setFont(text_font(9))
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button
