"""The guides in a list of their own: shown, locked, how strong; hidden while there are none."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from levelloop.app.panels.pieces import heading, switch
from levelloop.app.theme import Theme, plain_label, scaled, text_font
from levelloop.core.errors import LevelLoopError
from levelloop.document.document import Guide
from levelloop.document.operations import keys
from levelloop.document.session import Session


class GuideRow(QWidget):
    """One guide: shown, locked, its name and where it stands, how strong it is."""

    def __init__(self, panel: GuidesPanel, guide: Guide) -> None:
        super().__init__(panel)
        self.guide = guide
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 4, 0)
        row.setSpacing(3)
        self.setFixedHeight(scaled(26))
        theme = panel.theme
        self.eye = switch(self, theme, "shown" if guide.shown else "hidden", "Hide" if guide.shown else "Show")
        self.eye.clicked.connect(lambda: panel.set(guide, shown=not guide.shown))
        self.lock = switch(self, theme, "locked" if guide.locked else "free", "Unlock" if guide.locked else "Lock")
        self.lock.clicked.connect(lambda: panel.set(guide, locked=not guide.locked))
        name = plain_label(guide.name, self)
        name.setFont(text_font(9.5))
        where = plain_label(guide.view, self)
        where.setObjectName("quiet")
        where.setFont(text_font(8.5))
        self.strength = QSlider(Qt.Orientation.Horizontal, self)
        self.strength.setRange(5, 100)
        self.strength.setFixedWidth(64)
        self.strength.setAccessibleName(f"Opacity of {guide.name}")
        self.strength.setToolTip("How strong it is")
        self.strength.setValue(round(100 * guide.opacity))
        self.strength.sliderReleased.connect(self._let_go)
        self.strength.valueChanged.connect(self._stepped)
        self._panel = panel
        for widget in (self.eye, self.lock):
            widget.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(widget)
        row.addWidget(name, 1)
        row.addWidget(where)
        row.addWidget(self.strength)

    def _let_go(self) -> None:
        self._panel.set(self.guide, opacity=self.strength.value() / 100.0)

    def _stepped(self, value: int) -> None:
        # A step by key or beside the handle; a drag is told when it is let go.
        if not self.strength.isSliderDown():
            self._panel.set(self.guide, opacity=value / 100.0)


class GuidesPanel(QWidget):
    """The list. told: a sentence for the person; asked_calibrate: two places and their distance are to be given."""

    told = Signal(str)
    asked_calibrate = Signal()

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 6, 10, 6)
        self._column.setSpacing(1)
        top = QHBoxLayout()
        top.addWidget(heading("Guides", self), 1)
        calibrate = QPushButton("calibrate", self)
        calibrate.setProperty("quiet", True)
        calibrate.setToolTip("Two places of a guide and how far apart they truly are")
        calibrate.clicked.connect(self.asked_calibrate)
        top.addWidget(calibrate)
        self._column.addLayout(top)
        self.rows: list[GuideRow] = []
        self._shown: tuple[Guide, ...] | None = None
        self.refresh()

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Shows the list in another theme."""
        self.theme, self._shown = theme, None
        self.refresh()

    def refresh(self) -> None:
        """Brings the list up to date."""
        guides = self.session.document.guides
        if guides == self._shown:
            return
        self._shown = guides
        for row in self.rows:
            row.hide()
            row.deleteLater()
        self.rows = [GuideRow(self, guide) for guide in guides]
        for row in self.rows:
            self._column.addWidget(row)
        self.setVisible(bool(guides))

    def set(self, guide: Guide, **changes: Any) -> None:
        """Changes how a guide looks."""
        try:
            self.session.do(keys.SET_GUIDE, name=guide.name, **changes)
        except LevelLoopError as error:
            self.told.emit(str(error))
