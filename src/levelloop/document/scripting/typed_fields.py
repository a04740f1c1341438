"""What a person types into a field of a sentence: "12 z", "5 xy", "45 x", "2 in + 3 mm"."""

from __future__ import annotations

import re
from typing import Any

from levelloop.document.parameters import Angle, Reading, Vector
from levelloop.document.registry import Operation
from levelloop.document.scripting.units import parse_length, parse_number

_WITH_AXES = re.compile(r"^(?P<number>.*?[\d)\s])\s*(?P<axes>[xyzXYZ]{1,3})$")


def typed_values(operation: Operation, name: str, text: str, reading: Reading) -> dict[str, Any]:
    """The parameters that a typed text stands for. Raises EditError where it cannot be read.

    A vector may be typed as one number and the axes it goes along; an angle with the axis it turns about.
    """
    parameter = operation.parameter(name)
    found = _WITH_AXES.match(text.strip())
    if found and isinstance(parameter, Vector) and parameter.size == 3:
        number = found["number"].strip()
        if not re.search(r"[xX]", number):
            parse = parse_length(number, reading.unit, reading.values) if parameter.is_length else None
            value = parse_number(number, reading.values) if parse is None else parse
            rest = 0.0 if parameter.is_length else 1.0
            axes = found["axes"].lower()
            return {name: tuple(value if axis in axes else rest for axis in "xyz")}
    has_axis = any(other.name == "axis" for other in operation.parameters)
    if found and isinstance(parameter, Angle) and has_axis and len(found["axes"]) == 1:
        return {name: parameter.read(found["number"], reading), "axis": found["axes"].lower()}
    return {name: parameter.read(text, reading)}
