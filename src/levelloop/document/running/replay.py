"""An older entry of the history with other numbers: what followed it runs again on what came of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import Selection
from levelloop.core.progress import pieces
from levelloop.document.document import Document
from levelloop.document.operations import REGISTRY
from levelloop.document.running.running import State, run


def replayed(states: Sequence[State], index: int, parameters: Mapping[str, Any]) -> tuple[list[State], list[str]]:
    """The history with other numbers of one entry, and what does not fit any more, in sentences.

    What followed acts on what it acted on before, where that is still there. Raises LevelLoopError where the entry
    itself cannot run with these numbers.
    """
    changed = states[index]
    operation = REGISTRY[changed.key]
    values = operation.read(operation.changed(changed.parameters, parameters), states[index - 1].document.reading)
    new = run(states[index - 1], operation, values)
    made, told = [*states[:index], _picked_again(changed, new)], []
    for state, before in pieces(list(zip(states[index + 1 :], states[index:-1], strict=True))):
        try:
            again = _again(state, before, made[-1])
        except LevelLoopError as error:
            told.append(f"{briefly(state)} was left out: {error}")
        else:
            made.append(_picked_again(state, again))
    return made, told


def briefly(state: State) -> str:
    """What an entry did, with only those of its numbers that differ from the defaults."""
    if not state.key:
        return state.sentence
    operation = REGISTRY[state.key]
    if not state.acted_on and any(name == "selection" for _, name in operation.pieces(state.parameters)):
        return state.sentence
    return operation.brief(state.parameters, state.acted_on, state.document.unit)


# Helpers


def _again(state: State, before: State, base: State) -> State:
    if not state.key:
        raise LevelLoopError("it cannot run again.")
    lost = [part_id for part_id in before.shown_selections if part_id not in base.selections]
    if lost:
        raise LevelLoopError("what it acted on is not there any more.")
    operation = REGISTRY[state.key]
    return run(base, operation, operation.read(state.parameters, base.document.reading))


def _picked_again(old: State, new: State) -> State:
    """A new entry with what had been picked by hand after the old one, where its elements are the same."""
    if not old.is_picked:
        return new
    kept: dict[str, Selection] = {
        part_id: selection
        for part_id, selection in old.selections.items()
        if _same_faces(old.document, new.document, part_id)
    }
    active = old.document.active if old.document.active in {part.id for part in new.document.parts} else ""
    document = replace(new.document, active=active) if active and active != new.document.active else new.document
    return replace(new, document=document, selections=kept, is_picked=True)


def _same_faces(old: Document, new: Document, part_id: str) -> bool:
    meshes = [next((part.mesh for part in one.parts if part.id == part_id), None) for one in (old, new)]
    if meshes[0] is None or meshes[1] is None:
        return False
    a, b = meshes[0].topology, meshes[1].topology
    return a is b or (
        a.n_points == b.n_points
        and np.array_equal(a.corners, b.corners)
        and np.array_equal(a.face_offsets, b.face_offsets)
        and np.array_equal(a.edges, b.edges)
    )
