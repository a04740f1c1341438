"""How the build line is drawn."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from levelloop.app.panels.build_line.stations import (
    ARROW,
    NAME_WIDTH,
    ROUND,
    SWITCH,
    Counts,
    Layout,
    Place,
    Station,
    line_y,
    reached,
)
from levelloop.app.theme import colour, scaled, text_font
from levelloop.app.view.render.picture import Stop, output_stop
from levelloop.core.limits import MOST_FACES
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.surface import faces_at
from levelloop.document.part import Part

if TYPE_CHECKING:
    from levelloop.app.panels.build_line.line import BuildLine


class Drawing:
    """One drawing of a build line."""

    def __init__(self, painter: QPainter, line: BuildLine) -> None:
        self.painter, self.line = painter, line
        self.layout = line.layout_now()

    def draw(self, part: Part, layout: Layout, counts: Counts, dragged_to: float | None) -> None:
        """Draws a part's line; dragged_to: where a step is dragged to, x."""
        self.layout = layout
        self.painter.setClipRect(QRectF(0, 0, self.line.room, self.line.height()))
        self._draw_groups(part, layout)
        self._draw_way(part, layout)
        for station in layout.stations:
            self._draw_station(station, part, counts)
        if dragged_to is not None:
            self._draw_drop(dragged_to)
        output = output_stop(part)
        for place in layout.places:
            self._draw_stop(place, output)
            self._draw_words(place, part, counts.base)
        self._draw_add(layout.add)
        self._draw_more()
        self.painter.setClipping(False)
        self._draw_part(part, output)

    def _draw_groups(self, part: Part, layout: Layout) -> None:
        """A tint behind the steps of a group, which all its parts have."""
        by_group: dict[str, list[Station]] = {}
        for station in layout.stations:
            of_group = part.group_of(station.step)
            if of_group is not None:
                by_group.setdefault(of_group[0].group, []).append(station)
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(colour(self.line.theme.selection, 0.08))
        for stations in by_group.values():
            left, right = stations[0].left - 7.0, stations[-1].left + stations[-1].width + 5.0
            self.painter.drawRoundedRect(QRectF(left, 4, right - left, self.line.height() - 8), 6, 6)

    def _draw_way(self, part: Part, layout: Layout) -> None:
        """The line itself, in ink as far as the part is shown."""
        theme = self.line.theme
        for tone, end in ((theme.line, layout.end), (theme.ink, self._reached(part, layout))):
            self.painter.setPen(QPen(colour(tone), 2.5))
            self.painter.drawLine(QPointF(layout.places[0].x, line_y()), QPointF(end, line_y()))
        if layout.smooth is not None:
            self._write(layout.smooth, "smooth", theme.quiet, above=True)

    def _reached(self, part: Part, layout: Layout) -> float:
        """How far along the line the part is shown."""
        stage = self.line.stage
        return reached(part, layout, stage.until(part), self.line.stop, stage.is_smooth(part))

    def _draw_more(self) -> None:
        """Where there is more of the line out of sight: an arrow on a strip of paper, to be clicked."""
        theme = self.line.theme
        for is_there, left, way in zip(self.line.hides, (0.0, self.line.room - ARROW), (-1, 1), strict=True):
            if not is_there:
                continue
            self.painter.fillRect(QRectF(left, 1, ARROW, self.line.height() - 1), colour(theme.paper))
            self.painter.setPen(QPen(colour(theme.quiet), 1.8))
            tip = QPointF(left + 0.5 * ARROW + 3 * way, line_y())
            self.painter.drawPolyline([tip - QPointF(6 * way, 6), tip, tip - QPointF(6 * way, -6)])

    def _draw_station(self, station: Station, part: Part, counts: Counts) -> None:
        theme, step = self.line.theme, part.recipe[station.step]
        is_here = self.line.stage.until(part) == station.step + 1
        is_over = isinstance(self.line.over, Station) and self.line.over.step == station.step
        picture = self.line.stage.pictures.get(part.id)
        stuck = picture is not None and any(trouble.place == station.step for trouble in picture.built.troubles)
        tone = theme.stop if stuck else theme.hover if is_over else theme.ink if step.enabled else theme.quiet
        self.painter.setPen(QPen(colour(tone), 2.0))
        self.painter.setBrush(colour(tone if is_here else theme.paper))
        self.painter.drawEllipse(QPointF(station.middle, line_y()), ROUND, ROUND)
        if not step.enabled:
            # Switched off: the line passes it by.
            self.painter.drawLine(QPointF(station.middle - 3, line_y() + 3), QPointF(station.middle + 3, line_y() - 3))
        self._draw_switch(station.switch, step.enabled)
        self.painter.setFont(text_font(9.0))
        self.painter.setPen(colour(tone))
        room = QRectF(station.left + SWITCH + 5, line_y() - scaled(25), station.width - SWITCH - 5, scaled(18))
        text = self.painter.fontMetrics().elidedText(station.words, Qt.TextElideMode.ElideRight, int(room.width()) + 2)
        self.painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
        faces = counts.after(station.step, max(part.level, int(part.limit)))
        if step.enabled and faces:
            self._write(station.middle, _short(faces), theme.ink if is_here else theme.quiet, above=False)

    def _draw_switch(self, place: QPointF, is_on: bool) -> None:
        """A small track with a bead at its right where the step is on."""
        theme = self.line.theme
        track = QRectF(place.x() - 0.5 * SWITCH, place.y() - 3.5, SWITCH - 1, 7)
        self.painter.setPen(QPen(colour(theme.ink if is_on else theme.quiet), 1.2))
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        self.painter.drawRoundedRect(track, 3.5, 3.5)
        self.painter.setBrush(colour(theme.ink) if is_on else Qt.BrushStyle.NoBrush)
        bead = track.right() - 3.5 if is_on else track.left() + 3.5
        self.painter.drawEllipse(QPointF(bead, track.center().y()), 2.0, 2.0)

    def _draw_drop(self, at: float) -> None:
        """Where a dragged step would come to stand."""
        self.painter.setPen(QPen(colour(self.line.theme.hover), 2.0))
        self.painter.setBrush(colour(self.line.theme.paper))
        self.painter.drawEllipse(QPointF(at, line_y()), ROUND + 2, ROUND + 2)

    def _draw_stop(self, place: Place, output: Stop) -> None:
        theme, shown = self.line.theme, self.line.stop
        radius = 6.5 if place.stop == shown else 4.0
        self.painter.setPen(QPen(colour(theme.ink if place.stop in (shown, output) else theme.quiet), 1.6))
        fill = theme.ink if place.stop == shown else theme.hover if place.stop == self.line.over else theme.paper
        self.painter.setBrush(colour(fill))
        self.painter.drawEllipse(QPointF(place.x, line_y()), radius, radius)
        if place.stop == output and place.stop != shown:
            # The level that is given out, where the view shows another.
            self.painter.setBrush(Qt.BrushStyle.NoBrush)
            self.painter.setPen(QPen(colour(theme.warn if isinstance(shown, int) and shown else theme.ink), 1.6))
            self.painter.drawEllipse(QPointF(place.x, line_y()), 8.0, 8.0)

    def _draw_words(self, place: Place, part: Part, base: Topology | None) -> None:
        """What a stop is called, and how many faces there are at it."""
        tone = self.line.theme.ink if place.stop == self.line.stop else self.line.theme.quiet
        if place is self.layout.places[0]:
            self._write(place.x, "cage", tone, above=True)
            self._write(place.x, _short(part.mesh.n_faces), tone, above=False)
            return
        self._write(place.x, str(place.stop), tone, above=True)
        level = place.stop if isinstance(place.stop, int) else None
        if base is None or level is None:
            return
        faces = faces_at(base, level)
        if faces > MOST_FACES:
            self._write(place.x, "too many", self.line.theme.faint, above=False)
        else:
            self._write(place.x, _short(faces), tone, above=False)

    def _draw_add(self, x: float) -> None:
        """The round that adds a step."""
        theme = self.line.theme
        self.painter.setPen(QPen(colour(theme.hover if self.line.over == "add" else theme.quiet), 1.6))
        self.painter.setBrush(colour(theme.paper))
        self.painter.drawEllipse(QPointF(x, line_y()), 7.5, 7.5)
        self.painter.drawLine(QPointF(x - 3.5, line_y()), QPointF(x + 3.5, line_y()))
        self.painter.drawLine(QPointF(x, line_y() - 3.5), QPointF(x, line_y() + 3.5))

    def _draw_part(self, part: Part, output: Stop) -> None:
        """The part's name at the right, and where the view and the output differ."""
        theme, shown = self.line.theme, self.line.stop
        box = QRectF(self.line.width() - NAME_WIDTH, scaled(8), NAME_WIDTH - 16, scaled(20))
        self.painter.setFont(text_font(9.5, text_font().Weight.DemiBold))
        self.painter.setPen(colour(theme.ink))
        name = self.painter.fontMetrics().elidedText(part.name, Qt.TextElideMode.ElideRight, int(box.width()))
        self.painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, name)
        self.painter.setFont(text_font(8.5))
        differs = self.line.stage.is_smooth(part) and shown not in (None, output)
        self.painter.setPen(colour(theme.warn if differs else theme.quiet))
        words = f"▲ shown {_told(shown)}, given out {_told(output)}" if differs else f"given out at {_told(output)}"
        self.painter.drawText(
            box.translated(0, scaled(20)), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, words
        )

    def _write(self, x: float, words: str, tone: str, above: bool) -> None:
        self.painter.setFont(text_font(9.0 if above else 8.0))
        self.painter.setPen(colour(tone))
        top = line_y() - scaled(25) if above else line_y() + 9
        box = QRectF(x - 60, top, 120, scaled(18) if above else scaled(14))
        self.painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _told(stop: Stop | None) -> str:
    """A stop in words."""
    return "the cage" if stop in (0, "cage", None) else "the limit" if stop == "limit" else f"level {stop}"


def _short(number: int) -> str:
    """A count short enough to stand under a stop; the exact one stands below the line."""
    if number < 10_000:
        return f"{number:,}"
    if number < 999_500:
        return f"{number / 1000:.0f} k"
    return f"{number / 1e6:.1f} M"
