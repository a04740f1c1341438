"""The table of commands as data: what menus, the finder, keys and the page of keys are made of."""

from __future__ import annotations

from collections.abc import Iterator

from levelloop.app.commands.table.entry import MENUS, Entry, Submenu, of_operation
from levelloop.app.commands.table.files import FILES
from levelloop.app.commands.table.help import HELP
from levelloop.app.commands.table.looking import LOOKING
from levelloop.app.commands.table.looks import LOOKS
from levelloop.app.commands.table.picking import PICKING
from levelloop.app.commands.table.shaping import SHAPING
from levelloop.document.operations import REGISTRY

__all__ = ["MENUS", "Entry", "Submenu", "commands"]

# Where in their menus: before the operations, and after them.
BEFORE: tuple[Entry | Submenu, ...] = (*FILES, *PICKING)
AFTER: tuple[Entry | Submenu, ...] = (*SHAPING, *LOOKING, *LOOKS, *HELP)


def commands() -> Iterator[Entry | Submenu]:
    """All commands in the order of their menus. Raises ValueError where two have one key.

    An operation that the window has a command of the same name for is left to that.
    """
    taken: dict[str, str] = {}
    known = {entry.name for entry in (*BEFORE, *AFTER) if isinstance(entry, Entry)}
    operations = (of_operation(operation) for operation in REGISTRY.all())
    for entry in (*BEFORE, *(entry for entry in operations if entry.name not in known), *AFTER):
        for key in entry.keys if isinstance(entry, Entry) else ():
            if key in taken:
                raise ValueError(f"{entry.title} and {taken[key]} both have the key {key}")
            taken[key] = entry.title
        yield entry
