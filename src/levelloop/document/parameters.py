"""Parameter types of operations: each reads typed or scripted values, checks them, and shows them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.tolerance import AUTOMATIC, Automatic
from levelloop.core.words import shortened
from levelloop.document.scripting.units import format_length, format_number, parse_length, parse_number

LARGEST = 1e12  # mm or whatever it counts: squares of squares of it can still be reckoned with
AUTOMATIC_WORD = "auto"  # how an automatic distance is written in files and scripts
AXES_WORDS = ("world", "part", "normal")


@dataclass(frozen=True)
class Reading:
    """What reading a typed value needs to know: the unit of bare numbers and the named values.

    last: the number of a measure ("length", "angle", "number") that an operation had last, None where none had.
    """

    unit: str = "mm"
    values: Mapping[str, float] | None = None
    last: Callable[[str], float | None] | None = None

    def known(self, measure: str, text: str) -> Mapping[str, float]:
        """The named values, and "last" where the text asks for it. Raises EditError where there is no last one."""
        values = self.values or {}
        if "last" not in text:
            return values
        last = None if self.last is None else self.last(measure)
        if last is None and "last" not in values:
            raise EditError(f"There is no last {measure} yet.")
        return values if last is None else {**values, "last": last}


@dataclass(frozen=True)
class Parameter:
    """One number or choice of an operation.

    hint: one line for the person who edits it; step: how much an arrow key changes it; closed_at: the value at which a
    bracket of the sentence that names it stays closed; unless: another one that, where it is given, stands for it.
    """

    name: str
    default: Any = None
    hint: str = ""
    optional: bool = False
    step: float = 1.0
    closed_at: Any = None
    unless: str = ""

    @property
    def is_typed(self) -> bool:
        """Whether people type it; else it is drawn, picked or given by a script."""
        return True

    @property
    def measure(self) -> str:
        """What it measures: "length", "angle", "number", or nothing."""
        return ""

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Whether the value means another thing on the other side of the plane across an axis."""
        return False

    def as_last(self, value: Any) -> float | None:
        """The number that "last" stands for after this value, None for none."""
        return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None

    def read(self, value: Any, reading: Reading) -> Any:
        """The checked value; text is parsed. Raises EditError."""
        if value is None and self.optional:
            return None
        return self._read(value, reading)

    def show(self, value: Any, unit: str = "mm") -> str:
        """The value in words."""
        return "as it is" if value is None else self._show(value, unit)

    def stepped(self, value: Any, by: float) -> Any:
        """The value after so many steps, or itself where it does not step."""
        return value

    def _read(self, value: Any, reading: Reading) -> Any:
        return value

    def _show(self, value: Any, unit: str) -> str:
        return str(value)


@dataclass(frozen=True)
class Number(Parameter):
    """A number in a range. words: allowed instead of a number."""

    low: float = -np.inf
    high: float = np.inf
    above_low: bool = False
    words: tuple[str, ...] = ()

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


@dataclass(frozen=True)
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


@dataclass(frozen=True)
class Within(Length):
    """How near counts as the same place: automatic where nobody typed one, written "auto"; a typed one is absolute."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, Automatic):
            return value
        if isinstance(value, str) and value.strip() == AUTOMATIC_WORD:
            return self.default if isinstance(self.default, Automatic) else AUTOMATIC
        return super()._read(value, reading)


@dataclass(frozen=True)
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


@dataclass(frozen=True)
class Ratio(Number):
    """A share or factor."""

    step: float = 0.05


@dataclass(frozen=True)
class Count(Number):
    """A whole number."""

    low: float = 1
    high: float = 1000

    def _cast(self, value: Any) -> Any:
        if float(value) != int(value):
            raise EditError(f"{self._title()} must be a whole number, not {format_number(float(value))}.")
        return int(value)


@dataclass(frozen=True)
class PointNumber(Count):
    """A point by its number."""

    low: float = 0
    high: float = 1e9

    def show(self, value: Any, unit: str = "mm") -> str:
        """The point in words."""
        return "the last one picked" if value is None else f"point {value}"


@dataclass(frozen=True)
class StepNumber(Count):
    """A step of a recipe: counted from 0 in scripts, from 1 where people read and type."""

    low: float = 0

    def _parse(self, text: str, reading: Reading) -> float:
        return super()._parse(text, reading) - 1

    def _show(self, value: Any, unit: str) -> str:
        return f"{value + 1}"


@dataclass(frozen=True)
class Choice(Parameter):
    """One of a few words; sided: those that mean another side in a mirror, as left and right do."""

    words: tuple[str, ...] = ()
    sided: tuple[str, ...] = ()

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Whether the word means another side there."""
        return value in self.sided

    def _read(self, value: Any, reading: Reading) -> Any:
        if not isinstance(value, str) or value not in self.words:
            title = self.name.replace("_", " ").capitalize()
            raise EditError(f"{title} is {_listed(self.words)}, not {quoted(value)}.")
        return value

    def stepped(self, value: Any, by: float) -> Any:
        """The next or previous word."""
        if value not in self.words:
            return self.words[0 if by > 0 else -1]
        return self.words[(self.words.index(value) + (1 if by > 0 else -1)) % len(self.words)]


@dataclass(frozen=True)
class Toggle(Parameter):
    """Yes or no, each with its word in the sentence."""

    default: Any = False
    on: str = "yes"
    off: str = "no"

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str) and value in (self.on, self.off):
            return value == self.on
        if not isinstance(value, (bool, np.bool_)):
            raise EditError(f"{self.name.replace('_', ' ').capitalize()} is true or false, not {quoted(value)}.")
        return bool(value)

    def _show(self, value: Any, unit: str) -> str:
        return self.on if value else self.off

    def stepped(self, value: Any, by: float) -> Any:
        """The other of the two."""
        return not value


@dataclass(frozen=True)
class Vector(Parameter):
    """Three numbers, lengths where is_length; single: one number stands for all three. words: allowed instead.

    sided: a place or direction, not a size.
    """

    is_length: bool = True
    single: bool = False
    size: int = 3
    words: tuple[str, ...] = ()
    whole: bool = False
    sided: bool = True

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            text = value.strip()
            if text in self.words:
                return text
            parts = text.replace("×", " x ").strip("()[]").split(" x ")
            if len(parts) == 1:
                parts = text.strip("()[]").split(",") if "," in text else text.strip("()[]").split()
            if self.single and len(parts) == 1:
                return self._one(text, reading)
            value = parts
        if self.single and isinstance(value, (int, float)) and not isinstance(value, bool):
            return self._one(value, reading)
        try:
            parts = list(value)
        except TypeError as error:
            raise EditError(self._complaint(value)) from error
        if len(parts) != self.size:
            raise EditError(self._complaint(value))
        return tuple(self._one(part, reading) for part in parts)

    def _complaint(self, value: Any) -> str:
        words = f", or {_listed(self.words)}" if self.words else ""
        return f"The {self.name.replace('_', ' ')} is {self.size} numbers{words}, not {quoted(value)}."

    @property
    def measure(self) -> str:
        """What it measures."""
        return "length" if self.is_length else "number"

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Whether it has something across the plane: a place or a direction, not a size."""
        if isinstance(value, str):
            return value.lstrip("+-") == "xyz"[axis]
        return self.sided and isinstance(value, tuple) and len(value) == 3 and value[axis] != 0

    def as_last(self, value: Any) -> float | None:
        """The entry that is farthest from zero."""
        if isinstance(value, tuple) and value:
            return float(max(value, key=abs))
        return super().as_last(value)

    def _one(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            known = reading.known(self.measure, value)
            value = parse_length(value, reading.unit, known) if self.is_length else parse_number(value, known)
        if not is_finite(value):
            title = self.name.replace("_", " ")
            raise EditError(
                f"The {title} has an entry that is no finite number of at most {LARGEST:,.0f}: {quoted(value)}."
            )
        if self.whole:
            if float(value) != int(value):
                raise EditError(f"The {self.name.replace('_', ' ')} must be whole numbers.")
            return int(value)
        return float(value)

    def _show(self, value: Any, unit: str) -> str:
        if isinstance(value, str):
            return value
        if isinstance(value, (int, float)):
            return format_length(value, unit) if self.is_length else format_number(value)
        if not self.is_length:
            return " x ".join(format_number(part) for part in value)
        return " x ".join(format_length(part, unit).rsplit(" ", 1)[0] for part in value) + f" {unit}"


@dataclass(frozen=True)
class Rims(Parameter):
    """A list of (along, across) pairs of lengths."""

    def _read(self, value: Any, reading: Reading) -> Any:
        pair = Vector("rim", size=2)
        if isinstance(value, str):
            value = [part.split(",") for part in value.split(";") if part.strip()]
        try:
            return tuple(pair.read(entry, reading) for entry in value)
        except TypeError as error:
            raise EditError(f"Rims are a list of pairs (along, across), not {quoted(value)}.") from error

    def _show(self, value: Any, unit: str) -> str:
        return "; ".join(f"{format_number(a)}, {format_number(b)}" for a, b in value)


@dataclass(frozen=True)
class Text(Parameter):
    """A word or name of so many letters at most."""

    longest: int = 200

    def _read(self, value: Any, reading: Reading) -> Any:
        if not isinstance(value, str):
            raise EditError(f"The {self.name} is a text, not {quoted(value)}.")
        if len(value.strip()) > self.longest:
            raise EditError(f"The {self.name} has {len(value.strip()):,} letters; {self.longest} are the most.")
        return value.strip()

    def _show(self, value: Any, unit: str) -> str:
        return f"“{value}”" if value else "no name"


@dataclass(frozen=True)
class PartName(Text):
    """Another part by its name."""

    def show(self, value: Any, unit: str = "mm") -> str:
        """The name, or that there is none."""
        return f"“{value}”" if value else "nothing"


@dataclass(frozen=True)
class OfPart(PartName):
    """The part that is meant, by its name; the active one where none is named."""

    def show(self, value: Any, unit: str = "mm") -> str:
        """The name, or that it is the active one."""
        return f"“{value}”" if value else "the part"


@dataclass(frozen=True)
class Curve(PartName):
    """A curve: another part by its name, or its points."""

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Any curve does, unless it lies in the plane."""
        return bool(value) if isinstance(value, str) else any(point[axis] != 0 for point in value or ())

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            return value.strip()
        try:
            return tuple(Vector("point").read(point, reading) for point in value)
        except TypeError as error:
            raise EditError(f"A curve is a part's name or a list of points, not {quoted(value)}.") from error

    def show(self, value: Any, unit: str = "mm") -> str:
        """The name, or how many points it has."""
        return f"{len(value)} points" if value and not isinstance(value, str) else super().show(value, unit)


@dataclass(frozen=True)
class Points(Parameter):
    """A list of places (x, y, z), typed with semicolons between."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            value = [part.replace(",", " ").split() for part in value.split(";") if part.strip()]
        try:
            return tuple(Vector("point").read(point, reading) for point in value)
        except TypeError as error:
            raise EditError(f"Points are a list of places (x, y, z), not {quoted(value)}.") from error

    def _show(self, value: Any, unit: str) -> str:
        if len(value) > 4:
            return f"{len(value)} points"
        return "; ".join(" ".join(format_number(number) for number in point) for point in value)


@dataclass(frozen=True)
class Lengths(Parameter):
    """One length, or a list of them typed with semicolons between."""

    def _read(self, value: Any, reading: Reading) -> Any:
        length = Length(self.name)
        if isinstance(value, str):
            value = [part for part in value.split(";") if part.strip()]
        if isinstance(value, (int, float)) and not isinstance(value, bool):
            return (length.read(value, reading),)
        try:
            return tuple(length.read(entry, reading) for entry in value)
        except TypeError as error:
            raise EditError(f"The {self.name} are one length or a list of them, not {quoted(value)}.") from error

    def _show(self, value: Any, unit: str) -> str:
        return "; ".join(format_length(float(entry), unit) for entry in value)


@dataclass(frozen=True)
class PlaneOf(Parameter):
    """A plane: x, y or z through the origin, or (point, normal)."""

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Whether the plane lies or faces otherwise on the other side."""
        if isinstance(value, str):
            return value.lstrip("+-") == "xyz"[axis]
        place, normal = value
        return bool(place[axis] != 0 or Vector("normal").tells_sides(normal, axis))

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            if value.strip().lstrip("+-") not in ("x", "y", "z"):
                raise EditError(f"A plane is x, y or z, or a point and a normal, not {quoted(value)}.")
            return value.strip()
        try:
            point, normal = value
        except (TypeError, ValueError) as error:
            raise EditError(f"A plane is x, y or z, or a point and a normal, not {quoted(value)}.") from error
        direction = Vector("normal", is_length=False, words=("x", "y", "z", "-x", "-y", "-z"))
        return (Vector("point").read(point, reading), direction.read(normal, reading))

    def _show(self, value: Any, unit: str) -> str:
        if isinstance(value, str):
            return value
        return f"{Vector('point').show(value[0], unit)} facing {Vector('normal', is_length=False).show(value[1])}"

    def stepped(self, value: Any, by: float) -> Any:
        """The next or previous axis."""
        axes = ("x", "y", "z")
        return axes[(axes.index(value) + (1 if by > 0 else -1)) % 3] if value in axes else "x"


@dataclass(frozen=True)
class Sizes(Parameter):
    """Three lengths, any of which may be left open."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            value = [None if part.strip() in ("", "-") else part for part in value.replace("×", " x ").split(" x ")]
        try:
            parts = list(value)
        except TypeError as error:
            raise EditError(f"A size is three lengths, not {quoted(value)}.") from error
        if len(parts) != 3:
            raise EditError(f"A size is three lengths, not {quoted(value)}; leave one open with -.")
        length = Length("size", low=0)
        return tuple(None if part is None else length.read(part, reading) for part in parts)

    def _show(self, value: Any, unit: str) -> str:
        return " x ".join("-" if part is None else format_length(part, unit) for part in value)


@dataclass(frozen=True)
class Axes(Parameter):
    """The axes that numbers count along: "world", "part", "normal", or three directions."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            if value.strip() not in AXES_WORDS:
                raise EditError(f"Axes are {_listed(AXES_WORDS)}, or three directions, not {quoted(value)}.")
            return value.strip()
        try:
            return tuple(Vector("axis", is_length=False).read(axis, reading) for axis in value)
        except TypeError as error:
            raise EditError(f"Axes are {_listed(AXES_WORDS)}, or three directions, not {quoted(value)}.") from error

    def _show(self, value: Any, unit: str) -> str:
        return value if isinstance(value, str) else "the view"

    def stepped(self, value: Any, by: float) -> Any:
        """The next or previous word."""
        place = AXES_WORDS.index(value) if value in AXES_WORDS else 0
        return AXES_WORDS[(place + (1 if by > 0 else -1)) % len(AXES_WORDS)]


@dataclass(frozen=True)
class Expression(Parameter):
    """A typed length kept as it was typed, to be read again: "2 in + 3 mm", or a number."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            return value.strip()
        if not is_finite(value):
            raise EditError(f"The {self.name} is a length, not {quoted(value)}.")
        return repr(float(value))


@dataclass(frozen=True)
class Picked(Parameter):
    """What is picked in the view or named in a script, and never typed."""

    @property
    def is_typed(self) -> bool:
        """Whether people type it."""
        return False


@dataclass(frozen=True)
class PartNames(Picked):
    """Several parts by their names."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if not isinstance(value, list | tuple) or not all(isinstance(name, str) for name in value):
            raise EditError(f"The {self.name} are a list of names, not {quoted(value)}.")
        return tuple(value)

    def _show(self, value: Any, unit: str) -> str:
        return " and ".join(f"“{name}”" for name in value)


@dataclass(frozen=True)
class PointPairs(Picked):
    """Edges by the numbers of their points."""

    def _read(self, value: Any, reading: Reading) -> Any:
        number = Count("point", low=0, high=2**62)
        try:
            return tuple((number.read(a, reading), number.read(b, reading)) for a, b in value)
        except (TypeError, ValueError) as error:
            raise EditError(f"The {self.name} is a list of point pairs [a, b], not {quoted(value)}.") from error


@dataclass(frozen=True)
class CutPath(Picked):
    """Places of a cut in order: on an edge, on a point, in a face, or anywhere as (x, y, z)."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str) or not isinstance(value, list | tuple):
            raise EditError(f"The {self.name} is a list of places, not {quoted(value)}.")
        return tuple(
            dict(entry) if isinstance(entry, Mapping) else Vector("place").read(entry, reading) for entry in value
        )


@dataclass(frozen=True)
class Colour(Parameter):
    """A colour as #RRGGBB."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if not isinstance(value, str) or not re.fullmatch(r"#[0-9A-Fa-f]{6}", value.strip()):
            raise EditError(f"A colour is written #RRGGBB, such as #D3CABB, not {quoted(value)}.")
        return value.strip().upper()


def is_finite(value: Any) -> bool:
    """Whether a value is a number that a length or count can be."""
    if isinstance(value, bool) or not isinstance(value, int | float | np.number):
        return False
    try:
        return abs(float(value)) <= LARGEST  # NaN is not
    except OverflowError:
        return False


def quoted(value: Any) -> str:
    """A value as a sentence repeats it, cut where it is long."""
    return shortened(repr(value))


def _listed(words: tuple[str, ...]) -> str:
    return " or ".join(words) if len(words) < 3 else ", ".join(words[:-1]) + " or " + words[-1]
