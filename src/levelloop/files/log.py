"""The log: where the details of what went wrong go, for whoever mends it."""

from __future__ import annotations

import logging
from logging.handlers import RotatingFileHandler
from pathlib import Path

MOST = 1_000_000  # bytes of one log file; one older is kept


def log_path() -> Path:
    """Where the log is kept."""
    from platformdirs import user_state_path

    return user_state_path("levelloop") / "levelloop.log"


class _Once(logging.Filter):
    """Lets what says so (`extra={"once": …}`) be written once."""

    def __init__(self) -> None:
        super().__init__()
        self._written: set[object] = set()

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether a record is to be written."""
        once = getattr(record, "once", None)
        if once in self._written:
            return False
        if once is not None:
            self._written.add(once)
        return True


def keep_log() -> Path:
    """Lets the log be written to its file from now on; returns where. Where that cannot be, nothing is kept."""
    path = log_path()
    logger = logging.getLogger("levelloop")
    kept = [handler for handler in logger.handlers if isinstance(handler, RotatingFileHandler)]
    if not any(handler.baseFilename == str(path.absolute()) for handler in kept):
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            handler = RotatingFileHandler(path, maxBytes=MOST, backupCount=1, encoding="utf-8", delay=True)
        except OSError:
            return path
        for other in kept:
            # The log is in one place: where it is kept now.
            logger.removeHandler(other)
            other.close()
        handler.addFilter(_Once())
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
        logger.addHandler(handler)
        logger.propagate = False
    return path
