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
        raise FileError(f"{name} cannot be {doing}: {error.strerror or shortened(error)}.") from error
    except (MemoryError, OverflowError) as error:
        raise FileError(f"{name} cannot be {doing}: it needs more memory than there is.") from error
    # Whatever a library raises for a file it cannot make sense of: the document that is open must survive it.
    except Exception as error:
        logging.getLogger("levelloop").exception("%s could not be %s", path, doing)
        why = (
            "it is damaged, or of a kind not known here" if doing == "read" else shortened(str(error).splitlines()[0:1])
        )
        raise FileError(f"{name} cannot be {doing}: {why}.") from error
