"""Operations run on a state of the history, and the state that follows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from levelloop.core.edit.combine import combined
from levelloop.core.errors import EditError
from levelloop.core.mesh import Mesh
from levelloop.core.review.findings import counted
from levelloop.core.selection import NOTHING, Selection
from levelloop.document.document import Document, Part, new_part
from levelloop.document.editing import edited, edited_on_both_sides, mirrored_moves, placed_whole
from levelloop.document.parameters import Axes, PartName
from levelloop.document.parting import Change
from levelloop.document.registry import Operation


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


def described(selection: Selection) -> str:
    """A selection in words: "12 edges"."""
    return counted(len(selection), selection.kind[:-1])


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
    return _on_cages(base, operation, values)


# Helpers


def _on_cages(base: State, operation: Operation, values: dict[str, Any]) -> State:
    """The state after an edit of every part that has a selection, or of the active one."""
    document = base.document
    selections = dict(base.selections)
    targets = [part for part in document.parts if len(base.selection(part.id)) and part.visible]
    if not targets:
        targets = [document.part]
    said, messages = [], []
    for part in targets:
        if part.locked:
            raise EditError(f"“{part.name}” is locked.")
        selection = base.selection(part.id)
        check(operation, selection)
        resolved = _resolved(operation, values, document, part)
        if not len(selection) and operation.moves_only and part.moves_whole(document):
            whole = placed_whole(part, operation, resolved)
            if whole is not None:
                document = document.with_part(whole)
                said.append(f"all of “{part.name}”")
                continue
        if document.symmetry is None:
            edit = edited(part, operation, selection, resolved)
        elif operation.moves_only:
            edit = mirrored_moves(part, edited(part, operation, selection, resolved), document.symmetry)
        else:
            edit = edited_on_both_sides(part, operation, selection, resolved, document.symmetry)
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
