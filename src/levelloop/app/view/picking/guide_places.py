"""Where guides are in a view: which are seen from it, their corners, places on their plane, and their projection."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint

from levelloop.app.view.camera import DIRECTIONS, Camera
from levelloop.core.arrays import Floats
from levelloop.document.cameras import NamedCamera
from levelloop.document.document import Document, Guide
from levelloop.document.guides import AXES, guide_plane

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport


def camera_here(view: Viewport) -> NamedCamera | None:
    """The named camera that a view looks through just now."""
    return next((camera for camera in view.session.document.cameras if view.camera.is_at(camera)), None)


def looks_at(camera: Camera, document: Document, guide: Guide) -> bool:
    """Whether a view looks from where a guide is seen."""
    if guide.view in AXES:
        turn, tilt = DIRECTIONS[guide.view]
        return abs((camera.turn - turn + 180) % 360 - 180) < 0.5 and abs(camera.tilt - tilt) < 0.5
    return any(known.name == guide.view and camera.is_at(known) for known in document.cameras)


def seen_guides(document: Document, camera: Camera) -> list[Guide]:
    """The guides that a view shows from where its camera is, in the order they are drawn."""
    return [
        guide
        for guide in document.guides
        if guide.shown and (guide.standing or looks_at(camera, document, guide)) and is_there(document, guide)
    ]


def is_there(document: Document, guide: Guide) -> bool:
    """Whether the direction or camera of a guide is known."""
    return guide.view in AXES or any(camera.name == guide.view for camera in document.cameras)


def frame_of(document: Document, guide: Guide, shape: tuple[int, ...]) -> tuple[Floats, Floats, Floats]:
    """The lower left corner of a guide and its whole sides, across and up, from the shape of its pixels: each (3,)."""
    origin, right, up = guide_plane(document, guide)
    height = guide.width * shape[0] / shape[1]
    corner = origin + right * (guide.at[0] - guide.width / 2) + up * (guide.at[1] - height / 2)
    return corner, right * guide.width, up * height


def corners_of(view: Viewport, guide: Guide) -> Floats:
    """The four corners of a guide in space: (4, 3)."""
    corner, across, upward = frame_of(view.session.document, guide, view.scenery.images.pixels(guide).shape)
    return np.stack((corner, corner + across, corner + across + upward, corner + upward))


def guide_places(view: Viewport) -> Floats:
    """The corners, middles of sides and middles of the guides that a view shows: (n, 3)."""
    corners = [corners_of(view, guide) for guide in seen_guides(view.session.document, view.camera)]
    if not corners:
        return np.zeros((0, 3))
    four = np.stack(corners)
    return np.concatenate(
        (four.reshape(-1, 3), (0.5 * (four + np.roll(four, -1, axis=1))).reshape(-1, 3), four.mean(axis=1))
    )


def plane_place(view: Viewport, guide: Guide, place: QPoint) -> tuple[float, float] | None:
    """Where the line of sight through a pixel meets a guide's plane, right and up in mm; None where it runs along."""
    origin, right, up = guide_plane(view.session.document, guide)
    eye, direction = view.camera.ray(place.x(), place.y(), view.width(), view.height())
    normal = np.cross(right, up)
    slope = float(direction @ normal)
    if abs(slope) < 1e-9:
        return None
    met = eye + direction * (float((origin - eye) @ normal) / slope) - origin
    return float(met @ right), float(met @ up)


def projection_of(document: Document, guide: Guide, shape: tuple[int, ...]) -> Floats:
    """From a place in the world to where on a guide it is seen: (3, 4) for column vectors, u and v after division.

    u, v: 0 … 1 from the lower left corner. Directions project in parallel, named cameras in perspective as they see.
    """
    corner, across, upward = frame_of(document, guide, shape)
    result = np.zeros((3, 4))
    for row, side in ((0, across), (1, upward)):
        result[row, :3] = side / (side @ side)
        result[row, 3] = -float(corner @ side) / float(side @ side)
    result[2, 3] = 1.0
    camera = next((known for known in document.cameras if known.name == guide.view), None)
    if camera is None or not camera.perspective:
        return result
    # In perspective: from the eye through the place onto the plane through the target.
    origin, right, up = guide_plane(document, guide)
    back = np.cross(right, up)
    eye = origin + camera.distance * back
    depth = np.append(-back, float(eye @ back)) / camera.distance
    seen = np.zeros((4, 4))
    seen[:3, :3] = np.eye(3)
    seen[:3, 3] = -eye
    seen[:3] += eye[:, None] * depth[None, :]
    seen[3] = depth
    result[2] = (0.0, 0.0, 0.0, 1.0)
    return np.asarray(result @ seen)
