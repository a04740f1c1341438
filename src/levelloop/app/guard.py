"""The one guard around what the toolkit calls: every override of one of its methods, put on when a class is written.

An error raised by compiled code that leaves such an override ends the whole process, in the toolkit's binding for
Python 3.11: the error is still half made, and the binding edits it. Caught and raised again in Python it is whole, and
reaches `sys.excepthook` like any other, where `defects` tells and logs it; what the toolkit waits for is its default.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from types import FunctionType
from typing import Any

from PySide6.QtCore import QObject

GUARDED = "is_guarded"


def guarded(override: Callable[..., Any]) -> Callable[..., Any]:
    """An override whose errors are whole when they leave it."""

    @wraps(override)
    def called(*given: Any, **named: Any) -> Any:
        try:
            return override(*given, **named)
        except BaseException as error:
            raise error

    setattr(called, GUARDED, True)
    return called


def overrides_of(kind: type) -> list[str]:
    """The names of the toolkit's methods that a class itself overrides."""
    theirs = [base for base in kind.__mro__ if base.__module__.startswith("PySide6")]
    ours = (name for name, value in vars(kind).items() if isinstance(value, FunctionType))
    return [name for name in ours if name != "__init__" and any(name in vars(base) for base in theirs)]


def guard_overrides() -> None:
    """Puts the guard on the overrides of every class that is derived from the toolkit's from now on."""

    def guard(kind: type[QObject], /, **named: Any) -> None:
        super(QObject, kind).__init_subclass__(**named)
        for name in overrides_of(kind):
            if not hasattr(vars(kind)[name], GUARDED):
                setattr(kind, name, guarded(vars(kind)[name]))

    QObject.__init_subclass__ = classmethod(guard)  # type: ignore[assignment]
