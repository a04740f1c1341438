"""A file that cannot be read or written, and the one guard around all reading and writing."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from levelloop.core.errors import LevelLoopError
from levelloop.core.words import shortened


class FileError(LevelLoopError):
    """Says which file and what is wrong with it, in one sentence."""


class ChangedOnDiskError(FileError):
    """The file is another one than the one that was opened or saved last."""


@contextmanager
def guarded(path: Path, doing: str) -> Iterator[None]:
    """Turns whatever goes wrong in the block into a FileError with one sentence; the traceback goes into the log.

    doing: "read" or "written".
    """
    name = shortened(path.name)
    try:
        yield
    except FileError:
        raise
    except LevelLoopError as error:
        raise FileError(f"{name}: {error}") from error
    except OSError as error:
        # Where an array was written in part only there is no word from the system.
        raise FileError(f"{name} cannot be {doing}: {error.strerror or _in_words(str(error), doing)}.") from error
    except (MemoryError, OverflowError) as error:
        raise FileError(f"{name} cannot be {doing}: it needs more memory than there is.") from error
    # Whatever a library raises for a file it cannot make sense of: the document that is open must survive it.
    except Exception as error:
        logging.getLogger("levelloop").exception("%s could not be %s", path, doing)
        raise FileError(f"{name} cannot be {doing}: {_in_words(str(error), doing)}.") from error


# Helpers

# What libraries say of the disk, and what to say instead.
_KNOWN = {
    "No space left": "the disk is full",
    "File too large": "the disk takes no file as large",
    "Read-only": "the disk may only be read",
    "Permission denied": "that is not allowed there",
    "null byte": "its name has a character that no file's name may have",
    "requested and": "the disk did not take all of it; it may be full",
}


def _in_words(said: str, doing: str) -> str:
    """Why a file could not be read or written, from what a library said."""
    for words, meaning in _KNOWN.items():
        if words in said:
            return meaning
    if doing == "read":
        return "it is damaged, or of a kind not known here"
    return "the disk did not take it; the details are in the log"
