"""Parameters that are words: choices, texts, names of parts, colours."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.values import dataclass
from levelloop.document.parameters.base import (
    Parameter,
    Reading,
    is_finite,
    listed,
    quoted,
)

if TYPE_CHECKING:
    from levelloop.document.document import Document
    from levelloop.document.part import Part


@dataclass(frozen=True, eq=False)
class Choice(Parameter):
    """One of a few words; sided: those that mean another side in a mirror, as left and right do."""

    words: tuple[str, ...] = ()
    sided: tuple[str, ...] = ()

    def first(self, document: Document) -> Any:
        """The first of the words."""
        return self.words[0]

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Whether the word means another side there."""
        return value in self.sided

    def _read(self, value: Any, reading: Reading) -> Any:
        if not isinstance(value, str) or value not in self.words:
            title = self.name.replace("_", " ").capitalize()
            raise EditError(f"{title} is {listed(self.words)}, not {quoted(value)}.")
        return value

    def stepped(self, value: Any, by: float) -> Any:
        """The next or previous word."""
        if value not in self.words:
            return self.words[0 if by > 0 else -1]
        return self.words[(self.words.index(value) + (1 if by > 0 else -1)) % len(self.words)]


@dataclass(frozen=True, eq=False)
class Toggle(Parameter):
    """Yes or no, each with its word in the sentence."""

    default: Any = False
    on: str = "yes"
    off: str = "no"

    def first(self, document: Document) -> Any:
        """No, at first."""
        return False

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


class WhereSmoothed(Toggle):
    """Yes or no; an edit takes a yes only of a part that is smoothed."""

    def resolved(self, value: Any, document: Document, part: Part) -> Any:
        """Whether, of that part."""
        return bool(value) and (part.level > 0 or part.limit)


@dataclass(frozen=True, eq=False)
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


class GroupName(Text):
    """The path of a group of parts, as "hive/frame"."""

    @property
    def lacking(self) -> str:
        """That there is no group."""
        return "The part is in no group."

    def first(self, document: Document) -> Any:
        """The active part's group; None where it is in none."""
        return (document.part.group or None) if document.parts else None

    def _read(self, value: Any, reading: Reading) -> Any:
        return super()._read(value, reading).strip().strip("/") or None

    def show(self, value: Any, unit: str = "mm") -> str:
        """The name, or that there is none."""
        return f"“{value}”" if value else "nothing"


class PartName(Text):
    """Another part by its name; an edit takes its mesh after its recipe, not smoothed by the rail, in the world."""

    def first(self, document: Document) -> Any:
        """The first of the others; None where there is no other."""
        return next((part.name for part in document.parts if part.id != document.active), None)

    def resolved(self, value: Any, document: Document, part: Part) -> Any:
        """The mesh of the part of that name. Raises EditError where there is none."""
        if not isinstance(value, str):
            return value
        if not value:
            return None
        other = document.by_name(value).seen_from(part.group)
        return other.to_world(other.stepped)

    def show(self, value: Any, unit: str = "mm") -> str:
        """The name, or that there is none."""
        return f"“{value}”" if value else "nothing"


class SurfaceOf(PartName):
    """Another part by its name; an edit takes its limit surface, or its cage where it is not smoothed, in the world."""

    def resolved(self, value: Any, document: Document, part: Part) -> Any:
        """The surface of the part of that name. Raises EditError where there is none."""
        if not isinstance(value, str) or not value:
            return super().resolved(value, document, part)
        other = document.by_name(value).seen_from(part.group)
        return other.limit_shape if other.level > 0 or other.limit else other.to_world(other.stepped)


class OfPart(PartName):
    """The part that is meant, by its name; the active one where none is named."""

    def show(self, value: Any, unit: str = "mm") -> str:
        """The name, or that it is the active one."""
        return f"“{value}”" if value else "the part"


class Expression(Parameter):
    """A typed length kept as it was typed, to be read again: "2 in + 3 mm", or a number."""

    def _read(self, value: Any, reading: Reading) -> Any:
        if isinstance(value, str):
            return value.strip()
        if not is_finite(value):
            raise EditError(f"The {self.name} is a length, not {quoted(value)}.")
        return repr(float(value))


class Colour(Parameter):
    """A colour as #RRGGBB."""

    def first(self, document: Document) -> Any:
        """A plain one, to be typed over."""
        return "#D3CABB"

    def _read(self, value: Any, reading: Reading) -> Any:
        if not isinstance(value, str) or not re.fullmatch(r"#[0-9A-Fa-f]{6}", value.strip()):
            raise EditError(f"A colour is written #RRGGBB, such as #D3CABB, not {quoted(value)}.")
        return value.strip().upper()
