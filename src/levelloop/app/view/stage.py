"""The stage: the pictures of all parts, kept up with the session; long smoothing off the window's thread."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from levelloop.app.beside import Work
from levelloop.app.view.render.lighter import made_ready
from levelloop.app.view.render.live import Shown, followed
from levelloop.app.view.render.picture import Picture, Stop, make_picture, output_stop, shown_level
from levelloop.core.arrays import Floats
from levelloop.core.limits import MOST_FACES
from levelloop.core.surface.surface import faces_at
from levelloop.document.part import Part
from levelloop.document.recipe.steps import growth
from levelloop.document.session import Session

# Faces that smooth in about 50 ms here; more go off the window's thread, of one part or of several together.
AT_ONCE = 8_000
# The same for a cage that is shown as it is.
PLAIN_AT_ONCE = 20_000
# Faces that follow the pointer while something is dragged.
QUICK = 4_000
# Milliseconds within which pictures that arrive one after the other are drawn as one.
TOGETHER = 300


class Stage(QObject):
    """What is shown of each part: cage or smooth surface, and its picture.

    changed: a picture was renewed. rested: what was dragged is let go. busy: how many pieces of work run. told: a
    sentence for the person.
    """

    changed = Signal()
    rested = Signal()
    busy = Signal(int)
    told = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.pictures: dict[str, Picture] = {}
        self._smooth: dict[str, bool] = {}
        self._until: dict[str, int] = {}
        # What the rail shows, while that is another level than the output's, and that one's.
        self._stops: dict[str, tuple[Stop, Stop]] = {}
        self.peeking: frozenset[str] = frozenset()
        self._quick = False
        self._room = AT_ONCE  # for faces in one refresh
        self.keeps_up = False  # whether all that is shown is drawn as fast as the pointer moves
        self._bends = False
        self._wanted: dict[str, tuple[Part, int, int | None, bool]] = {}
        self._running: dict[str, Work] = {}
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(TOGETHER)
        self._soon.timeout.connect(self.changed)

    def is_smooth(self, part: Part) -> bool:
        """Whether a part is shown smooth just now."""
        smooth = self._smooth.get(part.id, False)
        return not smooth if part.id in self.peeking else smooth

    def stop(self, part: Part) -> Stop:
        """The stop of the level rail that a part is shown at while it is smooth; its output's where none was chosen."""
        output = output_stop(part)
        shown, meant = self._stops.get(part.id, (output, output))
        return shown if meant == output else output

    def show_stop(self, part: Part, stop: Stop) -> None:
        """Shows a part smooth at a stop of the rail; looking only, its output stays."""
        self._stops[part.id] = (stop, output_stop(part))
        self._until.pop(part.id, None)
        self._smooth[part.id] = True
        self.refresh()

    def show_smooth(self, parts: Iterable[Part], smooth: bool) -> None:
        """Shows parts smooth, or their cages."""
        for part in parts:
            self._smooth[part.id] = smooth
            self._until.pop(part.id, None)
        self.refresh()

    def until(self, part: Part) -> int | None:
        """How many steps of a part's recipe are shown just now, None for all."""
        steps = self._until.get(part.id)
        if steps is None or steps >= len(part.recipe) or part.id in self.peeking:
            return None
        return steps

    def show_until(self, part_id: str, steps: int | None, smooth: bool) -> None:
        """Shows a part as it is after so many steps of its recipe, None for all; smooth: with what the rail does."""
        before = (self._until.get(part_id), self._smooth.get(part_id, False))
        self._until.pop(part_id, None)
        if steps is not None:
            self._until[part_id] = steps
        self._smooth[part_id] = smooth
        if before != (steps, smooth):
            self.refresh()

    def peek(self, on: bool, everything: bool = False) -> None:
        """Shows the other of cage and smooth for as long as it is on, of the active part or of all."""
        document = self.session.document
        wanted = [part.id for part in document.parts if everything or part.id == document.active] if on else []
        if self.peeking != frozenset(wanted):
            self.peeking = frozenset(wanted)
            self.refresh()

    def hurry(self, on: bool) -> None:
        """While something is dragged: shows no more faces than can follow the pointer; after it, all of them again."""
        if self._quick != on:
            self._quick = on
            if not on:
                self.refresh()
                self.rested.emit()

    def show_bends(self, on: bool) -> None:
        """Whether smooth pictures know how their surface bends."""
        if self._bends != on:
            self._bends = on
            if on:
                self.refresh()

    @property
    def is_hurried(self) -> bool:
        """Whether something is dragged just now."""
        return self._quick

    @property
    def is_working(self) -> bool:
        """Whether a picture is being made off the window's thread."""
        return bool(self._running)

    @property
    def is_filling(self) -> bool:
        """Whether pictures of several parts are being made: what is drawn meanwhile is soon drawn again."""
        return len(self._running) > 1

    def stop_work(self) -> None:
        """Drops pictures that are being made; the parts are shown as their cages."""
        for part_id in self._running:
            self._smooth[part_id] = False
        self._drop()
        self.busy.emit(0)
        self.refresh()

    def level_now(self, part: Part) -> int:
        """The level a part is shown at just now, lower while something large is dragged."""
        level = shown_level(part, self.is_smooth(part), self.stop(part))
        while self._quick and level > 0 and self.faces_at(part, level) > QUICK:
            level -= 1
        return level

    def faces_at(self, part: Part, level: int) -> int:
        """How many faces a part would be shown with at a level, about where its recipe makes more of them."""
        count = faces_at(part.mesh.topology, level)
        return count if not part.recipe else round(count * growth(part.recipe[: self.until(part)]))

    def shown(self) -> list[Picture]:
        """The pictures of visible parts, in the document's order."""
        visible = [part.id for part in self.session.document.parts if part.visible]
        return [self.pictures[part_id] for part_id in visible if part_id in self.pictures]

    def picture(self, part_id: str) -> Picture | None:
        """A part's picture, where there is one of the cage that it has now: hidden parts keep what they had."""
        picture = self.pictures.get(part_id)
        part = next((part for part in self.session.document.parts if part.id == part_id), None)
        if picture is None or part is None or picture.part.mesh.topology is not part.mesh.topology:
            return None
        return picture

    def current(self) -> dict[str, Picture]:
        """The pictures by part, of those that have one of the cage that they have now."""
        known = [(part, self.pictures.get(part.id)) for part in self.session.document.parts]
        return {
            part.id: picture
            for part, picture in known
            if picture is not None and picture.part.mesh.topology is part.mesh.topology
        }

    def refresh(self) -> None:
        """Brings every picture up to date; large ones arrive later."""
        document = self.session.document
        here = {part.id for part in document.parts}
        for part_id in [part_id for part_id in self.pictures if part_id not in here]:
            del self.pictures[part_id]
        self._room = AT_ONCE
        for part in document.parts:
            if part.visible:
                self._renew(part)
        self.changed.emit()

    def wait(self) -> None:
        """Waits until all work is done and its results are in; for tests and stills."""
        from PySide6.QtCore import QCoreApplication

        while self._running or self._pool.activeThreadCount():
            self._pool.waitForDone(20)
            QCoreApplication.processEvents()

    def start(self, work: Work) -> None:
        """Runs work off the window's thread, after what waits already."""
        work.start(self._pool)

    def extent(self, part_id: str | None = None) -> Floats:
        """The points that frame all visible parts, or one."""
        found = [np.zeros((0, 3))]
        for part in self.session.document.parts:
            if part.visible and part_id in (None, part.id):
                picture = self.pictures.get(part.id)
                found.append(part.to_world(part.mesh).points if picture is None else picture.extent())
        return np.concatenate(found)

    def close(self) -> None:
        """Stops what runs and lets it end."""
        self._soon.stop()
        self._drop()
        self._pool.waitForDone()

    def _drop(self) -> None:
        """Drops the results of what still runs, without waiting for it."""
        self._wanted.clear()
        for work in self._running.values():
            work.stop()
        self._running.clear()

    def forget(self) -> None:
        """Forgets every picture, and what was shown how: another document comes."""
        self._drop()
        self.pictures.clear()
        self._smooth.clear()
        self._stops.clear()
        self._until.clear()

    # Helpers

    def _renew(self, part: Part) -> None:
        smooth = self.is_smooth(part)
        old = self.pictures.get(part.id)
        if self._quick and self._follow(part, old):
            return
        level, until = self.level_now(part), self.until(part)
        on_limit = level > 0 and self.stop(part) == "limit"
        bends = self._bends and level > 0
        fits = old is not None and old.is_quick <= self._quick and (old.bends is not None or not bends)
        now = (part, level, until, on_limit)
        if old is not None and fits and (old.part, old.level, old.until, old.on_limit) == now:
            self._wanted.pop(part.id, None)
            return
        faces = self.faces_at(part, level)
        if faces > MOST_FACES:
            self.told.emit(f"That would be {faces:,} faces, more than fits; the cage is shown.")
            self._smooth[part.id] = smooth = False
            level = 0
            faces = self.faces_at(part, 0)
            if faces > MOST_FACES:
                self._until[part.id] = until = 0
                faces = part.mesh.n_faces
        # What is dragged follows the pointer as one, however many parts it is.
        room = AT_ONCE if self._quick else self._room
        if (faces <= room and not part.waits) or (level == 0 and not part.recipe and faces <= PLAIN_AT_ONCE):
            if level or part.recipe:
                self._room -= faces
            self._wanted.pop(part.id, None)
            self._show(part, make_picture(part, smooth, old, level, until, self._quick, on_limit, bends))
            return
        self._wanted[part.id] = (part, level, until, on_limit)
        is_other = old is None or old.part.mesh.topology is not part.mesh.topology
        if is_other and part.mesh.n_faces <= PLAIN_AT_ONCE:
            # Until the surface is there, the cage is: never a surface of another cage.
            self.pictures[part.id] = make_picture(part, False, None, 0, 0)
        self._start(part.id)

    def _follow(self, part: Part, old: Picture | None) -> bool:
        """While a few points are dragged: shows what follows them, at the whole level where frames come fast enough."""
        whole = shown_level(part, self.is_smooth(part), self.stop(part))
        level = whole if self.keeps_up else self.level_now(part)
        until, on_limit = self.until(part), level > 0 and self.stop(part) == "limit"
        if old is not None and (old.part, old.level, old.until, old.on_limit) == (part, level, until, on_limit):
            # Something else is dragged.
            self._wanted.pop(part.id, None)
            return True
        picture = followed(old, part, Shown(level, until, on_limit, self._bends and level > 0))
        if picture is None:
            return False
        self._wanted.pop(part.id, None)
        self._show(part, picture)
        return True

    def _show(self, part: Part, picture: Picture) -> None:
        old = self.pictures.get(part.id)
        self.pictures[part.id] = picture
        known = old.built.troubles if old is not None else ()
        for trouble in picture.built.troubles:
            if trouble not in known:
                self.told.emit(f"“{part.name}”, {part.step_name(trouble.place)}, was left out: {trouble.reason}")

    def _start(self, part_id: str) -> None:
        if part_id in self._running or part_id not in self._wanted:
            return
        part, level, until, on_limit = self._wanted.pop(part_id)
        old = self.pictures.get(part_id)
        bends = self._bends and level > 0
        work = Work(
            lambda: made_ready(make_picture(part, level > 0, old, level, until, False, on_limit, bends)),
            lambda picture: self._arrived(part_id, picture),
            lambda reason: self._failed(part_id, reason),
        )
        self._running[part_id] = work
        self.busy.emit(len(self._running))
        self.start(work)

    def _arrived(self, part_id: str, picture: Picture) -> None:
        self._running.pop(part_id, None)
        document = self.session.document
        part = next((part for part in document.parts if part.id == part_id), None)
        # The latest wins: a result for an older cage is shown only while nothing newer is wanted.
        if (
            part is not None
            and picture.part.mesh is part.mesh
            and picture.part.recipe == part.recipe
            and (picture.level, picture.until) == (self.level_now(part), self.until(part))
            and picture.on_limit == (picture.level > 0 and self.stop(part) == "limit")
        ):
            self._show(part, picture)
        self.busy.emit(len(self._running))
        self._start(part_id)
        if not self._running:
            self._soon.stop()
            self.changed.emit()
        elif not self._soon.isActive():
            self._soon.start()

    def _failed(self, part_id: str, reason: str) -> None:
        self._running.pop(part_id, None)
        self.busy.emit(len(self._running))
        self.told.emit(f"Smoothing stopped: {reason}.")
        self._start(part_id)
        self.changed.emit()
