"""What several tables of operations share."""

from __future__ import annotations

from levelloop.core.selection import Kind

ANY: tuple[Kind, ...] = ("points", "edges", "faces")
