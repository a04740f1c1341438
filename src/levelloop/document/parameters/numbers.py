"""Parameters that are numbers: lengths, angles, ratios, counts."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.tolerance import AUTOMATIC, Automatic
from levelloop.core.values import dataclass
from levelloop.document.parameters.base import (
    AUTOMATIC_WORD,
    LARGEST,
    Parameter,
    Reading,
    is_finite,
    quoted,
)
from levelloop.document.scripting.units import format_length, format_number, parse_length, parse_number

if TYPE_CHECKING:
    from levelloop.document.document import Document


@dataclass(frozen=True, eq=False)
class Number(Parameter):
    """A number in a range. words: allowed instead of a number; asked: what it is once it is asked for."""

    low: float = -np.inf
    high: float = np.inf
    above_low: bool = False
    words: tuple[str, ...] = ()
    asked: float = 1.0

    def first(self, document: Document) -> Any:
        """What it is once it is asked for, within its range."""
        return self._cast(min(max(self.asked, self.low), self.high))

    def show(self, value: Any, unit: str = "mm") -> str:
        """The number with its unit, or the word."""
        return value if isinstance(value, str) else super().show(value, unit)

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str) and value.strip() in self.words:
            return value.strip()
        if isinstance(value, str):
            value = self._parse(value, reading)
        if not is_finite(value):
            raise EditError(f"{self._title()} must be a finite number of at most {LARGEST:,.0f}, not {quoted(value)}.")
        if value < self.low or value > self.high or (self.above_low and value == self.low):
            raise EditError(f"{self._title()} must be {self._range()}; {format_number(float(value))} is not.")
        return self._cast(value)

    def _show(self, value: Any, unit: str) -> str:
        return format_number(float(value))

    def stepped(self, value: Any, by: float) -> Any:
        """The number so many steps on, within its range; a word stays."""
        if isinstance(value, str):
            return value
        wanted = (0 if value is None else value) + by * self.step
        low = self.low + self.step if self.above_low else self.low
        return self._cast(min(max(wanted, low), self.high))

    @property
    def measure(self) -> str:
        """What it measures."""
        return "number"

    def _parse(self, text: str, reading: Reading) -> float:
        return parse_number(text, reading.known(self.measure, text))

    def _cast(self, value: Any) -> Any:
        return float(value)

    def _title(self) -> str:
        return "The " + self.name.replace("_", " ")

    def _range(self) -> str:
        if np.isfinite(self.low) and np.isfinite(self.high):
            return f"between {format_number(self.low)} and {format_number(self.high)}"
        if np.isfinite(self.high):
            return f"at most {format_number(self.high)}"
        return f"{'above' if self.above_low else 'at least'} {format_number(self.low)}"


class Length(Number):
    """A length in millimetres."""

    @property
    def measure(self) -> str:
        """What it measures."""
        return "length"

    def _parse(self, text: str, reading: Reading) -> float:
        return parse_length(text, reading.unit, reading.known(self.measure, text))

    def _show(self, value: Any, unit: str) -> str:
        return format_length(float(value), unit)


@dataclass(frozen=True, eq=False)
class Within(Length):
    """How near counts as the same place: automatic where nobody typed one, written "auto"; a typed one is absolute."""

    asked: float = 0.001

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, Automatic):
            return value
        if isinstance(value, str) and value.strip() == AUTOMATIC_WORD:
            return self.default if isinstance(self.default, Automatic) else AUTOMATIC
        return super()._read(value, reading)


@dataclass(frozen=True, eq=False)
class Angle(Number):
    """An angle in degrees; turns: something is turned by it, so that a mirror turns it the other way."""

    step: float = 5.0
    turns: bool = False

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Whether the mirrored angle is another one."""
        return self.turns and isinstance(value, int | float) and value % 360 != 0

    @property
    def measure(self) -> str:
        """What it measures."""
        return "angle"

    def _show(self, value: Any, unit: str) -> str:
        return f"{format_number(float(value))}°"


@dataclass(frozen=True, eq=False)
class Ratio(Number):
    """A share or factor."""

    step: float = 0.05
    asked: float = 0.25


@dataclass(frozen=True, eq=False)
class Count(Number):
    """A whole number."""

    low: float = 1
    high: float = 1000

    def _cast(self, value: Any) -> Any:
        if float(value) != int(value):
            raise EditError(f"{self._title()} must be a whole number, not {format_number(float(value))}.")
        return int(value)


@dataclass(frozen=True, eq=False)
class PointNumber(Count):
    """A point by its number."""

    low: float = 0
    high: float = 1e9

    def show(self, value: Any, unit: str = "mm") -> str:
        """The point in words."""
        return "the last one picked" if value is None else f"point {value}"


@dataclass(frozen=True, eq=False)
class StepNumber(Count):
    """A step of a recipe: counted from 0 in scripts, from 1 where people read and type."""

    low: float = 0

    def _parse(self, text: str, reading: Reading) -> float:
        return super()._parse(text, reading) - 1

    def _show(self, value: Any, unit: str) -> str:
        return f"{value + 1}"
