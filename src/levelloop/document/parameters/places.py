"""Parameters in space: vectors, sizes, places, planes, axes, curves."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.values import dataclass
from levelloop.document.parameters.base import (
    AXES_WORDS,
    LARGEST,
    Parameter,
    Reading,
    is_finite,
    listed,
    quoted,
)
from levelloop.document.parameters.numbers import Length
from levelloop.document.parameters.words import PartName
from levelloop.document.scripting.units import format_length, format_number, parse_length, parse_number

if TYPE_CHECKING:
    from levelloop.document.document import Document
    from levelloop.document.part import Part


@dataclass(frozen=True, eq=False)
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
        words = f", or {listed(self.words)}" if self.words else ""
        return f"The {self.name.replace('_', ' ')} is {self.size} numbers{words}, not {quoted(value)}."

    @property
    def measure(self) -> str:
        """What it measures."""
        return "length" if self.is_length else "number"

    def first(self, document: Document) -> Any:
        """Nothing along any axis."""
        return (0.0,) * self.size

    def resolved(self, value: Any, document: Document, part: Part) -> Any:
        """The anchor's place where the word stands for it. Raises EditError where there is none yet."""
        if value != "anchor" or "anchor" not in self.words:
            return value
        if document.anchor is None:
            raise EditError("There is no anchor yet; set one first.")
        return document.anchor

    def turned(self, value: Any, by: int) -> Any:
        """The same along the next or previous axis."""
        if isinstance(value, str) and value[-1:] in "xyz":
            return "xyz"[("xyz".index(value[-1]) + by) % 3]
        return tuple(value[(i - by) % 3] for i in range(3)) if isinstance(value, tuple) else value

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


class Curve(PartName):
    """A curve: another part by its name, or its points."""

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Any curve does, unless it lies in the plane; a part's, once its name is replaced by what it is."""
        if value is None or isinstance(value, str):
            return bool(value)
        return any(point[axis] != 0 for point in (value.points if isinstance(value, Mesh) else value))

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


class Axes(Parameter):
    """The axes that numbers count along: "world", "part", "normal", or three directions."""

    def resolved(self, value: Any, document: Document, part: Part) -> Any:
        """The directions of the part's own axes where the word stands for them."""
        return part.axes if value == "part" else value

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            if value.strip() not in AXES_WORDS:
                raise EditError(f"Axes are {listed(AXES_WORDS)}, or three directions, not {quoted(value)}.")
            return value.strip()
        try:
            return tuple(Vector("axis", is_length=False).read(axis, reading) for axis in value)
        except TypeError as error:
            raise EditError(f"Axes are {listed(AXES_WORDS)}, or three directions, not {quoted(value)}.") from error

    def _show(self, value: Any, unit: str) -> str:
        return value if isinstance(value, str) else "the view"

    def stepped(self, value: Any, by: float) -> Any:
        """The next or previous word."""
        place = AXES_WORDS.index(value) if value in AXES_WORDS else 0
        return AXES_WORDS[(place + (1 if by > 0 else -1)) % len(AXES_WORDS)]
