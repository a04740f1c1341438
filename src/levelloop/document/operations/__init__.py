"""All operations, declared; the one table that menus, search, sentences, history and scripts read."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

from levelloop.document.operations.building import BUILDING
from levelloop.document.operations.curves import CURVES
from levelloop.document.operations.forms import FORMS
from levelloop.document.operations.holding import HOLDING
from levelloop.document.operations.moving import MOVING
from levelloop.document.operations.parts import PARTS
from levelloop.document.operations.recipe import RECIPE
from levelloop.document.operations.selecting import SELECTING
from levelloop.document.operations.skin import SKIN
from levelloop.document.operations.smoothing import SMOOTHING
from levelloop.document.operations.sweeping import SWEEPING
from levelloop.document.registry import Operation, Registry

if TYPE_CHECKING:
    from importlib.metadata import EntryPoint

OPERATIONS: tuple[Operation, ...] = (
    *FORMS,
    *MOVING,
    *BUILDING,
    *SWEEPING,
    *CURVES,
    *SMOOTHING,
    *HOLDING,
    *SKIN,
    *RECIPE,
    *SELECTING,
    *PARTS,
)


GROUP = "levelloop.operations"  # of entry points by which other packages bring operations of their own


def build_registry() -> Registry:
    """The registry with every operation, those of other packages last.

    An entry point of the group "levelloop.operations" names an Operation or a tuple of them. One that cannot be loaded,
    or clashes, is left out and said in the registry's `refused`. Raises ValueError where two of our own clash.
    """
    registry = Registry()
    for operation in OPERATIONS:
        registry.add(operation)
    for point in sorted(_brought(), key=lambda point: point.name):
        try:
            found = point.load()
            for operation in (found,) if isinstance(found, Operation) else found:
                registry.add(operation)
        except Exception as error:  # whatever another package does wrong, ours goes on
            registry.refused.append(f"The operations of “{point.name}” are left out: {error}")
    return registry


def _brought() -> Iterable[EntryPoint]:
    """The entry points of the group.

    Packages list theirs in files that are searched for its name first: to read them all as they are meant takes 30 ms
    of each start, and hardly anybody has one.
    """
    lists = (file for folder in sys.path for file in Path(folder).glob("*-info/entry_points.txt"))
    if not any(GROUP in file.read_text(encoding="utf-8", errors="replace") for file in lists):
        return ()
    from importlib.metadata import entry_points

    return entry_points(group=GROUP)


REGISTRY = build_registry()
