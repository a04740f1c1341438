"""What several tables of operations share."""

from __future__ import annotations

from levelloop.core.mesh.selection import Kind

ANY: tuple[Kind, ...] = ("points", "edges", "faces")
