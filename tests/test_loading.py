"""Libraries are loaded beside each other's threads without anyone waiting for ever."""

from __future__ import annotations

import subprocess
import sys

# One thread loads the library of the stages, another goes on loading any other one.
LOADS = """
import _ctypes, glob, os, sys, threading, time
import scipy.spatial
sys.setswitchinterval(1e-5)
from levelloop.files.usd import make_ready
other = glob.glob(os.path.join(os.path.dirname(scipy.spatial.__file__), "_ckdtree*.so"))[0]

def load():
    while True:
        _ctypes.dlclose(_ctypes.dlopen(other, 2))
        sum(range(50))

threading.Thread(target=load, daemon=True).start()
time.sleep(0.02)
make_ready()
print("loaded", flush=True)
os._exit(0)
"""


def test_stages_are_made_ready_while_another_thread_loads_a_library() -> None:
    done = subprocess.run([sys.executable, "-c", LOADS], capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout == "loaded\n"


def test_the_toolkit_reads_no_sources() -> None:
    """It would open each module that is imported after it: a sixth of what the window takes to load."""
    code = (
        "import sys, tokenize\n"
        "opened, original = [], tokenize.open\n"
        "tokenize.open = lambda name: opened.append(name) or original(name)\n"
        "import levelloop.app.main\n"
        "print(sum('levelloop' in str(name) for name in opened))\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout == "0\n"
