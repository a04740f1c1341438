"""What a session does to recipes: the active part's, or that of the group that is named."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from levelloop.core.errors import EditError
from levelloop.document.operations.recipe_owner import owners, step_at
from levelloop.document.recipe.step_kinds import STEPS, StepKind

if TYPE_CHECKING:
    from levelloop.document.document import Document
    from levelloop.document.typed_do import TypedDo
else:
    TypedDo = object


class RecipeCalls(TypedDo):
    """Part of a session. group: whose recipe it is; None: the active part's. Steps are counted from 0."""

    if TYPE_CHECKING:

        @property
        def document(self) -> Document:
            """The document as it is now."""

        def perform(self, key: str, **parameters: Any) -> str:
            """Runs an operation."""

    def add_step(self, key: str, **parameters: Any) -> str:
        """Adds a step at the end of the recipe; returns what it does, in a sentence. Raises EditError."""
        return self.perform(f"step_{_kind(key).key}", **parameters)

    def set_step(self, step: int, group: str | None = None, **parameters: Any) -> str:
        """Gives a step other numbers. Raises EditError."""
        here = step_at(self.document, group, step)
        values = owners(self.document, group)[0].shown_values(here)
        whose = {} if group is None else {"group": group}
        return self.perform(f"step_{here.key}", **{**values, **parameters, **whose, "step": step})

    def move_step(self, step: int, to: int, group: str | None = None) -> str:
        """Puts a step at another place of the recipe. Raises EditError."""
        return self.perform("move_step", step=step, to=to, group=group)

    def enable_step(self, step: int, on: bool = True, group: str | None = None) -> str:
        """Switches a step on or off. Raises EditError."""
        return self.perform("enable_step", step=step, on=on, group=group)

    def remove_step(self, step: int, group: str | None = None) -> str:
        """Takes a step out of the recipe. Raises EditError."""
        return self.perform("remove_step", step=step, group=group)

    def bake_steps(self, until: int | None = None, group: str | None = None) -> str:
        """Makes cages what the recipe makes of them, up to a step or all of it. Raises EditError."""
        return self.perform("bake_steps", until=until, group=group)


def _kind(key: str) -> StepKind:
    if key not in STEPS:
        raise EditError(f'There is no step "{key}"; it is one of {", ".join(STEPS)}.')
    return STEPS[key]
