"""The card of a look that has settings: stripes, curvature colours with their legend, raking light."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QRect, QTimer
from PySide6.QtGui import QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from levelloop.app.theme import colour, plain_label, quiet_button, scaled, text_font
from levelloop.app.view.colour_maps import VIK, ramp
from levelloop.app.view.look import (
    BENDS,
    FEWEST_STRIPES,
    MOST_STRIPES,
    STRIPE_WORDS,
    Rake,
    bend_values,
    round_up,
)
from levelloop.app.view.picking.picking import place_under
from levelloop.app.view.render.what_is_where import triangle_at
from levelloop.core.arrays import Floats
from levelloop.core.geometry.closest import weights_in_triangle
from levelloop.document.scripting.units import format_length, format_number

if TYPE_CHECKING:
    from levelloop.app.view.render.picture import Picture
    from levelloop.app.view.viewport import Viewport

EDGE = 10  # pixels to the view's corner
SWEEP = 4.0  # degrees the light goes on
SWEEPS_EVERY = 40  # milliseconds
RAKES: dict[Rake, str] = {"pointer": "follows the pointer", "sweeps": "sweeps", "stands": "stands"}


class LookCard(QFrame):
    """What a view's look can be set to, at its upper right; nothing where it has no settings."""

    def __init__(self, view: Viewport) -> None:
        super().__init__(view)
        self.view = view
        self.setObjectName("card")
        self._shown = ""
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(10, 6, 10, 8)
        self._rows.setSpacing(3)
        self._words: list[tuple[QPushButton, Callable[[], str]]] = []
        self.legend: Legend | None = None
        self.reading = ""
        self._sweep = QTimer(self)
        self._sweep.setInterval(SWEEPS_EVERY)
        self._sweep.timeout.connect(self._go_on)
        self.hide()

    def refresh(self) -> None:
        """Brings the card up to date with the view's look."""
        look = self.view.look_of
        if look.shading != self._shown:
            self._shown = look.shading
            self._fill()
        self.setVisible(bool(self._words))
        sweeps = look.shading == "raking light" and look.rakes == "sweeps"
        if sweeps != self._sweep.isActive():
            (self._sweep.start if sweeps else self._sweep.stop)()
        for button, words in self._words:
            button.setText(words())
        if self.legend is not None:
            self.legend.update()
        self.adjustSize()
        self.place()

    def place(self) -> None:
        """Stands in the view's upper right corner."""
        self.move(self.view.width() - self.width() - EDGE, EDGE)

    def stop(self) -> None:
        """Nothing moves by itself any more."""
        self._sweep.stop()

    def read(self) -> None:
        """Says how the surface bends under the pointer, or where the light comes from."""
        look = self.view.look_of
        if look.shading == "curvature" and self.legend is not None:
            self.reading = self._curvature_here()
            self.legend.update()
        elif look.shading == "raking light" and look.rakes == "pointer":
            away = self.view.pointer - self.view.rect().center()
            look.rake = float(np.degrees(np.arctan2(-away.y(), away.x())))
            self.view.update()
            self.refresh()

    # What the buttons do

    def change_stripes(self, factor: float) -> None:
        """More stripes, or fewer."""
        look = self.view.look_of
        look.stripes = int(np.clip(round(look.stripes * factor), FEWEST_STRIPES, MOST_STRIPES))
        self._changed()

    def turn_stripes(self) -> None:
        """Lets the stripes go around the next axis."""
        self.view.look_of.stripes_along = (self.view.look_of.stripes_along + 1) % len(STRIPE_WORDS)
        self._changed()

    def stand_stripes(self) -> None:
        """Lets the stripes stand in the world, or turn with the view."""
        self.view.look_of.stripes_stand = not self.view.look_of.stripes_stand
        self._changed()

    def next_bend(self) -> None:
        """Shows the next curvature: mean, largest, smallest, Gaussian."""
        look = self.view.look_of
        look.bend, look.bend_scale = BENDS[(BENDS.index(look.bend) + 1) % len(BENDS)], 0.0
        self._changed()

    def change_scale(self, factor: float) -> None:
        """Lets the colours be full at larger or smaller curvatures; 0: at what fits the part."""
        look = self.view.look_of
        look.bend_scale = round_up(self.view.bend_scale() * factor) if factor else 0.0
        self._changed()

    def next_rake(self) -> None:
        """Lets the light follow the pointer, sweep by itself, or stand."""
        kinds = list(RAKES)
        look = self.view.look_of
        look.rakes = kinds[(kinds.index(look.rakes) + 1) % len(kinds)]
        self._changed()

    # Helpers

    def _changed(self) -> None:
        self.refresh()
        self.view.refresh()

    def _fill(self) -> None:
        """Makes the rows that the look has."""
        while self._rows.count():
            item = self._rows.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self._words, self.legend, self.reading = [], None, ""
        look = self.view.look_of
        if look.shading == "stripes":
            self._row(
                "Stripes",
                (lambda: "−", lambda: self.change_stripes(1 / 1.5), "Fewer stripes"),
                (lambda: f"{look.stripes}", lambda: self.change_stripes(1.5), "How many stripes there are"),
                (lambda: "+", lambda: self.change_stripes(1.5), "More stripes"),
            )
            self._row(
                "",
                (lambda: STRIPE_WORDS[look.stripes_along], self.turn_stripes, "The axis that they go around"),
                (
                    lambda: "stand in the world" if look.stripes_stand else "turn with the view",
                    self.stand_stripes,
                    "Whether they stay where they are while the view turns",
                ),
            )
        elif look.shading == "curvature":
            self._row(
                "Curvature",
                (lambda: f"{look.bend} ▸", self.next_bend, "Mean, largest, smallest or Gaussian"),
                (lambda: "−", lambda: self.change_scale(0.4), "Tells gentler curves apart"),
                (lambda: "+", lambda: self.change_scale(2.0), "Tells tighter curves apart"),
                (lambda: "fit", lambda: self.change_scale(0.0), "Colours that fit the active part"),
            )
            self.legend = Legend(self)
            self._rows.addWidget(self.legend)
            self.legend.show()
        elif look.shading == "raking light":
            self._row(
                "Raking light",
                (lambda: RAKES[look.rakes], self.next_rake, "Under the pointer, going round by itself, or standing"),
                (lambda: f"{round(look.rake) % 360}°", lambda: None, "Where it comes from: 0° right, 90° above"),
            )

    def _row(self, title: str, *buttons: tuple[Callable[[], str], Callable[[], None], str]) -> None:
        row = QWidget(self)
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(2)
        if title:
            label = plain_label(title, row)
            label.setFont(text_font(9, text_font().Weight.DemiBold))
            line.addWidget(label)
        for words, run, hint in buttons:
            button = quiet_button(words(), hint, row)
            button.clicked.connect(lambda _=False, run=run: run())
            line.addWidget(button)
            self._words.append((button, words))
        line.addStretch(1)
        self._rows.addWidget(row)
        # Where the card is seen already its layout would show it only later, and measure it as nothing.
        row.show()

    def _go_on(self) -> None:
        look = self.view.look_of
        look.rake = (look.rake + SWEEP) % 360.0
        self.view.update()
        self.refresh()

    def _curvature_here(self) -> str:
        """How the surface bends at the pointer, in words; nothing beside it."""
        view = self.view
        if not view.sight_ready() or view.gesture is not None:
            return self.reading
        sight, at = view.sight(), view.device(view.pointer)
        place = place_under(sight, *at)
        found = None if place is None else triangle_at(sight.pictures, sight.what, int(at[0]), int(at[1]))
        if place is None or found is None:
            return ""
        bends = bends_at(*found, place)
        if bends is None:
            return "A cage has no curvature: Space smooths it."
        value = float(bend_values(bends[None], view.look_of.bend)[0])
        return curvature_words(value, view.look_of.bend == "Gaussian", view.session.document.unit)


class Legend(QWidget):
    """The colours of curvature with their numbers, as 1/mm and as the radius of a ball that bends so."""

    def __init__(self, card: LookCard) -> None:
        super().__init__(card)
        self._card = card
        self._colours = ramp(VIK)
        self.setFixedSize(scaled(268), scaled(70))
        self.setAccessibleName("What the colours of curvature mean")

    def paintEvent(self, event: QPaintEvent) -> None:
        view = self._card.view
        theme, unit = view.theme, view.session.document.unit
        scale, is_gaussian = view.bend_scale(), view.look_of.bend == "Gaussian"
        painter = QPainter(self)
        left, right, top, high = scaled(28), self.width() - scaled(28), 4, scaled(12)
        row = self._colours
        bar = QImage(row.tobytes(), row.shape[1], 1, QImage.Format.Format_RGBA8888)
        painter.drawImage(QRect(left, top, right - left, high), bar)
        painter.setPen(QPen(colour(theme.line), 1.0))
        painter.drawRect(left, top, right - left, high)
        painter.setFont(text_font(8.5))
        line = painter.fontMetrics().height()
        for share, sign in ((0.0, -1), (0.5, 0), (1.0, 1)):
            at = round(left + share * (right - left))
            painter.setPen(QPen(colour(theme.quiet), 1.0))
            painter.drawLine(at, top + high, at, top + high + 4)
            number = f"{'−' if sign < 0 else ''}{scale**2 if is_gaussian else scale:.3g}" if sign else "0"
            if sign > 0:
                number += " /mm²" if is_gaussian else " /mm"
            radius = f"r {format_length(1 / scale, unit)}" if sign else "flat"
            if sign < 0:
                radius = "saddle" if is_gaussian else "hollow"
            for count, words in enumerate((number, radius)):
                painter.setPen(colour(theme.ink if count == 0 else theme.quiet))
                width = painter.fontMetrics().horizontalAdvance(words)
                place = min(max(at - width // 2, 0), self.width() - width)
                painter.drawText(place, top + high + 4 + (count + 1) * line - 3, words)
        painter.setPen(colour(theme.ink))
        painter.setFont(text_font(9, text_font().Weight.DemiBold))
        painter.drawText(0, self.height() - 5, self._card.reading or "Rest the pointer on the surface to read it.")
        painter.end()


def bends_at(picture: Picture, triangle: int, place: Floats) -> Floats | None:
    """The largest and smallest curvature at a place in the world on one of a picture's triangles: (2,)."""
    if picture.bends is None:
        return None
    corners = picture.indices[triangle]
    there = picture.vertices[corners, :3].astype(np.float64)
    weights = weights_in_triangle((place - picture.middle)[None], there[None])[0]
    return np.asarray(weights @ picture.bends[corners])


def curvature_words(value: float, is_gaussian: bool, unit: str) -> str:
    """A curvature with the radius of the ball that bends so: "0.125 /mm, radius 8 mm"."""
    if is_gaussian:
        return f"Here {format_number(float(f'{value:.3g}'))} /mm²"
    if abs(value) < 1e-6:
        return "Here flat"
    hollow = "hollow, " if value < 0 else ""
    return f"Here {hollow}{abs(value):.3g} /mm, radius {format_length(float(f'{1 / abs(value):.4g}'), unit)}"
