"""Which parts need which: a part whose steps name others, or that is in a group with a recipe, is run after those.

A document gives every part those it names (`bound`), so that a part's result is its own, cached as long as neither it
nor what it needs has changed: a changed part makes new values of those that need it, and of no others.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from graphlib import CycleError, TopologicalSorter
from itertools import pairwise
from typing import TYPE_CHECKING, NamedTuple

from levelloop.core.mesh.mesh import Mesh
from levelloop.document.recipe.groups import GroupRecipe, groups_around, is_within, needs_members
from levelloop.document.recipe.steps import Step, parts_named

if TYPE_CHECKING:
    from levelloop.document.document import Document
    from levelloop.document.part import Part

Recipes = Mapping[str, tuple[Step, ...]]


def bound(parts: tuple[Part, ...], recipes: Recipes) -> tuple[Part, ...]:
    """The parts, in their order, with those that their steps name and the recipes of their groups given to them.

    recipes: of groups, by their paths. Within a group, parts see each other as they are before its recipe. What is
    gone, or would need itself, is not given: the step that names it says so when it is run.
    """
    if not any(recipes.values()) and not any(part.names or part.inputs or part.group_recipes for part in parts):
        return parts
    web = _Web(parts, recipes)
    old = {one.group: one for part in parts for one in part.group_recipes}
    made: dict[_Node, Part] = {}
    groups: dict[_Node, GroupRecipe] = {}
    order, needs = _ordered(web.needs)
    for node in order:
        needed = needs[node]
        if node.is_group:
            steps, named = web.recipes[node.name], parts_named(web.recipes[node.name])
            inputs = {one.name: made[one] for one in needed if one.name in named}
            members = tuple(made[one] for one in needed if one in web.members[node.name])
            groups[node] = _same_group(old.get(node.name), GroupRecipe(node.name, steps, inputs, members))
            continue
        part = web.parts[node.name]
        if node.depth == 0:
            made[node] = _same_part(part, {one.name: made[one] for one in needed}, (), None)
        else:
            inner, group = made[needed[0]], groups[needed[1]]
            made[node] = _same_part(part, {**inner.inputs, **group.inputs}, (*inner.group_recipes, group), inner)
    return tuple(made[_Node(part.id, len(web.around(part.group)))] for part in parts)


def circle(parts: tuple[Part, ...], recipes: Recipes) -> list[Part]:
    """Parts that need each other in a circle, in its order; none where every part can be run."""
    web = _Web(parts, recipes)
    try:
        TopologicalSorter(web.needs).prepare()
    except CycleError as error:
        return [
            web.parts[part_id] for part_id in dict.fromkeys(node.name for node in error.args[1] if not node.is_group)
        ]
    return []


class Evaluation:
    """The results of a document's parts, each after those it needs."""

    def __init__(self, document: Document) -> None:
        self._document = document
        self._needs = {part.id: tuple(part.inputs) for part in document.parts}

    @property
    def order(self) -> tuple[str, ...]:
        """The ids of all parts, each after those that it needs."""
        document = self._document
        web = _Web(document.parts, document.group_recipes)
        last = {_Node(part.id, len(web.around(part.group))) for part in document.parts}
        return tuple(node.name for node in _ordered(web.needs)[0] if node in last)

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


class _Node(NamedTuple):
    """A part with the recipes of so many of the groups it is in, inner ones first; or a group's recipe."""

    name: str
    depth: int = 0
    is_group: bool = False


class _Web:
    """What needs what."""

    def __init__(self, parts: tuple[Part, ...], recipes: Recipes) -> None:
        self.parts = {part.id: part for part in parts}
        self.recipes = {group: steps for group, steps in recipes.items() if steps}
        self.members: dict[str, list[_Node]] = {}
        self.needs: dict[_Node, list[_Node]] = {}
        for part in parts:
            self.needs[_Node(part.id)] = self._seen_by(part.names, part.group)
            for depth, group in enumerate(self.around(part.group), 1):
                self.needs[_Node(part.id, depth)] = [_Node(part.id, depth - 1), _Node(group, is_group=True)]
        for group, steps in self.recipes.items():
            inside = [part for part in parts if is_within(part.group, group)] if needs_members(steps) else []
            # Helpers do not say how far a group reaches, unless it has nothing else.
            counted = [part.id for part in inside if not part.helper] or [part.id for part in inside]
            self.members[group] = self._seen_by(counted, group)
            named = self._seen_by(parts_named(steps), group)
            self.needs[_Node(group, is_group=True)] = list(dict.fromkeys((*named, *self.members[group])))

    def around(self, path: str) -> list[str]:
        """The groups with a recipe that a path is in, inner ones first."""
        return [group for group in groups_around(path) if group in self.recipes]

    def _seen_by(self, part_ids: Iterable[str], path: str) -> list[_Node]:
        """Parts as they are to what is in a group: before the recipes of the groups that both are in."""
        there = [self.parts[part_id] for part_id in part_ids if part_id in self.parts]
        return [_Node(part.id, sum(not is_within(path, group) for group in self.around(part.group))) for part in there]


def _same_group(old: GroupRecipe | None, new: GroupRecipe) -> GroupRecipe:
    """A group's recipe as it was where nothing has changed: what it has worked out is kept."""
    if old is None or old.steps is not new.steps or not _same_inputs(old.inputs, new.inputs):
        return new
    return old if _identical(old.members, new.members) else new


def _same_part(part: Part, inputs: Mapping[str, Part], groups: tuple[GroupRecipe, ...], inner: Part | None) -> Part:
    """A part with what it is given; as it was where nothing has changed."""
    before: Part | None = part
    while before is not None and len(before.group_recipes) != len(groups):
        before = before.inner
    if (
        before is not None
        and before.inner is inner
        and _identical(before.group_recipes, groups)
        and _same_inputs(before.inputs, inputs)
        and (before is part or before.is_but_given(part))
    ):
        return before
    return replace(part, inputs=inputs, group_recipes=groups, inner=inner)


def _same_inputs(one: Mapping[str, Part], other: Mapping[str, Part]) -> bool:
    return list(one) == list(other) and all(one[name] is other[name] for name in one)


def _identical(one: Sequence[object], other: Sequence[object]) -> bool:
    return len(one) == len(other) and all(a is b for a, b in zip(one, other, strict=True))


def _ordered(needs: Mapping[_Node, list[_Node]]) -> tuple[list[_Node], dict[_Node, list[_Node]]]:
    """Nodes, each after those it needs; where some need each other in a circle, one of them does without."""
    needs = {node: list(needed) for node, needed in needs.items()}
    while True:
        try:
            return list(TopologicalSorter(needs).static_order()), needs
        except CycleError as error:
            around = error.args[1]
            # A part is never without the recipe of its own group, nor a later state of it without the earlier one.
            before, after = next((one, two) for one, two in pairwise(around) if two.depth == 0 and one in needs[two])
            needs[after].remove(before)
