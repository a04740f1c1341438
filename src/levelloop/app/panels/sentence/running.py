"""What the sentence is about: an operation that waits for its numbers, a question, or what ran last."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping
from typing import Any

from levelloop.core.edit.move.transform import selection_frame
from levelloop.core.errors import LevelLoopError
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation
from levelloop.document.running.running import described
from levelloop.document.session import Session

Keep = Callable[[dict[str, Any]], None]
Note = Callable[[Mapping[str, Any]], str]
FORM_SIDES = (3, 512)  # how many selected edges make a form's sides


class Running:
    """One sentence after the other.

    waiting: the operation that has not run yet, with its numbers; question: what is called with these when they are
    kept, and what stands beside Keep; is_open: whether numbers are being decided; goes_on: whether what ran last is
    applied to whatever is picked next.
    """

    def __init__(self, session: Session) -> None:
        self.session = session
        self.waiting: tuple[Operation, dict[str, Any]] | None = None
        self.question: tuple[Keep, Note] | None = None
        self.is_open = self.goes_on = False
        self._since = 0

    @property
    def key(self) -> str:
        """The operation whose numbers are open; empty for none."""
        if self.waiting is not None:
            return self.waiting[0].key
        return self.session.state.key if self.is_open else ""

    @property
    def selected_before(self) -> int:
        """How many edges, or points, were selected before the running operation; 0 where that makes no form."""
        if self.session.here == 0:
            return 0
        before = self.session.history[self.session.here - 1]
        selection = before.selection(before.document.active)
        fits = selection.kind != "faces" and FORM_SIDES[0] <= len(selection) <= FORM_SIDES[1]
        return len(selection) if fits else 0

    def subject(self) -> tuple[Operation | None, dict[str, Any], str]:
        """The operation, its numbers, and in words what it acts on; without an operation what was done."""
        if self.waiting is not None:
            chosen = self.session.state.shown_selections.values()
            return *self.waiting, described(*chosen) if chosen else "all"
        state = self.session.state
        if not state.key:
            return None, {}, state.sentence
        return REGISTRY[state.key], dict(state.parameters), state.acted_on

    def numbers(self, operation: Operation) -> dict[str, Any]:
        """The numbers of an operation that waits or ran last, else those it begins with."""
        if self.waiting is not None and self.waiting[0] is operation:
            return dict(self.waiting[1])
        if self.session.state.key == operation.key:
            return dict(self.session.state.parameters)
        return operation.defaults()

    def run(self, operation: Operation, parameters: Mapping[str, Any]) -> None:
        """Runs an operation; its numbers are open where it has any."""
        self.drop()
        # Open from the start: what follows the session then shows the sentence as it stays.
        self.is_open, has_run = operation.has_numbers, False
        try:
            self.session.perform(operation.key, **parameters)
            has_run = True
        finally:
            self.is_open = self.is_open and has_run

    def wait(self, operation: Operation, parameters: Mapping[str, Any], question: tuple[Keep, Note] | None) -> None:
        """Waits for the numbers of an operation, or of a question that nothing runs for until it is kept."""
        self.waiting, self.question = (operation, self._read(operation, parameters)), question
        self._since = self.session.here
        self.is_open = True

    def drop(self) -> None:
        """Waits for nothing any more; what ran stays."""
        self.waiting = self.question = None
        self.is_open = self.goes_on = False

    def catch_up(self) -> None:
        """Where a drag has run what waited for numbers, the sentence is about that from now on."""
        if self.waiting is None:
            return
        if self.session.here > self._since and self.session.state.key == self.waiting[0].key:
            self.waiting = None

    def change(self, values: Mapping[str, Any]) -> bool:
        """Changes numbers of what waits without running it; whether something waits."""
        if self.waiting is None:
            return False
        operation, known = self.waiting
        self.waiting = (operation, self._read(operation, operation.changed(known, values)))
        return True

    def apply(self, values: Mapping[str, Any]) -> str:
        """Runs what waits, or again what ran, with other numbers; returns what it says.

        Raises LevelLoopError where it cannot run; what waits keeps the numbers then, others may still be missing.
        """
        if self.waiting is None:
            self.session.change_last(**values)
            self.is_open = True
            return self.session.state.message
        operation, known = self.waiting
        merged = operation.changed(known, values)
        if self.question is not None or (operation.drawn and not merged[operation.drawn]):
            # Questions run when they are kept; what is drawn in the view comes before numbers.
            self.change(values)
            return ""
        try:
            self.session.perform(operation.key, **merged)
        except LevelLoopError:
            with contextlib.suppress(LevelLoopError):
                self.change(values)
            raise
        # What only selects is no entry of the history that could be changed: it goes on waiting.
        self.waiting = (operation, self._read(operation, merged)) if operation.acts_on == "selection" else None
        self.is_open = True
        return "" if self.waiting is not None else self.session.state.message

    def along(self, operation: Operation, values: Mapping[str, Any], axis: str) -> tuple[float, float, float] | None:
        """Along what a bare number of a move goes: the axis last used, else the normal of what is selected."""
        if not operation.handle:
            return None
        if axis:
            return tuple(float(axis == one) for one in "xyz")  # type: ignore[return-value]
        part = self.session.part
        selection = self.session.state.shown_selections.get(part.id)
        if selection is None or values.get("frame") is not None:
            return (0.0, 0.0, 1.0)
        normal = selection_frame(part.to_world(part.mesh), selection)[2]
        return tuple(float(value) for value in normal)  # type: ignore[return-value]

    def _read(self, operation: Operation, values: Mapping[str, Any]) -> dict[str, Any]:
        return operation.read(values, self.session.document.reading)
