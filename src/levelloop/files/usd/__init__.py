"""OpenUSD stages."""

from collections.abc import Iterator
from contextlib import contextmanager
from threading import RLock

# Loaded with the program, before any thread runs: the library's core gives up the interpreter's lock while the
# system's loader is held, and another thread that loads a library just then would wait for it for ever.
from pxr import Tf  # noqa: F401

_one_at_a_time = RLock()


@contextmanager
def library() -> Iterator[None]:
    """The library, all of it loaded, for one thread at a time; whoever reads or writes a stage does so within.

    Its modules import each other in a circle: of two threads that load them at once the interpreter gives one a module
    that is half there, for ever. And where two use it for the first time at once, each may wait for what the other has.
    """
    with _one_at_a_time:
        from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, Vt  # noqa: F401

        yield


def make_ready() -> None:
    """Loads the rest of what reads and writes stages, so that the first file does not wait for it."""
    with library():
        pass
