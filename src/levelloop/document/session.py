"""Session: the document being worked on, its history and selection; the window and scripts both use it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Self

import numpy as np
from psygnal import Signal

from levelloop.core.arrays import Integers
from levelloop.core.edit.carry import Edit, mapped, through
from levelloop.core.edit.combine import combined
from levelloop.core.edit.symmetry import made_symmetric, on_both_sides, twins_by_flow, twins_by_place
from levelloop.core.errors import EditError
from levelloop.core.mesh import Mesh
from levelloop.core.review import Report, review
from levelloop.core.review.findings import Finding, Purpose, counted
from levelloop.core.selection import (
    KINDS,
    NOTHING,
    Kind,
    Selection,
    combine,
    select,
    select_all,
    without_hidden,
)
from levelloop.core.where import select_where
from levelloop.document.document import Document, Part, Symmetry, new_part
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import Axes, PartName
from levelloop.document.parting import Change
from levelloop.document.recipe import STEPS, Step, StepKind
from levelloop.document.registry import Operation
from levelloop.document.units import parse_length
from levelloop.document.where_sentence import parse_where


@dataclass(frozen=True, eq=False)
class State:
    """One entry of the history: a document with its selections, and the operation that led to it.

    selections: by part id. key and parameters: empty where the entry is no operation.
    """

    document: Document
    selections: Mapping[str, Selection] = field(default_factory=dict)
    sentence: str = "New document"
    key: str = ""
    parameters: Mapping[str, Any] = field(default_factory=dict)
    message: str = ""
    acted_on: str = ""

    def selection(self, part_id: str) -> Selection:
        """What is selected of a part."""
        return self.selections.get(part_id, NOTHING)


class Session:
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
    def is_saved(self) -> bool:
        """Whether the document is as it was last saved or opened."""
        return self.document is self._saved

    # Operations

    def do(self, key: str, **parameters: Any) -> str:
        """Runs an operation on the selection of the active part; returns what it did, in a sentence.

        Raises LevelLoopError and changes nothing where it cannot run.
        """
        return self._run(self.state, REGISTRY[key], parameters)

    def change_last(self, **parameters: Any) -> str:
        """Runs the last operation again with other numbers, as if these had been given first."""
        state = self.state
        if not state.key or self._here == 0:
            raise EditError("There is no operation to change.")
        base = self._states[self._here - 1]
        return self._run(base, REGISTRY[state.key], {**state.parameters, **parameters}, replacing=True)

    def repeat_last(self) -> str:
        """Runs the last operation again, on what is selected now."""
        state = self.state
        if not state.key:
            raise EditError("There is no operation to repeat.")
        return self.do(state.key, **state.parameters)

    def revert_last(self) -> None:
        """Takes the last operation back as if it had never run."""
        if self._here == 0:
            raise EditError("There is nothing to revert.")
        old = self.state
        self._here -= 1
        del self._states[self._here + 1 :]
        self.changed.emit(old, self.state)

    def apply(self, document: Document, sentence: str, selections: Mapping[str, Selection] | None = None) -> None:
        """Makes a changed document the present one, as one entry of the history."""
        self._push(
            State(document, self.state.selections if selections is None else selections, sentence), replacing=False
        )

    # The recipe of the active part

    def add_step(self, key: str, **parameters: Any) -> str:
        """Adds a step at the end of the recipe; returns what it does, in a sentence. Raises EditError."""
        return self.do(f"step_{_kind(key).key}", **parameters)

    def set_step(self, step: int, **parameters: Any) -> str:
        """Gives a step, counted from 0, other numbers. Raises EditError."""
        here = self._step(step)
        return self.do(f"step_{here.key}", **{**here.parameters, **parameters, "step": step})

    def move_step(self, step: int, to: int) -> str:
        """Puts a step at another place of the recipe. Raises EditError."""
        return self.do("move_step", step=step, to=to)

    def enable_step(self, step: int, on: bool = True) -> str:
        """Switches a step on or off. Raises EditError."""
        return self.do("enable_step", step=step, on=on)

    def remove_step(self, step: int) -> str:
        """Takes a step out of the recipe. Raises EditError."""
        return self.do("remove_step", step=step)

    def bake_steps(self, until: int | None = None) -> str:
        """Makes the cage what the recipe makes of it, up to a step or all of it. Raises EditError."""
        return self.do("bake_steps", until=until)

    # Parts

    def edit_part(self, part_id: str, sentence: str, **changes: Any) -> None:
        """Changes what a part is called or looks like."""
        part = self.document.find(part_id)
        self.apply(self.document.with_part(replace(part, **changes)), sentence)

    def remove_part(self, part_id: str) -> None:
        """Takes a part out of the document."""
        part = self.document.find(part_id)
        selections = {key: value for key, value in self.state.selections.items() if key != part.id}
        self.apply(self.document.without(part.id), f"Remove part “{part.name}”", selections)

    def set_active(self, name: str, keep_others: bool = False) -> None:
        """Makes a part the active one; no entry of the history.

        keep_others: other parts keep what is selected of them, so that the next operation acts on all.
        """
        part = self.document.find(name)
        selections = self.state.selections
        if not keep_others:
            selections = {key: chosen for key, chosen in selections.items() if key == part.id}
        document = self.document if part.id == self.document.active else replace(self.document, active=part.id)
        self._amend(replace(self.state, document=document, selections=selections))

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
        self.changed.emit(old, self.state)

    # Selecting

    def select(
        self, points: Any = None, edges: Any = None, faces: Any = None, add: bool = False, remove: bool = False
    ) -> None:
        """Selects elements of the active part: points or faces by index, edges as directed point pairs."""
        given = [
            (kind, values) for kind, values in zip(KINDS, (points, edges, faces), strict=True) if values is not None
        ]
        if len(given) != 1:
            raise EditError("Select one kind at a time: points, edges or faces.")
        kind, values = given[0]
        self.set_selection(combine(self.selection, select(self.part.mesh.topology, kind, values), add, remove))

    def select_all(self, kind: Kind) -> None:
        """Selects every element of a kind."""
        if kind not in KINDS:
            raise EditError(f'There are no "{kind}"; select points, edges or faces.')
        self.set_selection(select_all(self.part.mesh.topology, kind))

    def select_none(self) -> None:
        """Selects nothing."""
        self.set_selection(Selection(self.selection.kind, np.zeros(0, dtype=np.int64)))

    def select_where(self, kind: Kind, add: bool = False, remove: bool = False, **conditions: Any) -> None:
        """Selects the elements for which every condition holds: sides=">4", plane="x", …"""
        world = self.part.to_world(self.part.mesh)
        self.set_selection(combine(self.selection, select_where(world, kind, **conditions), add, remove))

    def select_sentence(self, sentence: str, add: bool = False, remove: bool = False) -> None:
        """Selects what a sentence describes: "faces where sides > 4"."""
        kind, conditions = parse_where(sentence, self.document.reading)
        self.select_where(kind, add, remove, **conditions)

    def set_selection(self, selection: Selection, part_id: str | None = None) -> None:
        """Makes a selection of a part (the active one) the present one; no entry of the history."""
        target = part_id or self.part.id
        mesh = self.document.find(target).mesh
        fitting = without_hidden(mesh, selection)
        self._amend(replace(self.state, selections={**self.state.selections, target: fitting}))

    # Review and files

    def reports(self, purpose: Purpose = "smooth") -> list[tuple[Part, Report]]:
        """The review of every part but helpers, with its recipe: a mirror plane is no boundary."""
        return [(part, _reviewed(part, purpose)) for part in self.document.parts if not part.helper]

    def review(self, purpose: Purpose = "smooth") -> list[Finding]:
        """What the review finds in all parts, worst first within each."""
        return [finding for _, report in self.reports(purpose) for finding in report.findings]

    def save(self, path: str | Path | None = None) -> Path:
        """Writes the document, to its own file where no path is given; returns where. Raises LevelLoopError."""
        from levelloop.files import write_document

        target = Path(path) if path is not None else self.path
        if target is None:
            raise EditError("The document has no file yet; give it a name.")
        write_document(self.document, target)
        self.path, self._saved = target, self.document
        return target

    # Helpers

    def _step(self, step: int) -> Step:
        steps = self.part.steps
        if not 0 <= step < len(steps):
            raise EditError(f"“{self.part.name}” has {counted(len(steps), 'step')}; there is no step {step + 1}.")
        return steps[step]

    def _run(self, base: State, operation: Operation, given: Mapping[str, Any], replacing: bool = False) -> str:
        document = base.document
        reading = document.reading
        lengths = [value for value in base.parameters.values() if isinstance(value, float)]
        if lengths:
            reading = replace(reading, values={"last": lengths[0], **(reading.values or {})})
        values = operation.read(given, reading)
        if operation.acts_on == "selection":
            selection = base.selection(document.active)
            _check(operation, selection)
            part = document.part
            self.set_selection(operation.run(part.mesh, selection, **values))
            return operation.says(values, described(selection), document.unit)
        try:
            with np.errstate(all="ignore"):
                state = self._result(base, operation, values)
        except (MemoryError, OverflowError) as error:
            raise EditError(f"{operation.title} would make more than this machine's memory holds.") from error
        self._push(state, replacing)
        return " ".join(filter(None, (state.sentence + ("." if state.message else ""), state.message)))

    def _result(self, base: State, operation: Operation, values: dict[str, Any]) -> State:
        document = base.document
        entry: dict[str, Any] = {"key": operation.key, "parameters": values}
        if operation.acts_on == "form":
            sizes = {name: value for name, value in values.items() if name not in ("name", "into")}
            mesh: Mesh = operation.run(**sizes)
            told = "" if operation.advice is None else operation.advice(sizes)
            sentence = operation.says(values, "", document.unit)
            if values["into"]:
                part = document.find(values["into"])
                part = replace(part, mesh=combined((part.mesh, mesh)))
                document = replace(document.with_part(part), active=part.id)
            else:
                part = new_part(document, mesh, values["name"] or operation.title.lower())
                document = document.with_part(part)
            return State(document, {}, sentence, message=told, **entry)
        if operation.acts_on == "parts":
            change: Change = operation.run(document, base.selections, **values)
            said_of = base.selection(document.active)
            who = described(said_of) if len(said_of) else f"all of “{document.part.name}”" if document.parts else ""
            sentence = operation.says(values, who, document.unit)
            kept = _still_fitting(base, change)
            return State(change.document, kept, sentence, message=change.message, **entry)
        if operation.acts_on == "document":
            changed: Document = operation.run(document, **values)
            return State(changed, base.selections, operation.says(values, "", document.unit), **entry)
        if operation.acts_on == "part":
            renamed = document.with_part(operation.run(document.part, **values))
            return State(renamed, base.selections, operation.says(values, "", document.unit), **entry)
        selections = dict(base.selections)
        targets = [part for part in document.parts if len(base.selection(part.id)) and part.visible]
        if not targets:
            targets = [document.part]
        said, messages = [], []
        for part in targets:
            if part.locked:
                raise EditError(f"“{part.name}” is locked.")
            selection = base.selection(part.id)
            _check(operation, selection)
            resolved = _resolved(operation, values, document, part)
            if not len(selection) and operation.moves_only and part.moves_whole(document):
                whole = _placed_whole(part, operation, resolved)
                if whole is not None:
                    document = document.with_part(whole)
                    said.append(f"all of “{part.name}”")
                    continue
            if document.symmetry is None:
                edit = _edited(part, operation, selection, resolved)
            elif operation.moves_only:
                edit = _symmetric(part, _edited(part, operation, selection, resolved), document.symmetry)
            else:
                edit = _on_both_sides(part, operation, selection, resolved, document.symmetry)
            document = document.with_part(replace(part, mesh=edit.mesh))
            if edit.mesh.topology is not part.mesh.topology and part.shared:
                siblings = {other.id for other in document.parts if other.shared == part.shared}
                selections = {key: chosen for key, chosen in selections.items() if key not in siblings}
            selections[part.id] = edit.selection
            said.append(described(selection) if len(selection) else f"all of “{part.name}”")
            messages.append(edit.message)
        sentence = operation.says(values, " and ".join(said), document.unit)
        return State(
            document,
            selections,
            sentence,
            message=" ".join(filter(None, messages)),
            acted_on=" and ".join(said),
            **entry,
        )

    def _push(self, state: State, replacing: bool) -> None:
        old = self.state
        if replacing:
            self._here -= 1
        del self._states[self._here + 1 :]
        self._states.append(state)
        self._here += 1
        self.changed.emit(old, state)

    def _amend(self, state: State) -> None:
        """Replaces the present entry by one that differs in what is selected or active only."""
        old = self.state
        if self._saved is old.document:
            self._saved = state.document
        self._states[self._here] = state
        self.changed.emit(old, state)


def _reviewed(part: Part, purpose: Purpose) -> Report:
    report = review(part.to_world(part.stepped), purpose)
    if not part.steps:
        return report
    findings = [replace(finding, mesh="result") for finding in report.findings]
    for trouble in part.plain.troubles:
        said = f"{part.step_name(trouble.place).capitalize()} cannot run: {trouble.reason}"
        nowhere = np.zeros((0, 3))
        stuck = Finding("recipe", "stop", "faces", np.zeros(0, dtype=np.int64), nowhere, said, 0.0, mesh="result")
        findings.insert(0, stuck)
    return replace(report, findings=tuple(findings))


def described(selection: Selection) -> str:
    """A selection in words: "12 edges"."""
    return counted(len(selection), selection.kind[:-1])


def named_value(session: Session, name: str, text: str) -> None:
    """Keeps a length under a name that typed numbers may use. Raises LevelLoopError."""
    parse_length(text, session.document.unit, session.document.reading.values)
    session.do("set_value", name=name, value=text)


def _still_fitting(base: State, change: Change) -> dict[str, Selection]:
    """The selections after a change, without those of parts that are gone or have other faces than when it was made."""
    before = {part.id: part.mesh.topology for part in base.document.parts}
    return {
        part.id: change.selections[part.id]
        for part in change.document.parts
        if part.id in change.selections
        and (
            part.mesh.topology is before.get(part.id) or change.selections[part.id] is not base.selections.get(part.id)
        )
    }


def _kind(key: str) -> StepKind:
    if key not in STEPS:
        raise EditError(f'There is no step "{key}"; it is one of {", ".join(STEPS)}.')
    return STEPS[key]


def _check(operation: Operation, selection: Selection) -> None:
    complaint = operation.why_not(selection)
    if complaint:
        raise EditError(complaint)


def _resolved(operation: Operation, values: dict[str, Any], document: Document, part: Part) -> dict[str, Any]:
    """The values with parts' names replaced by those parts' meshes in world space, the anchor and axes by numbers."""
    result = dict(values)
    for parameter in operation.parameters:
        name = parameter.name
        if isinstance(parameter, PartName) and isinstance(values[name], str) and values[name]:
            other = document.find(values[name])
            result[name] = other.to_world(other.stepped)
        elif isinstance(values.get(name), str) and values[name] == "anchor":
            if document.anchor is None:
                raise EditError("There is no anchor yet; set one first.")
            result[name] = document.anchor
        elif isinstance(parameter, Axes) and values[name] == "part":
            result[name] = part.axes
    return result


def _placed_whole(part: Part, operation: Operation, values: dict[str, Any]) -> Part | None:
    """A part moved as a whole by its transform, its cage as it is; None where the operation does not move it so.

    Which transform that is, is read off where the operation brings the part's points.
    """
    world = part.to_world(part.mesh).points
    if len(world) == 0:
        return None
    edit = operation.run(part.to_world(part.mesh), Selection("points", np.zeros(0, dtype=np.int64)), **values)
    moved = edit.mesh.points
    middle = world.mean(axis=0)
    spread = np.linalg.svd(world - middle, full_matrices=False)
    rank = int((spread[1] > 1e-9 * max(float(spread[1][0]), 1e-300)).sum())
    if rank < 2:
        return None
    if rank == 2:
        # A flat part says nothing about its normal: it goes with the other two, by their mean size.
        sides = spread[2][:2]
        turned = np.linalg.lstsq(world - middle, moved - moved.mean(axis=0), rcond=1e-9)[0]
        normal = np.cross(*(sides @ turned))
        size = np.sqrt(max(float(np.linalg.norm(normal)), 1e-300))
        world = np.concatenate((world, [middle + np.cross(*sides)]))
        moved = np.concatenate((moved, [moved.mean(axis=0) + normal / size]))
    by = np.eye(4)
    by[:, :3] = np.linalg.lstsq(np.concatenate((world, np.ones((len(world), 1))), axis=1), moved, rcond=1e-12)[0]
    if abs(np.linalg.det(by[:3, :3])) < 1e-9:
        # Flattened: that is the cage's to keep, a place must be one to come back from.
        return None
    misses = np.abs(world @ by[:3, :3] + by[3, :3] - moved).max()
    if misses > 1e-6 * max(float(np.abs(moved).max()), 1.0):
        return None
    return replace(part, transform=part.transform @ by)


def _symmetric(part: Part, edit: Edit, symmetry: Symmetry) -> Edit:
    """The edit made on both sides of the part's own plane."""
    edit, lone = made_symmetric(part.mesh, edit, "xyz".index(symmetry.axis), twins(part.mesh, symmetry))
    if not lone:
        return edit
    told = f"{lone} {'point has' if lone == 1 else 'points have'} no twin across {symmetry.axis}."
    return replace(edit, message=" ".join(filter(None, (edit.message, told))))


def _on_both_sides(
    part: Part, operation: Operation, selection: Selection, values: dict[str, Any], symmetry: Symmetry
) -> Edit:
    """An operation that changes faces, on the selection and on what lies across the part's own plane from it."""
    axis = "xyz".index(symmetry.axis)

    def run(mesh: Mesh, chosen: Selection) -> Edit:
        return _edited(replace(part, mesh=mesh), operation, chosen, values)

    if operation.mirrored is not None:
        return _named_on_both_sides(part, operation, values, axis, twins(part.mesh, symmetry))
    if len(selection) == 0:
        # All of it: both sides are in it already.
        return run(part.mesh, selection)
    in_turn = operation.in_turn or any(_tells_sides_apart(value, axis) for value in values.values())
    return on_both_sides(part.mesh, selection, axis, twins(part.mesh, symmetry), run, in_turn)


def _tells_sides_apart(value: Any, axis: int) -> bool:
    """Whether a number means another thing on the other side: a direction, a place or an axis across the plane."""
    if isinstance(value, str):
        return value.lstrip("+-") == "xyz"[axis]
    is_vector = isinstance(value, tuple) and len(value) == 3 and all(isinstance(entry, float) for entry in value)
    return is_vector and value[axis] != 0


def _named_on_both_sides(part: Part, operation: Operation, values: dict[str, Any], axis: int, twin: Integers) -> Edit:
    """An operation that names its elements itself, with them and then with their twins."""
    assert operation.mirrored is not None
    nothing = Selection("faces", np.zeros(0, dtype=np.int64))
    first = _edited(part, operation, nothing, values)
    other = operation.mirrored(part.mesh, values, twin, axis)
    try:
        second = _edited(replace(part, mesh=first.mesh), operation, nothing, other)
    except EditError:
        told = "It meets the plane of symmetry, so it was made once."
        return replace(first, message=" ".join(filter(None, (first.message, told))))
    both = combine(mapped(first.selection, second.origin), second.selection, add=True)
    return Edit(second.mesh, both, through(first.origin, second.origin), first.message)


def twins(mesh: Mesh, symmetry: Symmetry) -> Integers:
    """The point across the plane from each, −1 where there is none: (n,). Raises EditError."""
    if symmetry.middle is None:
        return twins_by_place(mesh.points, "xyz".index(symmetry.axis), symmetry.tolerance)
    edge = mesh.topology.find_edges([symmetry.middle])
    if edge[0] < 0:
        raise EditError("The edge in the middle is not there any more; set the symmetry anew.")
    return twins_by_flow(mesh, int(edge[0]))


def _edited(part: Part, operation: Operation, selection: Selection, values: dict[str, Any]) -> Edit:
    """The operation's edit in part space; numbers are world space."""
    if part.in_place:
        edit: Edit = operation.run(part.mesh, selection, **values)
        return edit
    world: Edit = operation.run(part.to_world(part.mesh), selection, **values)
    try:
        back = np.linalg.inv(part.transform)
    except np.linalg.LinAlgError as error:
        raise EditError(f"“{part.name}” is scaled to nothing along one axis; it cannot be edited so.") from error
    points = world.mesh.points @ back[:3, :3] + back[3, :3]
    return replace(world, mesh=world.mesh.with_points(points))
