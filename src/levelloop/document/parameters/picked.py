"""Parameters that are picked in the view rather than typed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from levelloop.core.errors import EditError
from levelloop.document.parameters.base import (
    Parameter,
    Reading,
    quoted,
)
from levelloop.document.parameters.numbers import Count
from levelloop.document.parameters.places import Vector


class Picked(Parameter):
    """What is picked in the view or named in a script, and never typed."""

    @property
    def is_typed(self) -> bool:
        """Whether people type it."""
        return False


class PartNames(Picked):
    """Several parts by their names."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if not isinstance(value, list | tuple) or not all(isinstance(name, str) for name in value):
            raise EditError(f"The {self.name} are a list of names, not {quoted(value)}.")
        return tuple(value)

    def _show(self, value: Any, unit: str) -> str:
        return " and ".join(f"“{name}”" for name in value)


class PointPairs(Picked):
    """Edges by the numbers of their points."""

    def _read(self, value: Any, reading: Reading) -> Any:
        number = Count("point", low=0, high=2**62)
        try:
            return tuple((number.read(a, reading), number.read(b, reading)) for a, b in value)
        except (TypeError, ValueError) as error:
            raise EditError(f"The {self.name} is a list of point pairs [a, b], not {quoted(value)}.") from error


class PointPair(Picked):
    """One edge by the numbers of its points, in the order in which it is gone along."""

    def _read(self, value: Any, reading: Reading) -> Any:
        number = Count("point", low=0, high=2**62)
        try:
            first, second = value
            return number.read(first, reading), number.read(second, reading)
        except (TypeError, ValueError) as error:
            raise EditError(f"The {self.name} is two points [a, b], not {quoted(value)}.") from error

    def _show(self, value: Any, unit: str) -> str:
        return f"points {value[0]} and {value[1]}"


class CutPath(Picked):
    """Places of a cut in order: on an edge, on a point, in a face, or anywhere as (x, y, z)."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str) or not isinstance(value, list | tuple):
            raise EditError(f"The {self.name} is a list of places, not {quoted(value)}.")
        return tuple(
            dict(entry) if isinstance(entry, Mapping) else Vector("place").read(entry, reading) for entry in value
        )
