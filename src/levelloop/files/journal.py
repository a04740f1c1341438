"""The journal: what was done is safe on the disk moments after it was done, and offered again where the program died.

Each running window has a folder of its own in the user's state folder, with the document as it is now and a few words
about it. A lock tells whether the window still runs; it is let go by the system, however the window ends.
"""

from __future__ import annotations

import fcntl
import json
import secrets
import shutil
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import IO

from levelloop.core.errors import LevelLoopError
from levelloop.core.values import dataclass
from levelloop.document.document import Document
from levelloop.document.session import Session
from levelloop.files import read_document, write_document
from levelloop.files.atomic import replacing

KEPT = 5  # works of windows that died; older ones are taken away
DOCUMENT, ABOUT, PICTURE, LOCK = "work.usdc", "about.json", "picture.png", "lock"


@dataclass(frozen=True)
class Rescued:
    """Work of a window that died. name: what the document was called; path: its file, where it had one."""

    folder: Path
    name: str
    path: Path | None
    at: datetime

    @property
    def picture(self) -> Path | None:
        """What the view showed, where that was kept."""
        found = self.folder / PICTURE
        return found if found.exists() else None


class Journal:
    """Writes one window's document whenever it changes, in a thread of its own; the latest wins.

    failed: called with a sentence where the disk does not take it.
    """

    def __init__(self, home: Path | None = None, failed: Callable[[str], None] = lambda sentence: None) -> None:
        self._home = journals_path() if home is None else home
        self._failed = failed
        self._folder: Path | None = None
        self._lock: IO[bytes] | None = None
        self._wanted: tuple[Document, Path | None, bytes | None] | None = None
        self._writing = False
        self._closed = False
        self._turn = threading.Condition()
        self._thread: threading.Thread | None = None

    @property
    def folder(self) -> Path | None:
        """Where this window's work is kept; None before there is any."""
        return self._folder

    def note(self, document: Document, path: Path | None = None, picture: bytes | None = None) -> None:
        """Lets a document be written soon. path: its file, where it has one; picture: PNG, None keeps the last."""
        with self._turn:
            if self._closed:
                return
            self._wanted = (document, path, picture)
            if self._thread is None:
                self._thread = threading.Thread(target=self._write_on, daemon=True, name="journal")
                self._thread.start()
            self._turn.notify_all()

    def flush(self, seconds: float = 10.0) -> bool:
        """Waits until what was noted is written; whether it is."""
        with self._turn:
            return self._turn.wait_for(lambda: self._wanted is None and not self._writing, seconds)

    def forget(self) -> None:
        """Takes this window's work away: it is saved, or was given up on purpose."""
        with self._turn:
            self._wanted = None
            self._turn.wait_for(lambda: not self._writing, 10.0)
            folder, self._folder = self._folder, None
            if self._lock is not None:
                self._lock.close()
                self._lock = None
        if folder is not None:
            shutil.rmtree(folder, ignore_errors=True)

    def close(self) -> None:
        """Ends the thread; what is on the disk stays unless it was forgotten."""
        with self._turn:
            self._closed = True
            self._wanted = None
            self._turn.notify_all()
        if self._thread is not None:
            self._thread.join(10.0)

    # Helpers

    def _write_on(self) -> None:
        while True:
            with self._turn:
                self._turn.wait_for(lambda: self._wanted is not None or self._closed)
                if self._wanted is None:
                    return
                wanted, self._wanted, self._writing = self._wanted, None, True
            try:
                self._write(*wanted)
            except (OSError, LevelLoopError) as error:
                self._failed(f"The work cannot be kept safe: {error}")
            finally:
                with self._turn:
                    self._writing = False
                    self._turn.notify_all()

    def _write(self, document: Document, path: Path | None, picture: bytes | None) -> None:
        if self._folder is None:
            folder = self._home / f"{int(time.time())}-{secrets.token_hex(4)}"
            folder.mkdir(parents=True)
            self._lock = (folder / LOCK).open("wb")
            fcntl.flock(self._lock, fcntl.LOCK_EX)
            self._folder = folder
        write_document(document, self._folder / DOCUMENT)
        name = path.name if path is not None else document.parts[0].name if document.parts else "Untitled"
        about = {"name": name, "path": str(path) if path is not None else None, "at": time.time()}
        with replacing(self._folder / ABOUT) as temporary:
            temporary.write_text(json.dumps(about))
        if picture is not None:
            with replacing(self._folder / PICTURE) as temporary:
                temporary.write_bytes(picture)


def journals_path() -> Path:
    """Where the work of running windows is kept."""
    from platformdirs import user_state_path

    return user_state_path("levelloop") / "work"


def rescued(home: Path | None = None) -> list[Rescued]:
    """Works of windows that died, the latest first; what holds none, and what is older than the last few, goes."""
    home = journals_path() if home is None else home
    found: list[Rescued] = []
    for folder in sorted(home.iterdir(), reverse=True) if home.is_dir() else []:
        if not folder.is_dir() or _is_running(folder):
            continue
        known = _about(folder)
        if known is None or len(found) >= KEPT:
            shutil.rmtree(folder, ignore_errors=True)
        else:
            found.append(known)
    return found


def taken_up(work: Rescued) -> Session:
    """A session that goes on with rescued work, not saved yet. Raises LevelLoopError where it cannot be read."""
    return Session.rescued(read_document(work.folder / DOCUMENT), work.path)


def given_up(work: Rescued) -> None:
    """Takes rescued work away."""
    shutil.rmtree(work.folder, ignore_errors=True)


def _about(folder: Path) -> Rescued | None:
    if not (folder / DOCUMENT).exists():
        return None
    name, path, at = "Untitled", None, (folder / DOCUMENT).stat().st_mtime
    with suppress(OSError, ValueError, TypeError, AttributeError):
        about = json.loads((folder / ABOUT).read_text())
        name, at = str(about.get("name") or name), float(about.get("at") or at)
        path = Path(about["path"]) if about.get("path") else None
    return Rescued(folder, name, path, datetime.fromtimestamp(at))


def _is_running(folder: Path) -> bool:
    try:
        with (folder / LOCK).open("rb") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False
