"""The card of a comparison: what stands on either side, how far they are apart, and what their reviews find."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRect
from PySide6.QtGui import QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QWidget

from levelloop.app.measured import roughly_told
from levelloop.app.theme import MARKS, colour, plain_label, quiet_button, scaled, text_font
from levelloop.app.view.cards.card import card_column
from levelloop.app.view.colour_maps import BILBAO, ramp
from levelloop.document.scripting.units import told_in

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

EDGE = 10
MOST_CHANGES = 7


class CompareCard(QFrame):
    """Shown at the lower right of a view while it compares."""

    def __init__(self, view: Viewport) -> None:
        super().__init__(view)
        self.view = view
        column = card_column(self, 3)
        self.sides = plain_label("", self)
        self.sides.setFont(text_font(9, text_font().Weight.DemiBold))
        self.told = plain_label("", self)
        self.told.setFont(text_font(9))
        self.scale = DistanceScale(self)
        self.changes = plain_label("", self)
        self.changes.setFont(text_font(8.5))
        self.changes.setObjectName("quiet")
        for widget in (self.sides, self.told, self.scale, self.changes):
            column.addWidget(widget)
        line = QHBoxLayout()
        line.setSpacing(2)
        self.map = quiet_button("Distances", "Colours each place by how far it is from the other side", self)
        self.go = quiet_button("Largest", "Turns to the place where they are farthest apart", self)
        self.end = quiet_button("End", "Ends the comparison", self)
        self.map.clicked.connect(self.toggle_map)
        self.go.clicked.connect(self.go_to_largest)
        self.end.clicked.connect(lambda: self.view.compare(None))
        for button in (self.map, self.go):
            line.addWidget(button)
        line.addStretch(1)
        line.addWidget(self.end)
        column.addLayout(line)
        self.hide()

    def toggle_map(self) -> None:
        """Shows distances as colours, or no longer."""
        if self.view.wipe is not None:
            self.view.wipe.maps = not self.view.wipe.maps
            self.refresh()
            self.view.refresh()

    def go_to_largest(self) -> None:
        """Frames the place where the two are farthest apart."""
        wipe = self.view.wipe
        if wipe is not None and wipe.apart is not None:
            where = wipe.apart.where
            self.view.fly(lambda: self.view.frame_points(where[None]))

    def refresh(self) -> None:
        """Brings the card up to date with what the view compares."""
        wipe = self.view.wipe
        self.setVisible(wipe is not None)
        if wipe is None:
            return
        unit = self.view.session.document.unit
        self.sides.setText(f"{wipe.left}  |  {wipe.right}")
        if wipe.apart is None:
            self.told.setText("…")
        elif wipe.apart.largest == 0:
            self.told.setText("Nowhere apart.")
        else:
            largest, mean = (roughly_told(one, unit) for one in (wipe.apart.largest, wipe.apart.mean))
            self.told.setText(f"At most {largest} apart, {mean} on average")
        self.scale.setVisible(wipe.maps and wipe.apart is not None)
        self.go.setEnabled(wipe.apart is not None and wipe.apart.largest > 0)
        self.map.setText("Plain" if wipe.maps else "Distances")
        lines = [f"{MARKS[one.severity]} {one.part}: {told_in(one.words, unit)}" for one in wipe.changes or ()]
        more = len(lines) - MOST_CHANGES
        self.changes.setText("\n".join(lines[:MOST_CHANGES] + ([f"and {more} more"] if more > 0 else [])))
        self.changes.setVisible(bool(lines))
        self.layout().activate()  # type: ignore[union-attr]
        self.adjustSize()
        self.place()

    def place(self) -> None:
        """Stands in the view's lower right corner."""
        self.move(self.view.width() - self.width() - EDGE, self.view.height() - self.height() - EDGE)


class DistanceScale(QWidget):
    """The colours of distances, from nought to the largest."""

    def __init__(self, card: CompareCard) -> None:
        super().__init__(card)
        self._card = card
        self._colours = ramp(BILBAO)
        self.setFixedSize(scaled(240), scaled(30))
        self.setAccessibleName("What the colours of distances mean")

    def paintEvent(self, event: QPaintEvent) -> None:
        wipe = self._card.view.wipe
        if wipe is None or wipe.apart is None:
            return
        theme, unit = self._card.view.theme, self._card.view.session.document.unit
        painter = QPainter(self)
        bar = QImage(self._colours.tobytes(), self._colours.shape[1], 1, QImage.Format.Format_RGBA8888)
        painter.drawImage(QRect(0, 2, self.width(), scaled(11)), bar)
        painter.setPen(QPen(colour(theme.line), 1.0))
        painter.drawRect(0, 2, self.width() - 1, scaled(11))
        painter.setFont(text_font(8.5))
        painter.setPen(colour(theme.ink))
        painter.drawText(0, self.height() - 3, "0")
        words = roughly_told(wipe.apart.largest, unit)
        painter.drawText(self.width() - painter.fontMetrics().horizontalAdvance(words), self.height() - 3, words)
        painter.end()
