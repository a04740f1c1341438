"""Guides: reference images that stand in a view, sized so that what they show has its true size."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.errors import EditError
from levelloop.document.cameras import find_camera, view_axes
from levelloop.document.document import Document, Guide

# For each direction the axes that point right and up in its view.
AXES: dict[str, tuple[tuple[float, float, float], tuple[float, float, float]]] = {
    "front": ((1, 0, 0), (0, 0, 1)),
    "back": ((-1, 0, 0), (0, 0, 1)),
    "right": ((0, 1, 0), (0, 0, 1)),
    "left": ((0, -1, 0), (0, 0, 1)),
    "top": ((1, 0, 0), (0, 1, 0)),
    "bottom": ((1, 0, 0), (0, -1, 0)),
}
ENDINGS = (".png", ".jpg", ".jpeg", ".svg")


def add_guide(
    document: Document,
    path: str,
    view: str = "front",
    width: float = 100.0,
    embed: bool = True,
    name: str = "",
) -> Document:
    """Puts an image into a view, centred on the origin or what the camera looks at.

    view: a direction or a named camera;
    width: mm of the image's width; embed: the document carries the image itself, else only where it is.
    """
    if view not in AXES and all(camera.name != view for camera in document.cameras):
        known = ", ".join([*AXES, *(camera.name for camera in document.cameras)])
        raise EditError(f"There is no view “{view}”; there are {known}.")
    file = Path(path).expanduser()
    if file.suffix.lower() not in ENDINGS:
        raise EditError(f"A guide is a PNG, JPEG or SVG image; “{file.name}” is none.")
    from levelloop.files.reading import LARGEST_IMAGE, check_drawing, read_bytes

    data = read_bytes(file, LARGEST_IMAGE)
    if file.suffix.lower() == ".svg":
        check_drawing(file.name, data)
    taken = {guide.name for guide in document.guides}
    wanted = name or file.stem
    numbered = (f"{wanted} {number}" for number in range(2, len(taken) + 3))
    free = wanted if wanted not in taken else next(other for other in numbered if other not in taken)
    guide = Guide(free, str(file), view, width, data=data if embed else None)
    return replace(document, guides=(*document.guides, guide))


def set_guide(
    document: Document,
    name: str,
    opacity: float | None = None,
    width: float | None = None,
    at: tuple[float, float] | None = None,
    flip: bool | None = None,
    crop: str | None = None,
    through: bool | None = None,
    standing: bool | None = None,
    locked: bool | None = None,
    shown: bool | None = None,
    onto: str | None = None,
) -> Document:
    """Changes what is given of a guide; a locked one only lets itself be unlocked, shown or hidden.

    onto: a part by name that the image is projected onto along its view, "" to end that.
    """
    guide = find_guide(document, name)
    given = {
        key: value
        for key, value in {
            "opacity": opacity,
            "width": width,
            "at": at,
            "flip": flip,
            "crop": crop,
            "through": through,
            "standing": standing,
            "locked": locked,
            "shown": shown,
            "onto": document.by_name(onto).id if onto else onto,
        }.items()
        if value is not None
    }
    if guide.locked and set(given) - {"locked", "shown"}:
        raise EditError(f"The guide “{guide.name}” is locked.")
    return _with(document, guide, replace(guide, **given))  # type: ignore[arg-type]


def calibrate_guide(
    document: Document, name: str, start: tuple[float, float], end: tuple[float, float], length: float
) -> Document:
    """Scales a guide so that two places of it, in mm of its view, are a length apart; the first stays where it is."""
    guide = find_guide(document, name)
    if guide.locked:
        raise EditError(f"The guide “{guide.name}” is locked.")
    apart = float(np.hypot(end[0] - start[0], end[1] - start[1]))
    if apart == 0:
        raise EditError("The two places lie on each other; pick two that are apart.")
    factor = length / apart
    at = (start[0] + (guide.at[0] - start[0]) * factor, start[1] + (guide.at[1] - start[1]) * factor)
    return _with(document, guide, replace(guide, width=guide.width * factor, at=at))


def guide_plane(document: Document, guide: Guide) -> tuple[Floats, Floats, Floats]:
    """Where a guide's plane is: its origin and the unit directions right and up, each (3,)."""
    if guide.view in AXES:
        right, up = (np.array(axis, dtype=np.float64) for axis in AXES[guide.view])
        return np.zeros(3), right, up
    camera = find_camera(document, guide.view)
    right, up, _ = view_axes(camera.turn, camera.tilt)
    return np.array(camera.target), right, up


def remove_guide(document: Document, name: str) -> Document:
    """Takes a guide out of the document."""
    guide = find_guide(document, name)
    return replace(document, guides=tuple(other for other in document.guides if other is not guide))


def find_guide(document: Document, name: str) -> Guide:
    """A guide by its name; the last one for an empty name. Raises EditError where there is none."""
    if not document.guides:
        raise EditError("There is no guide yet; add an image first.")
    if not name:
        return document.guides[-1]
    for guide in document.guides:
        if guide.name == name:
            return guide
    raise EditError(f"There is no guide “{name}”.")


# Helpers


def _with(document: Document, old: Guide, new: Guide) -> Document:
    return replace(document, guides=tuple(new if guide is old else guide for guide in document.guides))
