"""The journal: work is safe moments after it was done, and is offered again where the program died."""

from __future__ import annotations

import json
import multiprocessing
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable
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
    assert len(rescued(tmp_path)) == KEPT
    # What is none of ours stays.
    (tmp_path / "something else").rmdir()
    assert len(list(tmp_path.iterdir())) == KEPT
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


def until(holds: Callable[[], bool], seconds: float = 15.0) -> bool:
    end = time.monotonic() + seconds
    while not holds() and time.monotonic() < end:
        time.sleep(0.02)
    return holds()


def test_a_folder_that_is_taken_away_while_the_window_runs_is_made_again(tmp_path: Path) -> None:
    session, journal = Session.new(), Journal(tmp_path / "state" / "work")
    session.do("add_box")
    journal.note(session.document)
    assert journal.flush()
    for whole in (True, False):
        lost = tmp_path / "state" if whole else journal.folder
        assert lost is not None
        shutil.rmtree(lost)
        journal.note(session.document)
        assert journal.flush() and journal.folder is not None and (journal.folder / "work.usdc").is_file()
    journal.forget()
    journal.close()


def fill(folder: Path, kind: str) -> None:
    """Work that a window left, one of its files replaced by something odd."""
    name, odd = kind.split()
    there = folder / name
    if there.exists():
        there.unlink()
    if odd == "fifo":
        os.mkfifo(there)
    elif odd == "folder":
        there.mkdir()
    elif odd == "loop":
        there.symlink_to(there)
    elif odd == "unreadable":
        there.write_bytes(b"x")
        there.chmod(0)
    else:
        there.write_text(ODD[odd])


ODD = {
    "huge": json.dumps({"at": 1e300}),
    "nan": '{"at": NaN}',
    "infinite": '{"at": 1e999}',
    "nested": "[" * 50_000,
    "list": "[1]",
    "name": json.dumps({"name": {"a": 1}, "path": 3, "at": "soon"}),
    "nul": json.dumps({"name": "a\0b", "path": "a\0b", "at": -1e18}),
    "long": json.dumps({"name": "n" * 90_000}),
    "rubbish": "\udcff".encode("utf-8", "surrogateescape").decode("latin-1"),
    "empty": "",
}


@pytest.mark.parametrize("name", ["about.json", "lock", "work.usdc", "picture.png"])
@pytest.mark.parametrize("odd", ["fifo", "folder", "loop", "unreadable", *ODD])
def test_whatever_lies_in_the_state_folder_the_program_starts(name: str, odd: str, tmp_path: Path) -> None:
    folder = tmp_path / "12-ab"
    folder.mkdir()
    (folder / "work.usdc").write_bytes(b"no stage")
    fill(folder, f"{name} {odd}")
    (tmp_path / "13-ab").symlink_to(tmp_path / "13-ab")
    os.mkfifo(tmp_path / "14-ab")
    for work in rescued(tmp_path):
        assert work.name and work.at.year > 1900 and (work.picture is None or work.picture.is_file())
        with pytest.raises(LevelLoopError):
            taken_up(work)
    fill(tmp_path, "home fifo")
    assert rescued(tmp_path / "home") == [] and rescued(tmp_path / "nowhere") == []


SAVES = """
import resource, signal, sys
from pathlib import Path
from levelloop.core.errors import LevelLoopError
from levelloop.document.session import Session
from levelloop.files.journal import Journal, rescued
session, home = Session.new(), Path(sys.argv[1])
session.do("add_box", cells=(6, 6, 6))
session.save(home / "it.usdc")
journal = Journal(home / "work")
journal.note(session.document)
assert journal.flush()
before = (home / "it.usdc").read_bytes()
kept = (journal.folder / "work.usdc").read_bytes()
session.do("add_torus")
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
sizes = (len(before), len(kept))
for most in range(0, 3 * max(sizes), max(sizes) // 12):
    resource.setrlimit(resource.RLIMIT_FSIZE, (most, resource.RLIM_INFINITY))
    try:
        session.save(home / "it.usdc", replace_newer=True)
        told = ""
    except LevelLoopError as error:
        told = str(error)
    journal.note(session.document)
    safe = journal.flush()
    resource.setrlimit(resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY, resource.RLIM_INFINITY))
    now, there = (home / "it.usdc").read_bytes(), (journal.folder / "work.usdc").read_bytes()
    if told:
        assert now == before, "the old file is not whole"
        assert "it.usdc" in told and "['" not in told and "Error" not in told, told
    else:
        assert len(Session.open(home / "it.usdc").document.parts) == 2
        before = now
    assert safe == (there != kept) or (safe and kept == there), (safe, most)
    if safe:
        kept = there
    assert safe or journal.trouble
    assert not list(home.glob(".levelloop*")) and not list(journal.folder.glob(".levelloop*"))
    print(most, bool(told), safe)
"""


def test_a_disk_that_fills_up_at_any_write_of_a_save_or_the_journal_loses_nothing(tmp_path: Path) -> None:
    done = subprocess.run([sys.executable, "-c", SAVES, str(tmp_path)], capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr[-800:]
    rows = [line.split() for line in done.stdout.splitlines()]
    # Some did not fit, the last ones did.
    assert rows[0][1:] == ["True", "False"] and rows[-1][1:] == ["False", "True"]


LOADS = """
import sys, threading, time
from pathlib import Path
from levelloop.document.session import Session
from levelloop.files.usd import make_ready
session, home, wait = Session.new(), Path(sys.argv[1]), float(sys.argv[2])
sys.setswitchinterval(1e-5)
session.do("add_box")
failed = []
def run(number):
    try:
        if number == 0:
            make_ready()
        elif number % 2:
            Session(session.document).save(home / f"{number}.usda")
        else:
            time.sleep(wait)
            Session(session.document).save(home / f"{number}.usdc")
    except Exception as error:
        failed.append(error)
threads = [threading.Thread(target=run, args=(number,)) for number in range(4)]
[thread.start() for thread in threads]
time.sleep(wait)
session.save(home / "main.usda")
[thread.join() for thread in threads]
assert not failed, failed
Session.open(home / "main.usda")
"""


@pytest.mark.parametrize("wait", [0.0, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1])
def test_a_first_save_while_the_library_is_loaded_beside_it(wait: float, tmp_path: Path) -> None:
    words = [sys.executable, "-c", LOADS, str(tmp_path), str(wait)]
    done = subprocess.run(words, capture_output=True, text=True, timeout=60)
    assert done.returncode == 0, done.stderr[-800:]


def test_damaged_work_and_a_disk_that_takes_nothing_are_told(tmp_path: Path) -> None:
    said: list[str] = []
    (tmp_path / "file").write_text("in the way")
    journal = Journal(tmp_path / "file", lambda: said.append(journal.trouble))
    journal.note(Session.new().document)
    assert not journal.flush() and said == ["Not a directory."]
    (tmp_path / "file").unlink()
    # It is tried again without being asked.
    assert until(lambda: not journal.trouble) and said == ["Not a directory.", ""] and journal.flush()
    journal.forget()
    journal.close()
    folder = tmp_path / "home" / "1-a"
    folder.mkdir(parents=True)
    (folder / "work.usdc").write_bytes(b"no stage")
    (folder / "about.json").write_text("[1")
    (work,) = rescued(tmp_path / "home")
    assert work.name == "Untitled" and work.path is None
    with pytest.raises(LevelLoopError):
        taken_up(work)
