"""Conditions as a sentence: "faces where sides > 4 and material is wax"."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from levelloop.core.errors import EditError
from levelloop.core.mesh.selection import KINDS, Kind
from levelloop.core.select.where import comparison
from levelloop.core.values import dataclass
from levelloop.document.parameters import Parameter, Reading, Vector
from levelloop.document.scripting.units import MILLIMETRES, parse_length, parse_number

LONGEST = 300  # letters
DEEPEST = 8
EXAMPLE = "faces where sides > 4"
_OVER = {name: f"{name}_over" for name in ("crease", "angle", "flatness", "uneven")} | {"fold": "angle_over"}
_COUNTS = ("sides", "valence")
_DIRECTIONS = ("normal", "along")


@dataclass(frozen=True, eq=False)
class Where:
    """A sentence that was understood: its text, and what it says."""

    text: str
    kind: Kind
    conditions: dict[str, Any]


@dataclass(frozen=True)
class Sentence(Parameter):
    """A condition as a sentence."""

    def _read(self, value: Any, reading: Reading) -> Where | str:
        if isinstance(value, Where):
            return value
        if len(str(value)) > LONGEST:
            raise EditError(f"That is too long for a condition: {len(str(value)):,} letters.")
        if str(value).strip() in ("", "…"):
            return ""
        return Where(str(value), *parse_where(str(value), reading))

    def _show(self, value: Any, unit: str) -> str:
        return value.text if isinstance(value, Where) else str(value) or "…"


def parse_where(text: str, reading: Reading) -> tuple[Kind, dict[str, Any]]:
    """The kind and the conditions a sentence names, as select_where takes them.

    Written: sides > 4, valence 3, open, not open, crease > 2, angle > 30, flatness > 0.1 mm, material is wax,
    normal z within 5, along x within 5, plane x, plane z at 12 mm, box 0 0 0 to 10 10 10, near 0 0 5, 3 near 0 0 5,
    length < 2 mm, area > 4 mm², uneven > 3, on rim; each may follow "not"; joined by "and", and those by "or".
    Raises EditError with the place that is not understood.
    """
    found = re.fullmatch(r"\s*(\w+)\s+where\s+(.+?)\s*", text)
    if not found or found.group(1) not in KINDS:
        raise EditError(f"“{text}” is no condition; write points, edges or faces first: {EXAMPLE}.")
    kind: Kind = found.group(1)  # type: ignore[assignment]
    either = [_read_together(clauses, reading) for clauses in re.split(r"\s+or\s+", found.group(2))]
    return kind, either[0] if len(either) == 1 else {"any_of": either}


def read_conditions(conditions: Mapping[str, Any], reading: Reading, depth: int = 0) -> dict[str, Any]:
    """Conditions with lengths and areas as text, such as ">2 mm", in millimetres as select_where takes them."""
    if depth > DEEPEST:
        raise EditError(f"Conditions may stand {DEEPEST} deep in each other.")
    result = dict(conditions)
    for name in ("length", "area"):
        if isinstance(result.get(name), str):
            result[name] = _size(name, result[name], reading)
    for name in ("any_of", "none_of"):
        if isinstance(result.get(name), list | tuple):
            result[name] = [
                read_conditions(one, reading, depth + 1) if isinstance(one, Mapping) else one for one in result[name]
            ]
    if isinstance(result.get("near"), list | tuple):
        result["near"] = Vector("near").read(result["near"], reading)
    return result


# Helpers


def _read_together(clauses: str, reading: Reading) -> dict[str, Any]:
    """What clauses joined by "and" say."""
    conditions: dict[str, Any] = {}
    for clause in re.split(r"\s+and\s+", clauses):
        if clause.startswith("not ") and clause != "not open":
            conditions.setdefault("none_of", []).append(_read_clause(clause[4:].strip(), reading))
            continue
        for name, value in _read_clause(clause, reading).items():
            if name in conditions:
                raise EditError(f"“{name}” is there twice.")
            conditions[name] = value
    return conditions


def _size(name: str, text: str, reading: Reading) -> str:
    """A comparison with a length or an area, in mm or mm²."""
    sign, number = comparison(text)
    if name == "length":
        return f"{sign}{parse_length(number, reading.unit, reading.values)!r}"
    found = re.fullmatch(r"(.+?)\s*(?:(mm|cm|m|in|ft)(?:²|\^?2))?", number)
    assert found
    return f"{sign}{parse_number(found.group(1), None) * MILLIMETRES[found.group(2) or reading.unit] ** 2!r}"


def _read_clause(clause: str, reading: Reading) -> dict[str, Any]:
    words = clause.split()
    name, rest = words[0], " ".join(words[1:])
    if clause in ("open", "not open", "closed"):
        return {"open": clause == "open"}
    value = re.sub(r"^(is|are|of|=)\s*", "", rest)
    if name in _COUNTS and re.fullmatch(r"(<=|>=|<|>)?\s*\d+", value):
        return {name: value}
    if name in _OVER and re.match(r"(>|over)", value):
        number = re.sub(r"^(>|over)\s*", "", value)
        return {
            _OVER[name]: parse_length(number, reading.unit, reading.values) if name == "flatness" else _number(number)
        }
    if name == "material" and value:
        return {"material": value.strip("“”\"'")}
    if name in _DIRECTIONS and value:
        direction, _, within = value.partition(" within ")
        result: dict[str, Any] = {name: _direction(direction)}
        return {**result, "within": _number(within)} if within else result
    if name == "plane" and value:
        axis, _, at = value.partition(" at ")
        if axis not in ("x", "y", "z"):
            raise EditError(f"A plane is x, y or z, and may be at a length; “{value}” is neither.")
        place = parse_length(at, reading.unit, reading.values) if at else 0.0
        return {"plane": (tuple(place if axis == other else 0.0 for other in "xyz"), axis)}
    if name in ("length", "area") and value:
        return {name: _size(name, value, reading)}
    if name == "on" and value:
        return {"on": value.strip("“”\"'")}
    several = re.fullmatch(r"(?:(\d+) )?near (.+)", clause)
    if several:
        near = {"near": _three(several.group(2), reading, "A place")}
        return {**near, "count": int(several.group(1))} if several.group(1) else near
    if name == "box" and " to " in value:
        low, high = (_three(part, reading) for part in value.split(" to ", 1))
        return {"box": (low, high)}
    raise EditError(f"“{clause}” is not understood; write for example {EXAMPLE}.")


def _number(text: str) -> float:
    return parse_number(text.replace("°", ""), None)


def _direction(text: str) -> Any:
    numbers = text.replace(",", " ").split()
    return text if len(numbers) == 1 else tuple(_number(number) for number in numbers)


def _three(text: str, reading: Reading, what: str = "A corner of a box") -> tuple[float, ...]:
    numbers = text.replace(",", " ").split()
    if len(numbers) != 3:
        raise EditError(f"{what} is three lengths, not “{text}”.")
    return tuple(parse_length(number, reading.unit, reading.values) for number in numbers)
