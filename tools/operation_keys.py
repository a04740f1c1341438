"""Writes src/levelloop/document/operations/keys.py from the registry: each operation's key as a name."""

from __future__ import annotations

from pathlib import Path

from levelloop.document.operations import OPERATIONS

HEAD = '''"""The keys of the operations as names; made from the registry by tools/operation_keys.py."""

from typing import Final

'''


def module() -> str:
    """The whole module."""
    return HEAD + "".join(f'{operation.key.upper()}: Final = "{operation.key}"\n' for operation in OPERATIONS)


if __name__ == "__main__":
    target = Path(__file__).parent.parent / "src" / "levelloop" / "document" / "operations" / "keys.py"
    target.write_text(module(), encoding="utf-8")
