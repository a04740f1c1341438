"""The parts of one document brought into another."""

from __future__ import annotations

from dataclasses import replace

from levelloop.core.errors import EditError
from levelloop.document.document import Document
from levelloop.document.recipe.groups import is_within
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import Step
from levelloop.document.running.part_edits import regrouped


def imported(document: Document, other: Document) -> Document:
    """A document with the parts of another added, under names and ids of their own; the last one is active.

    What links the parts to each other (instances, attachments, groups with recipes, steps that name parts) links the
    ones that came. Raises EditError where there are none.
    """
    if not other.parts:
        raise EditError("There are no parts in it.")
    other = _apart(other, document)
    ids: dict[str, str] = {}
    words = {part.shared for part in document.parts}
    for part in other.parts:
        came = replace(part, id=document.free_id())
        ids[part.id] = came.id
        document = document.with_part(came)
    for came in [part for part in document.parts if part.id in ids.values()]:
        shared = came.shared
        while shared and shared in words:
            shared += "'"
        steps = tuple(_linked(step, ids) for step in came.steps)
        changed = replace(came, attached=ids.get(came.attached, ""), shared=shared, steps=steps)
        parts = tuple(changed if part.id == came.id else part for part in document.parts)
        document = replace(document, parts=parts)
    recipes = {group: tuple(_linked(step, ids) for step in steps) for group, steps in other.group_recipes.items()}
    return replace(document, group_recipes={**document.group_recipes, **recipes})


def _apart(other: Document, document: Document) -> Document:
    """A document whose groups with recipes have other names than a document's groups: their parts stay apart."""
    taken = {part.group.split("/")[0] for part in document.parts if part.group}
    ours = {part.group.split("/")[0] for part in other.parts if part.group}
    for name in sorted(ours & taken):
        if any(is_within(group, name) for group in (*other.group_recipes, *document.group_recipes)):
            free = next(f"{name} {n}" for n in range(2, len(ours | taken) + 3) if f"{name} {n}" not in ours | taken)
            other, ours = regrouped(other, name, free), ours | {free}
    return other


def _linked(step: Step, ids: dict[str, str]) -> Step:
    """A step that names the parts that came."""
    names = STEPS[step.key].names_parts
    if not names:
        return step
    parameters = {name: ids.get(value, value) if name in names else value for name, value in step.parameters.items()}
    return replace(step, parameters=parameters)
