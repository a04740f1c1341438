"""Comparing: cage and smooth, two versions, or two parts, either side of a line across the active view."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QTimer

from levelloop.app.beside import Work
from levelloop.app.view.render.picture import Picture, make_picture
from levelloop.app.view.viewport import Viewport
from levelloop.app.view.wipe import Wipe, held_apart
from levelloop.document.document import Document
from levelloop.document.review.comparing import changes
from levelloop.document.review.reviewing import reviewed_parts
from levelloop.document.running.replay import briefly

if TYPE_CHECKING:
    from levelloop.app.window import Window

AFTER = 300  # milliseconds without a change until distances are worked out again


class Comparing(QObject):
    """Begins and ends comparisons of the window's views, and keeps them up with what is done."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self._view: Viewport | None = None
        self._other: Document | None = None
        self._work: Work | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AFTER)
        self._timer.timeout.connect(self._work_out)

    def cage_and_smooth(self) -> None:
        """The cages left of a line, the smooth surfaces right of it; once more: ends it."""
        if self._ends("cage"):
            return
        session, stage = self.window.session, self.window.stage
        parts = [part for part in session.document.parts if part.visible]
        if not parts:
            self.window.tell("There is nothing to compare yet; add a form first.")
            return
        stage.show_smooth(parts, True)
        self._begin(Wipe("cage", "smooth", [make_picture(part, False, None, 0) for part in parts]), None)

    def with_version(self, place: int | None = None) -> None:
        """An earlier state of the history (the one before the present one) left, the present right."""
        session = self.window.session
        place = session.here - 1 if place is None else place
        if not 0 <= place < len(session.history) or place == session.here:
            self.window.tell("There is no other version yet: do something first.")
            return
        state = session.history[place]
        self.with_document(state.document, f"{place + 1}: {briefly(state)}")

    def with_saved(self) -> None:
        """The document as it was last saved left, as it is now right."""
        saved = self.window.session.saved
        if saved is None or saved is self.window.session.document:
            self.window.tell("Nothing has changed since it was saved.")
            return
        self.with_document(saved, "saved")

    def with_document(self, document: Document, words: str) -> None:
        """Another version of the document left, the present one right."""
        stage = self.window.stage
        pictures = [make_picture(part, stage.is_smooth(part)) for part in document.parts if part.visible]
        self._begin(Wipe(words, "now", pictures), document)

    def two_parts(self) -> None:
        """The first of two chosen parts left, the other right."""
        chosen = self.window.session.state.parts_chosen
        if len(chosen) != 2:
            self.window.tell("Choose two parts to compare: Ctrl+click them in the list.")
            return
        one, other = chosen
        left = self.window.stage.picture(one.id)
        if left is None:
            return
        self._begin(Wipe(one.name, other.name, [left], frozenset({other.id})), None)

    def soon(self) -> None:
        """What is shown has changed: distances and findings are worked out once it rests."""
        if self._view is not None and self._view.wipe is not None:
            self._timer.start()

    def stop(self) -> None:
        """Compares no more."""
        self._timer.stop()
        self._stop_work()

    # Helpers

    def _ends(self, left: str) -> bool:
        """Ends the comparison of the active view where it is that one; whether it was."""
        view = self.window.view
        if view.wipe is None or view.wipe.left != left:
            return False
        view.compare(None)
        return True

    def _begin(self, wipe: Wipe, other: Document | None) -> None:
        if self._view is not None:
            self._view.compare(None)
        self._view, self._other = self.window.view, other
        self._view.compare(wipe)
        self._timer.start()

    def _work_out(self) -> None:
        view, other = self._view, self._other
        if view is None or view.wipe is None:
            return
        if self.window.stage.is_working:
            self._timer.start()
            return
        wipe, now, purpose = view.wipe, self.window.session.document, self.window.review.purpose
        shown: list[Picture] = [
            one for one in self.window.stage.shown() if wipe.chosen is None or one.part.id in wipe.chosen
        ]

        def run() -> Any:
            apart = held_apart(wipe.pictures, shown, wipe.chosen is None)
            found = changes(reviewed_parts(other, purpose), reviewed_parts(now, purpose)) if other is not None else []
            return apart, found

        def arrived(result: Any) -> None:
            if view.wipe is wipe:
                wipe.apart, wipe.changes = result
                view.compare_card.refresh()
                view.refresh()

        self._stop_work()
        self._work = Work(run, arrived, self.window.tell)
        self.window.stage.start(self._work)

    def _stop_work(self) -> None:
        """The latest wins."""
        if self._work is not None:
            self._work.stop()
