"""Operations run on a state of the history, and the state that follows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field, replace
from typing import Any

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, Origin
from levelloop.core.mesh.selection import KINDS, NOTHING, Kind, Selection, convert, select_mask
from levelloop.core.values import dataclass
from levelloop.core.words import counted
from levelloop.document.document import Document, new_part
from levelloop.document.part import Part
from levelloop.document.registry import Operation
from levelloop.document.running.editing import edited_on_both_sides, mirrored_moves, placed_whole
from levelloop.document.running.middles import beside_mirror, edited_as_mirrored
from levelloop.document.running.part_edits import Change


@dataclass(frozen=True, eq=False)
class State:
    """One entry of the history: a document with its selections, and the operation that led to it.

    selections: by part id. key and parameters: empty where the entry is no operation. chosen: the ids of parts that are
    picked whole besides the active one; is_picked: whether the selection is by hand, not what the operation left.
    """

    document: Document
    selections: Mapping[str, Selection] = field(default_factory=dict)
    sentence: str = "New document"
    key: str = ""
    parameters: Mapping[str, Any] = field(default_factory=dict)
    message: str = ""
    acted_on: str = ""
    chosen: frozenset[str] = frozenset()
    is_picked: bool = False

    @property
    def parts_chosen(self) -> tuple[Part, ...]:
        """The active part and those picked whole beside it, in the document's order."""
        ids = self.chosen | {self.document.active}
        return tuple(part for part in self.document.parts if part.id in ids)

    def selection(self, part_id: str) -> Selection:
        """What is selected of a part."""
        return self.selections.get(part_id, NOTHING)

    @property
    def shown_selections(self) -> dict[str, Selection]:
        """What is selected and shown, by part id: what the next operation acts on, and what the readout counts."""
        return {
            part.id: self.selections[part.id]
            for part in self.document.parts
            if part.visible and len(self.selections.get(part.id, NOTHING))
        }


def described(*selections: Selection) -> str:
    """Selections in words: "12 edges", "12 edges in 2 parts", "12 edges and 1 face in 2 parts"."""
    kinds = [kind for kind in KINDS if any(selection.kind == kind and len(selection) for selection in selections)]
    numbers = [sum(len(selection) for selection in selections if selection.kind == kind) for kind in kinds]
    words = [counted(number, kind[:-1]) for number, kind in zip(numbers, kinds, strict=True)]
    where = f" in {len(selections)} parts" if len(selections) > 1 else ""
    return (" and ".join(words) or "nothing") + where


def why_not(operation: Operation, mesh: Mesh, selection: Selection) -> str:
    """Why an operation cannot run on a selection of a mesh, in a sentence; empty where it can."""
    try:
        fitted(operation, mesh, selection)
    except EditError as error:
        return str(error)
    return ""


def targets_of(base: State) -> list[Part]:
    """The parts that an operation on what is selected acts on: all with a selection that is shown, else those chosen.

    Raises EditError where one of those is hidden.
    """
    chosen = base.shown_selections
    if chosen:
        return [part for part in base.document.parts if part.id in chosen]
    found = list(base.parts_chosen) or [base.document.part]
    hidden = next((part for part in found if not part.visible), None)
    if hidden is not None:
        raise EditError(f"“{hidden.name}” is hidden; show it first.")
    return found


def fitted(operation: Operation, mesh: Mesh, selection: Selection) -> tuple[Selection, str]:
    """The selection as a kind that an operation takes, where that is plain, and what is to be said of it.

    Plain: faces all of whose points or edges are selected, edges between selected points, points of anything.
    Raises EditError where the operation cannot run on it.
    """
    if len(selection) == 0 or not operation.needs or selection.kind in operation.needs:
        check(operation, selection)
        return selection, ""
    for kind in (kind for kind in ("faces", "edges", "points") if kind in operation.needs):
        found = _plainly(mesh, selection, kind)
        if len(found) >= operation.least:
            return found, f"On the {described(found)} of the selected {selection.kind}."
    wanted = " or ".join(operation.needs)
    whole = "whole face" if operation.needs == ("faces",) else "such"
    rest = f"; select {wanted}" + (", or nothing for all." if operation.or_all else ".")
    raise EditError(f"{operation.title} takes {wanted}; the selected {selection.kind} hold no {whole}{rest}")


def _plainly(mesh: Mesh, selection: Selection, kind: Kind) -> Selection:
    """What of a kind a selection of another one holds whole."""
    topology = mesh.topology
    nothing = Selection(kind, np.zeros(0, dtype=np.int64))
    if kind == "points" or selection.kind == "points":
        return convert(topology, selection, kind)
    if kind == "faces" and mesh.n_faces:
        inside = selection.mask(topology)[topology.corner_edge]
        return select_mask("faces", np.logical_and.reduceat(inside, topology.face_offsets[:-1]))
    return nothing


def check(operation: Operation, selection: Selection) -> None:
    """Raises EditError where an operation cannot run on a selection."""
    complaint = operation.why_not(selection)
    if complaint:
        raise EditError(complaint)


def run(base: State, operation: Operation, values: dict[str, Any]) -> State:
    """The state after an operation with its values, all read and checked. Raises LevelLoopError."""
    document = base.document
    entry: dict[str, Any] = {"key": operation.key, "parameters": values}
    if operation.acts_on == "form":
        sizes = {name: value for name, value in values.items() if name not in ("name", "into")}
        mesh: Mesh = operation.run(
            **(_resolved(operation, sizes, document, document.part) if document.parts else sizes)
        )
        told = "" if operation.advice is None else operation.advice(sizes)
        sentence = operation.says(values, "", document.unit)
        if values["into"]:
            part = document.by_name(values["into"])
            if part.locked:
                raise EditError(f"“{part.name}” is locked.")
            joined = combined((part.mesh, mesh))
            known = np.arange(joined.n_faces)
            origin = Origin(
                np.where(np.arange(joined.n_points) < part.mesh.n_points, np.arange(joined.n_points), -1),
                np.full(joined.n_edges, -1),
                np.where(known < part.mesh.n_faces, known, -1),
            )
            edit = beside_mirror(part, Edit(joined, NOTHING, origin))
            part, told = replace(part, mesh=edit.mesh), " ".join(filter(None, (told, edit.message)))
            document = replace(document.with_part(part), active=part.id)
        else:
            part = new_part(document, mesh, values["name"] or operation.title.lower())
            document = document.with_part(part)
        return State(document, {}, sentence, message=told, **entry)
    if operation.acts_on == "parts":
        change: Change = operation.run(document, base.selections, **values)
        said_of = base.selection(document.active)
        who = described(said_of) if len(said_of) else f"all of “{document.part.name}”" if document.active else ""
        sentence = operation.says(values, who, document.unit)
        kept = _still_fitting(base, change)
        return State(change.document, kept, sentence, message=change.message, **entry)
    if operation.acts_on == "document":
        changed: Document = operation.run(document, **values)
        return State(changed, base.selections, operation.says(values, "", document.unit), **entry)
    if operation.acts_on == "part":
        return _on_parts(base, operation, values)
    return _on_cages(base, operation, values)


# Helpers


def _on_parts(base: State, operation: Operation, values: dict[str, Any]) -> State:
    """The state after every chosen part was replaced by what an operation makes of it."""
    document = base.document
    chosen = base.parts_chosen or (document.part,)
    for part in chosen:
        document = document.with_part(operation.run(part, **values))
    who = "the part" if len(chosen) == 1 else counted(len(chosen), "part")
    sentence = operation.says(values, who, document.unit)
    return State(
        replace(document, active=base.document.active),
        base.selections,
        sentence,
        acted_on=who,
        key=operation.key,
        parameters=values,
        chosen=base.chosen,
    )


def _on_cages(base: State, operation: Operation, values: dict[str, Any]) -> State:
    """The state after an edit of every part that has a selection, or of the active one."""
    document = base.document
    selections = dict(base.selections)
    targets = targets_of(base)
    messages = []
    for target in targets:
        # What came before may have moved it, where it is attached.
        part = document.by_id(target.id)
        if part.locked:
            raise EditError(f"“{part.name}” is locked.")
        selection, converted = fitted(operation, part.mesh, base.selection(part.id))
        resolved = _resolved(operation, values, document, part)
        if not len(selection) and operation.moves_only and document.moves_whole(part):
            placed = placed_whole(part, operation, resolved)
            if placed is not None:
                document = document.with_part(placed)
                continue
        if document.symmetry is None:
            edit = edited_as_mirrored(part, operation, selection, resolved)
        elif operation.moves_only:
            edit = mirrored_moves(part, edited_as_mirrored(part, operation, selection, resolved), document.symmetry)
        else:
            symmetry = document.symmetry
            edit = edited_on_both_sides(part, operation, selection, resolved, symmetry, edited_as_mirrored)
        document = document.with_part(replace(part, mesh=edit.mesh))
        if edit.mesh.topology is not part.mesh.topology and part.shared:
            siblings = {other.id for other in document.parts if other.shared == part.shared}
            selections = {key: chosen for key, chosen in selections.items() if key not in siblings}
        selections[part.id] = edit.selection
        messages += [converted, edit.message]
    chosen = base.shown_selections.values()
    whole = f"all of “{targets[0].name}”" if len(targets) == 1 else counted(len(targets), "part")
    who = described(*chosen) if chosen else whole
    sentence = operation.says(values, who, document.unit)
    return State(
        document,
        selections,
        sentence,
        message=" ".join(filter(None, messages)),
        acted_on=who,
        key=operation.key,
        parameters=values,
    )


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


def _resolved(operation: Operation, values: dict[str, Any], document: Document, part: Part) -> dict[str, Any]:
    """The values with names and words replaced by what they stand for."""
    return {
        parameter.name: parameter.resolved(values[parameter.name], document, part)
        for parameter in operation.parameters
        if parameter.name in values
    }
