"""What every parameter of an operation is: how a typed or scripted value is read, checked and shown."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.values import dataclass
from levelloop.core.words import shortened

if TYPE_CHECKING:
    from levelloop.document.document import Document
    from levelloop.document.part import Part

LARGEST = 1e12  # mm or whatever it counts: squares of squares of it can still be reckoned with
AUTOMATIC_WORD = "auto"  # how an automatic distance is written in files and scripts
AXES_WORDS = ("world", "part", "normal")


@dataclass(frozen=True, eq=False)
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


@dataclass(frozen=True, eq=False)
class Parameter:
    """One number or choice of an operation.

    hint: one line for the person who edits it; step: how much an arrow key changes it; closed_at: the value at which a
    bracket of the sentence that names it stays closed; unless: another one that, where it is given, stands for it;
    instead_of: another one that is let go of where this one is given; offered: the sentence offers it where it is left
    out.
    """

    name: str
    default: Any = None
    hint: str = ""
    optional: bool = False
    step: float = 1.0
    closed_at: Any = None
    unless: str = ""
    instead_of: str = ""
    offered: bool = True

    @property
    def is_typed(self) -> bool:
        """Whether people type it; else it is drawn, picked or given by a script."""
        return True

    @property
    def measure(self) -> str:
        """What it measures: "length", "angle", "number", or nothing."""
        return ""

    @property
    def lacking(self) -> str:
        """What is said where there is nothing to choose from."""
        return "There is no other part to name."

    def tells_sides(self, value: Any, axis: int) -> bool:
        """Whether the value means another thing on the other side of the plane across an axis."""
        return False

    def as_last(self, value: Any) -> float | None:
        """The number that "last" stands for after this value, None for none."""
        return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None

    def first(self, document: Document) -> Any:
        """What an optional value is once it is asked for; None where there is nothing to choose from."""
        return ""

    def resolved(self, value: Any, document: Document, part: Part) -> Any:
        """The value as an edit of a part takes it: names and words replaced by what they stand for.

        Raises EditError where that is not there.
        """
        return value

    def read(self, value: Any, reading: Reading) -> Any:
        """The checked value; text is parsed. Raises EditError."""
        if value is None and self.optional:
            return None
        return self._read(value, reading)

    def show(self, value: Any, unit: str = "mm") -> str:
        """The value in words."""
        return "as it is" if value is None else self._show(value, unit) or "nothing"

    def stepped(self, value: Any, by: float) -> Any:
        """The value after so many steps, or itself where it does not step."""
        return value

    def _read(self, value: Any, reading: Reading) -> Any:
        return value

    def _show(self, value: Any, unit: str) -> str:
        return str(value)


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


def listed(words: tuple[str, ...]) -> str:
    """Words with "or" before the last."""
    return " or ".join(words) if len(words) < 3 else ", ".join(words[:-1]) + " or " + words[-1]
