"""Level Loop: modeling for subdivision surfaces that measures how smooth they are.

Session is a document being worked on; read and write are for files, operations is the table of all that can be done.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from levelloop.core.errors import EditError
    from levelloop.core.mesh.mesh import Mesh
    from levelloop.core.mesh.selection import Selection
    from levelloop.document.operations import REGISTRY as operations  # noqa: N811
    from levelloop.document.session import Session
    from levelloop.files import read, write

__version__ = "0.1.0"
__all__ = ["EditError", "Mesh", "Selection", "Session", "__version__", "operations", "read", "write"]

_HOMES = {
    "EditError": ("levelloop.core.errors", "EditError"),
    "Mesh": ("levelloop.core.mesh.mesh", "Mesh"),
    "Selection": ("levelloop.core.mesh.selection", "Selection"),
    "Session": ("levelloop.document.session", "Session"),
    "operations": ("levelloop.document.operations", "REGISTRY"),
    "read": ("levelloop.files", "read"),
    "write": ("levelloop.files", "write"),
}


def __getattr__(name: str) -> Any:
    # Loaded on first use, so that `import levelloop` alone costs nothing.
    if name not in _HOMES:
        raise AttributeError(f"module 'levelloop' has no attribute {name!r}")
    module, home = _HOMES[name]
    return getattr(import_module(module), home)


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
