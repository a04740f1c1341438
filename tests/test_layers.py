"""Start-up and layers: what is loaded when."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import pytest

from levelloop.document.operations import REGISTRY

ROOT = Path(__file__).parent.parent


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


def test_the_window_starts_without_what_it_does_not_show_yet() -> None:
    """The start-up budget: each of these costs from 30 ms to a second."""
    code = (
        "import sys, levelloop.app.window\n"
        "from levelloop.document.session import Session\n"
        "session = Session.new(); session.do('add_box'); session.select(faces=[0]); session.do('bevel')\n"
        "heavy = {'scipy', 'igl', 'mitsuba', 'manifold3d', 'potpourri3d', 'rectpack', 'PIL', 'pxr.Usd'}\n"
        "heavy |= {'mapbox_earcut'}\n"
        "print(sorted(heavy & set(sys.modules)))"
    )
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert result.stdout.strip() == "[]"


def test_no_operation_key_is_typed_by_hand_in_the_window() -> None:
    """What is handed to run, start or look up an operation is a name from the registry's own list, or a record."""
    typed = []
    for path in (ROOT / "src" / "levelloop" / "app").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            given: list[ast.expr] = []
            # A handle is a word of its own.
            if isinstance(node, ast.Call) and getattr(node.func, "attr", "") != "by_handle":
                given = node.args
            elif isinstance(node, ast.Subscript):
                given = [node.slice]
            typed += [
                f"{path.name}:{one.lineno} {one.value}"
                for one in given
                if isinstance(one, ast.Constant) and isinstance(one.value, str) and one.value in REGISTRY
            ]
    assert typed == []
