"""A file that cannot be read or written."""

from __future__ import annotations

from levelloop.core.errors import LevelLoopError


class FileError(LevelLoopError):
    """Says which file and what is wrong with it, in one sentence."""
