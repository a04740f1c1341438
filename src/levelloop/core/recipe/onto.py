"""Steps onto the surface of another part: points pulled onto it, an ornament laid on it."""

from __future__ import annotations

from typing import Any

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.geometry.planes import as_direction, as_vector, axis_turn
from levelloop.core.geometry.skin import skin_of
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.words import counted


def conform(mesh: Mesh, target: Mesh, direction: Any = "nearest", both: bool = True, offset: float = 0.0) -> Edit:
    """Puts all points onto a surface: to the nearest place, or along a direction.

    both: along the direction and against it, whichever is nearer; else only along. offset: mm off the surface along
    its outward normal. What meets nothing stays, and how much that is is said. Raises EditError where nothing meets
    the part along the direction.
    """
    skin = skin_of(target)
    if isinstance(direction, str) and direction == "nearest":
        places, normals = skin.nearest(mesh.points)
        return Edit(mesh.with_points(places + offset * normals), NOTHING, identity(mesh))
    places, normals, hit = skin.along(mesh.points, as_direction(direction), both)
    if not hit.any():
        raise EditError("Nothing of it meets the part along that direction.")
    points = np.where(hit[:, None], places + offset * normals, mesh.points)
    lost = int((~hit).sum())
    told = (
        f"{counted(lost, 'point meets', 'points meet')} nothing and {'stays' if lost == 1 else 'stay'}." if lost else ""
    )
    return Edit(mesh.with_points(points), NOTHING, identity(mesh), told)


def lay_on(
    mesh: Mesh, target: Mesh, at: Any = (0.0, 0.0, 0.0), turn: float = 0.0, size: float = 1.0, lift: float = 0.0
) -> Edit:
    """Lays what stands on the plane z = 0 on a surface, its origin at the place nearest to at, heights along normals.

    x goes along the world's x as it lies in the surface there (y where that is along the normal), turned by so many
    degrees; ways from the middle keep their length, so that nothing is sheared there. lift: mm along the normals.
    Raises EditError for a size that is not above 0.
    """
    if not size > 0:
        raise EditError("The size of what is laid on a part is above 0.")
    skin = skin_of(target)
    (middle,), (normal,) = skin.nearest(as_vector(at)[None])
    world = np.eye(3)
    axis = world[1] if abs(float(normal[0])) > np.cos(np.radians(1.0)) else world[0]
    x = unit((axis - normal * float(axis @ normal))[None])[0]
    frame = np.stack((x, np.cross(normal, x), normal))
    local = size * mesh.points @ axis_turn("z", turn).T
    ways = local[:, :2] @ frame[:2]
    places, normals = skin.walked(middle, normal, ways)
    return Edit(mesh.with_points(places + (local[:, 2:] + lift) * normals), NOTHING, identity(mesh))
