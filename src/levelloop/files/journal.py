"""The journal: what was done is safe on the disk moments after it was done, and offered again where the program died.

Each running window has a folder of its own in the user's state folder, with the document as it is now and a few words
about it. A lock tells whether the window still runs; it is let go by the system, however the window ends.
"""

from __future__ import annotations

import fcntl
import json
import logging
import os
import re
import secrets
import shutil
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import IO

from levelloop.core.errors import LevelLoopError
from levelloop.core.values import dataclass
from levelloop.core.words import shortened
from levelloop.document.document import Document
from levelloop.document.session import Session
from levelloop.files import read_document
from levelloop.files.atomic import replacing
from levelloop.files.usd.write import write_usd

KEPT = 5  # works of windows that died; older ones are taken away
DOCUMENT, ABOUT, PICTURE, LOCK = "work.usdc", "about.json", "picture.png", "lock"
MOST_ABOUT = 100_000  # bytes
AGAIN = 3.0  # seconds until what the disk did not take is tried again
_OURS = re.compile(r"\d+-[0-9a-f]+")


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
        return found if found.is_file() else None


class Journal:
    """Writes one window's document whenever it changes, in a thread of its own; the latest wins.

    What the disk does not take is tried again every few seconds until it does. changed: called, in any thread, where
    trouble begins, becomes another, or ends.
    """

    def __init__(self, home: Path | None = None, changed: Callable[[], None] = lambda: None) -> None:
        self._home = journals_path() if home is None else home
        self.changed = changed
        self._folder: Path | None = None
        self._lock: IO[bytes] | None = None
        self._wanted: tuple[Document, Path | None, bytes | None] | None = None
        self._writing = False
        self._closed = False
        self._trouble = ""
        self._noted = self._tried = 0  # documents, counted
        self._turn = threading.Condition()
        self._thread: threading.Thread | None = None

    @property
    def folder(self) -> Path | None:
        """Where this window's work is kept; None before there is any."""
        return self._folder

    @property
    def trouble(self) -> str:
        """Why the latest work is not on the disk, in a sentence; empty where nothing is wrong."""
        return self._trouble

    def note(self, document: Document, path: Path | None = None, picture: bytes | None = None) -> None:
        """Lets a document be written soon. path: its file, where it has one; picture: PNG, None keeps the last."""
        with self._turn:
            if self._closed:
                return
            self._wanted = (document, path, picture)
            self._noted += 1
            if self._thread is None:
                self._thread = threading.Thread(target=self._write_on, daemon=True, name="journal")
                self._thread.start()
            self._turn.notify_all()

    def flush(self, seconds: float = 10.0) -> bool:
        """Waits until it was tried to write what was noted; whether it is on the disk."""
        with self._turn:
            noted = self._noted
            tried = self._turn.wait_for(lambda: self._tried >= noted and not self._writing, seconds)
            return tried and not self._trouble

    def forget(self) -> None:
        """Takes this window's work away: it is saved, or was given up on purpose."""
        with self._turn:
            self._wanted = None
            self._turn.wait_for(lambda: not self._writing, 10.0)
            self._wanted, self._tried = None, self._noted
            folder, self._folder = self._folder, None
            self._let_go()
        self._tell("")
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
                number = self._noted
            trouble = ""
            try:
                self._write(*wanted)
            except LevelLoopError as error:
                trouble = str(error)
            except OSError as error:
                trouble = f"{error.strerror or error}."
            # Whatever a library raises: the thread goes on, and tries again.
            except Exception as error:
                logging.getLogger("levelloop").error("the journal", exc_info=error, extra={"once": repr(error)})
                trouble = f"it went wrong ({type(error).__name__}); the details are in the log."
            self._tell(trouble)
            with self._turn:
                self._writing, self._tried = False, max(self._tried, number)
                if trouble and self._wanted is None:
                    self._wanted = wanted
                self._turn.notify_all()
                if trouble:
                    self._turn.wait_for(partial(self._has_news, self._noted), AGAIN)

    def _has_news(self, noted: int) -> bool:
        return self._closed or self._noted > noted

    def _tell(self, trouble: str) -> None:
        if trouble != self._trouble:
            self._trouble = trouble
            self.changed()

    def _let_go(self) -> None:
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def _write(self, document: Document, path: Path | None, picture: bytes | None) -> None:
        if self._folder is None or not (self._folder / LOCK).exists():
            # Taken away while the window runs, it is made again.
            self._let_go()
            folder = self._home / f"{int(time.time())}-{secrets.token_hex(4)}"
            folder.mkdir(parents=True)
            self._lock = (folder / LOCK).open("wb")
            fcntl.flock(self._lock, fcntl.LOCK_EX)
            self._folder = folder
        # What recipes make of the cages is made again; written out it may be a hundred times as much.
        with replacing(self._folder / DOCUMENT) as temporary:
            write_usd(temporary, document, results=False)
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
    """Works of windows that died, the latest first; what holds none, and what is older than the last few, goes.

    What cannot be looked at, or is none of ours, is passed by.
    """
    home = journals_path() if home is None else home
    found: list[Rescued] = []
    try:
        folders = sorted(home.iterdir(), reverse=True)
    except OSError:
        return []
    for folder in folders:
        if folder.is_symlink() or not _OURS.fullmatch(folder.name) or not os.access(folder, os.R_OK | os.X_OK):
            continue
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
    if not (folder / DOCUMENT).is_file():
        return None
    name, path, at = "Untitled", None, datetime.fromtimestamp((folder / DOCUMENT).stat().st_mtime)
    # Whatever lies there, the words about it are not worth failing for.
    with suppress(OSError, ValueError, TypeError, AttributeError, OverflowError, RecursionError, MemoryError):
        if (folder / ABOUT).is_file() and (folder / ABOUT).stat().st_size < MOST_ABOUT:
            about = json.loads((folder / ABOUT).read_text())
            name = shortened(str(about.get("name") or name))
            path = Path(about["path"]) if about.get("path") else None
            at = datetime.fromtimestamp(float(about.get("at") or at.timestamp()))
    return Rescued(folder, name, path, at)


def _is_running(folder: Path) -> bool:
    try:
        # Not waiting: what lies there may be no file at all.
        handle = os.open(folder / LOCK, os.O_RDONLY | os.O_NONBLOCK)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    finally:
        os.close(handle)
    return False
