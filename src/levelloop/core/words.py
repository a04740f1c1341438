"""Words that sentences are made of: numbers with their nouns, long texts cut short."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Told:
    """A sentence with lengths in it, mm, that are told in whatever unit is wanted: its words and lengths, in order.

    >>> str(Told("The surface ripples, ", 0.125, " high."))
    'The surface ripples, 0.125 mm high.'
    """

    pieces: tuple[str | float, ...]

    def __init__(self, *pieces: str | float) -> None:
        object.__setattr__(self, "pieces", pieces)

    def __str__(self) -> str:
        return self.told(lambda length: f"{length:.3g} mm")

    def told(self, length: Callable[[float], str]) -> str:
        """The sentence with each length as it is told."""
        return "".join(piece if isinstance(piece, str) else length(float(piece)) for piece in self.pieces)


def counted(number: int, noun: str, plural: str | None = None) -> str:
    """A number with its noun.

    >>> counted(1, "face"), counted(2, "face")
    ('1 face', '2 faces')
    """
    return f"{number:,} {noun if number == 1 else (plural or noun + 's')}"


def verb(number: int, one: str, several: str) -> str:
    """The form of a verb that fits a number."""
    return one if number == 1 else several


def sentence(words: str) -> str:
    """Words as a sentence.

    >>> sentence("the group has no steps")
    'The group has no steps.'
    """
    return f"{words[:1].upper()}{words[1:]}."


def shortened(text: object, most: int = 60) -> str:
    """A text that may be long, cut where a sentence repeats it.

    >>> shortened("a" * 100, 5)
    'aaaaa…'
    """
    whole = str(text)
    return whole if len(whole) <= most else f"{whole[:most]}…"
