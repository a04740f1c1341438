"""Measured numbers as they are told: in the document's unit, with no more decimals than are wanted."""

from __future__ import annotations

from collections.abc import Iterable

from levelloop.document.scripting.units import MILLIMETRES, format_number

_decimals = 4


def set_decimals(decimals: int) -> None:
    """Lets all measured numbers that are told from now on have at most so many decimals."""
    global _decimals
    _decimals = decimals


def number_told(value: float) -> str:
    """A number without a unit.

    >>> number_told(2.50001), number_told(-0.00001)
    ('2.5', '0')
    """
    return format_number(round(value, _decimals))


def length_told(millimetres: float, unit: str) -> str:
    """A length with its unit.

    >>> length_told(38.1, "in")
    '1.5 in'
    """
    return lengths_told((millimetres,), unit, "")


def roughly_told(millimetres: float, unit: str) -> str:
    """A length that was found somewhere, to three digits.

    >>> roughly_told(25.4 / 3, "in")
    '0.333 in'
    """
    return f"{millimetres / MILLIMETRES[unit]:.3g} {unit}"


def lengths_told(millimetres: Iterable[float], unit: str, between: str) -> str:
    """Lengths with words between them, and their unit once.

    >>> lengths_told((25.4, 50.8), "in", " x ")
    '1 x 2 in'
    """
    return f"{between.join(number_told(one / MILLIMETRES[unit]) for one in millimetres)} {unit}"


def area_told(square_millimetres: float, unit: str) -> str:
    """An area in squares of the unit.

    >>> area_told(645.16, "in")
    '1 in²'
    """
    return f"{number_told(square_millimetres / MILLIMETRES[unit] ** 2)} {unit}²"
