"""What a person types into a field of a sentence: "12 z", "5 xy", "45 x", "2 in + 3 mm"."""

from __future__ import annotations

import contextlib
import math
import re
from collections.abc import Mapping
from typing import Any

from levelloop.core.errors import EditError
from levelloop.document.parameters import Angle, Reading, Vector
from levelloop.document.registry import Operation
from levelloop.document.scripting.units import parse_length, parse_number

_WITH_AXES = re.compile(r"^(?P<number>.*?[\d)\s])\s*(?P<axes>[xyzXYZ]{1,3})$")


def typed_values(
    operation: Operation, name: str, text: str, reading: Reading, along: tuple[float, float, float] | None = None
) -> dict[str, Any]:
    """The parameters that a typed text stands for. Raises EditError where it cannot be read.

    A vector may be typed as one number and the axes it goes along; an angle with the axis it turns about. along: where
    a bare number goes.
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
    if along is not None and isinstance(parameter, Vector) and parameter.is_length and parameter.size == 3:
        with contextlib.suppress(EditError):
            value = parse_length(text, reading.unit, reading.values)
            return {name: tuple(value * share for share in along)}
    has_axis = any(other.name == "axis" for other in operation.parameters)
    if found and isinstance(parameter, Angle) and has_axis and len(found["axes"]) == 1:
        return {name: parameter.read(found["number"], reading), "axis": found["axes"].lower()}
    return {name: parameter.read(text, reading)}


def along_axis(operation: Operation, values: Mapping[str, Any], axis: str) -> dict[str, Any]:
    """The numbers that let a move, rotate or scale go along an axis as far as it went; empty where it has not moved."""
    for parameter in operation.parameters:
        value = values.get(parameter.name)
        if parameter.name == "axis":
            return {"axis": axis}
        if isinstance(parameter, Vector) and parameter.is_length and parameter.size == 3 and isinstance(value, tuple):
            most = max(value, key=abs)
            length = math.copysign(math.hypot(*value), most)
            return {parameter.name: tuple(length if one == axis else 0.0 for one in "xyz")} if length else {}
        if isinstance(parameter, Vector) and parameter.single:
            factors = value if isinstance(value, tuple) else (value,) * 3
            factor = max(factors, key=lambda one: abs(one - 1.0))
            return {parameter.name: tuple(factor if one == axis else 1.0 for one in "xyz")} if factor != 1.0 else {}
    return {}
