"""Parts and the document."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from levelloop.core.errors import EditError
from levelloop.document.document import Document, Part
from levelloop.document.parameters import (
    Plain,
    Text,
)
from levelloop.document.registry import Operation
from levelloop.document.units import parse_length


def _rename(part: Part, name: str) -> Part:
    if not name:
        raise EditError("A part needs a name.")
    return replace(part, name=name)


def _set_value(document: Document, name: str, value: Any) -> Document:
    if not name.isidentifier() or name in ("mm", "cm", "m", "in", "ft", "last"):
        raise EditError(f'"{name}" cannot be a name; use letters, digits and _, and no unit.')
    reading = document.reading
    text = str(value)
    number = parse_length(text, document.unit, reading.values)
    return replace(document, values={**document.values, name: (text, number)})


PARTS: tuple[Operation, ...] = (
    Operation(
        "rename_part",
        "Rename part",
        "Part",
        _rename,
        "Call the part {name}",
        "Gives the active part a name",
        "part",
        (Text("name", "", "Its new name"),),
    ),
    Operation(
        "set_value",
        "Named value",
        "Edit",
        _set_value,
        "Let {name} be {value}",
        "A length that typed numbers may use",
        "document",
        (Text("name", "", "Its name"), Plain("value", "0 mm")),
    ),
)
