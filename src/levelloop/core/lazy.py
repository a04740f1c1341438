"""Values worked out on first use and kept, without a lock that instances share."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, Self, TypeVar, overload

Value = TypeVar("Value")


class lazy(Generic[Value]):  # noqa: N801 - it is used as a decorator, like property
    """A property worked out on first use and kept in the instance's own dictionary.

    Two threads that ask at once may both work it out; both then hold the one that was kept first. Python 3.11's own
    cached_property has one lock for all instances of a class instead: a window would wait for a worker that works out
    the same property of something else.
    """

    def __init__(self, work_out: Callable[[Any], Value]) -> None:
        self._work_out = work_out
        self.__doc__ = work_out.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, instance: None, owner: type) -> Self: ...
    @overload
    def __get__(self, instance: object, owner: type) -> Value: ...

    def __get__(self, instance: object | None, owner: type) -> Self | Value:
        if instance is None:
            return self
        kept: Value = instance.__dict__.setdefault(self._name, self._work_out(instance))
        return kept


def kept(owner: object, name: str, work_out: Callable[[], Value]) -> Value:
    """What is worked out once of an immutable value and kept with it, by modules above the one it comes from."""
    found: dict[str, Value] = owner.__dict__
    return found[name] if name in found else found.setdefault(name, work_out())
