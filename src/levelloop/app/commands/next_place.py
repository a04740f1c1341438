"""The next place of a line that is drawn, typed: so far towards the pointer, or so far along x, y and z."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from levelloop.app.measured import length_told
from levelloop.app.tools.drawing import DrawLine
from levelloop.core.arrays import Floats
from levelloop.document.parameters import Length, Vector
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.window import Window

# A question that is asked as operations are; what it comes to is one more place.
QUESTION = Operation(
    "",
    "Next point",
    "Add",
    lambda document: document,
    "Go on[ {far} towards the pointer][ by {by}]",
    "The next point of what is drawn, exactly",
    "document",
    (
        Length("far", 10.0, "From the last point", optional=True, instead_of="by", low=0, above_low=True),
        Vector("by", None, "Along x, y and z instead", optional=True, instead_of="far"),
    ),
)


def ask_next_place(window: Window, text: str) -> bool:
    """Asks for the next place of the line that is drawn, what was typed in its first field; whether one is drawn."""
    tool, view = window.panes.hands.tool, window.view
    if not isinstance(tool, DrawLine) or not tool.takes_numbers:
        return False
    way = tool.way(view)

    def aimed(values: Mapping[str, Any]) -> Floats | None:
        if tool.last is None:
            return None
        return np.asarray(tool.last + (values["far"] * way if values["by"] is None else np.array(values["by"])))

    def aim() -> Floats | None:
        waiting = window.sentence.running.waiting
        return aimed(waiting[1]) if waiting is not None and waiting[0] is QUESTION else None

    def note(values: Mapping[str, Any]) -> str:
        view.overlay.update()
        place = aimed(values)
        if place is None or tool.last is None:
            return ""
        return (
            f"{length_told(float(np.linalg.norm(place - tool.last)), window.session.document.unit)} from the last point"
        )

    def keep(values: dict[str, Any]) -> None:
        place = aimed(values)
        if place is not None:
            tool.add(view, place)
        view.overlay.update()

    tool.aim = aim
    window.sentence.ask(QUESTION, QUESTION.defaults(), keep, note)
    return window.sentence.open_field(text)
