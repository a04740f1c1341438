"""What docstrings owe: arrays tell their shape, what is raised is told, and nothing is told that is not raised."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import levelloop

CORE = Path(levelloop.__file__).parent / "core"
ARRAYS = {"Floats", "Integers", "Booleans", "AnyArray"}
SHAPE = re.compile(r"\((\d|[a-z])[^()]*,[^()]*\)|\([a-z]'?,\)|\(m \+ 1,\)")
SHAPES_ELSEWHERE = re.compile(r"As `[\w.]+`|as for|[Tt]he same")


def functions() -> Iterator[tuple[str, ast.FunctionDef, str]]:
    """Public functions of the core, where they are, and the docstring of the class around them."""
    for path in sorted(CORE.rglob("*.py")):
        tree = ast.parse(path.read_text())
        for node in tree.body:
            if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                yield f"{path.relative_to(CORE)}:{node.lineno} {node.name}", node, ""
            elif isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                around = ast.get_docstring(node) or ""
                for inner in node.body:
                    if isinstance(inner, ast.FunctionDef) and not inner.name.startswith("_"):
                        yield f"{path.relative_to(CORE)}:{inner.lineno} {node.name}.{inner.name}", inner, around


def returns_array(node: ast.FunctionDef) -> bool:
    return isinstance(node.returns, ast.Name) and node.returns.id in ARRAYS


def raised(node: ast.FunctionDef) -> set[str]:
    """The errors that a function raises itself, by name."""
    names = set()
    for inner in ast.walk(node):
        if isinstance(inner, ast.Raise) and isinstance(inner.exc, ast.Call) and isinstance(inner.exc.func, ast.Name):
            names.add(inner.exc.func.id)
    return names


def test_arrays_that_come_back_tell_their_shape() -> None:
    silent = [
        where
        for where, node, _ in functions()
        if returns_array(node)
        and not SHAPE.search(ast.get_docstring(node) or "")
        and not SHAPES_ELSEWHERE.search(ast.get_docstring(node) or "")
    ]
    assert not silent, "\n".join(silent)


def test_what_a_function_raises_is_told() -> None:
    silent = [
        f"{where}: {', '.join(sorted(raised(node)))}"
        for where, node, around in functions()
        if raised(node) and "aises" not in (ast.get_docstring(node) or "") + around
    ]
    assert not silent, "\n".join(silent)
