"""A still rendered by a process of its own: told how far it is, stopped at once, no harm where it ends badly."""

from __future__ import annotations

import importlib.util
import json
import subprocess
import sys
import tempfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from queue import Empty, Queue
from shutil import move
from threading import Thread
from typing import IO

from levelloop.core.errors import EditError
from levelloop.core.progress import advance
from levelloop.document.document import Document
from levelloop.files.atomic import replacing
from levelloop.files.errors import FileError
from levelloop.still.scene import Request, describe

LARGEST, MOST_SAMPLES = 16_384, 65_536
LOOKS_EVERY = 0.1  # seconds between two looks at whether it is still wanted
ENDINGS = (".png", ".exr")


def render(
    document: Document, path: Path, request: Request, grown: Callable[[Path, float], None] | None = None
) -> None:
    """Renders a document into a PNG or EXR.

    grown: called now and then, in the same thread, with a PNG of what there is so far and the share that is done.

    Raises EditError where nothing can be seen or no renderer is installed, FileError where the picture cannot be
    written or the renderer ends badly. What runs it may stop it (core.progress): the process ends at once.
    """
    if path.suffix.lower() not in ENDINGS:
        raise FileError(f'A still is written as .png or .exr, not as "{path.suffix or path.name}".')
    if not (1 <= request.width <= LARGEST and 1 <= request.height <= LARGEST):
        raise FileError(f"A still has 1 to {LARGEST} pixels each way.")
    if not 1 <= request.samples <= MOST_SAMPLES:
        raise FileError(f"A still takes 1 to {MOST_SAMPLES} samples.")
    if importlib.util.find_spec("mitsuba") is None:
        raise EditError('No renderer is installed; "pip install levelloop[still]" brings one.')
    with tempfile.TemporaryDirectory(prefix="levelloop-still-") as name:
        folder = Path(name)
        scene, picture = folder / "scene.json", folder / f"picture{path.suffix.lower()}"
        scene.write_text(json.dumps(describe(document, request, folder)), encoding="utf-8")
        _run(scene, picture, folder / "so far.png" if grown is not None else None, grown)
        with replacing(path) as fresh:
            fresh.unlink()
            move(str(picture), fresh)


# Helpers


def _run(
    scene: Path, picture: Path, so_far: Path | None = None, grown: Callable[[Path, float], None] | None = None
) -> None:
    command = [sys.executable, "-m", "levelloop.still.worker", str(scene), str(picture)]
    if so_far is not None:
        command.append(str(so_far))
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    told: Queue[str] = Queue()
    said: Queue[str] = Queue()
    readers = [
        Thread(target=_pass_on, args=(stream, lines), daemon=True)
        for stream, lines in ((process.stdout, told), (process.stderr, said))
    ]
    for reader in readers:
        reader.start()
    done = 0.0
    try:
        while process.poll() is None:
            # A pass takes long where the picture is large; who stops it does not wait for that.
            with suppress(Empty):
                done = float(told.get(timeout=LOOKS_EVERY))
                if grown is not None and so_far is not None and so_far.is_file():
                    grown(so_far, done)
            advance(done)
    finally:
        # Stopped, or this side failed: nobody waits for it any more.
        if process.poll() is None:
            process.kill()
            process.wait()
        for reader, stream in zip(readers, (process.stdout, process.stderr), strict=True):
            reader.join()
            if stream is not None:
                stream.close()
    if process.returncode != 0 or not picture.is_file():
        lines = [line.strip() for line in said.queue if line.strip()]
        last = lines[-1] if lines else f"it ended with {process.returncode}"
        raise FileError(f"The renderer could not finish: {last[:200].rstrip('.')}.")


def _pass_on(stream: IO[str] | None, lines: Queue[str]) -> None:
    for line in stream or ():
        lines.put(line)
