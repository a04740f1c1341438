"""A group's recipe as it is run on each of its parts, after the part's own steps, in the world."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from levelloop.core.errors import EditError
from levelloop.core.lazy import lazy
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.values import dataclass
from levelloop.document.recipe.steps import Step, Taken, whole_counts, world_link

if TYPE_CHECKING:
    from levelloop.document.part import Part


@dataclass(frozen=True, eq=False)
class GroupRecipe:
    """The recipe of one group.

    group: its path; inputs: the parts that its steps name, by id; members: the group's parts as they are before it,
    where it counts how far all of them reach, else none.
    """

    group: str
    steps: tuple[Step, ...]
    inputs: Mapping[str, Part]
    members: tuple[Part, ...]

    def among(self, place: int) -> Mesh:
        """All of the group as it is before one of its steps, in the world."""
        return self._before[place]

    @lazy
    def given(self) -> Taken:
        """What the parts that its steps name have come to, in the world."""
        meshes = {part_id: part.to_world(part.stepped) for part_id, part in self.inputs.items()}
        return Taken(meshes, lambda part_id: self.inputs[part_id].limit_shape)

    @lazy
    def _before(self) -> list[Mesh]:
        """All of the group before each step, up to the last one for which that counts."""
        last = max(place for place, step in enumerate(self.steps) if whole_counts(step))
        pieces = [part.to_world(part.stepped) for part in self.members]
        if not pieces:
            raise EditError("the parts of its group need this one themselves.")
        found = [combined(pieces)]
        for place, step in enumerate(self.steps[:last]):
            pieces = [self._after(step, place, piece, found[-1]) for piece in pieces]
            found.append(combined(pieces))
        return found

    def _after(self, step: Step, place: int, piece: Mesh, whole: Mesh) -> Mesh:
        if not step.enabled or step.key == "smooth":
            # A smooth surface reaches hardly less far than its cage, and what is shown at any level stands alike.
            return piece
        try:
            return world_link(step, place, self.given, lambda: whole).run(piece).mesh
        except EditError:
            return piece


def groups_around(path: str) -> Iterator[str]:
    """The groups that a path says something is in, inner ones first: "a/b" is in "a/b" and in "a"."""
    while path:
        yield path
        path = path.rpartition("/")[0]


def is_within(path: str, group: str) -> bool:
    """Whether what is in the groups of a path is in a group, or in one that is in it."""
    return path == group or path.startswith(group + "/")


def needs_members(steps: Sequence[Step]) -> bool:
    """Whether what a group's steps do to one part hangs on where the others are."""
    return any(whole_counts(step) for step in steps)
