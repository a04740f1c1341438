"""The journal: work is safe moments after it was done, and is offered again where the program died."""

from __future__ import annotations

import multiprocessing
import os
import random
import signal
import time
from pathlib import Path
from typing import Any

import pytest

from levelloop.core.errors import LevelLoopError
from levelloop.document.session import Session
from levelloop.files.journal import KEPT, Journal, given_up, rescued, taken_up


def work_until_killed(home: Path, pipe: Any) -> None:
    """Adds part after part; tells of each when it is done, and when it is safe."""
    session, journal = Session.new(), Journal(home)
    session.changed.connect(lambda old, new: journal.note(new.document))
    pipe.send(("begun", 0))
    for number in range(1, 10_000):
        session.do("add_box", name=f"box {number}")
        pipe.send(("done", number))
        if number % 3 == 0:
            journal.flush()
            pipe.send(("safe", number))


@pytest.mark.parametrize("number", range(50))
def test_nothing_that_was_safe_is_lost_by_a_kill_at_any_instant(number: int, tmp_path: Path) -> None:
    dice = random.Random(number)
    fork = multiprocessing.get_context("fork")
    here, there = fork.Pipe(duplex=False)
    child = fork.Process(target=work_until_killed, args=(tmp_path, there), daemon=True)
    child.start()
    there.close()
    assert here.recv() == ("begun", 0)
    time.sleep(dice.uniform(0.0, 0.12))
    os.kill(child.pid or 0, signal.SIGKILL)
    child.join()
    known = {"done": 0, "safe": 0}
    while here.poll():
        try:
            what, count = here.recv()
        except EOFError:
            break
        known[what] = count
    found = rescued(tmp_path)
    if not found:
        assert known["safe"] == 0
        return
    parts = taken_up(found[0]).document.parts
    # One more may have been done without having been told of any more.
    assert known["safe"] <= len(parts) <= known["done"] + 1
    assert [part.name for part in parts] == [f"box {n}" for n in range(1, len(parts) + 1)]


def test_what_is_done_is_on_the_disk_within_two_seconds(tmp_path: Path) -> None:
    session, journal = Session.new(), Journal(tmp_path)
    session.do("add_quad_sphere", cells=40)
    began = time.monotonic()
    journal.note(session.document, tmp_path / "lantern.usda", b"picture")
    assert journal.flush() and time.monotonic() - began < 2.0
    assert journal.folder is not None and (journal.folder / "work.usdc").exists()
    # A window that runs offers nothing to others.
    assert rescued(tmp_path) == []
    journal.close()
    journal._lock.close()  # type: ignore[union-attr]
    (work,) = rescued(tmp_path)
    assert work.name == "lantern.usda" and work.path == tmp_path / "lantern.usda" and work.picture is not None
    again = taken_up(work)
    assert not again.is_saved and again.part.mesh.n_faces == 6 * 40 * 40
    given_up(work)
    assert rescued(tmp_path) == []


def test_the_journal_is_bounded_and_goes_when_the_work_is_saved(tmp_path: Path) -> None:
    document = Session.new().document
    for _ in range(KEPT + 3):
        journal = Journal(tmp_path)
        for _ in range(3):
            journal.note(document)
        assert journal.flush()
        assert journal.folder is not None and len(list(journal.folder.iterdir())) == 3
        journal.close()
        journal._lock.close()  # type: ignore[union-attr]
    (tmp_path / "something else").mkdir()
    assert len(rescued(tmp_path)) == KEPT and len(list(tmp_path.iterdir())) == KEPT
    journal = Journal(tmp_path)
    journal.note(document)
    journal.flush()
    journal.forget()
    journal.note(document)
    journal.flush()
    assert len(list(tmp_path.iterdir())) == KEPT + 1
    journal.forget()
    journal.close()
    assert len(list(tmp_path.iterdir())) == KEPT


def test_damaged_work_and_a_disk_that_takes_nothing_are_told(tmp_path: Path) -> None:
    said: list[str] = []
    (tmp_path / "file").write_text("in the way")
    journal = Journal(tmp_path / "file", said.append)
    journal.note(Session.new().document)
    assert journal.flush() and "cannot be kept safe" in said[0]
    journal.close()
    folder = tmp_path / "home" / "1-a"
    folder.mkdir(parents=True)
    (folder / "work.usdc").write_bytes(b"no stage")
    (folder / "about.json").write_text("[1")
    (work,) = rescued(tmp_path / "home")
    assert work.name == "Untitled" and work.path is None
    with pytest.raises(LevelLoopError):
        taken_up(work)
