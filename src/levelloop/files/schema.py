"""Values of a file checked against the types they should have, one rule for all of them."""

from __future__ import annotations

import base64
import binascii
import math
import types
from collections.abc import Mapping
from dataclasses import MISSING, fields, is_dataclass
from typing import Any, Literal, Union, get_args, get_origin, get_type_hints

from levelloop.core.words import shortened
from levelloop.files.errors import FileError

LONGEST_TEXT = 10_000  # letters
LARGEST_NUMBER = 1e15


class WrongValueError(FileError):
    """A value that is not what it should be; says which."""


def checked(kind: Any, value: Any, name: str) -> Any:
    """The value as its type: str, bool, int, float, bytes (base 64), tuples, literals, optional ones, dataclasses.

    Dataclasses are read from objects: what is missing has its default, what is not known is left out.
    Raises WrongValueError with the name of what is wrong.
    """
    origin = get_origin(kind)
    if origin in (Union, types.UnionType):
        return _optional(kind, value, name)
    if origin is Literal:
        if value in get_args(kind) and not isinstance(value, bool):
            return value
    elif origin is tuple:
        return _sequence(kind, value, name)
    elif origin is not None and issubclass(origin, Mapping):
        if isinstance(value, dict):
            of = get_args(kind)[1]
            return {
                checked(str, key, name): checked(of, entry, f"{name} “{shortened(key)}”")
                for key, entry in value.items()
            }
    elif is_dataclass(kind):
        return _object(kind, value, name)
    elif kind is bool:
        if isinstance(value, bool):
            return value
    elif kind is str:
        if isinstance(value, str) and len(value) <= LONGEST_TEXT:
            return value
    elif kind is int:
        if isinstance(value, int) and not isinstance(value, bool) and abs(value) <= LARGEST_NUMBER:
            return value
    elif kind is float:
        if isinstance(value, int | float) and not isinstance(value, bool) and _is_usual(value):
            return float(value)
    elif kind is bytes:
        try:
            return base64.b64decode(value, validate=True)
        except (binascii.Error, TypeError, ValueError) as error:
            raise WrongValueError(f"{name} is no image") from error
    elif kind is Any:
        return value
    raise WrongValueError(f"{name} cannot be {shortened(repr(value), 40)}")


# Helpers


def _is_usual(value: float) -> bool:
    try:
        return math.isfinite(float(value)) and abs(value) <= LARGEST_NUMBER
    except OverflowError:
        return False


def _optional(kind: Any, value: Any, name: str) -> Any:
    if value is None and type(None) in get_args(kind):
        return None
    of = next(one for one in get_args(kind) if one is not type(None))
    return checked(of, value, name)


def _sequence(kind: Any, value: Any, name: str) -> tuple[Any, ...]:
    if not isinstance(value, list | tuple):
        raise WrongValueError(f"{name} cannot be {shortened(repr(value), 40)}")
    entries = get_args(kind)
    if len(entries) == 2 and entries[1] is Ellipsis:
        return tuple(checked(entries[0], entry, f"{name} {number + 1}") for number, entry in enumerate(value))
    if len(value) != len(entries):
        raise WrongValueError(f"{name} needs {len(entries)} values, not {len(value)}")
    return tuple(checked(of, entry, name) for of, entry in zip(entries, value, strict=True))


def _object(kind: Any, value: Any, name: str) -> Any:
    if not isinstance(value, dict):
        raise WrongValueError(f"{name} cannot be {shortened(repr(value), 40)}")
    hints = get_type_hints(kind)
    given: dict[str, Any] = {}
    for field in fields(kind):
        if field.name in value:
            given[field.name] = checked(hints[field.name], value[field.name], f"{name}: {field.name.replace('_', ' ')}")
        elif field.default is MISSING and field.default_factory is MISSING:
            raise WrongValueError(f"{name} has no {field.name}")
    return kind(**given)
