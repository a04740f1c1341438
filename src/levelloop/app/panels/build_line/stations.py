"""What stands where on the build line: the cage, the steps of the recipe, the stops of the level rail, their faces."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF
from PySide6.QtGui import QFontMetricsF

from levelloop.app.theme import scaled, text_font
from levelloop.app.view.render.picture import Picture, Stop
from levelloop.app.view.stage import AT_ONCE
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.surface import HIGHEST_LEVEL, faces_at
from levelloop.core.values import dataclass
from levelloop.document.part import Part
from levelloop.document.recipe.steps import growth, label, rail_place

STOPS: tuple[Stop, ...] = (0, 1, 2, 3, 4, 5, 6, "limit")
HEIGHT = 56
CAGE_AT, NAME_WIDTH, GAP = 40.0, 210.0, 18.0
ROUND, SWITCH = 6.0, 13.0  # radius of a station; width of its switch
ARROW = 20.0  # pixels at either end of a line that is too long
FOLDED = 46.0  # as narrow as the words of a step become before the line scrolls
NARROWEST, WIDEST = 34.0, 110.0  # between two stops of the rail


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
    """Where everything stands on the line.

    smooth: the middle of the rail's word, where no step says it; length: how much room all of it takes.
    """

    places: tuple[Place, ...]
    stations: tuple[Station, ...]
    smooth: float | None
    add: float
    length: float

    @property
    def end(self) -> float:
        """Where the line ends."""
        return max(self.places[-1].x, self.add, *(one.left + one.width for one in self.stations), self.places[0].x)

    def scrolled(self, by: float) -> Layout:
        """The same so many pixels farther left."""
        return Layout(
            tuple(replace(place, x=place.x - by) for place in self.places),
            tuple(replace(station, left=station.left - by) for station in self.stations),
            None if self.smooth is None else self.smooth - by,
            self.add - by,
            self.length,
        )


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
        return round(count * faces_at(self.base, level) / faces_at(self.base, self.level))


def laid_out(part: Part | None, width: float) -> Layout:
    """Where everything of a part stands on a line so wide."""
    steps = part.recipe if part is not None else ()
    rail = rail_place(steps)
    metrics = QFontMetricsF(text_font(9.0))
    words = [_words(part, place) for place in range(len(steps))] if part is not None else []
    widths = [metrics.horizontalAdvance(text) + SWITCH + 7.0 for text in words]
    stops = STOPS if steps else STOPS[1:]
    word = 0.0 if rail < len(steps) else 54.0
    fixed = CAGE_AT + 24.0 + sum(widths) + GAP * len(widths) + word + 36.0 + 40.0
    spacing = (width - NAME_WIDTH - fixed) / (len(stops) - 1)
    if spacing < NARROWEST and widths:
        # Long recipes: chips give way before the rail does.
        narrower = max(sum(widths) - (NARROWEST - spacing) * (len(stops) - 1), FOLDED * len(widths))
        widths = [one * narrower / sum(widths) for one in widths]
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
    layout = Layout(tuple(places), tuple(stations), smooth, add, 0.0)
    return replace(layout, length=layout.end + 24.0)


def _words(part: Part, place: int) -> str:
    """What the station of a step is called; the first of a group's says whose it is."""
    of_group, words = part.group_of(place), label(part.recipe[place], part.shown_values(part.recipe[place]))
    return f"{of_group[0].group.split('/')[-1]}: {words}" if of_group is not None and of_group[1] == 0 else words


def reached(part: Part, layout: Layout, until: int | None, stop: Stop | None, is_smooth: bool) -> float:
    """How far along its line a part is shown: after so many steps, None for all; at a stop of the rail; smooth."""
    rail = rail_place(part.recipe)
    on_rail = until is not None and until - 1 == rail and is_smooth
    if until is not None and not on_rail:
        return layout.stations[until - 1].middle if until else layout.places[0].x
    after = [] if on_rail else [station.middle for station in layout.stations if station.step > rail]
    if after:
        return max(after)
    return next((place.x for place in layout.places if place.stop == stop), layout.places[0].x)


def counted(part: Part, picture: Picture | None) -> Counts:
    """How many faces a part has along its line; picture: the one that is shown, where there is one."""
    if not part.recipe:
        return Counts((), part.mesh.topology)
    built, level = None, 0
    if part.mesh.n_faces * growth(part.recipe) <= AT_ONCE and not part.waits:
        built = part.plain
    else:
        # Too many to count here and now; the picture that is made elsewhere tells.
        if picture is None or picture.part.recipe != part.recipe or picture.until is not None:
            return Counts((), None)
        built, level = picture.built, picture.level
    rail = rail_place(part.recipe)
    after = {place: stop.topology for stop in built.stops for place in stop.places}
    before_rail = [after[place] for place in sorted(after) if place < rail]
    faces = tuple(after[place].n_faces if place in after else 0 for place in range(len(part.recipe)))
    return Counts(faces, before_rail[-1] if before_rail else part.mesh.topology, rail, level)


assert STOPS[-2] == HIGHEST_LEVEL
