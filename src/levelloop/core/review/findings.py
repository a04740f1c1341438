"""Finding: one thing that a check found, with place, size and remedy."""

from __future__ import annotations

from dataclasses import field
from typing import Any, Literal

import numpy as np

from levelloop.core.arrays import Floats, Integers, frozen
from levelloop.core.mesh.selection import Kind
from levelloop.core.values import dataclass

Severity = Literal["stop", "warn", "note"]
Purpose = Literal["smooth", "render", "print"]
PURPOSES: tuple[Purpose, ...] = ("smooth", "render", "print")
SEVERITIES: tuple[Severity, ...] = ("stop", "warn", "note")


@dataclass(frozen=True)
class Remedy:
    """An operation that mends a finding when it runs on the found elements: its key and parameters."""

    key: str
    label: str
    parameters: dict[str, Any] = field(default_factory=dict)
    kind: Kind | None = None  # what to select instead of what was found


@dataclass(frozen=True, eq=False)
class Finding:
    """Elements of one kind that a check found.

    indices: (n,), worst first; at: (n, 3) where each lies, mm; value and unit: the worst of them; mesh: whose elements
    they are, the cage's or those of what its recipe makes of it.
    """

    check: str
    severity: Severity
    kind: Kind
    indices: Integers
    at: Floats
    message: str
    value: float
    unit: str = ""
    remedy: Remedy | None = None
    advice: str = ""
    accepted: str = ""
    valence: int = 0
    mesh: Literal["cage", "result"] = "cage"

    def __post_init__(self) -> None:
        object.__setattr__(self, "indices", frozen(np.array(self.indices, dtype=np.int64)))
        object.__setattr__(self, "at", frozen(np.array(self.at, dtype=np.float64).reshape(-1, 3)))

    @property
    def count(self) -> int:
        """How many elements were found."""
        return len(self.indices)
