"""Document: all that is saved, as an immutable value."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.tolerance import Automatic
from levelloop.core.values import dataclass
from levelloop.core.words import shortened
from levelloop.document.cameras import NamedCamera
from levelloop.document.materials import Material
from levelloop.document.parameters import Reading
from levelloop.document.part import COLOURS, DEFAULT_LEVEL, Part
from levelloop.document.recipe.evaluation import bound
from levelloop.document.recipe.groups import groups_around
from levelloop.document.recipe.steps import Step


@dataclass(frozen=True, eq=False)
class Guide:
    """A reference image in a view.

    view: the direction or named camera it is seen from; width: mm, for a camera at its target;
    at: (right, up) mm of its middle; opacity 0 … 1; flip: mirrored
    left to right; crop: "whole", "left" or "right" half; through: drawn over the parts, else behind them; standing: in
    space, seen from everywhere; onto: id of a part that the image is projected onto, empty for none;
    data: the image itself where the document carries it, else it is read from path.
    """

    name: str
    path: str
    view: str = "front"
    width: float = 100.0
    at: tuple[float, float] = (0.0, 0.0)
    opacity: float = 0.6
    flip: bool = False
    crop: str = "whole"
    through: bool = False
    standing: bool = False
    locked: bool = False
    shown: bool = True
    onto: str = ""
    data: bytes | None = None


TWINS_WITHIN = Automatic(0.01)  # mm; twins drift a little as both sides are worked on


@dataclass(frozen=True)
class Symmetry:
    """Symmetric editing across the plane of an axis through the part's origin.

    tolerance: mm within which places are twins, automatic where nobody typed one; middle: two points of an edge from
    which twins are found by flow instead of by place.
    """

    axis: Literal["x", "y", "z"] = "x"
    tolerance: float = TWINS_WITHIN
    middle: tuple[int, int] | None = None


@dataclass(frozen=True, eq=False)
class Document:
    """Parts in order, which one is active, the unit of typed numbers, named values, the anchor, symmetry,
    guides, named cameras, recipes kept under names, recipes of groups by their paths.

    start_level: that new parts are smoothed to; values: name → (text, millimetres); anchor: (x, y, z) mm; next_id: the
    number of the next part's id, so that no id is given twice.
    """

    parts: tuple[Part, ...] = ()
    active: str = ""
    unit: str = "mm"
    values: Mapping[str, tuple[str, float]] = field(default_factory=dict)
    anchor: tuple[float, float, float] | None = None
    symmetry: Symmetry | None = None
    guides: tuple[Guide, ...] = ()
    cameras: tuple[NamedCamera, ...] = ()
    materials: tuple[Material, ...] = ()
    recipes: Mapping[str, tuple[Step, ...]] = field(default_factory=dict)
    group_recipes: Mapping[str, tuple[Step, ...]] = field(default_factory=dict)
    next_id: int = 1
    start_level: int = DEFAULT_LEVEL

    def __post_init__(self) -> None:
        parts = bound(self.parts, self.group_recipes)
        if parts != self.parts:
            object.__setattr__(self, "parts", parts)

    @property
    def is_blank(self) -> bool:
        """Whether there is nothing in it that somebody put there."""
        kept = (self.parts, self.values, self.guides, self.cameras, self.materials, self.recipes, self.group_recipes)
        return not any(kept) and self.anchor is None

    @property
    def part(self) -> Part:
        """The active part. Raises EditError where there is none."""
        for part in self.parts:
            if part.id == self.active:
                return part
        raise EditError("There is no part yet; add a form first.")

    @property
    def given_out(self) -> tuple[Part, ...]:
        """The parts that leave the program and are reviewed: those that are shown and no helpers."""
        return tuple(part for part in self.parts if part.visible and not part.helper)

    def by_id(self, part_id: str) -> Part:
        """A part by its id. Raises EditError where it is gone."""
        for part in self.parts:
            if part.id == part_id:
                return part
        raise EditError("That part is not there any more.")

    def by_name(self, name: str) -> Part:
        """A part by its name. Raises EditError where no part is called so."""
        for part in self.parts:
            if part.name == name:
                return part
        raise EditError(f"There is no part “{shortened(name)}”.")

    def moves_whole(self, part: Part) -> bool:
        """Whether a part is moved by its transform where nothing of it is selected.

        Instances, whose cage is not theirs alone; parts that others are attached to, or that are attached themselves;
        parts with a recipe, which counts in part space.
        """
        return bool(part.shared or part.attached or part.steps) or any(
            other.attached == part.id for other in self.parts
        )

    def with_part(self, part: Part) -> Document:
        """The document with a part of that id replaced, or added last and made active.

        Parts that share its cage get the new one; parts attached to it move as it does. Where another part has its
        name already, it gets a number.
        """
        before = next((old for old in self.parts if old.id == part.id), None)
        if before is None or before.name != part.name:
            others = replace(self, parts=tuple(other for other in self.parts if other is not before))
            part = replace(part, name=others.free_name(part.name))
        if before is not None:
            parts = tuple(part if old.id == part.id else _sharing(old, part) for old in self.parts)
            changed = replace(self, parts=parts)
            if np.array_equal(before.transform, part.transform):
                return changed
            by = np.asarray(np.linalg.solve(before.transform, part.transform), dtype=np.float64)
            return changed._carrying(part.id, by)
        return replace(
            self, parts=(*self.parts, part), active=part.id, next_id=max(self.next_id, number_of_id(part.id) + 1)
        )

    def without(self, part_id: str) -> Document:
        """The document without a part; the one before it becomes active, what was attached to it is free."""
        index = next(i for i, part in enumerate(self.parts) if part.id == part_id)
        left = self.parts[:index] + self.parts[index + 1 :]
        active = self.active
        if active == part_id:
            active = left[max(0, index - 1)].id if left else ""
        parts = tuple(replace(part, attached="") if part.attached == part_id else part for part in left)
        guides = tuple(replace(guide, onto="") if guide.onto == part_id else guide for guide in self.guides)
        return replace(self, parts=parts, active=active, guides=guides)

    def tidied(self) -> Document:
        """The document without recipes of groups that no part is in any more."""
        used = {group for part in self.parts for group in groups_around(part.group)}
        if all(group in used for group in self.group_recipes):
            return self
        return replace(self, group_recipes={group: own for group, own in self.group_recipes.items() if group in used})

    def _carrying(self, part_id: str, by: Floats) -> Document:
        """The document with all that is attached to a part moved by a matrix."""
        document = self
        for other in self.parts:
            if other.attached == part_id:
                moved = replace(other, transform=other.transform @ by)
                parts = tuple(moved if old.id == moved.id else old for old in document.parts)
                document = replace(document, parts=parts)._carrying(other.id, by)
        return document

    def free_name(self, wanted: str) -> str:
        """The wanted name, with a number where it is taken."""
        taken = {part.name for part in self.parts}
        if wanted not in taken:
            return wanted
        return next(f"{wanted} {n}" for n in range(2, len(taken) + 3) if f"{wanted} {n}" not in taken)

    def free_id(self) -> str:
        """An id that no part has or had."""
        return f"part{self.next_id}"

    @property
    def reading(self) -> Reading:
        """How typed numbers are read here."""
        return Reading(self.unit, {name: value for name, (_, value) in self.values.items()})


def number_of_id(part_id: str) -> int:
    """The number in an id of ours, 0 for another."""
    digits = part_id.removeprefix("part")
    is_ours = part_id.startswith("part") and digits.isascii() and digits.isdigit() and len(digits) < 16
    return int(digits) if is_ours else 0


def _sharing(old: Part, part: Part) -> Part:
    if not part.shared or old.shared != part.shared or (old.mesh is part.mesh and old.steps is part.steps):
        return old
    return replace(old, mesh=part.mesh, steps=part.steps)


def document_of_meshes(meshes: Sequence[tuple[str, Mesh]]) -> Document:
    """A document with a part for each named mesh; the first is active. Names that are there twice get numbers."""
    parts = []
    for number, ((_, mesh), name) in enumerate(zip(meshes, unique_names([name for name, _ in meshes]), strict=True)):
        parts.append(Part(f"part{number + 1}", name, mesh, colour=COLOURS[number % len(COLOURS)]))
    return Document(tuple(parts), parts[0].id if parts else "", next_id=len(parts) + 1)


def unique_names(wanted: Sequence[str]) -> list[str]:
    """Names with numbers after those that were there before.

    >>> unique_names(["jar", "lid", "jar", "jar 2"])
    ['jar', 'lid', 'jar 3', 'jar 2']
    """
    taken, given, last = set(wanted), set[str](), dict[str, int]()
    result = []
    for name in wanted:
        free = name
        while free in given or (free != name and free in taken):
            last[name] = last.get(name, 1) + 1
            free = f"{name} {last[name]}"
        given.add(free)
        result.append(free)
    return result


def new_part(document: Document, mesh: Mesh, name: str) -> Part:
    """A part for a new mesh, with a free name, id and colour."""
    colour = COLOURS[len(document.parts) % len(COLOURS)]
    return Part(document.free_id(), document.free_name(name), mesh, level=document.start_level, colour=colour)
