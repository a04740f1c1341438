"""Writing a file so that it is either the old one or the whole new one."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from levelloop.files.errors import FileError


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary path beside the target, with its ending; moved over the target once the block is done.

    Raises FileError where the folder or disk does not allow it; the target is then as it was.
    """
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.stem}-", suffix=path.suffix, dir=path.parent)
        os.close(handle)
    except OSError as error:
        raise FileError(f"{path} cannot be written: {error.strerror or error}.") from error
    temporary = Path(name)
    try:
        yield temporary
        with temporary.open("rb+") as stream:
            os.fsync(stream.fileno())
        mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
        temporary.chmod(mode)
        temporary.replace(path)
    except OSError as error:
        raise FileError(f"{path} cannot be written: {error.strerror or error}.") from error
    finally:
        temporary.unlink(missing_ok=True)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
