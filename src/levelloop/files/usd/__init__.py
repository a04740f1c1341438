"""OpenUSD stages."""

# Loaded with the program, before any thread runs: the library's core gives up the interpreter's lock while the
# system's loader is held, and another thread that loads a library just then would wait for it for ever.
from pxr import Tf  # noqa: F401


def make_ready() -> None:
    """Loads the rest of what reads and writes stages, so that the first file does not wait for it."""
    from pxr import Usd, UsdGeom, UsdShade  # noqa: F401
