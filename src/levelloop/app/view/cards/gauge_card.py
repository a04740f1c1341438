"""The loop gauge: a card near the pointer about a loop, its section beside the true arc, its radius all along."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QEnterEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from levelloop.app.measured import length_told
from levelloop.app.theme import colour, plain_label, quiet_button, scaled, text_font
from levelloop.app.view.cards.card import card_column
from levelloop.core.arrays import Floats
from levelloop.core.measure.gauge import LoopGauge, loop_gauge
from levelloop.document.operations import keys
from levelloop.document.scripting.units import format_length

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

GAUGED_AT_ONCE = 100  # edges of a loop whose surface is smoothed within 50 ms
RESTS_AFTER = 600  # milliseconds on an edge until its loop is gauged
LEAVES_AFTER = 350  # milliseconds until the card goes once the pointer has left its edge
BESIDE = QPoint(22, 18)  # pixels from the pointer
EDGE = 10
WIDTH, HIGH = 226, 74


class GaugeCard(QFrame):
    """What the gauge of a view says and draws. It stays while the pointer is on it, and for good while it is pinned."""

    def __init__(self, view: Viewport) -> None:
        super().__init__(view)
        self.view = view
        self.is_pinned = False
        self.shown: tuple[LoopGauge, str] | None = None  # and its part
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(RESTS_AFTER)
        self._rest.timeout.connect(self._find)
        self._leave = QTimer(self)
        self._leave.setSingleShot(True)
        self._leave.setInterval(LEAVES_AFTER)
        self._leave.timeout.connect(self.drop)
        column = card_column(self, 2)
        self._lines: list[QLabel] = []
        self._words = QVBoxLayout()
        self._words.setSpacing(1)
        column.addLayout(self._words)
        self.section = Section(self)
        self.graph = Graph(self)
        column.addWidget(self.section)
        column.addWidget(self.graph)
        line = QHBoxLayout()
        line.setSpacing(2)
        self.hold = quiet_button("Hold", "Gives the loop a radius", self)
        self.balance = quiet_button("Balance", "Makes both sides of the loop equal", self)
        self.pin = quiet_button("Pin", "Keeps the card until it is freed", self)
        self.hold.clicked.connect(lambda: self._ask(keys.HOLD))
        self.balance.clicked.connect(lambda: self._ask(keys.BALANCE))
        self.pin.clicked.connect(self.toggle_pin)
        for button in (self.hold, self.balance):
            line.addWidget(button)
        line.addStretch(1)
        line.addWidget(self.pin)
        column.addLayout(line)
        self.hide()

    @property
    def lines(self) -> list[str]:
        """What the card says, line by line."""
        return [label.text() for label in self._lines]

    def show_gauge(self, gauge: LoopGauge, part_id: str) -> None:
        """Shows another loop's gauge, near the pointer."""
        self.shown = (gauge, part_id)
        self._leave.stop()
        for label in self._lines:
            label.hide()
            label.deleteLater()
        self._lines = []
        for number, words in enumerate(gauge_words(gauge, self.view.session.document.unit)):
            label = plain_label(words, self)
            weight = text_font().Weight.DemiBold if number == 0 else text_font().Weight.Normal
            label.setFont(text_font(9, weight))
            if number:
                label.setObjectName("quiet")
            self._words.addWidget(label)
            label.show()
            self._lines.append(label)
        turns = gauge.turn is not None and gauge.radius is not None
        self.section.setVisible(turns)
        self.graph.setVisible(turns and len(gauge.radii[0]) > 2)
        self.graph.at = -1
        self.hold.setVisible(gauge.crease is None)
        self.balance.setVisible(all(gauge.supports))
        self.layout().activate()  # type: ignore[union-attr]
        self.adjustSize()
        if not self.is_pinned or not self.isVisible():
            self._stand_at(self.view.pointer + BESIDE)
        self.show()
        self.view.refresh()

    def wait(self) -> None:
        """The pointer has come to something else: where it is an edge, its loop is gauged after a short rest."""
        self._rest.start()

    def follow(self) -> None:
        """What is shown has changed: a pinned card follows while its loop is there, others go."""
        if self.shown is None:
            return
        gauge, part_id = self.shown
        picture = self.view.stage.picture(part_id)
        if not self.is_pinned or picture is None or int(gauge.edges.max()) >= picture.part.mesh.n_edges:
            self.drop()
        else:
            part = picture.part
            self.show_gauge(loop_gauge(part.to_world(part.mesh), int(gauge.edges[0]), GAUGED_AT_ONCE), part_id)

    def leave(self) -> None:
        """The pointer has left the loop: the card goes in a moment, unless the pointer comes to it."""
        self._rest.stop()
        if self.isVisible() and not self.is_pinned and not self.underMouse():
            self._leave.start()

    def drop(self) -> None:
        """Puts the card away."""
        self._leave.stop()
        self.is_pinned = False
        self.pin.setText("Pin")
        self.hide()
        self.shown = None
        self.view.refresh()

    def stop(self) -> None:
        """Nothing happens by itself any more."""
        self._rest.stop()
        self._leave.stop()

    def toggle_pin(self) -> None:
        """Keeps the card until it is freed, or lets it go."""
        if self.is_pinned:
            self.drop()
        elif self.shown is not None:
            self._leave.stop()
            self.is_pinned = True
            self.pin.setText("Free")

    def place_shown(self) -> Floats | None:
        """The place in the world that the graph is looked at, on the surface as it is shown."""
        if self.shown is None or self.graph.at < 0:
            return None
        gauge, part_id = self.shown
        picture = self.view.stage.picture(part_id)
        points, _ = gauge.radii
        if picture is None or self.graph.at >= len(points) or points.max() >= len(picture.cage_places):
            return None
        return np.asarray(picture.cage_places[points[self.graph.at]])

    @property
    def gauge(self) -> LoopGauge | None:
        """The gauge that is shown."""
        return self.shown[0] if self.shown is not None else None

    def enterEvent(self, event: QEnterEvent) -> None:
        self._leave.stop()

    def leaveEvent(self, event: QEvent) -> None:
        self.leave()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        event.accept()

    # Helpers

    def _find(self) -> None:
        hit = self.view.hover
        if hit is None or hit.kind != "edges" or self.view.gesture is not None or self.is_pinned:
            return
        part = hit.picture.part
        self.show_gauge(loop_gauge(part.to_world(part.mesh), hit.index, GAUGED_AT_ONCE), part.id)

    def _ask(self, key: str) -> None:
        if self.shown is not None:
            gauge, part_id = self.shown
            self.drop()
            self.view.asked_on_loop.emit(key, part_id, gauge.edges)

    def _stand_at(self, place: QPoint) -> None:
        view = self.view
        x = (
            place.x()
            if place.x() + self.width() + EDGE < view.width()
            else view.pointer.x() - self.width() - BESIDE.x()
        )
        y = min(place.y(), view.height() - self.height() - EDGE)
        self.move(max(x, EDGE), max(y, EDGE))


class Section(QWidget):
    """The surface across the loop where it turns tightest, from one loop beside to the other, and the true arc."""

    def __init__(self, card: GaugeCard) -> None:
        super().__init__(card)
        self._card = card
        self.setFixedSize(scaled(WIDTH), scaled(HIGH))
        self.setAccessibleName("The section of the turn beside a true arc")

    def paintEvent(self, event: QPaintEvent) -> None:
        gauge = self._card.gauge
        if gauge is None or gauge.turn is None:
            return
        theme = self._card.view.theme
        places = flattened(gauge.turn.section, gauge.turn.arc)
        both = np.concatenate(places)
        low, size = both.min(axis=0), np.maximum(np.ptp(both, axis=0), 1e-12)
        scale = min((self.width() - 24) / size[0], (self.height() - 22) / size[1])
        off = np.array([self.width() - scale * size[0], self.height() - 12 - scale * size[1]]) / 2
        lines = [
            [QPointF(x, self.height() - 12 - y) for x, y in (off + scale * (line - low)).tolist()] for line in places
        ]
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour(theme.warn), 1.4, Qt.PenStyle.DashLine))
        painter.drawPolyline(QPolygonF(lines[1]))
        painter.setPen(QPen(colour(theme.selection), 2.2))
        painter.drawPolyline(QPolygonF(lines[0]))
        # The loops beside, and the tip between them: sides that differ are seen to differ.
        painter.setBrush(colour(theme.panel))
        painter.setPen(QPen(colour(theme.ink), 1.4))
        for end in (lines[0][0], lines[0][-1], lines[0][len(lines[0]) // 2]):
            painter.drawEllipse(end, 3.0, 3.0)
        painter.setFont(text_font(8))
        for words, tone, left in (("surface", theme.selection, True), ("true arc", theme.warn, False)):
            painter.setPen(colour(tone))
            align = Qt.AlignmentFlag.AlignLeft if left else Qt.AlignmentFlag.AlignRight
            painter.drawText(QRectF(0, self.height() - 13, self.width(), 13), align, words)
        painter.end()


class Graph(QWidget):
    """The tightest radius at each point along the loop; at: the point that the pointer is over, −1 for none."""

    def __init__(self, card: GaugeCard) -> None:
        super().__init__(card)
        self._card = card
        self.at = -1
        self.setFixedSize(scaled(WIDTH), scaled(58))
        self.setMouseTracking(True)
        self.setAccessibleName("The radius along the loop")

    def paintEvent(self, event: QPaintEvent) -> None:
        gauge = self._card.gauge
        if gauge is None:
            return
        view = self._card.view
        theme, unit = view.theme, view.session.document.unit
        _, radii = gauge.radii
        top = graph_top(radii)
        high = self.height() - 15
        shares = np.minimum(np.where(np.isfinite(radii), radii, top) / top, 1.0)
        line = [QPointF(self._x(number), high - 2 - share * (high - 8)) for number, share in enumerate(shares.tolist())]
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour(theme.line), 1.0))
        painter.drawLine(QPointF(0, high), QPointF(self.width(), high))
        painter.setPen(QPen(colour(theme.selection), 1.8))
        painter.drawPolyline(QPolygonF(line))
        worst = int(np.argmin(radii))
        shown = self.at if 0 <= self.at < len(radii) else worst
        painter.setBrush(colour(theme.panel))
        painter.setPen(QPen(colour(theme.hover if self.at >= 0 else theme.warn), 2.0))
        painter.drawEllipse(line[shown], 3.4, 3.4)
        painter.setPen(colour(theme.quiet))
        painter.setFont(text_font(8))
        radius = f"radius {format_length(float(f'{radii[shown]:.4g}'), unit)}" if np.isfinite(radii[shown]) else "flat"
        words = f"{'here' if self.at >= 0 else 'tightest'}: {radius}"
        painter.drawText(QRectF(0, high + 1, self.width(), 14), Qt.AlignmentFlag.AlignLeft, words)
        painter.end()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        gauge = self._card.gauge
        if gauge is not None:
            count = len(gauge.radii[0])
            share = (event.position().x() - 4) / max(self.width() - 8, 1)
            self.at = int(np.clip(round(share * (count - 1)), 0, count - 1))
            self.update()
            self._card.view.overlay.update()

    def leaveEvent(self, event: QEvent) -> None:
        self.at = -1
        self.update()
        self._card.view.overlay.update()

    def _x(self, number: int) -> float:
        gauge = self._card.gauge
        count = len(gauge.radii[0]) if gauge is not None else 1
        return 4 + (self.width() - 8) * number / max(count - 1, 1)


def flattened(section: Floats, arc: Floats) -> tuple[Floats, Floats]:
    """A section and an arc (n, 3) in the plane that the section lies in, its ends level and its tip up: (n, 2) each."""
    middle = section.mean(axis=0)
    across = section[-1] - section[0]
    across = across / max(float(np.linalg.norm(across)), 1e-300)
    up = section[len(section) // 2] - 0.5 * (section[0] + section[-1])
    up = up - across * float(up @ across)
    length = float(np.linalg.norm(up))
    up = up / length if length > 0 else np.zeros(3)
    frame = np.stack((across, up), axis=1)
    return np.asarray((section - middle) @ frame), np.asarray((arc - middle) @ frame)


def graph_top(radii: Floats) -> float:
    """The radius at the top of a graph: the largest that turns, or four times the median where some hardly turn."""
    turning = radii[np.isfinite(radii)]
    if len(turning) == 0:
        return 1.0
    return float(min(turning.max(), 4.0 * np.median(turning))) * 1.05


def gauge_words(gauge: LoopGauge, unit: str) -> list[str]:
    """What the gauge says, line by line."""
    count = len(gauge.edges)
    kind = "Closed loop" if gauge.closed else "Loop"
    lines = [f"{kind} of {count} {'edge' if count == 1 else 'edges'}, {length_told(gauge.length, unit)}"]
    if gauge.ends:
        same = len(set(gauge.ends)) == 1
        lines.append(f"Both ends {gauge.ends[0]}" if same else "Ends " + " and ".join(gauge.ends))

    def spread(pair: tuple[float, float]) -> str:
        low, high = (length_told(value, unit) for value in pair)
        return low if low == high else f"{low} to {high}"

    for side, reach in zip(("left", "right"), gauge.supports, strict=True):
        lines.append(f"Next loop {side}: {spread(reach) if reach else 'none'}")
    if gauge.crease is not None:
        low, high = gauge.crease
        lines.append(f"Creased {low:g}" + (f" to {high:g}" if high > low else ""))
    else:
        lines.append(f"Turns with radius {spread(gauge.radius)}" if gauge.radius else "Lies flat")
        if gauge.radius and gauge.tip and spread(gauge.tip) != spread(gauge.radius):
            lines.append(f"At its tip {spread(gauge.tip)}")
    return lines
