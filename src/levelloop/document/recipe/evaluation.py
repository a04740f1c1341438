"""Which parts need which: a part whose steps name others is run after those, on what they have come to.

A document gives every part those it names (`bound`), so that a part's result is its own, cached as long as neither it
nor what it needs has changed: a changed part makes new values of those that need it, and of no others.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from graphlib import CycleError, TopologicalSorter
from typing import TYPE_CHECKING

from levelloop.core.mesh.mesh import Mesh

if TYPE_CHECKING:
    from levelloop.document.document import Document
    from levelloop.document.part import Part


def bound(parts: tuple[Part, ...]) -> tuple[Part, ...]:
    """The parts, in their order, with those that their steps name given to them.

    What is gone, or would need itself, is not given: the step that names it says so when it is run.
    """
    if not any(part.names for part in parts):
        return tuple(replace(part, inputs={}) if part.inputs else part for part in parts)
    found = {part.id: part for part in parts}
    order, needs = _ordered({part.id: [name for name in part.names if name in found] for part in parts})
    for part_id in order:
        part = found[part_id]
        inputs = {name: found[name] for name in needs[part_id]}
        if list(part.inputs) != list(inputs) or any(part.inputs[name] is not inputs[name] for name in inputs):
            found[part_id] = replace(part, inputs=inputs)
    return tuple(found[part.id] for part in parts)


def circle(parts: tuple[Part, ...]) -> list[Part]:
    """Parts that need each other in a circle, in its order; none where every part can be run."""
    known = {part.id: part for part in parts}
    try:
        TopologicalSorter({part.id: [name for name in part.names if name in known] for part in parts}).prepare()
    except CycleError as error:
        return [known[part_id] for part_id in error.args[1][:-1]]
    return []


class Evaluation:
    """The results of a document's parts, each after those it needs."""

    def __init__(self, document: Document) -> None:
        self._document = document
        self._needs = {part.id: tuple(part.inputs) for part in document.parts}

    @property
    def order(self) -> tuple[str, ...]:
        """The ids of all parts, each after those that it needs."""
        return tuple(TopologicalSorter(self._needs).static_order())

    def needs(self, part_id: str) -> tuple[str, ...]:
        """The parts that a part's steps take, by id."""
        return self._needs[part_id]

    def feeds(self, part_id: str) -> tuple[str, ...]:
        """The parts whose steps take a part, by id."""
        return tuple(other for other, needed in self._needs.items() if part_id in needed)

    def result(self, part_id: str, level: int | None = None, limit: bool | None = None) -> Mesh:
        """The mesh of a part after its recipe, smoothed to its level or the given one. Raises EditError."""
        return self._document.by_id(part_id).result(level, limit)


# Helpers


def _ordered(needs: Mapping[str, list[str]]) -> tuple[list[str], dict[str, list[str]]]:
    """Ids, each after those it needs; where some need each other in a circle, one of them does without."""
    needs = {part_id: list(named) for part_id, named in needs.items()}
    while True:
        try:
            return list(TopologicalSorter(needs).static_order()), dict(needs)
        except CycleError as error:
            before, after = error.args[1][:2]
            needs[after].remove(before)
