"""The recipe: one operation for each kind of step, and what is done with steps as a whole."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.edit.move.transform import pivot_place
from levelloop.core.edit.repeat.copies import keep_slice
from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_direction
from levelloop.core.limits import BYTES_IN_RECIPE, check_fits
from levelloop.core.mesh.selection import NOTHING, Selection, select_all
from levelloop.core.recipe.chain import build
from levelloop.core.tolerance import AUTOMATIC
from levelloop.core.words import counted, verb
from levelloop.document.document import Document
from levelloop.document.parameters import Angle, Count, PartName, StepNumber, Text, Toggle
from levelloop.document.part import Part
from levelloop.document.recipe.evaluation import circle
from levelloop.document.recipe.step_kinds import STEPS, StepKind
from levelloop.document.recipe.steps import Step, growth
from levelloop.document.registry import Operation
from levelloop.document.running.part_edits import Change, as_cage
from levelloop.document.scripting.units import format_length
from levelloop.document.shared_parameters import AROUND

TOLD_AT_ONCE = 60_000  # faces that a recipe makes in a few tenths of a second
Selections = Mapping[str, Selection]


def add_or_set(
    document: Document, selections: Selections, kind: str, parameters: Mapping[str, Any], step: int | None
) -> Change:
    """Adds a step at the end of the active part's recipe, or gives one of its steps other numbers.

    Raises EditError where it cannot run there.
    """
    part = _unlocked(document)
    parameters = {**parameters, **_ids(document, STEPS[kind], parameters)}
    if step is None:
        place = len(part.steps)
        steps = (*part.steps, Step(kind, parameters))
    else:
        place, old = step, part.step(step)
        if old.key != kind:
            raise EditError(f"Step {place + 1} of “{part.name}” is {STEPS[old.key].title.lower()}, not {kind}.")
        steps = (*part.steps[:place], replace(old, parameters=parameters), *part.steps[place + 1 :])
    kept = document.with_part(replace(part, steps=steps))
    _check_circle(kept)
    changed = kept.by_id(part.id)
    faces = part.mesh.n_faces * growth(steps)
    check_fits(faces, BYTES_IN_RECIPE)
    # What takes long is built where it is shown, off the window's thread; it says there what cannot run.
    told = _told(part, changed, place) if faces <= TOLD_AT_ONCE else ""
    seen = _radius_seen(part, parameters["radius"], document.unit) if kind == "hold" else ""
    return Change(kept, selections, f"{told} {seen}".strip())


def move_step(document: Document, selections: Selections, step: int, to: int) -> Change:
    """Puts a step of the active part's recipe before or after others; to: its place afterwards."""
    part = _unlocked(document)
    moved, _ = part.step(step), part.step(to)
    rest = [*part.steps[:step], *part.steps[step + 1 :]]
    rest.insert(to, moved)
    return Change(document.with_part(replace(part, steps=tuple(rest))), selections)


def enable_step(document: Document, selections: Selections, step: int, on: bool) -> Change:
    """Switches a step on or off."""
    part = _unlocked(document)
    switched = replace(part.step(step), enabled=on)
    changed = document.with_part(replace(part, steps=(*part.steps[:step], switched, *part.steps[step + 1 :])))
    _check_circle(changed)
    return Change(changed, selections)


def remove_step(document: Document, selections: Selections, step: int) -> Change:
    """Takes a step out of the recipe."""
    part = _unlocked(document)
    part.step(step)
    return Change(document.with_part(replace(part, steps=(*part.steps[:step], *part.steps[step + 1 :]))), selections)


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
    _check_circle(changed)
    return Change(replace(changed, active=document.active), selections, _gone(other))


def keep_recipe(document: Document, selections: Selections, name: str) -> Change:
    """Keeps the active part's recipe in the document under a name, in place of one that has it already."""
    part, called = document.part, name.strip()
    if not called:
        raise EditError("A kept recipe needs a name.")
    if not part.steps:
        raise EditError(f"“{part.name}” has no steps to keep.")
    told = f"It takes the place of the “{called}” kept before." if called in document.recipes else ""
    return Change(replace(document, recipes={**document.recipes, called: part.steps}), selections, told)


def use_recipe(document: Document, selections: Selections, name: str, after: bool = False) -> Change:
    """Gives the active part a kept recipe, in place of its own or after it; its steps are its own from then on."""
    part, kept = _unlocked(document), _kept(document, name)
    steps = (*part.steps, *kept) if after else kept
    check_fits(part.mesh.n_faces * growth(steps), BYTES_IN_RECIPE)
    changed = document.with_part(replace(part, steps=steps))
    _check_circle(changed)
    return Change(changed, selections, "" if after else _gone(part))


def drop_recipe(document: Document, selections: Selections, name: str) -> Change:
    """Keeps a recipe no longer; parts that were given it stay as they are."""
    _kept(document, name)
    recipes = {other: steps for other, steps in document.recipes.items() if other != name.strip()}
    return Change(replace(document, recipes=recipes), selections)


def bake_steps(document: Document, selections: Selections, until: int | None = None) -> Change:
    """Makes the cage what the recipe makes of it, up to a step or all of it; what follows stays a recipe.

    A smooth step that the rail drives is baked at the part's level, the implied one at the end is not.
    """
    part = _unlocked(document)
    if not part.steps:
        raise EditError(f"“{part.name}” has no steps to make plain.")
    if until is not None:
        part.step(until)
    count = len(part.steps) if until is None else until + 1
    built = build(part.mesh, part.links(part.level, part.limit, count))
    for trouble in built.troubles:
        raise EditError(f"{part.step_name(trouble.place).capitalize()}: {trouble.reason}")
    names = [STEPS[step.key].title.lower() for step in part.steps[:count] if step.enabled]
    changed = replace(part, mesh=as_cage(built.mesh), steps=part.steps[count:])
    kept = {key: chosen for key, chosen in selections.items() if key != part.id}
    told = f"{built.mesh.n_faces:,} faces now; {', '.join(names)} will no longer update." if names else ""
    return Change(document.with_part(changed), kept, told)


def slice_and_array(
    document: Document,
    selections: Selections,
    count: int,
    axis: Any = "z",
    pivot: Any = "origin",
    start: float | str = "best",
) -> Change:
    """Keeps one of so many equal slices of the active part and repeats it by an array step.

    axis and pivot are in the world; the step is in the part's own space. Selected after: what is left.
    """
    part = _unlocked(document)
    if pivot == "anchor":
        if document.anchor is None:
            raise EditError("There is no anchor yet; set one first.")
        pivot = document.anchor
    world = part.to_world(part.mesh)
    direction, centre = as_direction(axis), pivot_place(world, select_all(world.topology, "faces"), pivot)
    edit = keep_slice(world, NOTHING, count, axis, tuple(centre), start)
    back = _into_part(part)
    mesh = edit.mesh if part.in_place else edit.mesh.with_points(edit.mesh.points @ back[:3, :3] + back[3, :3])
    repeat = {
        "count": count,
        "move": (0.0, 0.0, 0.0),
        "rotate": 360.0 / count,
        "axis": axis if part.in_place else tuple((direction @ back[:3, :3]).tolist()),
        "pivot": tuple((centre @ back[:3, :3] + back[3, :3]).tolist()),
        "scale": 1.0,
        "weld": AUTOMATIC,
    }
    changed = replace(part, mesh=mesh, steps=(Step("array", repeat), *part.steps))
    told = f"{counted(mesh.n_faces, 'face')} left; an array step repeats them. {_told(part, changed, 0)}"
    return Change(document.with_part(changed), {**selections, part.id: edit.selection}, told.strip())


# Helpers


def _ids(document: Document, kind: StepKind, parameters: Mapping[str, Any]) -> dict[str, str]:
    """The ids of the parts that a step's parameters name. Raises EditError."""
    ids = {}
    optional = {parameter.name for parameter in kind.parameters if parameter.optional}
    for name in kind.names_parts:
        if not parameters[name]:
            if name in optional:
                continue
            raise EditError(f"{kind.title} takes another part; name it.")
        ids[name] = document.by_name(parameters[name]).id
    return ids


def _check_circle(document: Document) -> None:
    round_about = circle(document.parts)
    if len(round_about) == 1:
        raise EditError(f"“{round_about[0].name}” cannot take itself.")
    if round_about:
        names = " and ".join(f"“{part.name}”" for part in round_about)
        raise EditError(f"{names} would need each other: neither could be made first.")


def _gone(part: Part) -> str:
    """What is said of steps that others have taken the place of."""
    count = len(part.steps)
    return f"The {counted(count, 'step')} it had {verb(count, 'is', 'are')} gone." if count else ""


def _kept(document: Document, name: str) -> tuple[Step, ...]:
    """The steps kept under a name. Raises EditError where there is none, and says which there are."""
    found = document.recipes.get(name.strip())
    if found is None:
        names = ", ".join(f"“{one}”" for one in document.recipes)
        there = f"kept are {names}" if names else "none is kept yet"
        raise EditError(f"There is no kept recipe “{name.strip()}”; {there}.")
    return found


def _unlocked(document: Document) -> Part:
    part = document.part
    if part.locked:
        raise EditError(f"“{part.name}” is locked.")
    return part


def _radius_seen(part: Part, radius: float, unit: str) -> str:
    """What a radius in a part's own space comes to in the world, where the part is scaled; else nothing.

    A circle stretched by a along and b across is an ellipse: its tightest radius is r b²/a, its widest r a²/b.
    """
    sizes = np.linalg.svd(part.transform[:3, :3], compute_uv=False)
    low, high = radius * sizes[-1] ** 2 / sizes[0], radius * sizes[0] ** 2 / sizes[-1]
    if np.allclose((low, high), radius, rtol=1e-6):
        return ""
    shown = [format_length(float(f"{value:.4g}"), unit) for value in (low, high)]
    if np.isclose(low, high, rtol=1e-6):
        return f"The part is scaled: in the world the radius is {shown[0]}."
    return f"The part is stretched: in the world the radius is {shown[0]} to {shown[1]}, as the turn lies."


def _told(part: Part, changed: Part, place: int) -> str:
    """What a changed step did. Raises EditError where it cannot run."""
    for trouble in changed.plain.troubles:
        if trouble.place == place:
            raise EditError(trouble.reason)
    before = {trouble.reason for trouble in part.plain.troubles}
    told = [stop.edit.message for stop in changed.plain.stops if stop.edit and place in stop.places]
    told += [
        f"{changed.step_name(trouble.place).capitalize()} cannot run any more: {trouble.reason}"
        for trouble in changed.plain.troubles
        if trouble.reason not in before
    ]
    return " ".join(filter(None, told))


def _into_part(part: Part) -> Floats:
    """From the world to the part's own space: (4, 4). Raises EditError where a turn there is no turn here."""
    linear = part.transform[:3, :3]
    square = linear @ linear.T
    size = float(np.trace(square)) / 3.0
    if size <= 0 or np.abs(square - size * np.eye(3)).max() > 1e-9 * size:
        raise EditError(f"“{part.name}” is stretched unevenly; put its place into its cage first.")
    return np.asarray(np.linalg.inv(part.transform))


_CHANGED = StepNumber("step", None, "The one whose numbers change; none adds one", optional=True, offered=False)


def _operation(kind: StepKind) -> Operation:
    """The operation that adds a step of a kind or changes its numbers."""

    def run(document: Document, selections: Selections, step: int | None = None, **parameters: Any) -> Change:
        return add_or_set(document, selections, kind.key, parameters, step)

    return Operation(
        f"step_{kind.key}",
        kind.title,
        "Recipe/Add a step with parts" if kind.needs_parts else "Recipe/Add a step",
        run,
        kind.sentence,
        kind.hint,
        "parts",
        (*kind.parameters, _CHANGED),
        begins_with=kind.begins_with,
        on_line=kind.on_line,
    )


_STEP = StepNumber("step", 0, "Which one, from left to right")

RECIPE: tuple[Operation, ...] = (
    *(_operation(kind) for kind in STEPS.values()),
    Operation(
        "move_step",
        "Move a step",
        "Recipe",
        move_step,
        "Let the recipe's step {step} come at {to}",
        "Steps run from left to right; their order matters",
        "parts",
        (_STEP, StepNumber("to", 0, "Its place afterwards")),
        tool="station later",
    ),
    Operation(
        "enable_step",
        "Switch a step",
        "Recipe",
        enable_step,
        "Let the recipe's step {step} be {on}",
        "A step that is off is left out",
        "parts",
        (_STEP, Toggle("on", True, "Whether it runs", on="on", off="off")),
        tool="station on or off",
    ),
    Operation(
        "remove_step",
        "Remove a step",
        "Recipe",
        remove_step,
        "Remove the recipe's step {step}",
        "Takes a step out of the recipe",
        "parts",
        (_STEP,),
        tool="station out",
    ),
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
        "Keep the recipe as {name}",
        "The document keeps its steps under a name, for other parts",
        "parts",
        (Text("name", "", "What it is called"),),
        waits=True,
    ),
    Operation(
        "use_recipe",
        "Use a kept recipe",
        "Recipe",
        use_recipe,
        "Use the recipe {name}, {after}",
        "The part gets steps that were kept under a name",
        "parts",
        (
            Text("name", "", "Of a kept recipe"),
            Toggle("after", False, "Whether its own steps stay", on="after its own steps", off="in place of its own"),
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
    Operation(
        "bake_steps",
        "Make plain",
        "Recipe",
        bake_steps,
        "Make the recipe plain[, up to step {until}]",
        "The cage becomes what the steps make of it; they are gone then",
        "parts",
        (StepNumber("until", None, "The last step that is made plain; all where empty", optional=True),),
    ),
    Operation(
        "keep_slice",
        "Keep a slice",
        "Recipe",
        slice_and_array,
        "Keep one of {count} slice(s) about {axis}, pivot {pivot}, start {start}, and repeat it",
        "Work on one slice; an array step repeats it",
        "parts",
        (
            Count("count", 4, "Equal slices", low=2, high=1000),
            *AROUND,
            Angle("start", "best", "Where the slice begins; or best, where the fewest faces are cut", words=("best",)),
        ),
    ),
)
