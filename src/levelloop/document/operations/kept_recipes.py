"""Recipes kept under names, and given from one part to another."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from levelloop.core.errors import EditError
from levelloop.core.mesh.selection import Selection
from levelloop.core.words import counted, sentence, verb
from levelloop.document.document import Document
from levelloop.document.operations.recipe_owner import (
    GROUP,
    OF_GROUP,
    check_circle,
    kept_steps,
    steps_of,
    whose,
    with_steps,
)
from levelloop.document.parameters import PartName, Text, Toggle
from levelloop.document.recipe.steps import Step
from levelloop.document.registry import Operation
from levelloop.document.running.part_edits import Change

Selections = Mapping[str, Selection]


def copy_recipe(document: Document, selections: Selections, to: str | None) -> Change:
    """Gives another part the active part's recipe in place of its own."""
    part = document.part
    if not to:
        raise EditError("Name the part that gets the recipe.")
    other = document.by_name(to)
    if other.locked:
        raise EditError(f"“{other.name}” is locked.")
    if other.id == part.id:
        raise EditError("A recipe is copied to another part than its own.")
    changed = document.with_part(replace(other, steps=part.steps))
    check_circle(changed)
    return Change(replace(changed, active=document.active), selections, _gone(other.steps))


def keep_recipe(document: Document, selections: Selections, name: str, group: str | None = None) -> Change:
    """Keeps a recipe in the document under a name, in place of one that has it already."""
    called = name.strip()
    if not called:
        raise EditError("A kept recipe needs a name.")
    steps = kept_steps(document, group)
    if not steps:
        raise EditError(sentence(f"{whose(document, group)} has no steps to keep"))
    told = f"It takes the place of the “{called}” kept before." if called in document.recipes else ""
    return Change(replace(document, recipes={**document.recipes, called: steps}), selections, told)


def use_recipe(
    document: Document, selections: Selections, name: str, after: bool = False, group: str | None = None
) -> Change:
    """Gives the active part, or a group, a kept recipe, in place of its own or after it; it is its own from then on."""
    own, kept = steps_of(document, group), _kept(document, name)
    changed = with_steps(document, group, (*own, *kept) if after else kept)
    return Change(changed, selections, "" if after else _gone(own))


def drop_recipe(document: Document, selections: Selections, name: str) -> Change:
    """Keeps a recipe no longer; parts that were given it stay as they are."""
    _kept(document, name)
    recipes = {other: steps for other, steps in document.recipes.items() if other != name.strip()}
    return Change(replace(document, recipes=recipes), selections)


# Helpers


def _gone(steps: tuple[Step, ...]) -> str:
    """What is said of steps that others have taken the place of."""
    count = len(steps)
    return f"The {counted(count, 'step')} it had {verb(count, 'is', 'are')} gone." if count else ""


def _kept(document: Document, name: str) -> tuple[Step, ...]:
    """The steps kept under a name. Raises EditError where there is none, and says which there are."""
    found = document.recipes.get(name.strip())
    if found is None:
        names = ", ".join(f"“{one}”" for one in document.recipes)
        there = f"kept are {names}" if names else "none is kept yet"
        raise EditError(f"There is no kept recipe “{name.strip()}”; {there}.")
    return found


KEPT: tuple[Operation, ...] = (
    Operation(
        "copy_recipe",
        "Copy the recipe",
        "Recipe",
        copy_recipe,
        "Give the recipe to {to}",
        "Another part gets this part's steps in place of its own",
        "parts",
        (PartName("to", None, "The part that gets it", optional=True),),
        waits=True,
    ),
    Operation(
        "keep_recipe",
        "Keep the recipe",
        "Recipe",
        keep_recipe,
        f"Keep the recipe{OF_GROUP} as {{name}}",
        "The document keeps its steps under a name, for other parts",
        "parts",
        (Text("name", "", "What it is called"), GROUP),
        waits=True,
    ),
    Operation(
        "use_recipe",
        "Use a kept recipe",
        "Recipe",
        use_recipe,
        "Use the recipe {name}, {after}[, for the group {group}]",
        "The part gets steps that were kept under a name",
        "parts",
        (
            Text("name", "", "Of a kept recipe"),
            Toggle("after", False, "Whether its own steps stay", on="after its own steps", off="in place of its own"),
            GROUP,
        ),
        waits=True,
    ),
    Operation(
        "drop_recipe",
        "Drop a kept recipe",
        "Recipe",
        drop_recipe,
        "Drop the kept recipe {name}",
        "Parts that were given it stay as they are",
        "parts",
        (Text("name", "", "Of a kept recipe"),),
        waits=True,
    ),
)
