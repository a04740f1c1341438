"""The one guard around what the toolkit calls: every override of one of its methods, put on when a class is written.

No error leaves an override. One that compiled code has raised would end the whole process there, in the toolkit's
binding for Python 3.11, which edits what is still half made; and any error that goes on through several overrides, from
the drawing of a view to its event, is kept and printed by the binding in ways that end it too. It goes to
`sys.excepthook` instead, where `defects` tells and logs it, and the toolkit gets what stands for nothing.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import wraps
from types import FunctionType
from typing import Any

from PySide6.QtCore import QObject, QSize

GUARDED = "is_guarded"
# What the toolkit wants back from methods that return something, where they have gone wrong.
INSTEAD: dict[str, Callable[[], Any]] = {
    "event": bool,
    "eventFilter": bool,
    "focusNextPrevChild": bool,
    "sizeHint": QSize,
    "mimeTypes": list,
}


def guarded(override: Callable[..., Any]) -> Callable[..., Any]:
    """An override that no error leaves."""
    instead = INSTEAD.get(override.__name__, lambda: None)

    @wraps(override)
    def called(*given: Any, **named: Any) -> Any:
        try:
            return override(*given, **named)
        # Whatever goes wrong while the toolkit waits: this is the window's one guard.
        except Exception as error:
            sys.excepthook(type(error), error, error.__traceback__)
            return instead()

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
