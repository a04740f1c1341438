"""Words that sentences are made of: numbers with their nouns, long texts cut short."""

from __future__ import annotations


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
