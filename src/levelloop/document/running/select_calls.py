"""How a session is told what to select: by numbers and places, by conditions, by a sentence."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from levelloop.core.errors import EditError
from levelloop.core.mesh.selection import KINDS, Kind, Selection, combine, select, select_all
from levelloop.core.select.where import element_near, select_where
from levelloop.document.scripting.where_sentence import parse_where, read_conditions

if TYPE_CHECKING:
    from levelloop.document.document import Document
    from levelloop.document.part import Part


class SelectCalls:
    """Part of a session."""

    if TYPE_CHECKING:

        @property
        def document(self) -> Document:
            """The document as it is now."""

        @property
        def part(self) -> Part:
            """The active part."""

        @property
        def selection(self) -> Selection:
            """What is selected of it."""

        def set_selection(self, selection: Selection, part_id: str | None = None, keep_others: bool = False) -> None:
            """Makes a selection the present one."""

    def select(
        self, points: Any = None, edges: Any = None, faces: Any = None, add: bool = False, remove: bool = False
    ) -> None:
        """Selects elements of the active part: points or faces by index, edges as directed point pairs.

        An element may be named by a place in the world instead: {"near": (x, y, z)}, an edge {"near": (from, to)}.
        add, remove: to or from what is selected; else nothing else stays selected, in no part.
        """
        given = [
            (kind, values) for kind, values in zip(KINDS, (points, edges, faces), strict=True) if values is not None
        ]
        if len(given) != 1:
            raise EditError("Select one kind at a time: points, edges or faces.")
        kind, values = given[0]
        if isinstance(values, list | tuple) and any(isinstance(one, Mapping) for one in values):
            world = self.part.to_world(self.part.mesh)
            values = [element_near(world, kind, one) if isinstance(one, Mapping) else one for one in values]
        found = select(self.part.mesh.topology, kind, values)
        self.set_selection(combine(self.selection, found, add, remove), keep_others=add or remove)

    def select_all(self, kind: Kind) -> None:
        """Selects every element of a kind."""
        if kind not in KINDS:
            raise EditError(f'There are no "{kind}"; select points, edges or faces.')
        self.set_selection(select_all(self.part.mesh.topology, kind))

    def select_where(self, kind: Kind, add: bool = False, remove: bool = False, **conditions: Any) -> None:
        """Selects the elements for which every condition holds: sides=">4", plane="x", …"""
        world = self.part.to_world(self.part.mesh)
        found = select_where(world, kind, **read_conditions(conditions, self.document.reading))
        self.set_selection(combine(self.selection, found, add, remove), keep_others=add or remove)

    def select_sentence(self, sentence: str, add: bool = False, remove: bool = False) -> None:
        """Selects what a sentence describes: "faces where sides > 4"."""
        kind, conditions = parse_where(sentence, self.document.reading)
        self.select_where(kind, add, remove, **conditions)
