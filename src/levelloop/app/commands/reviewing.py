"""The review at work: run after every change, its findings stepped through and mended."""

from __future__ import annotations

from time import perf_counter
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, QTimer

from levelloop.app.beside import Work
from levelloop.app.panels.review.sketch import mesh_of, outwards
from levelloop.core.mesh.selection import Selection, count_of
from levelloop.core.progress import pieces
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.review.subject import Known
from levelloop.document.operations import REGISTRY
from levelloop.document.recipe.steps import growth
from levelloop.document.review.remedies import Effect, begin, place_of, remedies_of, tried
from levelloop.document.review.reviewing import reviewed_for_all

if TYPE_CHECKING:
    from levelloop.app.window import Window

REVIEW_AT_ONCE = 4_000  # faces
AFTER = 120  # milliseconds without a change
LIVE = 0.15  # seconds that a review may take while something is dragged
RESTS = 150  # milliseconds at one place until it is tried what would mend it


class Reviewing(QObject):
    """Reviews the window's document, shortly after it has changed, and shows what is found."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self._work: Work | None = None
        self._trying: Work | None = None
        self._is_over = False
        self._again = False
        self._known: dict[str, Known] = {}  # what was seen of each part, so that only what changes is looked at again
        self._took = 0.0  # seconds, the last time
        self._trial = QTimer(self)
        self._trial.setSingleShot(True)
        self._trial.setInterval(RESTS)
        self._trial.timeout.connect(self._try_remedies)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AFTER)
        self._timer.timeout.connect(self.run)
        window.stage.rested.connect(self.soon)

    def soon(self) -> None:
        """Reviews once changes have stopped for a moment; while something is dragged now and then, where that is quick.

        What is too slow for that waits for the pointer to rest, never the pointer for it.
        """
        if self.window.stage.is_hurried and self.is_waiting and self._took < LIVE:
            self._again = True
            return
        self._timer.start()

    @property
    def is_waiting(self) -> bool:
        """Whether what is shown is about to be renewed."""
        return self._work is not None or self._timer.isActive()

    def stop(self) -> None:
        """Reviews no more."""
        self._timer.stop()
        self._trial.stop()
        self._is_over = True
        if self._work is not None:
            self._work.stop()
        self._drop_trials()

    def run(self) -> None:
        """Reviews all parts for all purposes; off the window's thread where they are large."""
        if self._work is not None:
            self._again = True
            if not self.window.stage.is_hurried:
                self._work.stop()
            return
        session = self.window.session
        document = session.document

        def review() -> Any:
            began = perf_counter()
            found = reviewed_for_all(document, known=self._known)
            self._took = perf_counter() - began
            return found

        faces = sum(part.mesh.n_faces * growth(part.recipe) for part in document.parts)
        is_small = faces <= REVIEW_AT_ONCE and not any(part.waits for part in document.parts)
        if is_small and not self.window.stage.is_hurried:
            self.window.review.show_reports(review())
            return
        self._work = Work(review, self._arrived, self._failed, self._stopped)
        self.window.stage.start(self._work)

    def _arrived(self, reports: Any) -> None:
        self._work = None
        if self.window.stage.is_hurried:
            # The rows follow once the pointer lets go.
            self.window.review.show_counts(reports)
        elif not self._again:
            self.window.review.show_reports(reports)
        if self._again:
            self._again = False
            self._timer.start()

    def _failed(self, reason: str) -> None:
        self._arrived({})
        self.window.tell(reason)

    def _stopped(self) -> None:
        # A newer document is to be reviewed.
        self._work, self._again = None, False
        if not self._is_over:
            self._timer.start()

    def choose(self, part_id: str, finding: Finding | None, step: int) -> None:
        """Shows a finding's places; a step of 0 and more also frames that place."""
        hands = self.window.panes.hands
        if all(part.id != part_id for part in self.window.session.document.parts):
            # The part went while its review was still shown.
            finding = None
        hands.finding, hands.finding_part, hands.focus = finding, part_id, None
        if finding is None:
            self.window.panes.refresh()
            return
        hands.finding_step = step if step >= 0 else -1 - step
        self._drop_trials()
        self._trial.start()
        if step >= 0 and finding.count:
            if part_id != self.window.session.document.active:
                self.window.session.set_active(part_id)
            part = self.window.session.part
            index = finding.indices[step]
            if index < count_of(part.stepped.topology, finding.kind):
                self.window.set_kind(finding.kind)
                self.window.session.set_selection(
                    Selection(finding.kind, part.in_cage(finding.kind, finding.indices[step : step + 1]))
                )
            self._turn_towards(finding, step)
            place = finding.at[step : step + 1]
            hands.focus = place[0]
            self.window.view.fly(lambda: self.window.view.frame_points(place))
        self.window.panes.refresh()

    def _turn_towards(self, finding: Finding, step: int) -> None:
        """Turns the view where the found place would face away."""
        outward = outwards(mesh_of(self.window.session.part, finding), finding, step)
        camera = self.window.view.camera
        if float(outward @ camera.axes[2]) >= 0.3 or not outward.any():
            return
        across = float(np.hypot(outward[0], outward[1]))
        if across > 0.2:
            camera.turn = float(np.degrees(np.arctan2(outward[0], -outward[1]))) + 20.0
        camera.tilt = float(np.clip(np.degrees(np.arctan2(outward[2], across)), -55.0, 55.0)) + 8.0

    def accept(self, part_id: str, finding: Finding, reason: str) -> None:
        """Keeps a finding as accepted, with a reason; the keys go back to the view."""
        self.window.attempt(lambda: self.window.session.accept(finding, reason))
        self.window.view.setFocus()

    def remedy(self, part_id: str, finding: Finding, remedy: Remedy, place: int) -> None:
        """Runs a remedy on all places of a finding (−1) or on one; its numbers stand in the sentence."""
        session = self.window.session
        where = None if place < 0 else place
        if self.window.attempt(lambda: begin(session, part_id, finding, remedy, where)):
            self.window.attempt(lambda: self.window.sentence.start(REGISTRY[remedy.key], remedy.parameters, False))

    def _drop_trials(self) -> None:
        """Wants no more to know what remedies come to that are being tried."""
        if self._trying is not None:
            self._trying.stop()

    def _try_remedies(self) -> None:
        """Works out beside the window what each remedy of the finding that is shown comes to."""
        part_id, finding = self.window.panes.hands.finding_part, self.window.panes.hands.finding
        if finding is None:
            return
        document, purpose = self.window.session.document, self.window.review.purpose
        step = max(self.window.panes.hands.finding_step, 0)

        def effects() -> list[Effect]:
            return [
                tried(document, part_id, finding, remedy, purpose, place_of(remedy, step), self._known)
                for remedy in pieces(remedies_of(finding))
            ]

        def arrived(found: Any) -> None:
            if self.window.panes.hands.finding is finding:
                self.window.review.remedies.show_effects(found)

        self._drop_trials()
        self._trying = Work(effects, arrived)
        self.window.stage.start(self._trying)
