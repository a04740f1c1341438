"""The build line: the active part from its cage through its recipe's steps to its result, the level rail in it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from levelloop.app.theme import Theme, colour, scaled, text_font
from levelloop.app.view.render.picture import Stop, output_stop
from levelloop.app.view.stage import AT_ONCE, Stage
from levelloop.core.limits import MOST_FACES
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.surface import HIGHEST_LEVEL, level_counts
from levelloop.document.document import Part
from levelloop.document.recipe.steps import Step, growth, label, rail_place
from levelloop.document.session import Session

STOPS: tuple[Stop, ...] = (0, 1, 2, 3, 4, 5, 6, "limit")
HEIGHT = 56
CAGE_AT, NAME_WIDTH, GAP = 40.0, 210.0, 18.0
ROUND, SWITCH = 6.0, 13.0  # radius of a station; width of its switch
NARROWEST, WIDEST = 34.0, 110.0  # between two stops of the rail
DRAGGED = 6.0  # pixels after which a press is a drag


def line_y() -> float:
    """Where the line runs; words stand above it, counts below."""
    return float(scaled(30))


@dataclass(frozen=True)
class Place:
    """Where a stop of the rail stands; "cage" for the cage alone, before a recipe."""

    stop: Stop
    x: float


@dataclass(frozen=True)
class Station:
    """Where a step of the recipe stands: its place among the steps, its words from left to left + width."""

    step: int
    words: str
    left: float
    width: float

    @property
    def middle(self) -> float:
        """Where its round stands on the line."""
        return self.left + 0.5 * self.width

    @property
    def switch(self) -> QPointF:
        """Where its switch is: before its words."""
        return QPointF(self.left + 0.5 * SWITCH, line_y() - 16.0)


@dataclass(frozen=True)
class Layout:
    """Where everything stands on the line. smooth: the middle of the rail's word, where no step says it."""

    places: tuple[Place, ...]
    stations: tuple[Station, ...]
    smooth: float | None
    add: float


@dataclass(frozen=True, eq=False)
class Counts:
    """How many faces a part has along the line.

    faces: after each step, 0 where it is not known, those after the rail with the rail at a level; base: what the rail
    smooths, None where it is not known; rail: which step it drives.
    """

    faces: tuple[int, ...]
    base: Topology | None
    rail: int = 0
    level: int = 0

    def after(self, step: int, level: int) -> int:
        """Faces after a step with the rail at a level; 0 where it is not known."""
        count = self.faces[step] if step < len(self.faces) else 0
        if step < self.rail or self.base is None or not self.base.n_faces:
            return count
        # What follows the rail has as many times as many faces as the rail makes.
        return round(count * level_counts(self.base, level)[2] / level_counts(self.base, self.level)[2])


class BuildLine(QWidget):
    """One line with stations.

    chosen: a stop of the rail was clicked or scrolled to; output_chosen: it shall be the output's (Ctrl+click).
    station_chosen: a step was clicked. switched: a step's switch was. moved: a step was dragged, and to which place.
    asked_menu: a step's menu is wanted, and where; asked_add: that of what can be added.
    """

    chosen = Signal(object)
    output_chosen = Signal(object)
    station_chosen = Signal(int)
    switched = Signal(int)
    moved = Signal(int, int)
    asked_menu = Signal(int, QPoint)
    asked_add = Signal(QPoint)

    def __init__(self, session: Session, stage: Stage, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.stage, self.theme = session, stage, theme
        self.setMouseTracking(True)
        self.setFixedHeight(scaled(HEIGHT))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._over: Stop | Station | None = None
        self._pressed: tuple[Station, float] | None = None
        self._dragged_to: float | None = None
        self._counted: tuple[Topology, tuple[Step, ...], Counts] | None = None
        told = "Page Up and Page Down change the level shown, Space shows the other of cage and smooth"
        self.setToolTip(f"{told}; Ctrl+click sets the level that is given out")

    def sizeHint(self) -> QSize:
        return QSize(800, scaled(HEIGHT))

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Draws itself in another theme."""
        self.theme = theme
        self.update()

    def refresh(self) -> None:
        """Draws itself anew."""
        self.update()

    # What stands where

    @property
    def stop(self) -> Stop | None:
        """The stop that is shown now; None at a step before the rail, or without a part."""
        if not self.session.document.parts:
            return None
        part = self.session.part
        until = self.stage.until(part)
        if until == 0:
            return "cage"
        if not self.stage.is_smooth(part):
            return 0 if until is None else None
        return self.stage.stop(part)

    def places(self) -> list[Place]:
        """The stops with their x, from the cage on."""
        return list(self.layout_now().places)

    def stations(self) -> list[Station]:
        """The steps of the recipe with where they stand."""
        return list(self.layout_now().stations)

    def layout_now(self) -> Layout:
        """Where everything stands, for the width there is."""
        part = self.session.part if self.session.document.parts else None
        steps = part.steps if part is not None else ()
        rail = rail_place(steps)
        metrics = QFontMetricsF(text_font(9.0))
        words = [label(step, part.shown_values(step)) for step in steps] if part is not None else []
        widths = [metrics.horizontalAdvance(text) + SWITCH + 7.0 for text in words]
        stops = STOPS if steps else STOPS[1:]
        word = 0.0 if rail < len(steps) else 54.0
        fixed = CAGE_AT + 24.0 + sum(widths) + GAP * len(widths) + word + 36.0 + 40.0
        spacing = (self.width() - NAME_WIDTH - fixed) / (len(stops) - 1)
        if spacing < NARROWEST and widths:
            # Long recipes: chips give way before the rail does.
            narrower = max(sum(widths) - (NARROWEST - spacing) * (len(stops) - 1), 34.0 * len(widths))
            widths = [width * narrower / sum(widths) for width in widths]
        spacing = min(max(spacing, NARROWEST), WIDEST)
        x = CAGE_AT + 24.0
        places = [Place("cage" if steps else 0, CAGE_AT)]
        stations: list[Station] = []
        smooth, add = None, 0.0

        def stand(numbers: range) -> float:
            here = x
            for number in numbers:
                stations.append(Station(number, words[number], here, widths[number]))
                here += widths[number] + GAP
            return here

        x = stand(range(min(rail + 1, len(steps))))
        if rail == len(steps):
            # What is added comes before the smoothing that nobody has put anywhere.
            add = x + 6.0
            x += 30.0
            smooth = x + 22.0
            x += word
        x += 10.0
        places += [Place(stop, x + spacing * i) for i, stop in enumerate(stops)]
        x += spacing * (len(stops) - 1) + 24.0
        x = stand(range(rail + 1, len(steps)))
        if rail < len(steps):
            add = x + 6.0
        return Layout(tuple(places), tuple(stations), smooth, add)

    def stop_at(self, x: float) -> Stop | None:
        """The stop near an x, where there is one."""
        if not self.session.document.parts:
            return None
        nearest = min(self.places(), key=lambda place: abs(place.x - x))
        return nearest.stop if abs(nearest.x - x) <= 22 else None

    def station_at(self, x: float) -> Station | None:
        """The step under an x, where there is one."""
        return next((one for one in self.stations() if one.left <= x <= one.left + one.width), None)

    def stepped(self, by: int) -> Stop:
        """The stop so many places from the shown one."""
        stop = self.stop
        index = STOPS.index(stop) if stop in STOPS else 0
        wanted = STOPS[min(max(index + by, 0), len(STOPS) - 1)]
        if isinstance(wanted, int) and self.session.document.parts:
            while wanted > 0 and self.stage.faces_at(self.session.part, wanted) > MOST_FACES:
                wanted -= 1
        return wanted

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        painter.fillRect(self.rect(), colour(theme.paper))
        painter.setPen(QPen(colour(theme.line), 1))
        painter.drawLine(0, 0, self.width(), 0)
        if self.hasFocus():
            painter.setPen(QPen(colour(theme.selection), 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))
        if not self.session.document.parts:
            painter.setFont(text_font(9.5))
            painter.setPen(colour(theme.quiet))
            told = "The build line: a part from its cage to its smooth surface. There is no part yet."
            painter.drawText(self.rect().adjusted(16, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, told)
            painter.end()
            return
        part, layout = self.session.part, self.layout_now()
        counts = self._counts(part)
        self._draw_way(painter, part, layout)
        for station in layout.stations:
            self._draw_station(painter, station, part, counts)
        if self._pressed is not None and self._dragged_to is not None:
            self._draw_drop(painter)
        output = output_stop(part)
        for place in layout.places:
            self._draw_stop(painter, place, output)
            self._draw_words(painter, place, part, counts.base)
        self._draw_add(painter, layout.add)
        self._draw_part(painter, part, output)
        painter.end()

    def _draw_way(self, painter: QPainter, part: Part, layout: Layout) -> None:
        """The line itself, in ink as far as the part is shown."""
        theme = self.theme
        for tone, end in ((theme.line, self._far(layout)), (theme.ink, self._reached(part, layout))):
            painter.setPen(QPen(colour(tone), 2.5))
            painter.drawLine(QPointF(CAGE_AT, line_y()), QPointF(end, line_y()))
        if layout.smooth is not None:
            self._write(painter, layout.smooth, "smooth", theme.quiet, above=True)

    @staticmethod
    def _far(layout: Layout) -> float:
        """Where the line ends."""
        return max(layout.places[-1].x, layout.add, *(one.left + one.width for one in layout.stations), CAGE_AT)

    def _reached(self, part: Part, layout: Layout) -> float:
        """How far along the line the part is shown."""
        until, rail = self.stage.until(part), rail_place(part.steps)
        on_rail = until is not None and until - 1 == rail and self.stage.is_smooth(part)
        if until is not None and not on_rail:
            return layout.stations[until - 1].middle if until else CAGE_AT
        after = [] if on_rail else [station.middle for station in layout.stations if station.step > rail]
        return max(after) if after else next((place.x for place in layout.places if place.stop == self.stop), CAGE_AT)

    def _draw_station(self, painter: QPainter, station: Station, part: Part, counts: Counts) -> None:
        theme, step = self.theme, part.steps[station.step]
        is_here = self.stage.until(part) == station.step + 1
        is_over = isinstance(self._over, Station) and self._over.step == station.step
        picture = self.stage.pictures.get(part.id)
        stuck = picture is not None and any(trouble.place == station.step for trouble in picture.built.troubles)
        tone = theme.stop if stuck else theme.hover if is_over else theme.ink if step.enabled else theme.quiet
        painter.setPen(QPen(colour(tone), 2.0))
        painter.setBrush(colour(tone if is_here else theme.paper))
        painter.drawEllipse(QPointF(station.middle, line_y()), ROUND, ROUND)
        if not step.enabled:
            # Switched off: the line passes it by.
            painter.drawLine(QPointF(station.middle - 3, line_y() + 3), QPointF(station.middle + 3, line_y() - 3))
        self._draw_switch(painter, station.switch, step.enabled)
        painter.setFont(text_font(9.0))
        painter.setPen(colour(tone))
        room = QRectF(station.left + SWITCH + 5, line_y() - scaled(25), station.width - SWITCH - 5, scaled(18))
        text = painter.fontMetrics().elidedText(station.words, Qt.TextElideMode.ElideRight, int(room.width()) + 2)
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
        faces = counts.after(station.step, max(part.level, int(part.limit)))
        if step.enabled and faces:
            self._write(painter, station.middle, _short(faces), theme.ink if is_here else theme.quiet, above=False)

    def _draw_switch(self, painter: QPainter, place: QPointF, is_on: bool) -> None:
        """A small track with a bead at its right where the step is on."""
        theme = self.theme
        track = QRectF(place.x() - 0.5 * SWITCH, place.y() - 3.5, SWITCH - 1, 7)
        painter.setPen(QPen(colour(theme.ink if is_on else theme.quiet), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(track, 3.5, 3.5)
        painter.setBrush(colour(theme.ink) if is_on else Qt.BrushStyle.NoBrush)
        bead = track.right() - 3.5 if is_on else track.left() + 3.5
        painter.drawEllipse(QPointF(bead, track.center().y()), 2.0, 2.0)

    def _draw_drop(self, painter: QPainter) -> None:
        """Where a dragged step would come to stand."""
        assert self._pressed is not None and self._dragged_to is not None
        painter.setPen(QPen(colour(self.theme.hover), 2.0))
        painter.setBrush(colour(self.theme.paper))
        painter.drawEllipse(QPointF(self._dragged_to, line_y()), ROUND + 2, ROUND + 2)

    def _draw_stop(self, painter: QPainter, place: Place, output: Stop) -> None:
        theme, shown = self.theme, self.stop
        radius = 6.5 if place.stop == shown else 4.0
        painter.setPen(QPen(colour(theme.ink if place.stop in (shown, output) else theme.quiet), 1.6))
        fill = theme.ink if place.stop == shown else theme.hover if place.stop == self._over else theme.paper
        painter.setBrush(colour(fill))
        painter.drawEllipse(QPointF(place.x, line_y()), radius, radius)
        if place.stop == output and place.stop != shown:
            # The level that is given out, where the view shows another.
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour(theme.warn if isinstance(shown, int) and shown else theme.ink), 1.6))
            painter.drawEllipse(QPointF(place.x, line_y()), 8.0, 8.0)

    def _draw_words(self, painter: QPainter, place: Place, part: Part, base: Topology | None) -> None:
        """What a stop is called, and how many faces there are at it."""
        tone = self.theme.ink if place.stop == self.stop else self.theme.quiet
        if place.x == CAGE_AT:
            self._write(painter, place.x, "cage", tone, above=True)
            self._write(painter, place.x, _short(part.mesh.n_faces), tone, above=False)
            return
        self._write(painter, place.x, str(place.stop), tone, above=True)
        level = place.stop if isinstance(place.stop, int) else None
        if base is None or level is None:
            return
        faces = level_counts(base, level)[2] if level or part.steps else base.n_faces
        if faces > MOST_FACES:
            self._write(painter, place.x, "too many", self.theme.faint, above=False)
        else:
            self._write(painter, place.x, _short(faces), tone, above=False)

    def _draw_add(self, painter: QPainter, x: float) -> None:
        """The round that adds a step."""
        theme = self.theme
        painter.setPen(QPen(colour(theme.hover if self._over == "add" else theme.quiet), 1.6))
        painter.setBrush(colour(theme.paper))
        painter.drawEllipse(QPointF(x, line_y()), 7.5, 7.5)
        painter.drawLine(QPointF(x - 3.5, line_y()), QPointF(x + 3.5, line_y()))
        painter.drawLine(QPointF(x, line_y() - 3.5), QPointF(x, line_y() + 3.5))

    def _draw_part(self, painter: QPainter, part: Part, output: Stop) -> None:
        """The part's name at the right, and where the view and the output differ."""
        theme, shown = self.theme, self.stop
        box = QRectF(self.width() - NAME_WIDTH, scaled(8), NAME_WIDTH - 16, scaled(20))
        painter.setFont(text_font(9.5, text_font().Weight.DemiBold))
        painter.setPen(colour(theme.ink))
        name = painter.fontMetrics().elidedText(part.name, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, name)
        painter.setFont(text_font(8.5))
        differs = self.stage.is_smooth(part) and shown not in (None, output)
        painter.setPen(colour(theme.warn if differs else theme.quiet))
        words = f"▲ shown {_told(shown)}, given out {_told(output)}" if differs else f"given out at {_told(output)}"
        painter.drawText(
            box.translated(0, scaled(20)), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, words
        )

    def _write(self, painter: QPainter, x: float, words: str, tone: str, above: bool) -> None:
        painter.setFont(text_font(9.0 if above else 8.0))
        painter.setPen(colour(tone))
        top = line_y() - scaled(25) if above else line_y() + 9
        box = QRectF(x - 60, top, 120, scaled(18) if above else scaled(14))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    # Counting

    def _counts(self, part: Part) -> Counts:
        if not part.steps:
            return Counts((), part.mesh.topology)
        if self._counted is not None and self._counted[:2] == (part.mesh.topology, part.steps):
            return self._counted[2]
        built, level = None, 0
        if part.mesh.n_faces * growth(part.steps) <= AT_ONCE:
            built = part.plain
        else:
            # Too many to count here and now; the picture that is made elsewhere tells.
            picture = self.stage.picture(part.id)
            if picture is None or picture.part.steps is not part.steps or picture.until is not None:
                return Counts((), None)
            built, level = picture.built, picture.level
        rail = rail_place(part.steps)
        after = {place: stop.topology for stop in built.stops for place in stop.places}
        before_rail = [after[place] for place in sorted(after) if place < rail]
        faces = tuple(after[place].n_faces if place in after else 0 for place in range(len(part.steps)))
        counts = Counts(faces, before_rail[-1] if before_rail else part.mesh.topology, rail, level)
        self._counted = (part.mesh.topology, part.steps, counts)
        return counts

    # Hands

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        if self._pressed is not None:
            if self._dragged_to is not None or abs(x - self._pressed[1]) > DRAGGED:
                self._dragged_to = x
                self.update()
            return
        over: Stop | Station | None = self.station_at(x) or self.stop_at(x)
        if over is None and self._is_add(x):
            over = "add"
        if over != self._over:
            self._over = over
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._over = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        if not self.session.document.parts or event.button() != Qt.MouseButton.LeftButton:
            return
        station = self.station_at(x)
        if station is not None:
            self._pressed = (station, x)
            return
        stop = self.stop_at(x)
        if stop is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.output_chosen.emit(0 if stop == "cage" else stop)
        elif stop is not None:
            self.chosen.emit(stop)
        elif self._is_add(x):
            self.asked_add.emit(QPoint(round(x), 0))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        station, x = self._pressed[0], event.position().x()
        dragged = self._dragged_to is not None
        self._pressed = self._dragged_to = None
        if dragged:
            others = [one for one in self.stations() if one.step != station.step]
            to = sum(one.middle < x for one in others)
            if to != station.step:
                self.moved.emit(station.step, to)
        elif abs(x - station.switch.x()) <= 9.0 and event.position().y() < line_y() - 6.0:
            self.switched.emit(station.step)
        else:
            self.station_chosen.emit(station.step)
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        station = self.station_at(float(event.pos().x()))
        if station is not None:
            self.asked_menu.emit(station.step, event.pos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if by:
            self.chosen.emit(self.stepped(by))
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.chosen.emit(self.stepped(1 if event.angleDelta().y() > 0 else -1))

    def _is_add(self, x: float) -> bool:
        return bool(self.session.document.parts) and abs(self.layout_now().add - x) <= 12.0


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


assert STOPS[-2] == HIGHEST_LEVEL
