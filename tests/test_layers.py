"""Start-up and layers: what is loaded when."""

from __future__ import annotations

import subprocess
import sys

import pytest


@pytest.mark.parametrize(
    "module", ["levelloop.core.review", "levelloop.document.session", "levelloop.cli", "levelloop.files"]
)
def test_nothing_below_the_window_loads_qt(module: str) -> None:
    code = f"import {module}, sys; print([m for m in sys.modules if m.startswith(('PySide6', 'moderngl'))])"
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert result.stdout.strip() == "[]"


def test_the_command_line_starts_without_the_heavy_libraries() -> None:
    code = "import levelloop.cli, sys; print([m for m in ('numpy', 'scipy', 'pxr', 'trimesh') if m in sys.modules])"
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert result.stdout.strip() == "[]"
