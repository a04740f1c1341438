"""The demo built in a process of its own comes back as it is built here."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import numpy as np

from levelloop.demo.beside import packed, unpacked
from levelloop.demo.build import demo_document
from levelloop.document.document import Document
from levelloop.files import write_document


def saved(document: Document, folder: Path, name: str) -> bytes:
    write_document(document, folder / name)
    return (folder / name).read_bytes()


def test_a_document_is_the_same_behind_the_pipe(tmp_path: Path) -> None:
    document = demo_document()
    same = unpacked(packed(document))
    assert saved(same, tmp_path, "same.usda") == saved(document, tmp_path, "demo.usda")
    # What is shared stays shared, what is read-only read-only, what nobody set one value.
    for one, other in zip(document.parts, same.parts, strict=True):
        assert [one.mesh is part.mesh for part in document.parts] == [other.mesh is part.mesh for part in same.parts]
        assert not other.mesh.points.flags.writeable and not other.mesh.topology.corners.flags.writeable
        assert np.array_equal(one.result().points, other.result().points)
    assert same.next_id == document.next_id and same.active == document.active


# As the program is before it has threads; told to, it kills the process that builds, or there can be none.
BUILT = """
import os, signal, sys
from pathlib import Path
forked, children = os.fork, []
def fork():
    if "refuse" in sys.argv:
        raise BlockingIOError("no more processes")
    children.append(forked())
    return children[-1]
os.fork = fork
from levelloop.demo.beside import demo_beside
received = demo_beside()
if "kill" in sys.argv:
    os.kill(children[0], signal.SIGKILL)
document = received()
from levelloop.files import write_document
write_document(document, Path(sys.argv[1]))
try:
    os.waitpid(-1, 0)
except ChildProcessError:
    print("none left")
"""


def test_another_process_builds_it_and_where_there_is_none_this_one_does(tmp_path: Path) -> None:
    here = saved(demo_document(), tmp_path, "here.usda")
    for word in ("build", "kill", "refuse"):
        command = [sys.executable, "-c", BUILT, str(tmp_path / f"{word}.usda"), word]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        assert done.stdout == "none left\n", done.stderr
        assert (tmp_path / f"{word}.usda").read_bytes() == here
