"""Typed numbers: "2 in + 3 mm", "360/20", "1 1/2 in", "2*last", named values.

A small recursive-descent parser: + − * / and brackets, no powers, no commas, finite results only.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from decimal import Decimal

from levelloop.core.errors import EditError

# Exact by definition (international yard and pound agreement, 1959): 1 in = 25.4 mm.
MILLIMETRES = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "ft": 304.8}
LONGEST_TEXT = 200
DEEPEST = 20

_TOKEN = re.compile(r"\s*(?:(\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+)|([A-Za-z_]\w*)|(°)|([-+*/()]))")


class UnitsError(EditError):
    """A typed number that cannot be read."""


def parse_length(text: str, unit: str = "mm", values: Mapping[str, float] | None = None) -> float:
    """A typed length in millimetres; bare numbers take the given unit.

    values: named values, in millimetres, and "last". Raises UnitsError with the place of the mistake.

    >>> parse_length("2 ft 3 in"), parse_length("1 1/2 in"), parse_length("2 in + 3 mm")
    (685.8, 38.099999999999994, 53.8)
    """
    number, has_unit = _Reader(text, values or {}, MILLIMETRES).read()
    return number if has_unit else number * MILLIMETRES[unit]


def parse_number(text: str, values: Mapping[str, float] | None = None) -> float:
    """A typed plain number or angle in degrees.

    >>> parse_number("360/20")
    18.0
    """
    return _Reader(text, values or {}, {"deg": 1.0, "°": 1.0}).read()[0]


def format_number(value: float) -> str:
    """Up to four decimals, trailing zeros dropped.

    >>> format_number(2.50000001), format_number(-0.00001)
    ('2.5', '0')
    """
    text = f"{value:.4f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def format_length(millimetres: float, unit: str = "mm") -> str:
    """A length with its unit."""
    return f"{format_number(millimetres / MILLIMETRES[unit])} {unit}"


def told_in(sentence: str, unit: str) -> str:
    """A sentence about millimetres, also square and cubic ones, in a unit; what is quoted stays.

    Numbers keep as many digits, three at least.

    The core speaks millimetres, and of large ones with exponents; people count in their unit, without.

    >>> told_in("Supports at 5.08 to 6.35 mm beside “bolt 5 mm”.", "in")
    'Supports at 0.2 to 0.25 in beside “bolt 5 mm”.'
    """
    pieces = _QUOTED.split(sentence)
    pieces[::2] = [_LENGTHS.sub(lambda found: _told(found, unit), piece) for piece in pieces[::2]]
    return "".join(pieces)


# Helpers

_QUOTED = re.compile(r"(“[^”]*”|\"[^\"]*\")")
_NUMBER = re.compile(r"\d+(?:\.\d+)?(?:e[+-]?\d+)?")
# One length, or several that share their unit.
_LENGTHS = re.compile(rf"(?<![\w.])({_NUMBER.pattern}(?:(?: to | and | × | → ){_NUMBER.pattern})*) mm([²³]?)(?!\w)")
_POWERS = {"": 1, "²": 2, "³": 3}


def _told(found: re.Match[str], unit: str) -> str:
    def converted(number: re.Match[str]) -> str:
        if unit == "mm" and "e" not in number[0]:
            return number[0]
        digits = max(3, len(number[0].partition("e")[0].replace(".", "").lstrip("0")))
        return format(Decimal(f"{float(number[0]) / per_unit:.{digits}g}"), "f")

    per_unit = MILLIMETRES[unit] ** _POWERS[found[2]]
    return f"{_NUMBER.sub(converted, found[1])} {unit}{found[2]}"


class _Reader:
    """Reads one expression; a value is (number, whether a unit has fixed what it measures)."""

    def __init__(self, text: str, values: Mapping[str, float], units: Mapping[str, float]) -> None:
        if len(text) > LONGEST_TEXT:
            raise UnitsError(f"That is too long for a number: {len(text)} characters.")
        self.text, self.values, self.units = text, values, units
        self.tokens: list[tuple[str, str, int]] = []
        self.place, self.depth = 0, 0
        here = 0
        while here < len(text.rstrip()):
            found = _TOKEN.match(text, here)
            if found is None:
                mark = text[here:].lstrip()[0]
                where = text.index(mark, here) + 1
                hint = " Write decimals with a point." if mark == "," else ""
                raise UnitsError(f'"{text.strip()}" has a "{mark}" at place {where} that means nothing here.{hint}')
            number, name, degree, sign = found.groups()
            kind = "number" if number else "name" if name or degree else "sign"
            self.tokens.append((kind, number or name or degree or sign, found.start() + 1))
            here = found.end()

    def read(self) -> tuple[float, bool]:
        if not self.tokens:
            raise UnitsError("A number is missing.")
        result = self._sum()
        if self.place < len(self.tokens):
            token = self.tokens[self.place]
            raise UnitsError(f'"{self.text.strip()}" cannot be read from "{token[1]}" on.')
        if not math.isfinite(result[0]):
            raise UnitsError(f'"{self.text.strip()}" is not a finite number.')
        return result

    def _peek(self, offset: int = 0) -> tuple[str, str]:
        index = self.place + offset
        return self.tokens[index][:2] if index < len(self.tokens) else ("end", "")

    def _sum(self) -> tuple[float, bool]:
        total, has_unit = self._product()
        while self._peek() in (("sign", "+"), ("sign", "-")):
            sign = self.tokens[self.place][1]
            self.place += 1
            value, other_unit = self._product()
            if has_unit != other_unit and total != 0 and value != 0:
                raise UnitsError(f'"{self.text.strip()}" adds a length to a number without a unit.')
            total = total + value if sign == "+" else total - value
            has_unit = has_unit or other_unit
        return total, has_unit

    def _product(self) -> tuple[float, bool]:
        value, has_unit = self._signed()
        while self._peek() in (("sign", "*"), ("sign", "/")):
            sign = self.tokens[self.place][1]
            self.place += 1
            factor, factor_unit = self._signed()
            if sign == "*":
                if has_unit and factor_unit:
                    raise UnitsError(f'"{self.text.strip()}" multiplies a length by a length.')
                value, has_unit = value * factor, has_unit or factor_unit
            else:
                if factor == 0:
                    raise UnitsError(f'"{self.text.strip()}" divides by zero.')
                if factor_unit and not has_unit:
                    raise UnitsError(f'"{self.text.strip()}" divides by a length.')
                value, has_unit = value / factor, has_unit and not factor_unit
        return value, has_unit

    def _signed(self) -> tuple[float, bool]:
        if self._peek() in (("sign", "-"), ("sign", "+")):
            sign = self.tokens[self.place][1]
            self._deeper()
            self.place += 1
            value, has_unit = self._signed()
            self.depth -= 1
            return (-value if sign == "-" else value), has_unit
        return self._measure()

    def _measure(self) -> tuple[float, bool]:
        """Numbers with units, one after the other: "2 ft 3 in", "1 1/2 in"."""
        value, has_unit = self._quantity()
        while has_unit and self._peek()[0] == "number" and self._unit_follows():
            more, _ = self._quantity()
            value += more
        return value, has_unit

    def _unit_follows(self) -> bool:
        ahead = 1
        while self._peek(ahead)[0] == "number" or self._peek(ahead) == ("sign", "/"):
            ahead += 1
        return self._peek(ahead)[0] == "name" and self._peek(ahead)[1] in self.units

    def _quantity(self) -> tuple[float, bool]:
        kind, word = self._peek()
        if kind == "number":
            self.place += 1
            value = float(word)
            whole = self._peek()[0] == "number" and self._peek(1) == ("sign", "/")
            if whole and self._peek(2)[0] == "number":  # 1 1/2
                top, bottom = float(self._peek()[1]), float(self._peek(2)[1])
                if bottom == 0:
                    raise UnitsError(f'"{self.text.strip()}" divides by zero.')
                self.place += 3
                value += top / bottom
            elif (
                self._peek() == ("sign", "/")
                and self._peek(1)[0] == "number"
                and self._peek(2)[0] == "name"
                and self._peek(2)[1] in self.units
            ):  # 1/2 in
                bottom = float(self._peek(1)[1])
                if bottom == 0:
                    raise UnitsError(f'"{self.text.strip()}" divides by zero.')
                self.place += 2
                value /= bottom
            kind, word = self._peek()
            if kind == "name" and word in self.units:
                self.place += 1
                return value * self.units[word], True
            return value, False
        if kind == "name":
            self.place += 1
            if word not in self.values:
                raise UnitsError(f'"{word}" is neither a unit nor a named value.')
            return self.values[word], self.units is MILLIMETRES
        if (kind, word) == ("sign", "("):
            self._deeper()
            self.place += 1
            inner = self._sum()
            if self._peek() != ("sign", ")"):
                raise UnitsError(f'"{self.text.strip()}" lacks a closing bracket.')
            self.place += 1
            self.depth -= 1
            return inner
        raise UnitsError(f'"{self.text.strip()}" stops where a number is expected.')

    def _deeper(self) -> None:
        self.depth += 1
        if self.depth > DEEPEST:
            raise UnitsError("That is nested too deeply for a number.")
