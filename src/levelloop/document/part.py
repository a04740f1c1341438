"""Part: one cage with its recipe, as an immutable value, and what that makes of it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import field, fields, replace
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, Integers, frozen
from levelloop.core.errors import EditError
from levelloop.core.lazy import lazy
from levelloop.core.mesh.faces import normal_map, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Kind
from levelloop.core.recipe.chain import Built, Link, Smoothing, build
from levelloop.core.recipe.surfaces import samples_of
from levelloop.core.surface.samples import SurfaceSamples, sampled
from levelloop.core.surface.surface import SmoothSurface, without_holes
from levelloop.core.values import dataclass
from levelloop.core.words import counted
from levelloop.document.recipe.groups import GroupRecipe, is_within
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import Shared, Step, Taken, leading, links_of, parts_named

DEFAULT_LEVEL = 2
COLOURS = ("#D3CABB", "#C9B48A", "#B7C2B0", "#B9BFCB", "#CDB3A6", "#C7BFD0")


_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]+")
GIVEN = ("inputs", "group_recipes", "inner")
LAID_ON_LEVEL, LAID_ON_FACES = 5, 100_000  # how finely a surface is known that others are laid on
LAID_ON_AT_ONCE = 20_000  # faces of one that is made within a tenth of a second


@dataclass(frozen=True, eq=False)
class Part:
    """One cage with its recipe, name, looks and smoothing level.

    steps: what follows the cage, in part space.
    transform: (4, 4) from part space to the world, row vectors times matrix as in OpenUSD.
    level: of view and output alike, 0 … 6; limit: its points put on the limit surface. group: names of groups, outer
    first, with "/" between; shared: parts of one such word share cage and recipe; attached: id of the part that it
    moves with; inputs: the parts that its steps name, by id, as the document has them: it gives them, no file has them;
    group_recipes: of the groups it is in, inner ones first; inner: the part as it is before the last of them.
    """

    id: str
    name: str
    mesh: Mesh
    level: int = DEFAULT_LEVEL
    limit: bool = False
    colour: str = COLOURS[0]
    visible: bool = True
    locked: bool = False
    helper: bool = False
    transform: Floats = field(default_factory=lambda: np.eye(4))
    accepted: Mapping[str, str] = field(default_factory=dict)
    opacity: float = 1.0
    group: str = ""
    shared: str = ""
    attached: str = ""
    steps: tuple[Step, ...] = ()
    inputs: Mapping[str, Part] = field(default_factory=dict)
    group_recipes: tuple[GroupRecipe, ...] = ()
    inner: Part | None = None

    def __post_init__(self) -> None:
        if not self.name.isprintable():
            # A line break in a name would cut every sentence that it stands in.
            object.__setattr__(self, "name", " ".join(_CONTROL.sub(" ", self.name).split()))
        given = self.transform
        if given.flags.writeable or given.base is not None or given.dtype != np.float64:
            object.__setattr__(self, "transform", frozen(np.array(given, dtype=np.float64)))

    @lazy
    def names(self) -> tuple[str, ...]:
        """The ids of the parts that its own steps name."""
        return parts_named(self.steps)

    @lazy
    def recipe(self) -> tuple[Step, ...]:
        """All steps that follow the cage: its own, then those of the groups it is in."""
        return self.steps + tuple(step for group in self.group_recipes for step in group.steps)

    def first_of(self, group: str) -> int:
        """Which step of the whole recipe a group's begin with: after its own and those of inner groups."""
        inner = [one for one in self.group_recipes if one.group != group and is_within(one.group, group)]
        return len(self.steps) + sum(len(one.steps) for one in inner)

    def group_of(self, place: int) -> tuple[GroupRecipe, int] | None:
        """The group that a step of the whole recipe is of, and its place in it; None for one of its own."""
        firsts = ((one, place - self.first_of(one.group)) for one in self.group_recipes)
        return next(((one, within) for one, within in firsts if 0 <= within < len(one.steps)), None)

    def seen_from(self, group: str) -> Part:
        """The part as it is to what is in a group: before the recipes of the groups that both are in."""
        part = self
        while part.inner is not None and is_within(group, part.group_recipes[-1].group):
            part = part.inner
        return part

    def is_but_given(self, other: Part) -> bool:
        """Whether it is another part but for what the document gives it."""
        own = (one.name for one in fields(self) if one.name not in GIVEN)
        return all(getattr(self, name) is getattr(other, name) for name in own)

    def links(self, level: int, limit: bool = False, until: int | None = None) -> list[Link | Smoothing]:
        """Its steps that are on, ready to run; until: only the first so many; level, limit: of the level rail."""
        shared = [Shared(self.first_of(one.group), self.transform, one.given, one.among) for one in self.group_recipes]
        return links_of(self.recipe, level, limit, until, self._given, shared)

    @lazy
    def _given(self) -> Taken:
        """What the parts that its steps name have come to, in its own space."""
        meshes = {part_id: self.inputs[part_id].in_space_of(self) for part_id in self.names if part_id in self.inputs}
        return Taken(meshes, lambda part_id: self.inputs[part_id].smooth_in_space_of(self))

    def result(self, level: int | None = None, limit: bool | None = None) -> Mesh:
        """The mesh after the recipe, smoothed to the part's level or the given one.

        Raises EditError where one of its steps cannot run.
        """
        return without_holes(self._built(level, limit).mesh)

    def held_cage(self) -> Mesh:
        """The cage with the loops of the hold steps its recipe begins with, as other programs may go on with it.

        Raises EditError where one of these steps cannot run.
        """
        return self._built_until(leading(self.steps, "hold"))

    def _built_until(self, count: int) -> Mesh:
        built = build(self.mesh, self.links(0, until=count))
        for trouble in built.troubles:
            raise EditError(f"“{self.name}”, {self.step_name(trouble.place)}: {trouble.reason}")
        return built.mesh

    def output(self, level: int | None = None, limit: bool | None = None, normals: bool = True) -> Mesh:
        """The result in world space, as it leaves the program: with the normals of its limit where it is smooth.

        normals: without them it takes a fraction of the time.

        Raises EditError where one of its steps cannot run.
        """
        if self.stepped.n_faces == 0:
            # Wires are shown as they are.
            return self.to_world(self._built(0, False).mesh)
        built = self._built(level, limit)
        mesh = built.mesh
        last = built.stops[-1] if built.stops else None
        if last is None or last.surface is None or not normals:
            return self.to_world(without_holes(mesh))
        surface = last.surface
        alone = last.before.points if last.around is None else None
        facing = surface.normals(last.raw, alone)[surface.sectors.of_corner]
        kept = ~mesh.hole[mesh.topology.corner_face]
        if not self.in_place:
            facing = unit(facing @ normal_map(self.transform))
        return replace(self.to_world(without_holes(mesh)), normals=frozen(facing[kept]))

    def surface(self, level: int | None = None, in_world: bool = False) -> SurfaceSamples:
        """The limit surface after the recipe, sampled at the part's level or the given one, in part space or the world.

        Where steps have shaped it after it was smoothed, its derivatives are differences between neighbours. Raises
        EditError where a step cannot run or there is no face.
        """
        if self.stepped.n_faces == 0:
            raise EditError(f"“{self.name}” has no faces, and so no surface.")
        built = self._built(self.level if level is None else level, True)
        placed = self.placed if in_world else lambda points: points
        samples = samples_of(built, placed)
        if samples is None:
            return sampled(SmoothSurface(built.mesh, 0), placed(built.points)).on_cage(built.trace.source.faces)
        return samples

    def placed(self, points: Floats) -> Floats:
        """Points of the part's own space in the world: (n, 3)."""
        if self.in_place:
            return points
        return np.asarray(points @ self.transform[:3, :3] + self.transform[3, :3])

    def _built(self, level: int | None, limit: bool | None) -> Built:
        use_limit = self.limit if limit is None else limit
        built = build(self.mesh, self.links(self.level if level is None else level, use_limit))
        for trouble in built.troubles:
            raise EditError(f"“{self.name}”, {self.step_name(trouble.place)}: {trouble.reason}")
        return built

    @lazy
    def plain(self) -> Built:
        """The cage after the steps, not smoothed by the rail; steps that cannot run are left out."""
        return build(self.mesh, self.links(0))

    @property
    def known(self) -> Built | None:
        """What was made by the recipe already, None where nobody has asked for it."""
        built = self.__dict__.get("plain")
        return built if isinstance(built, Built) else None

    @property
    def waits(self) -> bool:
        """Whether its recipe takes large limit surfaces that nobody has asked for yet: they take a while to be made."""
        taken = [
            self.inputs.get(str(step.parameters.get(STEPS[step.key].onto)))
            for step in self.recipe
            if step.enabled and step.parameters.get("onto") == "smooth"
        ]
        return any(
            part is not None
            and "limit_shape" not in part.__dict__
            and part.stepped.n_faces * 4**part._laid_on_level > LAID_ON_AT_ONCE
            for part in taken
        )

    def forget(self) -> None:
        """Lets go of what the recipe made; it is made again when somebody asks."""
        for name in ("plain", "_given", "limit_shape", "_reviewed", "_seen", "_body"):
            self.__dict__.pop(name, None)

    @property
    def stepped(self) -> Mesh:
        """What the part looks like to others: its cage after the steps, not smoothed by the rail."""
        return self.plain.mesh

    def in_cage(self, kind: Kind, indices: Integers) -> Integers:
        """The cage's elements that some of what stepped has come from, each once, in the same order."""
        origins = self.plain.trace.source.of(kind)[indices]
        found, first = np.unique(origins[origins >= 0], return_index=True)
        return np.asarray(found[np.argsort(first)])

    def step(self, place: int) -> Step:
        """The step at a place, counted from 0. Raises EditError where there is none."""
        if not 0 <= place < len(self.steps):
            there = counted(len(self.steps), "step")
            raise EditError(f"“{self.name}” has {there}; there is no step {place + 1}.")
        return self.steps[place]

    def shown_values(self, step: Step) -> dict[str, Any]:
        """A step's numbers as people and scripts read them: parts by name, none where they are gone."""
        named = {name: str(step.parameters.get(name)) for name in STEPS[step.key].names_parts}
        names = {name: self.inputs[part_id].name if part_id in self.inputs else "" for name, part_id in named.items()}
        return {**step.parameters, **names}

    def step_name(self, place: int) -> str:
        """A step by its place, in words: "step 2 (bend)"."""
        if place >= len(self.recipe):
            return "smoothing"
        of_group = self.group_of(place)
        number, where = (place, "") if of_group is None else (of_group[1], f" of the group “{of_group[0].group}”")
        return f"step {number + 1}{where} ({STEPS[self.recipe[place].key].title.lower()})"

    @lazy
    def in_place(self) -> bool:
        """Whether part space is world space."""
        return bool(np.array_equal(self.transform, np.eye(4)))

    @property
    def axes(self) -> Floats:
        """The directions of the part's own axes in the world, square to each other: rows of (3, 3)."""
        # The rotation nearest to the transform, whatever it scales or shears.
        u, _, vt = np.linalg.svd(self.transform[:3, :3])
        return np.asarray(u @ np.diag([1.0, 1.0, np.linalg.det(u @ vt)]) @ vt)

    def in_space_of(self, other: Part) -> Mesh:
        """What it looks like to others, in another part's space."""
        if np.array_equal(self.transform, other.transform):
            return self.stepped
        across = np.linalg.solve(other.transform.T, self.transform.T).T
        return self.stepped.with_points(self.stepped.points @ across[:3, :3] + across[3, :3])

    @lazy
    def limit_shape(self) -> Mesh:
        """Its limit surface in the world, fine enough to be laid on: points of the limit with their normals."""
        return self.output(self._laid_on_level, True)

    @property
    def _laid_on_level(self) -> int:
        level, faces = max(self.level, 1), self.stepped.n_faces
        while level < LAID_ON_LEVEL and faces * 4 ** (level + 1) <= LAID_ON_FACES:
            level += 1
        return level

    def smooth_in_space_of(self, other: Part) -> Mesh:
        """Its limit surface with its normals, in another part's space. Raises EditError where a step cannot run."""
        shape = self.limit_shape
        if other.in_place or shape.normals is None:
            return shape if other.in_place else shape.with_points(_back(shape.points, other.transform))
        back = np.asarray(np.linalg.inv(other.transform), dtype=np.float64)
        normals = unit(shape.normals @ normal_map(back))
        return replace(shape.with_points(_back(shape.points, other.transform)), normals=frozen(normals))

    def to_world(self, mesh: Mesh) -> Mesh:
        """A mesh of this part with its points in world space."""
        if self.in_place:
            return mesh
        return mesh.with_points(mesh.points @ self.transform[:3, :3] + self.transform[3, :3])


def _back(points: Floats, transform: Floats) -> Floats:
    """Places in the world as they are in the space of a part put there by a matrix."""
    inverse = np.linalg.inv(transform)
    return np.asarray(points @ inverse[:3, :3] + inverse[3, :3])
