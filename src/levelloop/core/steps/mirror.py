"""The mirror step: one half, quarter or eighth makes the whole."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.edit.carry import Edit, identity, through
from levelloop.core.edit.copies import mirror_across
from levelloop.core.errors import EditError
from levelloop.core.mesh import Mesh
from levelloop.core.selection import Selection

PLANES = ("x", "y", "z", "xy", "xz", "yz", "xyz")


def mirror(mesh: Mesh, planes: str = "x", weld: float = 0.001) -> Edit:
    """The mesh with its copy across each plane through the origin, one plane after the other.

    planes: "x", "xy", "xyz", …; weld: mm within which points count as on a plane, where both sides are one.
    """
    if planes not in PLANES:
        raise EditError(f"A mirror step has planes such as x, xy or xyz, not {planes!r}.")
    edit = Edit(mesh, Selection("faces", np.zeros(0, dtype=np.int64)), identity(mesh))
    told = []
    for plane in planes:
        once = mirror_across(edit.mesh, Selection("faces", np.zeros(0, dtype=np.int64)), plane, None, weld)
        edit = replace(once, origin=through(edit.origin, once.origin))
        told.append(f"Across {plane}: {once.message[0].lower()}{once.message[1:]}")
    return replace(edit, message=" ".join(told))
