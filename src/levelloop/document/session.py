"""Session: the document being worked on, its history and selection; the window and scripts both use it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Self

import numpy as np
from psygnal import Signal

from levelloop.core.errors import EditError
from levelloop.core.mesh.selection import (
    Selection,
    without_hidden,
)
from levelloop.core.review import Report
from levelloop.core.review.findings import PURPOSES, Finding, Purpose
from levelloop.core.review.subject import Known
from levelloop.document.document import Document
from levelloop.document.looks import checked_looks
from levelloop.document.operations import REGISTRY
from levelloop.document.part import Part
from levelloop.document.registry import Operation
from levelloop.document.review.measuring import Measures, measured
from levelloop.document.review.reviewing import mark_of, reviewed_parts
from levelloop.document.running.jobs import Job
from levelloop.document.running.recipe_calls import RecipeCalls
from levelloop.document.running.replay import replayed
from levelloop.document.running.running import State
from levelloop.document.running.select_calls import SelectCalls
from levelloop.document.scripting.units import parse_length


class Session(RecipeCalls, SelectCalls):
    """A document with unlimited undo. Every change is announced as changed(old state, new state).

    >>> session = Session.new()
    >>> _ = session.do("add_box", size=(20, 20, 20))
    >>> session.select(faces=[0])
    >>> session.do("extrude", distance=5.0)
    'Extrude 1 face by 5 mm along normal, steps 1, end scale 1, together'
    >>> session.part.mesh.n_faces
    10
    """

    changed = Signal(object, object)

    def __init__(self, document: Document, path: Path | None = None) -> None:
        self._states = [State(document, sentence="Document opened" if document.parts else "New document")]
        self._here = 0
        self._saved: Document | None = document
        self.path = path
        self._stamp = _stamp(path)
        # What was seen of each part at the last review: of an edited one only what has changed is looked at again.
        self._known: dict[str, Known] = {}
        # How jobs are run: a window does it off its own thread.
        self.runs: Callable[[Job], State] = Job.run
        # The same for other work, with its title.
        self.works: Callable[[Callable[[], Any], str], Any] = lambda work, title: work()

    @classmethod
    def new(cls) -> Self:
        """An empty document."""
        return cls(Document())

    @classmethod
    def open(cls, path: str | Path) -> Self:
        """The document of a file. Raises LevelLoopError where it cannot be read."""
        from levelloop.files import is_document, read_document

        target = Path(path)
        return cls(read_document(target), target if is_document(target) else None)

    @classmethod
    def rescued(cls, document: Document, path: Path | None) -> Self:
        """A document that was never saved as it is. path: the file that it had, which may hold something older."""
        session = cls(document, path)
        session._saved = None
        return session

    # What is there

    @property
    def state(self) -> State:
        """The present entry of the history."""
        return self._states[self._here]

    @property
    def document(self) -> Document:
        """The present document."""
        return self.state.document

    @property
    def part(self) -> Part:
        """The active part. Raises EditError where there is none."""
        return self.document.part

    @property
    def selection(self) -> Selection:
        """What is selected of the active part."""
        return self.state.selection(self.document.active)

    @property
    def history(self) -> tuple[State, ...]:
        """Every entry, undone ones included."""
        return tuple(self._states)

    @property
    def here(self) -> int:
        """Which entry of the history is present."""
        return self._here

    @property
    def saved(self) -> Document | None:
        """The document as it was last opened or saved; None where it never was."""
        return self._saved

    @property
    def is_saved(self) -> bool:
        """Whether the document is as it was last saved or opened."""
        return self.document is self._saved

    # Operations

    def perform(self, key: str, **parameters: Any) -> str:
        """Runs the operation of a key on the selection of the active part; returns what it did, in a sentence.

        Raises LevelLoopError and changes nothing where it cannot run.
        """
        return self._do(self.prepare(key, **parameters))

    if not TYPE_CHECKING:
        # To type checkers it is one signature for each operation, made from the registry: typed_do.pyi.
        do = perform

    def prepare(self, key: str, **parameters: Any) -> Job:
        """An operation on the present state, its values read and checked, to be run anywhere. Raises LevelLoopError."""
        return self._job(self.state, REGISTRY[key], parameters)

    def commit(self, job: Job, state: State) -> str:
        """Makes what a job came to the present state; returns what it did, in a sentence.

        Raises EditError where something else has been done since it was prepared.
        """
        if self.state is not job.present:
            raise EditError("Something else has been done meanwhile; this was left out.")
        if job.only_selects:
            self._amend(state)
            return job.said_of_selecting
        self._push(state, job.replacing)
        return " ".join(filter(None, (state.sentence + ("." if state.message else ""), state.message)))

    def change_last(self, **parameters: Any) -> str:
        """Runs the present operation again with other numbers, as if these had been given first.

        Where others were undone after it, they are run again too; what no longer fits is said and left out.
        """
        state = self.state
        if not state.key or self._here == 0:
            raise EditError("There is no operation to change.")
        if self.can_redo:
            return self._change_older(parameters)
        base = self._states[self._here - 1]
        operation = REGISTRY[state.key]
        return self._do(self._job(base, operation, operation.changed(state.parameters, parameters), replacing=True))

    def repeat_last(self) -> str:
        """Runs the last operation again, on what is selected now."""
        state = self.state
        if not state.key:
            raise EditError("There is no operation to repeat.")
        return self.perform(state.key, **state.parameters)

    def revert_last(self, forget: bool = False) -> None:
        """Takes the last operation back; it can be done again, unless forget."""
        if self._here == 0:
            raise EditError("There is nothing to revert.")
        self.undo()
        if forget:
            del self._states[self._here + 1 :]

    def apply(self, document: Document, sentence: str, selections: Mapping[str, Selection] | None = None) -> None:
        """Makes a changed document the present one, as one entry of the history."""
        self._push(
            State(document, self.state.selections if selections is None else selections, sentence), replacing=False
        )

    # Parts

    def edit_part(self, part_id: str, sentence: str, **changes: Any) -> None:
        """Changes what a part is called or looks like."""
        part = self._called(part_id)
        self.apply(self.document.with_part(replace(part, **checked_looks(changes))), sentence)

    def edit_chosen(self, sentence: str, **changes: Any) -> None:
        """Changes what all parts that are chosen look like, as one entry of the history. Raises EditError."""
        looks, document = checked_looks(changes), self.document
        for part in self.state.parts_chosen:
            document = document.with_part(replace(part, **looks))
        self.apply(document, sentence)

    def remove_part(self, part_id: str) -> None:
        """Takes a part out of the document."""
        self.do("remove_part", part=self._called(part_id).name)

    def set_active(self, name: str, keep_others: bool = False) -> None:
        """Makes a part the active one, by its name, or by its id where no part is called so; no entry of the history.

        keep_others: other parts keep what is selected of them, so that the next operation acts on all.
        """
        self.activate(self._called(name).id, keep_others)

    def activate(self, part_id: str, keep_others: bool = False) -> None:
        """Makes the part of an id the active one; otherwise as set_active."""
        part = self.document.by_id(part_id)
        selections = self.state.selections
        if not keep_others:
            selections = {key: chosen for key, chosen in selections.items() if key == part.id}
        document = self.document if part.id == self.document.active else replace(self.document, active=part.id)
        chosen = self.state.chosen - {part.id} if keep_others else frozenset()
        self._amend(replace(self.state, document=document, selections=selections, chosen=chosen))

    def choose_parts(self, names: Sequence[str]) -> None:
        """Picks whole parts, the last one the active one; nothing of any is selected after; no entry of the history."""
        parts = [self._called(name) for name in names]
        if not parts:
            raise EditError("Choose a part at least.")
        active = parts[-1].id
        document = self.document if active == self.document.active else replace(self.document, active=active)
        chosen = frozenset(part.id for part in parts) - {active}
        self._amend(replace(self.state, document=document, selections={}, chosen=chosen))

    # Undo

    @property
    def can_undo(self) -> bool:
        """Whether there is something to undo."""
        return self._here > 0

    @property
    def can_redo(self) -> bool:
        """Whether there is something to redo."""
        return self._here < len(self._states) - 1

    def undo(self) -> None:
        """Goes back one entry of the history."""
        if not self.can_undo:
            raise EditError("There is nothing to undo.")
        self.go_to(self._here - 1)

    def redo(self) -> None:
        """Goes forward one entry of the history."""
        if not self.can_redo:
            raise EditError("There is nothing to redo.")
        self.go_to(self._here + 1)

    def go_to(self, index: int) -> None:
        """Makes an entry of the history the present one."""
        old = self.state
        self._here = min(max(index, 0), len(self._states) - 1)
        self._announce(old, self.state)

    # Selecting

    def select_none(self) -> None:
        """Selects nothing, of any part."""
        kind = self.selection.kind
        self._amend(replace(self.state, selections={}))
        if self.document.active:
            self.set_selection(Selection(kind, np.zeros(0, dtype=np.int64)))

    def set_selection(self, selection: Selection, part_id: str | None = None, keep_others: bool = False) -> None:
        """Makes a selection of a part (the active one) the present one; no entry of the history.

        keep_others: what is selected of other parts stays selected.
        """
        part = self.part if part_id is None else self.document.by_id(part_id)
        others = self.state.selections if keep_others else {}
        fitting = without_hidden(part.mesh, selection)
        self._amend(replace(self.state, selections={**others, part.id: fitting}))

    # Review and files

    def reports(self, purpose: Purpose = "smooth", clearance: float | None = None) -> list[tuple[Part, Report]]:
        """The review of every part that is given out, with its recipe. clearance: see review."""
        return reviewed_parts(self.document, purpose, clearance, self._known)

    def review(self, purpose: Purpose = "smooth", clearance: float | None = None) -> list[Finding]:
        """What the review finds in all parts, worst first within each.

        clearance: mm, nearer than that parts may not come to each other.
        """
        return [finding for _, report in self.reports(purpose, clearance) for finding in report.findings]

    def measure(self) -> Measures:
        """Sizes, area, volume and curvature of the active part's smooth surface, in the world. Raises EditError."""
        return measured(self.part)

    def accept(self, finding: Finding, reason: str) -> None:
        """Accepts a finding with a reason that is kept in the document, as one entry of the history.

        It comes back once what it is about lies elsewhere. Raises EditError without a reason, or where no part has it.
        """
        if not reason.strip():
            raise EditError("A finding is accepted with a reason.")
        for purpose in PURPOSES:
            for part, report in self.reports(purpose):
                if any(_same(one, finding) for one in report.findings):
                    accepted = {**part.accepted, mark_of(part, finding): reason.strip()}
                    self.apply(self.document.with_part(replace(part, accepted=accepted)), f"Accept: {finding.message}")
                    return
        raise EditError("No part has that finding any more.")

    def save(self, path: str | Path | None = None, replace_newer: bool = False) -> Path:
        """Writes the document, to its own file where no path is given; returns where. Raises LevelLoopError.

        replace_newer: also where the document's own file was changed by somebody else since it was opened or saved.
        """
        from levelloop.files import write_document
        from levelloop.files.errors import ChangedOnDiskError

        target = Path(path) if path is not None else self.path
        if target is None:
            raise EditError("The document has no file yet; give it a name.")
        if target == self.path and not replace_newer and _stamp(target) not in (None, self._stamp):
            raise ChangedOnDiskError(
                f"{target.name} has changed on disk since it was opened; save under another name, or replace it."
            )
        write_document(self.document, target)
        self.path, self._saved, self._stamp = target, self.document, _stamp(target)
        return target

    # Helpers

    def _job(self, base: State, operation: Operation, given: Mapping[str, Any], replacing: bool = False) -> Job:
        reading = replace(base.document.reading, last=lambda measure: self._last(base, measure))
        return Job(base, self.state, operation, operation.read(given, reading), replacing)

    def _do(self, job: Job) -> str:
        return self.commit(job, self.runs(job))

    def _last(self, base: State, measure: str) -> float | None:
        """The number of a measure that an operation up to a state of the history had last."""
        for state in reversed(self._states[: self._states.index(base) + 1] if base in self._states else [base]):
            for parameter in REGISTRY[state.key].parameters if state.key else ():
                value = state.parameters.get(parameter.name)
                if parameter.measure == measure and value != parameter.default:
                    last = parameter.as_last(value)
                    if last is not None:
                        return last
        return None

    def _called(self, name: str) -> Part:
        """A part by its name, or by its id where no part is called so."""
        document = self.document
        is_id = any(part.id == name for part in document.parts) and all(part.name != name for part in document.parts)
        return document.by_id(name) if is_id else document.by_name(name)

    def _change_older(self, parameters: Mapping[str, Any]) -> str:
        states, here = tuple(self._states), self._here
        title = REGISTRY[self.state.key].title
        made, told = self.works(lambda: replayed(states, here, parameters), title)
        if tuple(self._states) != states or self._here != here:
            raise EditError("Something else has been done meanwhile; this was left out.")
        old = self.state
        self._states = made
        self._announce(old, self.state)
        return " ".join((f"{self.state.sentence}.", *told))

    def _push(self, state: State, replacing: bool) -> None:
        old = self.state
        state = replace(state, document=state.document.tidied())
        if state.document.active == old.document.active:
            here = {part.id for part in state.document.parts}
            state = replace(state, chosen=old.chosen & here)
        if replacing:
            self._here -= 1
        del self._states[self._here + 1 :]
        self._states.append(state)
        self._here += 1
        self._announce(old, state)

    def _announce(self, old: State, new: State) -> None:
        """Tells of a change; what recipes made of parts that are only history now is let go."""
        present = {id(part) for part in new.document.parts}
        in_use = {id(part.mesh.topology) for part in new.document.parts}
        for part in old.document.parts:
            if id(part) not in present:
                part.forget()
            if id(part.mesh.topology) not in in_use:
                part.mesh.topology.forget()
        self.changed.emit(old, new)

    def _amend(self, state: State) -> None:
        """Replaces the present entry by one that differs in what is selected or active only."""
        old = self.state
        if self._saved is old.document:
            self._saved = state.document
        self._states[self._here] = replace(state, is_picked=True)
        self._announce(old, self.state)


def _stamp(path: Path | None) -> tuple[int, int, int] | None:
    """What tells one state of a file from another; None where there is none."""
    try:
        found = path.stat() if path is not None else None
    except (OSError, ValueError):
        return None
    return None if found is None else (found.st_mtime_ns, found.st_size, found.st_ino)


def _same(one: Finding, other: Finding) -> bool:
    """Whether two findings are of one check at the same places."""
    return one.check == other.check and one.kind == other.kind and np.array_equal(one.at, other.at)


def named_value(session: Session, name: str, text: str) -> None:
    """Keeps a length under a name that typed numbers may use. Raises LevelLoopError."""
    parse_length(text, session.document.unit, session.document.reading.values)
    session.do("set_value", name=name, value=text)
