"""What several tables of operations share."""

from __future__ import annotations

from levelloop.core.selection import Kind

ANY: tuple[Kind, ...] = ("points", "edges", "faces")
AXES = ("x", "y", "z", "-x", "-y", "-z")
