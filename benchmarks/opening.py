"""From the command to the picture: a screen without a monitor is watched until the demo's parts are on it."""

from __future__ import annotations

import mmap
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

SCREEN = (1600, 1200)
VIEW = (slice(300, 500, 4), slice(300, 700, 4))  # rows and columns in the middle of the view
SHADES = 40  # more than its background has there
PATIENCE = 20.0  # seconds


def opening(repeats: int = 3) -> list[float]:
    """Milliseconds from the command until the demo is seen, run by run; none where there is no such screen."""
    if shutil.which("Xvfb") is None:
        return []
    with tempfile.TemporaryDirectory() as folder, screen(Path(folder)) as (display, pixels):
        environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
        environment |= {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb", "LIBGL_ALWAYS_SOFTWARE": "1"}
        environment |= {"XDG_STATE_HOME": folder, "XDG_CONFIG_HOME": folder}
        return [until_seen(pixels, environment) for _ in range(repeats)]


@contextmanager
def screen(folder: Path) -> Iterator[tuple[str, NDArray[np.uint32]]]:
    """A screen in memory: its name and its pixels, row after row."""
    width, height = SCREEN
    words = ["Xvfb", ":96", "-screen", "0", f"{width}x{height}x24", "-fbdir", str(folder)]
    server = subprocess.Popen(words, stderr=subprocess.DEVNULL)
    try:
        time.sleep(1.5)
        with (folder / "Xvfb_screen0").open("rb") as file:
            memory = mmap.mmap(file.fileno(), 0, prot=mmap.PROT_READ)
        # A window dump: the size of its head is its first number, that of its colours its twentieth.
        head, colours = (int(number) for number in np.frombuffer(memory, ">u4", 20)[[0, 19]])
        yield ":96", np.frombuffer(memory, np.uint32, width * height, head + 12 * colours).reshape(height, width)
    finally:
        server.terminate()
        server.wait()


def until_seen(pixels: NDArray[np.uint32], environment: dict[str, str]) -> float:
    """Milliseconds until the program, told to show the demo, has drawn it."""
    start = time.perf_counter()
    program = subprocess.Popen([sys.executable, "-m", "levelloop", "--demo"], env=environment)
    try:
        while time.perf_counter() - start < PATIENCE:
            if len(np.unique(pixels[VIEW])) > SHADES:
                return 1000.0 * (time.perf_counter() - start)
            time.sleep(0.004)
        raise TimeoutError("The demo was not seen.")
    finally:
        program.terminate()
        program.wait()
        time.sleep(0.3)


if __name__ == "__main__":
    print(*(f"{taken:.0f} ms" for taken in opening()))
