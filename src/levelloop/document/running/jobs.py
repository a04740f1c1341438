"""Jobs: an operation with its values on one state of the history, ready to be run in any thread."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from levelloop.core.errors import EditError
from levelloop.core.mesh.selection import without_hidden
from levelloop.core.progress import Cancel, Progress, watched
from levelloop.core.values import dataclass
from levelloop.document.part import Part
from levelloop.document.registry import Operation
from levelloop.document.running.running import State, check, described, run, targets_of
from levelloop.document.scripting.units import told_in


@dataclass(frozen=True, eq=False)
class Job:
    """One operation to be run. Running it changes nothing; the session makes what comes of it the present state.

    base: the state it is run on; present: the one that was there when it was prepared, and must still be there when it
    is committed; values: read and checked. replacing: what comes of it takes the place of the last entry.
    """

    base: State
    present: State
    operation: Operation
    values: dict[str, Any]
    replacing: bool = False

    @property
    def only_selects(self) -> bool:
        """Whether it is no entry of the history."""
        return self.operation.acts_on == "selection"

    @property
    def said_of_selecting(self) -> str:
        """The sentence of an operation that only selects."""
        chosen = [self.base.selection(part.id) for part in _looked_at(self.base, self.operation)]
        return self.operation.says(self.values, described(*chosen), self.base.document.unit)

    def run(self, progress: Progress | None = None, cancel: Cancel | None = None) -> State:
        """What comes of it. progress: told how much is done, 0…1; cancel: asked between pieces whether to stop.

        Raises LevelLoopError where it cannot run, CancelledError where it was stopped. Lengths are told in the
        document's unit.
        """
        unit = self.base.document.unit
        with watched(progress, cancel):
            if self.only_selects:
                return _selected(self.base, self.present, self.operation, self.values)
            try:
                state = run(self.base, self.operation, self.values)
                return replace(state, message=told_in(state.message, unit))
            except EditError as error:
                said = told_in(str(error), unit)
                if said == str(error):
                    raise
                raise EditError(said) from error
            except (MemoryError, OverflowError) as error:
                raise EditError(f"{self.operation.title} would make more than this machine's memory holds.") from error


# Helpers


def _selected(base: State, present: State, operation: Operation, values: dict[str, Any]) -> State:
    """The present state with what an operation selects, on every part with a selection that is shown."""
    parts = _looked_at(base, operation)
    chosen = [base.selection(part.id) for part in parts]
    for selection in chosen:
        check(operation, selection)
    found = {
        part.id: without_hidden(part.mesh, operation.run(part.mesh, selection, **values))
        for part, selection in zip(parts, chosen, strict=True)
    }
    kept = base.selections if values.get("mode", "only") != "only" else {}
    return replace(present, selections={**kept, **found})


def _looked_at(base: State, operation: Operation) -> list[Part]:
    return [base.document.part] if operation.anew else targets_of(base)
