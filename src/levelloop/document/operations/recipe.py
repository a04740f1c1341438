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
from levelloop.core.mesh.selection import NOTHING, Selection, select_all
from levelloop.core.recipe.chain import build
from levelloop.core.tolerance import AUTOMATIC
from levelloop.core.words import counted, sentence
from levelloop.document.document import Document
from levelloop.document.operations.kept_recipes import KEPT
from levelloop.document.operations.recipe_owner import (
    GROUP,
    OF_GROUP,
    owners,
    step_at,
    steps_of,
    told_of,
    unlocked,
    whose,
    with_steps,
)
from levelloop.document.parameters import Angle, Count, StepNumber, Toggle
from levelloop.document.part import Part
from levelloop.document.recipe.groups import is_within
from levelloop.document.recipe.step_kinds import STEPS, StepKind
from levelloop.document.recipe.steps import Step
from levelloop.document.registry import Operation
from levelloop.document.running.part_edits import Change, as_cage
from levelloop.document.scripting.units import format_length
from levelloop.document.shared_parameters import AROUND

Selections = Mapping[str, Selection]


def add_or_set(
    document: Document,
    selections: Selections,
    kind: str,
    parameters: Mapping[str, Any],
    step: int | None,
    group: str | None = None,
) -> Change:
    """Adds a step at the end of the active part's recipe, or a group's, or gives one of its steps other numbers.

    Raises EditError where it cannot run there.
    """
    steps = steps_of(document, group)
    parameters = {**parameters, **_ids(document, STEPS[kind], parameters)}
    if step is None:
        place = len(steps)
        steps = (*steps, Step(kind, parameters))
    else:
        place, old = step, step_at(document, group, step)
        if old.key != kind:
            raise EditError(
                f"Step {place + 1} of {whose(document, group)} is {STEPS[old.key].title.lower()}, not {kind}."
            )
        steps = (*steps[:place], replace(old, parameters=parameters), *steps[place + 1 :])
    changed = with_steps(document, group, steps)
    told = told_of(document, changed, group, place)
    seen = _radius_seen(document.part, parameters["radius"], document.unit) if kind == "hold" else ""
    return Change(changed, selections, f"{told} {seen}".strip())


def move_step(document: Document, selections: Selections, step: int, to: int, group: str | None = None) -> Change:
    """Puts a step of a recipe before or after others; to: its place afterwards."""
    moved, _ = step_at(document, group, step), step_at(document, group, to)
    steps = steps_of(document, group)
    rest = [*steps[:step], *steps[step + 1 :]]
    rest.insert(to, moved)
    return Change(with_steps(document, group, tuple(rest)), selections)


def enable_step(document: Document, selections: Selections, step: int, on: bool, group: str | None = None) -> Change:
    """Switches a step on or off."""
    switched = replace(step_at(document, group, step), enabled=on)
    steps = steps_of(document, group)
    return Change(with_steps(document, group, (*steps[:step], switched, *steps[step + 1 :])), selections)


def remove_step(document: Document, selections: Selections, step: int, group: str | None = None) -> Change:
    """Takes a step out of a recipe."""
    step_at(document, group, step)
    steps = steps_of(document, group)
    return Change(with_steps(document, group, (*steps[:step], *steps[step + 1 :])), selections)


def bake_steps(
    document: Document, selections: Selections, until: int | None = None, group: str | None = None
) -> Change:
    """Makes cages what a recipe makes of them, up to a step or all of it; what follows stays a recipe.

    Of a group, all its parts with their own recipes and those of groups in it; instances become parts of their own. A
    smooth step that the rail drives is baked at the part's level, the implied one at the end is not.
    """
    steps = steps_of(document, group)
    if not steps:
        raise EditError(sentence(f"{whose(document, group)} has no steps to make plain"))
    if until is not None:
        step_at(document, group, until)
    count = len(steps) if until is None else until + 1
    baked = [_baked(part, (part.first_of(group) if group else 0) + count) for part in owners(document, group)]
    names = [STEPS[step.key].title.lower() for step in steps[:count] if step.enabled]
    left = steps[count:]
    if group:
        inside = {name: own for name, own in document.group_recipes.items() if not is_within(name, group)}
        document = replace(document, group_recipes={**inside, group: left} if left else inside)
        own = {part.id: replace(part, steps=(), shared="") for part in baked}
    else:
        own = {part.id: replace(part, steps=left) for part in baked}
    for part in own.values():
        document = document.with_part(part)
    kept = {key: chosen for key, chosen in selections.items() if key not in own}
    faces = sum(part.mesh.n_faces for part in own.values())
    told = f"{faces:,} faces now; {', '.join(names)} will no longer update." if names else ""
    return Change(document, kept, told)


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
    part = unlocked(document)
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
        "uv": "stack",
    }
    changed = replace(part, mesh=mesh, steps=(Step("array", repeat), *part.steps))
    kept = document.with_part(changed)
    told = f"{counted(mesh.n_faces, 'face')} left; an array step repeats them. {told_of(document, kept, None, 0)}"
    return Change(kept, {**selections, part.id: edit.selection}, told.strip())


# Helpers


def _baked(part: Part, count: int) -> Part:
    """A part with what its first so many steps make of its cage as its cage. Raises EditError where one cannot run."""
    built = build(part.mesh, part.links(part.level, part.limit, count))
    for trouble in built.troubles:
        raise EditError(f"“{part.name}”, {part.step_name(trouble.place)}: {trouble.reason}")
    return replace(part, mesh=as_cage(built.mesh))


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

    def run(
        document: Document,
        selections: Selections,
        step: int | None = None,
        group: str | None = None,
        **parameters: Any,
    ) -> Change:
        return add_or_set(document, selections, kind.key, parameters, step, group)

    return Operation(
        f"step_{kind.key}",
        kind.title,
        "Recipe/Add a step with parts" if kind.needs_parts else "Recipe/Add a step",
        run,
        kind.sentence.replace("the recipe", f"the recipe{OF_GROUP}", 1) if kind.in_groups else kind.sentence,
        kind.hint,
        "parts",
        (*kind.parameters, *((GROUP,) if kind.in_groups else ()), _CHANGED),
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
        f"Let step {{step}} of the recipe{OF_GROUP} come at {{to}}",
        "Steps run from left to right; their order matters",
        "parts",
        (_STEP, StepNumber("to", 0, "Its place afterwards"), GROUP),
        tool="station later",
    ),
    Operation(
        "enable_step",
        "Switch a step",
        "Recipe",
        enable_step,
        f"Let step {{step}} of the recipe{OF_GROUP} be {{on}}",
        "A step that is off is left out",
        "parts",
        (_STEP, Toggle("on", True, "Whether it runs", on="on", off="off"), GROUP),
        tool="station on or off",
    ),
    Operation(
        "remove_step",
        "Remove a step",
        "Recipe",
        remove_step,
        f"Remove step {{step}} of the recipe{OF_GROUP}",
        "Takes a step out of the recipe",
        "parts",
        (_STEP, GROUP),
        tool="station out",
    ),
    *KEPT,
    Operation(
        "bake_steps",
        "Make plain",
        "Recipe",
        bake_steps,
        f"Make the recipe{OF_GROUP} plain[, up to step {{until}}]",
        "The cage becomes what the steps make of it; they are gone then",
        "parts",
        (StepNumber("until", None, "The last step that is made plain; all where empty", optional=True), GROUP),
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
