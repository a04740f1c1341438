"""What a part is called and looks like, and what may be done to it: checked, scripted and undone like anything else."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from levelloop.core.errors import EditError
from levelloop.core.mesh.selection import Selection
from levelloop.core.words import shortened
from levelloop.document.document import Document
from levelloop.document.parameters import Colour, Parameter, Ratio, Reading, Text, Toggle
from levelloop.document.running.part_edits import Change

LOOKS: tuple[Parameter, ...] = (
    Text("name", None, "Its name", optional=True),
    Colour("colour", None, "#RRGGBB", optional=True),
    Ratio("opacity", None, "0 seen through to 1", optional=True, low=0, high=1),
    Toggle("visible", None, "Whether it is shown", optional=True, on="shown", off="hidden"),
    Toggle("locked", None, "Whether it can be changed", optional=True, on="locked", off="unlocked"),
    Toggle("helper", None, "Whether it is left out of results", optional=True, on="a helper", off="no helper"),
    Text("group", None, "Its group; / makes groups in groups", optional=True),
)


def set_part(document: Document, selections: Mapping[str, Selection], part: str | None = None, **looks: Any) -> Change:
    """Changes what is given of a part's looks and locks, of the active part where none is named."""
    changed = document.by_name(part) if part else document.part
    given = {name: value for name, value in looks.items() if value is not None}
    if not given:
        raise EditError("Say what the part should be: its name, colour, opacity, shown, locked, a helper, its group.")
    result = document.with_part(replace(changed, **checked_looks(given)))
    told = taken_name(given["name"], result.by_id(changed.id).name) if "name" in given else ""
    return Change(replace(result, active=document.active), selections, told)


def checked_looks(given: Mapping[str, Any]) -> dict[str, Any]:
    """Looks as a part takes them. Raises EditError for what is no look or cannot be one."""
    known = {parameter.name: parameter for parameter in LOOKS}
    result: dict[str, Any] = {}
    for name, value in given.items():
        if name not in known:
            raise EditError(f"A part has no “{shortened(name)}” to be set; it has {', '.join(known)}.")
        result[name] = known[name].read(value, Reading())
        if result[name] is None:
            raise EditError(f"The part's {name} needs a value.")
    if result.get("name") == "":
        raise EditError("A part needs a name.")
    if "group" in result:
        result["group"] = "/".join(filter(None, (word.strip() for word in result["group"].split("/"))))
    return result


def taken_name(wanted: str, given: str) -> str:
    """What is to be said where a part could not be called as wanted."""
    return "" if wanted == given else f"The name “{wanted}” is taken; the part is now “{given}”."
