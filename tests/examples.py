"""How many random examples a test runs: as many as it asks for, fewer where EXAMPLES says so."""

from __future__ import annotations

import os
from typing import Any

from hypothesis import settings

MOST = int(os.environ.get("EXAMPLES", "25"))


def some(count: int, **more: Any) -> settings:
    """The settings of a test with at most so many examples; how long each takes says more about the machine."""
    return settings(max_examples=min(count, MOST), deadline=None, **more)
