"""Writes src/levelloop/document/typed_do.pyi from the registry: what Session.do takes, for editors and checkers."""

from __future__ import annotations

from pathlib import Path

from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import (
    Choice,
    Expression,
    Length,
    Number,
    Parameter,
    Text,
    Toggle,
    Vector,
)
from levelloop.document.registry import Operation

HEAD = '''"""What Session.do takes, operation by operation; made from the registry by tools/typed_do.py."""

from collections.abc import Sequence
from typing import Any, Literal, overload

class TypedDo:
'''


def stub() -> str:
    """The whole stub."""
    return HEAD + "\n".join(overload(operation) for operation in REGISTRY.all())


def overload(operation: Operation) -> str:
    """One operation's signature."""
    lines = ["    @overload", "    def do(", "        self,", f'        key: Literal["{operation.key}"],']
    if operation.parameters:
        lines.append("        *,")
    lines += [f"        {one.name}: {kind_of(one)} = ...," for one in operation.parameters]
    return "\n".join([*lines, "    ) -> str:", f'        """{operation.hint}."""', ""])


def kind_of(parameter: Parameter) -> str:
    """The type of what a script gives for a parameter."""
    if isinstance(parameter, Toggle):
        kind = "bool | str"
    elif isinstance(parameter, Choice):
        kind = f"Literal[{', '.join(repr(word) for word in parameter.words)}]".replace("'", '"')
    elif isinstance(parameter, Number | Length):
        kind = "float | str"
    elif isinstance(parameter, Text):
        kind = "Any" if type(parameter).__name__ == "Curve" else "str"
    elif isinstance(parameter, Expression):
        kind = "float | str"
    elif isinstance(parameter, Vector):
        kind = "float | str | Sequence[float | str]" if parameter.single else "str | Sequence[float | str]"
    else:
        return "Any"
    return f"{kind} | None" if parameter.optional and kind != "Any" else kind


if __name__ == "__main__":
    target = Path(__file__).parent.parent / "src" / "levelloop" / "document" / "typed_do.pyi"
    target.write_text(stub(), encoding="utf-8")
