"""The recipe: a part's ordered steps after its cage, made ready to run one after the other."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import field, replace
from functools import partial
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.edit.hold.together import Held, hold_together
from levelloop.core.edit.move.transform import pivot_place
from levelloop.core.edit.repeat.copies import copy_step
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.core.progress import CancelledError
from levelloop.core.recipe.chain import Link, Smoothing, Trouble
from levelloop.core.recipe.images import Seen, chained, mirrored_images, neighbouring_images
from levelloop.core.recipe.placed import placed, placed_images
from levelloop.core.recipe.shaping import closes, ring_step
from levelloop.core.values import dataclass
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.step_runs import edges_of_set

MISSING = "the part it takes is not there any more, or needs this one itself."


@dataclass(frozen=True, eq=False)
class Step:
    """One step of a recipe: its kind, its numbers, whether it is on."""

    key: str
    parameters: Mapping[str, Any] = field(default_factory=dict)
    enabled: bool = True


class Taken(dict[str, Mesh]):
    """What the parts that steps name have come to, by id.

    smooth: makes the limit surface of one, with its normals, when a step asks for it; kept from then on.
    """

    def __init__(self, meshes: Mapping[str, Mesh] | None = None, smooth: Callable[[str], Mesh] | None = None) -> None:
        super().__init__(meshes or {})
        self._make, self._made = smooth, dict[str, Mesh]()

    def smooth(self, part_id: str) -> Mesh:
        """The limit surface of one of them. Raises EditError where it cannot be made."""
        if part_id not in self._made:
            self._made[part_id] = self[part_id] if self._make is None else self._make(part_id)
        return self._made[part_id]


@dataclass(frozen=True, eq=False)
class Shared:
    """How the steps of a group's recipe run: in the world, on all parts of the group.

    first: which step of a part's whole recipe is the first of them. into: (4, 4) from part space to the world. given:
    what the parts that these steps name have come to, in the world. among: all of the group as it is before one of
    them, in the world.
    """

    first: int
    into: Floats
    given: Taken
    among: Callable[[int], Mesh]

    def link(self, step: Step, place: int) -> Link:
        """One of them, ready to run in part space; place: in the whole recipe."""
        return placed(world_link(step, place, self.given, lambda: self.among(place - self.first)), self.into)


def world_link(step: Step, place: int, given: Taken, among: Callable[[], Mesh]) -> Link:
    """A group's step as it runs in the world; among: makes all of the group, as it is before the step."""
    if not whole_counts(step):
        return _link(step, place, given)
    whole = among()
    if STEPS[step.key].reaches:
        return _link(step, place, given, whole)
    pivot = tuple(pivot_place(whole, NOTHING, "middle").tolist())
    return _link(replace(step, parameters={**step.parameters, "pivot": pivot}), place, given)


def whole_counts(step: Step) -> bool:
    """Whether what a step does to one part of a group hangs on where all of the group is."""
    return step.enabled and (STEPS[step.key].reaches or step.parameters.get("pivot") == "middle")


def links_of(
    steps: Sequence[Step],
    level: int,
    limit: bool = False,
    until: int | None = None,
    given: Taken | None = None,
    shared: Sequence[Shared] = (),
) -> list[Link | Smoothing]:
    """The steps that are on, ready to run; until: only the first so many.

    level, limit: of the level rail. It drives the last smooth step whose level is "rail"; without one the recipe ends
    with a smooth step of its own. given: what the parts that steps name have come to, by id, in the part's own space.
    shared: how the last of them run, where these are groups'.
    """
    rail = rail_place(steps)
    links: list[Link | Smoothing] = []
    together: list[tuple[int, Step]] = []
    for place, step in enumerate(steps[:until]):
        if not step.enabled:
            continue
        if _holds_tips(step):
            # Neighbouring holds are built together, so that their order does not matter.
            together.append((place, step))
            continue
        if together:
            links.append(_holding(together))
            together = []
        if step.key != "smooth":
            group = _group_at(place, shared)
            try:
                links.append(_link(step, place, given or Taken()) if group is None else group.link(step, place))
            except CancelledError:
                raise
            # What it takes cannot be made: the step is left out and says so, the others run.
            except Exception as error:
                links.append(Link((step.key, None, str(error)), _raising(error), place))
        elif not _is_rail(step) or place == rail:
            wanted, on_limit = (level, limit) if _is_rail(step) else (step.parameters["level"], False)
            seen = _seen(steps[:until], place + 1, shared)
            links += _smoothing(wanted, on_limit, step.parameters["creases"], place, seen)
    if together:
        links.append(_holding(together))
    if rail == len(steps) and until is None:
        links += _smoothing(level, limit, True, len(steps))
    return links


def rail_place(steps: Sequence[Step]) -> int:
    """Which step the level rail drives; their number where it is the implied one at the end."""
    driven = [i for i, step in enumerate(steps) if step.enabled and step.key == "smooth" and _is_rail(step)]
    return driven[-1] if driven else len(steps)


def leading(steps: Sequence[Step], key: str) -> int:
    """How many steps a recipe begins with that are of one kind, or off."""
    others = [place for place, step in enumerate(steps) if step.enabled and step.key != key]
    return others[0] if others else len(steps)


def parts_named(steps: Sequence[Step]) -> tuple[str, ...]:
    """The ids of the parts that steps which are on name, each once."""
    named = [step.parameters.get(name) for step in steps if step.enabled for name in STEPS[step.key].names_parts]
    return tuple(dict.fromkeys(part_id for part_id in named if part_id))


def growth(steps: Sequence[Step]) -> float:
    """How many times as many faces there are after the steps, about, without what the rail smooths."""
    return float(np.prod([STEPS[step.key].growth(step.parameters) for step in steps if step.enabled]))


def label(step: Step, values: Mapping[str, Any] | None = None) -> str:
    """What a step's station is called: "bend 90°"; values: its numbers with parts by name, where it names some."""
    kind = STEPS[step.key]
    if step.key == "smooth" and _is_rail(step):
        return "smooth"
    given = step.parameters if values is None else values
    shown = {parameter.name: parameter.show(given.get(parameter.name)) for parameter in kind.parameters}
    return kind.label.format(**shown)


# Helpers


def _is_rail(step: Step) -> bool:
    return bool(step.parameters["level"] == "rail")


def _smoothing(level: int, limit: bool, creases: bool, place: int, seen: Seen | None = None) -> list[Link | Smoothing]:
    if level == 0 and not limit:
        return []
    return [Smoothing(max(level, 1), limit, creases, place, seen)]


def _group_at(place: int, shared: Sequence[Shared]) -> Shared | None:
    """The group that a step is of; None for a part's own."""
    return next((one for one in reversed(shared) if one.first <= place), None)


def _seen(steps: Sequence[Step], first: int, shared: Sequence[Shared]) -> Seen | None:
    """What the steps after a smoothing join to what it smooths: images in mirrors, copies, its own other end.

    first: the first step after it.
    """
    joining: list[tuple[Step, int]] = []
    for place, step in enumerate(steps[first:], first):
        if step.enabled and step.key not in ("mirror", "array", "bend", "weld"):
            break
        if step.enabled and step.key != "weld":
            joining.append((step, place))
    if not joining:
        return None

    def images(mesh: Mesh) -> Sequence[Floats]:
        sets: list[Sequence[Floats]] = []
        for step, place in joining:
            group = _group_at(place, shared)
            if group is None:
                found = _joined(step, mesh, not sets)
            elif step.key == "bend" or whole_counts(step):
                # Of a group's bend a part is a piece, not a ring.
                found = []
            else:
                found = placed_images(partial(_joined, step), group.into)(mesh)
            if found:
                sets.append(found)
        return chained(sets)

    key = tuple((step.key, repr(step.parameters)) for step, _ in joining)
    return Seen((key, *(one.into.tobytes() for one in shared)), images)


def _joined(step: Step, mesh: Mesh, is_first: bool = True) -> Sequence[Floats]:
    """The images of a mesh that a step joins to it; is_first: nothing else has been joined before."""
    given = step.parameters
    if step.key == "mirror":
        return mirrored_images(given["planes"])
    if step.key == "array" and given["weld"] is not None and given["scale"] == 1.0 and given["count"] > 1:
        return neighbouring_images(copy_step(mesh, **given))
    if step.key == "bend" and is_first and given["limits"] is None and closes(given["angle"]):
        return neighbouring_images(ring_step(mesh, given["along"], given["around"]))
    return []


def _link(step: Step, place: int, given: Taken, among: Mesh | None = None) -> Link:
    """A step ready to run; among: what it is run together with, where that counts."""
    kind = STEPS[step.key]
    assert kind.run is not None
    parameters: Mapping[str, Any] = step.parameters
    key: tuple[Hashable, ...] = (step.key, repr(parameters))
    if among is not None:
        parameters = {**parameters, "among": among}
    meshes: dict[str, Mesh | None] = {}
    if kind.names_parts:
        named = {name: step.parameters[name] for name in kind.names_parts}
        meshes = {name: given.get(part_id) for name, part_id in named.items()}
        if kind.onto and step.parameters["onto"] == "smooth" and meshes[kind.onto] is not None:
            meshes[kind.onto] = given.smooth(named[kind.onto])
        optional = {parameter.name for parameter in kind.parameters if parameter.optional}
        if any(mesh is None and (named[name] or name not in optional) for name, mesh in meshes.items()):
            return Link((*key, None), _raising(EditError(MISSING)), place)
        parameters = {**parameters, **meshes}
        if kind.onto:
            parameters = {name: value for name, value in parameters.items() if name != "onto"}
    follow = None if kind.follow is None else partial(kind.follow, **parameters)
    run, times = partial(kind.run, **parameters), kind.growth(step.parameters)
    taken = (*((among,) if among is not None else ()), *meshes.values())
    return Link(key, run, place, taken, times, follow)


def _raising(error: Exception) -> Callable[[Mesh], Edit]:
    """What a step does that cannot run, whatever it is run on."""

    def refused(_: Mesh) -> Edit:
        raise error

    return refused


def _holds_tips(step: Step) -> bool:
    return step.key == "hold" and step.parameters["fill"] == "tip"


def _holding(steps: Sequence[tuple[int, Step]]) -> Link:
    """Hold steps that follow each other, as one; those whose set is not there are left out."""
    places = tuple(place for place, _ in steps)

    def edges(mesh: Mesh, step: Step) -> Selection | EditError:
        try:
            return edges_of_set(mesh, step.parameters["set"])
        except EditError as error:
            return error

    def lacking(mesh: Mesh) -> list[Trouble]:
        found = ((place, edges(mesh, step)) for place, step in steps)
        return [Trouble(place, str(reason)) for place, reason in found if isinstance(reason, EditError)]

    def run(mesh: Mesh) -> Edit:
        found = [(edges(mesh, step), step.parameters) for _, step in steps]
        groups = [Held(one, at["radius"], at["sides"]) for one, at in found if isinstance(one, Selection)]
        return hold_together(mesh, groups)

    key = ("holds", places, tuple(repr(step.parameters) for _, step in steps))
    times = float(np.prod([STEPS["hold"].growth(step.parameters) for _, step in steps]))
    return Link(key, run, places[-1], growth=times, places=places, lacking=lacking)
