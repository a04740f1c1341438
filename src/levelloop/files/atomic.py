"""Writing a file so that it is either the old one or the whole new one, even when the machine stops half-way."""

from __future__ import annotations

import os
import re
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from levelloop.core.words import shortened
from levelloop.files.errors import FileError, guarded

# The library for stages writes beside them under names that go on after their ending.
_LEFT_BEHIND = re.compile(r"\.levelloop-(\d+)-[0-9a-f]+.*")


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary path beside the target, with its ending; moved over the target once the block is done.

    A link is followed: what it leads to is replaced. Raises FileError where the folder, the disk or the target's
    permissions do not allow it; the target is then as it was.
    """
    with guarded(path, "written"):
        target = path.resolve()
        if target.is_dir():
            raise FileError(f"{shortened(path.name)} is a folder.")
        if target.exists() and not os.access(target, os.W_OK):
            raise FileError(f"{shortened(path.name)} may only be read; save under another name.")
        if not target.parent.is_dir():
            raise FileError(f"{path} cannot be written: there is no folder {shortened(target.parent)}.")
        _clean(target.parent)
        # A short name of its own: the target's may be as long as the disk allows.
        temporary = target.parent / f".levelloop-{os.getpid()}-{secrets.token_hex(4)}{target.suffix}"
        try:
            with temporary.open("xb"):
                pass
            yield temporary
            with temporary.open("rb+") as stream:
                os.fsync(stream.fileno())
            temporary.chmod(target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask())
            temporary.replace(target)
            _sync_folder(target.parent)
        except FileError as error:
            # What writes knows the temporary name only; nobody else does.
            said = str(error).replace(str(temporary), str(path)).replace(temporary.name, shortened(path.name))
            raise FileError(said) from error
        finally:
            temporary.unlink(missing_ok=True)


# Helpers


def _clean(folder: Path) -> None:
    """Takes away what saves that were killed have left in a folder."""
    for entry in os.scandir(folder):
        found = _LEFT_BEHIND.fullmatch(entry.name)
        if found and not _is_running(int(found.group(1))):
            Path(entry.path).unlink(missing_ok=True)


def _is_running(process: int) -> bool:
    try:
        os.kill(process, 0)
    except (ProcessLookupError, OverflowError):
        return False
    except PermissionError:
        return True
    return True


def _sync_folder(folder: Path) -> None:
    """Makes sure that the new name survives a stop of the machine too; some file systems do not know how."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    except OSError:
        return
    finally:
        os.close(handle)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
