"""The parts of one document brought into another."""

from __future__ import annotations

from dataclasses import replace

from levelloop.core.errors import EditError
from levelloop.document.document import Document
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import Step


def imported(document: Document, other: Document) -> Document:
    """A document with the parts of another added, under names and ids of their own; the last one is active.

    What links the parts to each other (instances, attachments, steps that name parts) links the ones that came. Raises
    EditError where there are none.
    """
    if not other.parts:
        raise EditError("There are no parts in it.")
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
    return document


def _linked(step: Step, ids: dict[str, str]) -> Step:
    """A step that names the parts that came."""
    names = STEPS[step.key].names_parts
    if not names:
        return step
    parameters = {name: ids.get(value, value) if name in names else value for name, value in step.parameters.items()}
    return replace(step, parameters=parameters)
