"""Defects of our own: one sentence for the person, the traceback in the log, the document as it was."""

from __future__ import annotations

import logging
import sys
import time
from collections.abc import Callable
from types import TracebackType

from levelloop.files.log import keep_log

QUIET = 10.0  # seconds in which the same defect is not told again


def told_defect(error: BaseException) -> str:
    """Writes a defect into the log; returns what to say about it."""
    path = keep_log()
    logging.getLogger("levelloop").error("a defect", exc_info=error)
    return f"■ That went wrong ({type(error).__name__}), and nothing was changed; the details are in {path}."


def catch_defects(tell: Callable[[str], None]) -> None:
    """Lets what goes wrong where nobody waits for it, as in an answer to a click, be told too.

    What goes wrong with every picture is told and written down once in a while, not with each of them.
    """
    last_told: dict[str, float] = {}

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        what, now = repr(error), time.monotonic()
        if now - last_told.get(what, -QUIET) < QUIET:
            return
        last_told[what] = now
        tell(told_defect(error.with_traceback(trace)))

    sys.excepthook = hook
