"""Whose recipe is changed: the active part's, or that of a group; and what is said of a step there."""

from __future__ import annotations

from dataclasses import replace

from levelloop.core.errors import EditError
from levelloop.core.limits import BYTES_IN_RECIPE, check_fits
from levelloop.core.words import counted, sentence, shortened
from levelloop.document.document import Document
from levelloop.document.parameters import GroupName
from levelloop.document.part import Part
from levelloop.document.recipe.evaluation import circle
from levelloop.document.recipe.groups import is_within
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import Step, growth

TOLD_AT_ONCE = 60_000  # faces that a recipe makes in a few tenths of a second
GROUP = GroupName("group", None, "Whose recipe it is; the active part's where empty", optional=True)
OF_GROUP = "[ of the group {group}]"


def steps_of(document: Document, group: str | None) -> tuple[Step, ...]:
    """The recipe's steps. Raises EditError where it cannot be changed: no part, no such group, a locked part."""
    for part in owners(document, group):
        if part.locked:
            raise EditError(f"“{part.name}”{f' of the group “{group}”' if group else ''} is locked.")
    return kept_steps(document, group)


def kept_steps(document: Document, group: str | None) -> tuple[Step, ...]:
    """The recipe's steps, whether or not it can be changed. Raises EditError for no part, or no such group."""
    owners(document, group)
    return document.group_recipes.get(group, ()) if group else document.part.steps


def whose(document: Document, group: str | None) -> str:
    """Whose recipe it is, in words."""
    return f"the group “{group}”" if group else f"“{document.part.name}”"


def step_at(document: Document, group: str | None, place: int) -> Step:
    """One of the steps, counted from 0. Raises EditError where there is none, or it cannot be changed."""
    steps = steps_of(document, group)
    if not 0 <= place < len(steps):
        there = f"has {counted(len(steps), 'step')}; there is no step {place + 1}"
        raise EditError(sentence(f"{whose(document, group)} {there}"))
    return steps[place]


def with_steps(document: Document, group: str | None, steps: tuple[Step, ...]) -> Document:
    """The document with other steps in the recipe. Raises EditError where parts would need each other, or too much."""
    if group:
        for step in steps:
            if not STEPS[step.key].in_groups:
                raise EditError(f"{STEPS[step.key].title} is a step of one part, not of a group.")
        kept = {name: there for name, there in document.group_recipes.items() if name != group}
        changed = replace(document, group_recipes={**kept, group: steps} if steps else kept)
    else:
        changed = document.with_part(replace(document.part, steps=steps))
    check_circle(changed)
    for part in owners(changed, group):
        check_fits(part.mesh.n_faces * growth(part.recipe), BYTES_IN_RECIPE)
    return changed


def owners(document: Document, group: str | None) -> list[Part]:
    """The parts that the recipe is run on."""
    return members(document, group) if group else [document.part]


def members(document: Document, group: str) -> list[Part]:
    """The parts of a group, and of the groups in it. Raises EditError where there is no such group."""
    found = [part for part in document.parts if is_within(part.group, group)]
    if not found:
        names = ", ".join(f"“{name}”" for name in dict.fromkeys(part.group for part in document.parts if part.group))
        there = f"the document has {names}" if names else "the document has none"
        raise EditError(f"There is no group “{shortened(group)}”; {there}.")
    return found


def unlocked(document: Document) -> Part:
    """The active part. Raises EditError where it is locked, or there is none."""
    part = document.part
    if part.locked:
        raise EditError(f"“{part.name}” is locked.")
    return part


def check_circle(document: Document) -> None:
    """Raises EditError where parts would need each other."""
    round_about = circle(document.parts, document.group_recipes)
    if len(round_about) == 1:
        raise EditError(f"“{round_about[0].name}” cannot take itself.")
    if round_about:
        names = " and ".join(f"“{part.name}”" for part in round_about)
        raise EditError(f"{names} would need each other: neither could be made first.")


def told_of(before: Document, after: Document, group: str | None, place: int) -> str:
    """What a changed step did, where that is known at once. Raises EditError where it can run on no part."""
    parts = owners(after, group)
    faces = sum(part.mesh.n_faces * growth(part.recipe) for part in parts)
    if faces > TOLD_AT_ONCE or any(part.waits for part in parts):
        # What takes long is built where it is shown, off the window's thread; it says there what cannot run.
        return ""
    olds = {part.id: part for part in before.parts}
    told: list[str] = []
    refused: list[tuple[str, str]] = []
    for part in parts:
        here = place if not group else part.first_of(group) + place
        reasons = [trouble.reason for trouble in part.plain.troubles if trouble.place == here]
        if reasons:
            refused.append((part.name, reasons[0]))
        else:
            told += _said(olds[part.id], part, here)
    if len(refused) == len(parts):
        raise EditError(refused[0][1])
    left_out = (f"“{name}” was left out: {reason}" for name, reason in refused)
    return " ".join(dict.fromkeys((*told, *left_out)))


# Helpers


def _said(old: Part, part: Part, place: int) -> list[str]:
    before = {trouble.reason for trouble in old.plain.troubles}
    told = [stop.edit.message for stop in part.plain.stops if stop.edit and place in stop.places]
    told += [
        f"{part.step_name(trouble.place).capitalize()} cannot run any more: {trouble.reason}"
        for trouble in part.plain.troubles
        if trouble.reason not in before
    ]
    return [one for one in told if one]
