"""Level Loop: modeling for subdivision surfaces that measures how smooth they are."""

from __future__ import annotations

from typing import Any

__version__ = "0.1.0"
__all__ = ["Session", "__version__"]


def __getattr__(name: str) -> Any:
    # Loaded on first use, so that `import levelloop` alone costs nothing.
    if name == "Session":
        from levelloop.document.session import Session

        return Session
    raise AttributeError(f"module 'levelloop' has no attribute {name!r}")
