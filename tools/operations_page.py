"""Writes docs/operations.md from the registry: every operation with its parameters."""

from __future__ import annotations

from pathlib import Path

from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import Choice, Number
from levelloop.document.registry import Operation


def page() -> str:
    """The whole page."""
    lines = ["# Operations", "", "Made from the registry by `tools/operations_page.py`.", ""]
    for menu in dict.fromkeys(operation.menu for operation in REGISTRY.all()):
        lines += [
            f"## {menu}",
            "",
            "| key | what it does | needs | parameters | shortcut |",
            "| --- | --- | --- | --- | --- |",
        ]
        lines += [row(operation) for operation in REGISTRY.all() if operation.menu == menu]
        lines.append("")
    return "\n".join(lines)


def row(operation: Operation) -> str:
    """One operation as a table row."""
    needs = ", ".join(operation.needs) + (" or all" if operation.or_all else "")
    parameters = []
    for parameter in operation.parameters:
        text = f"{parameter.name} {parameter.default!r}"
        if isinstance(parameter, Choice):
            text = f"{parameter.name} " + " \\| ".join(parameter.words)
        elif isinstance(parameter, Number) and parameter.words:
            text += " or " + ", ".join(parameter.words)
        parameters.append(text)
    return f"| `{operation.key}` | {operation.hint} | {needs} | {'; '.join(parameters)} | {operation.shortcut} |"


if __name__ == "__main__":
    target = Path(__file__).parent.parent / "docs" / "operations.md"
    target.write_text(page(), encoding="utf-8")
