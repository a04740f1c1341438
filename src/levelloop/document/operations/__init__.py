"""All operations, declared; the one table that menus, search, sentences, history and scripts read."""

from __future__ import annotations

from levelloop.document.operations.building import BUILDING
from levelloop.document.operations.forms import FORMS
from levelloop.document.operations.holding import HOLDING
from levelloop.document.operations.moving import MOVING
from levelloop.document.operations.parts import PARTS
from levelloop.document.operations.recipe import RECIPE
from levelloop.document.operations.selecting import SELECTING
from levelloop.document.operations.smoothing import SMOOTHING
from levelloop.document.operations.sweeping import SWEEPING
from levelloop.document.registry import Operation, Registry

OPERATIONS: tuple[Operation, ...] = (
    *FORMS,
    *MOVING,
    *BUILDING,
    *SWEEPING,
    *SMOOTHING,
    *HOLDING,
    *RECIPE,
    *SELECTING,
    *PARTS,
)


def build_registry() -> Registry:
    """The registry with every operation. Raises ValueError where two clash."""
    registry = Registry()
    for operation in OPERATIONS:
        registry.add(operation)
    return registry


REGISTRY = build_registry()
