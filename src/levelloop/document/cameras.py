"""Named cameras: places to look from that the document keeps, each of which may have a guide."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.errors import EditError
from levelloop.core.values import dataclass

if TYPE_CHECKING:
    from levelloop.document.document import Document


@dataclass(frozen=True)
class NamedCamera:
    """A place to look from.

    target: what it looks at, mm; distance: mm from there; turn about z and tilt: degrees, at 0, 0 along +y;
    field_of_view: degrees from bottom to top; shift: how far the picture is moved right and up, as shares of its
    height, without turning the camera.
    """

    name: str
    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    distance: float = 120.0
    turn: float = 0.0
    tilt: float = 0.0
    perspective: bool = True
    field_of_view: float = 32.0
    shift: tuple[float, float] = (0.0, 0.0)


def view_axes(turn: float, tilt: float) -> Floats:
    """Right, up and backward of a view in the world: rows of (3, 3). turn, tilt: degrees."""
    a, b = np.radians(turn), np.radians(tilt)
    right = np.array([np.cos(a), np.sin(a), 0.0])
    forward = np.array([-np.sin(a) * np.cos(b), np.cos(a) * np.cos(b), -np.sin(b)])
    return np.stack((right, np.cross(right, forward), -forward))


def keep_camera(
    document: Document,
    name: str,
    target: tuple[float, float, float],
    distance: float,
    turn: float,
    tilt: float,
    perspective: bool,
    field_of_view: float,
    shift: tuple[float, float],
) -> Document:
    """Keeps a place to look from under a name; one of that name is replaced."""
    if not name:
        raise EditError("A camera needs a name.")
    camera = NamedCamera(name, target, distance, turn, tilt, perspective, field_of_view, shift)
    others = [camera if known.name == name else known for known in document.cameras]
    if all(known is not camera for known in others):
        others.append(camera)
    return replace(document, cameras=tuple(others))


def set_camera(
    document: Document,
    name: str,
    field_of_view: float | None = None,
    shift: tuple[float, float] | None = None,
    perspective: bool | None = None,
) -> Document:
    """Changes what is given of a camera. A new field of view keeps what is at the target as large as it was."""
    camera = find_camera(document, name)
    if field_of_view is not None:
        half = np.tan(np.radians([camera.field_of_view, field_of_view]) / 2.0)
        camera = replace(camera, field_of_view=field_of_view, distance=camera.distance * float(half[0] / half[1]))
    if shift is not None:
        camera = replace(camera, shift=shift)
    if perspective is not None:
        camera = replace(camera, perspective=perspective)
    cameras = tuple(camera if known.name == camera.name else known for known in document.cameras)
    return replace(document, cameras=cameras)


def remove_camera(document: Document, name: str) -> Document:
    """Takes a camera out of the document, and its guides with it."""
    camera = find_camera(document, name)
    return replace(
        document,
        cameras=tuple(known for known in document.cameras if known is not camera),
        guides=tuple(guide for guide in document.guides if guide.view != camera.name),
    )


def find_camera(document: Document, name: str) -> NamedCamera:
    """A camera by its name; the last one for an empty name. Raises EditError where there is none."""
    if not document.cameras:
        raise EditError("There is no camera yet; keep a view as one first.")
    if not name:
        return document.cameras[-1]
    for camera in document.cameras:
        if camera.name == name:
            return camera
    raise EditError(f"There is no camera “{name}”.")
